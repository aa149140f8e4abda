"""Covers laid on a frame in the source's own samples, only inside the box of each matte.

Samples outside every matte are not touched: they reach the encoder bit for bit.
"""

from __future__ import annotations

import numpy as np

from skiagraph.cover import effects
from skiagraph.cover.matte import Layer, layers
from skiagraph.media.frame import Frame, stored
from skiagraph.project.model import CoverKind, Project

# Luma weights of the colour matrices, ITU-R BT.601, BT.709, BT.2020.
_WEIGHTS = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}


def covered(project: Project, clip: str, frame: Frame) -> Frame:
    """The frame with every covered subject hidden; the same frame when there is nothing to hide."""
    return with_layers(frame, layers(project, clip, frame.number))


def with_layers(frame: Frame, covers: list[Layer]) -> Frame:
    """The frame with the given mattes filled. The frame given is not changed.

    Effects look at the source, not at each other's result, and later layers lie over earlier ones.
    """
    if not covers:
        return frame
    result = frame.writable()
    source, target = frame.planes(), result.planes()
    layout = frame.layout
    for layer in covers:
        for n in range(layout.picture_planes):
            _fill(frame, layer, n, source[n], target[n], layout)
    return result


def _fill(frame: Frame, layer: Layer, plane: int, source: np.ndarray, target: np.ndarray, layout) -> None:
    shift_x, shift_y = layout.shifts[plane]
    box, alpha = _stored_box(layer, frame)
    alpha, (x0, y0, x1, y1) = _subsampled(alpha, box, shift_x, shift_y, source.shape)
    if x0 >= x1 or y0 >= y1:
        return
    hidden = _effect(frame, layer, plane, source, (x0, y0, x1, y1), shift_x, shift_y)
    area = target[y0:y1, x0:x1]
    wide = np.uint32 if layout.depth > 8 else np.uint16
    share = alpha.astype(wide)
    # Rounded so that alpha 0 leaves and alpha 255 replaces exactly.
    blend = (area.astype(wide) * (255 - share) + hidden.astype(wide) * share + 127) // 255
    area[:] = blend.astype(area.dtype)


def _stored_box(layer: Layer, frame: Frame):
    """The layer's box and alpha in the stored, unrotated picture."""
    x0, y0, x1, y1 = layer.box
    if not frame.rotation:
        return layer.box, layer.alpha
    width, height = frame.size
    if frame.rotation == 90:
        box = (y0, height - x1, y1, height - x0)
    elif frame.rotation == 180:
        box = (width - x1, height - y1, width - x0, height - y0)
    else:
        box = (width - y1, x0, width - y0, x1)
    return box, np.ascontiguousarray(stored(layer.alpha, frame.rotation))


def _subsampled(alpha, box, shift_x, shift_y, shape):
    """The matte for a plane with fewer samples: each takes the largest alpha of the pixels it stands for, so no colour leaks."""
    x0, y0, x1, y1 = box
    if not shift_x and not shift_y:
        return alpha, box
    step_x, step_y = 1 << shift_x, 1 << shift_y
    left, top = x0 // step_x * step_x, y0 // step_y * step_y
    right, bottom = -(-x1 // step_x) * step_x, -(-y1 // step_y) * step_y
    padded = np.zeros((bottom - top, right - left), np.uint8)
    padded[y0 - top:y1 - top, x0 - left:x1 - left] = alpha
    small = padded.reshape((bottom - top) // step_y, step_y, (right - left) // step_x, step_x).max(axis=(1, 3))
    px0, py0 = left // step_x, top // step_y
    px1, py1 = min(right // step_x, shape[1]), min(bottom // step_y, shape[0])
    return small[:py1 - py0, :px1 - px0], (px0, py0, px1, py1)


def _effect(frame: Frame, layer: Layer, plane: int, source: np.ndarray, box, shift_x: int, shift_y: int) -> np.ndarray:
    style, outline = layer.style, layer.outline
    # The outline carries its margin; strength is measured against the head inside it.
    head_w, head_h = outline.width / (1 + style.margin), outline.height / (1 + style.margin)
    step_x, step_y = 1 << shift_x, 1 << shift_y
    if style.kind == CoverKind.SOLID:
        return effects.solid(source, box, solid_value(style.colour, plane, frame))
    if style.kind == CoverKind.BLUR:
        sigma = style.blur * head_h
        return effects.blurred(source, box, sigma / step_x, sigma / step_y)
    block = head_w / max(1, style.blocks)
    corner_x, corner_y = _outline_corner(layer, frame)
    return effects.mosaic(source, box, (corner_x / step_x, corner_y / step_y), (block / step_x, block / step_y))


def _outline_corner(layer: Layer, frame: Frame) -> tuple[float, float]:
    """Top left corner of the outline's own box in the stored picture; it moves with the face, unlike the box cut to the frame."""
    outline = layer.outline
    width, height = frame.size
    cx, cy = outline.cx, outline.cy
    if frame.rotation == 90:
        cx, cy = outline.cy, height - outline.cx
    elif frame.rotation == 180:
        cx, cy = width - outline.cx, height - outline.cy
    elif frame.rotation == 270:
        cx, cy = width - outline.cy, outline.cx
    half_w, half_h = (outline.height, outline.width) if frame.rotation in (90, 270) else (outline.width, outline.height)
    return cx - half_w / 2, cy - half_h / 2


def solid_value(colour: tuple[int, int, int], plane: int, frame: Frame) -> int:
    """Sample value of an RGB colour (0..255) in one plane of a frame, by its matrix, range and depth."""
    layout = frame.layout
    r, g, b = (v / 255 for v in colour)
    top = (1 << layout.depth) - 1
    if layout.is_rgb:
        return round((g, b, r)[plane] * top)
    red, blue = _WEIGHTS[frame.matrix]
    luma = red * r + (1 - red - blue) * g + blue * b
    scale = 1 << (layout.depth - 8)
    if plane == 0:
        return round(luma * top) if frame.full_range else round((16 + 219 * luma) * scale)
    chroma = (b - luma) / (2 * (1 - blue)) if plane == 1 else (r - luma) / (2 * (1 - red))
    return min(top, round(chroma * top + (top + 1) / 2)) if frame.full_range else round((128 + 224 * chroma) * scale)
