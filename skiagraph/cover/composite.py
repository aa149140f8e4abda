"""Covers laid on a frame in the source's own samples, only inside the box of each matte.

Samples outside every matte are not touched: they reach the encoder bit for bit. Covers are laid one over the other: each hides what
is there with the covers before it, so that where two overlap nothing is finer than either.
"""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.cover.cover import Region
from skiagraph.cover.layer import Layer
from skiagraph.media.frame import Frame, stored


def with_layers(frame: Frame, layers: list[Layer]) -> Frame:
    """The frame with the given layers laid on it in order. The frame given is not changed; without layers it is returned itself."""
    if not layers:
        return frame
    result = frame.writable()
    planes = result.planes()
    for layer in layers:
        box, alpha = _stored_box(layer.box, layer.alpha, frame)
        held = None if layer.held is None else _stored_box(layer.box, layer.held, frame)[1]
        if not frame.interlaced:
            _lay_on(frame, layer, planes, alpha, held, box, 1)
            continue
        for parity in (0, 1):
            field, inside = _field_of(alpha, box, parity)
            _lay_on(frame, layer, [plane[parity::2] for plane in planes], field, None if held is None else _field_of(held, box, parity)[0], inside, 2)
    return result


def _lay_on(frame: Frame, layer: Layer, planes, alpha: np.ndarray, held: np.ndarray | None, box, lines: int) -> None:
    """Lay a layer on the planes of a frame, or of one of its fields. held: what is in front of it, as alpha; box: in lines of the planes; lines: of the frame for
    one of them."""
    layout = frame.layout
    for n in range(layout.picture_planes):
        shift_x, shift_y = layout.shifts[n]
        wide = _taller(alpha, box) if lines > 1 and shift_y else (alpha, box)
        small, inside = _subsampled(*wide, shift_x, shift_y, planes[n].shape)
        if inside[0] >= inside[2] or inside[1] >= inside[3]:
            continue
        plane = planes[n]
        if held is not None:
            # Covers see what is behind, not what is in front of it: no rim of its colours around it.
            front = _subsampled(*(_taller(held, box) if lines > 1 and shift_y else (held, box)), shift_x, shift_y, plane.shape)[0]
            plane = _without(plane, front, inside)
        for cover in layer.style.covers:
            region = _region(layer, frame, n, plane, inside, 1 << shift_x, lines << shift_y)
            hidden = cover.hide(region)
            if plane is not planes[n]:
                x0, y0, x1, y1 = inside
                plane[y0:y1, x0:x1] = _blended(plane[y0:y1, x0:x1], hidden, np.full_like(small, 255), layout.depth)
            _lay(hidden, planes[n], inside, small, layout.depth)


def _field_of(alpha: np.ndarray, box, parity: int):
    """The part of a matte that lies on each second line, and its box in those lines. The two fields of an interlaced frame are pictures
    of two moments: what is mixed of both would comb, and hide neither."""
    x0, y0, x1, y1 = box
    first, last = -((parity - y0) // 2), -((parity - y1) // 2)
    return alpha[2 * first + parity - y0::2], (x0, first, x1, last)


def _taller(alpha: np.ndarray, box):
    """A matte and its box grown by a line up and down: software that takes the frame for a whole picture finds the colour of a line
    elsewhere."""
    x0, y0, x1, y1 = box
    top = min(1, y0)
    padded = np.pad(alpha, ((top + 1, 2), (0, 0)))
    return np.maximum(np.maximum(padded[:-2], padded[1:-1]), padded[2:]), (x0, y0 - top, x1, y1 + 1)


def _lay(hidden: np.ndarray, plane: np.ndarray, box, alpha: np.ndarray, depth: int) -> None:
    x0, y0, x1, y1 = box
    plane[y0:y1, x0:x1] = _blended(plane[y0:y1, x0:x1], hidden, alpha, depth)


def _blended(area: np.ndarray, hidden: np.ndarray, alpha: np.ndarray, depth: int) -> np.ndarray:
    wide = np.uint32 if depth > 8 else np.uint16
    share = alpha.astype(wide)
    # Rounded so that alpha 0 leaves and alpha 255 replaces exactly.
    return ((area.astype(wide) * (255 - share) + hidden.astype(wide) * share + 127) // 255).astype(area.dtype)


def _without(plane: np.ndarray, front: np.ndarray, box) -> np.ndarray:
    """A plane of which what is in front, alpha in a box, is filled from around it: means of what is behind, at the finest size at which there is some
    (pull-push: Gortler et al., The Lumigraph, SIGGRAPH 1996)."""
    x0, y0, x1, y1 = box
    filled, area = plane.copy(), plane[y0:y1, x0:x1].astype(np.float32)
    # Its edge is mixed of both.
    known = cv2.dilate(front, np.ones((5, 5), np.uint8)) == 0
    levels = [(area, known.astype(np.float32))]
    while min(levels[-1][0].shape) > 1 and levels[-1][1].min() == 0:
        value, weight = levels[-1]
        size = -(-value.shape[1] // 2), -(-value.shape[0] // 2)
        sums, weights = (cv2.resize(a, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0]) for a in (value * weight, weight))
        levels.append((np.divide(sums, weights, out=np.zeros_like(sums), where=weights > 0), (weights > 0).astype(np.float32)))
    value = levels[-1][0]
    for finer, known in levels[-2::-1]:
        grown = cv2.resize(value, finer.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(finer.shape)
        value = np.where(known > 0, finer, grown)
    filled[y0:y1, x0:x1] = np.rint(value).astype(plane.dtype)
    return filled


def _region(layer: Layer, frame: Frame, plane: int, samples: np.ndarray, box, step_x: int, step_y: int) -> Region:
    # The outline carries its growth for speed and doubt as well; strength is measured against all of it but the margin.
    outline, without = layer.outline, 1 / (1 + layer.style.margin)
    corner_x, corner_y = _corner(outline, frame)
    return Region(samples, box, step_x, step_y, corner_x, corner_y, outline.width * without, outline.height * without, plane, frame)


def _corner(outline, frame: Frame) -> tuple[float, float]:
    """Top left corner of the outline's own box in the stored picture; it moves with the face, unlike the box cut to the frame."""
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


def _stored_box(box: tuple[int, int, int, int], alpha: np.ndarray, frame: Frame):
    """A box and its alpha in the stored, unrotated picture."""
    x0, y0, x1, y1 = box
    if not frame.rotation:
        return box, alpha
    width, height = frame.size
    if frame.rotation == 90:
        box = (y0, height - x1, y1, height - x0)
    elif frame.rotation == 180:
        box = (width - x1, height - y1, width - x0, height - y0)
    else:
        box = (width - y1, x0, width - y0, x1)
    return box, np.ascontiguousarray(stored(alpha, frame.rotation))


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
