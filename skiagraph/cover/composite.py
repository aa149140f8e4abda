"""Covers laid on a frame in the source's own samples, only inside the box of each matte.

Samples outside every matte are not touched: they reach the encoder bit for bit. Covers are laid one over the other: each hides what
is there with the covers before it, so that where two overlap nothing is finer than either.
"""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.cover.layer import Layer
from skiagraph.cover.pull_push import spread_from
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import RIM
from skiagraph.media.frame import Frame, stored


def with_layers(frame: Frame, layers: list[Layer]) -> Frame:
    """The frame with the given layers laid on it in order. The frame given is not changed; without layers it is returned itself."""
    if not layers:
        return frame
    result = frame.writable()
    planes = result.planes()
    for layer in layers:
        box, alpha = _stored_box(layer.box, layer.alpha, frame)
        front = _in_front(layer, frame)
        # What is in front lies within the head: it is no part of what is around it, from which covers may take colours.
        whole = alpha if front is None else _stored_box(layer.box, np.maximum(layer.whole, layer.held), frame)[1]
        if not frame.interlaced:
            _lay_on(frame, layer, planes, alpha, whole, box, front, 1)
            continue
        for parity in (0, 1):
            field, inside = _field_of(alpha, box, parity)
            _lay_on(frame, layer, [plane[parity::2] for plane in planes], field, _field_of(whole, box, parity)[0], inside, None if front is None else _field_of(*front, parity), 2)
    return result


def _in_front(layer: Layer, frame: Frame) -> tuple[np.ndarray, tuple[int, int, int, int]] | None:
    """What is in front of a layer, in it and as far around it as covers look: alpha and its box in the stored picture; None where nothing is."""
    if not layer.fronts:
        return None
    width, height = frame.size if frame.rotation in (0, 180) else frame.size[::-1]
    room = int(2 * RIM * max(layer.outline.width, layer.outline.height)) + 8
    x0, y0, x1, y1 = max(0, layer.box[0] - room), max(0, layer.box[1] - room), min(width, layer.box[2] + room), min(height, layer.box[3] + room)
    held = np.zeros((y1 - y0, x1 - x0), np.uint8)
    for (fx0, fy0, fx1, fy1), alpha in layer.fronts:
        left, top, right, bottom = max(x0, fx0), max(y0, fy0), min(x1, fx1), min(y1, fy1)
        if left < right and top < bottom:
            here = held[top - y0:bottom - y0, left - x0:right - x0]
            np.maximum(here, alpha[top - fy0:bottom - fy0, left - fx0:right - fx0], out=here)
    return _stored_box((x0, y0, x1, y1), held, frame)[::-1]


def _lay_on(frame: Frame, layer: Layer, planes, alpha: np.ndarray, whole: np.ndarray, box, front, lines: int) -> None:
    """Lay a layer on the planes of a frame, or of one of its fields. whole: alpha with what is in front; box: in lines of the planes; front: what is in front of it, as alpha and its box, or None; lines: of the
    frame for one of them."""
    layout = frame.layout
    made: dict[tuple[int, int], tuple] = {}
    for n in range(layout.picture_planes):
        shift_x, shift_y = layout.shifts[n]
        if (shift_x, shift_y) not in made:
            # Both planes of colour have the same.
            small, inside = _subsampled(*(_taller(alpha, box) if lines > 1 and shift_y else (alpha, box)), shift_x, shift_y, planes[n].shape)
            hiding = small if whole is alpha else _subsampled(*(_taller(whole, box) if lines > 1 and shift_y else (whole, box)), shift_x, shift_y, planes[n].shape)[0]
            made[shift_x, shift_y] = small, hiding, inside
        small, hiding, inside = made[shift_x, shift_y]
        if inside[0] >= inside[2] or inside[1] >= inside[3]:
            continue
        plane = planes[n]
        if front is not None:
            # Covers see what is behind, not what is in front of it: no rim of its colours around it.
            plane = _without(plane, *_subsampled(*(_taller(*front) if lines > 1 and shift_y else front), shift_x, shift_y, plane.shape))
        hidden = _hidden(layer, frame, n, plane, hiding, inside, 1 << shift_x, lines << shift_y)
        _lay(hidden, planes[n], inside, small, layout.depth)


def _hidden(layer: Layer, frame: Frame, number: int, plane: np.ndarray, alpha: np.ndarray, box, step_x: int, step_y: int) -> np.ndarray:
    """What is seen in a box of a plane instead of its samples. Each of several covers hides what those before it made, and none of them what was shot."""
    x0, y0, x1, y1 = box
    *before, last = layer.covers
    for cover in before:
        hidden = cover.hide(_region(layer, frame, number, plane, alpha, box, step_x, step_y))
        plane = plane.copy() if cover is before[0] else plane
        plane[y0:y1, x0:x1] = hidden
    return last.hide(_region(layer, frame, number, plane, alpha, box, step_x, step_y))


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
    mixed = area.astype(wide)
    mixed *= 255 - share
    mixed += hidden.astype(wide) * share
    # A division by 255, rounded: alpha 0 leaves and alpha 255 replaces exactly.
    mixed += 128
    mixed += mixed >> 8 if depth == 8 else (mixed >> 8) + (mixed >> 16)
    mixed >>= 8
    return mixed.astype(area.dtype)


def _without(plane: np.ndarray, front: np.ndarray, box) -> np.ndarray:
    """A plane of which what is in front, alpha in a box, is filled from around it."""
    x0, y0, x1, y1 = box
    filled = plane.copy()
    # Its edge is mixed of both.
    known = cv2.dilate(front, np.ones((5, 5), np.uint8)) == 0
    filled[y0:y1, x0:x1] = np.rint(spread_from(plane[y0:y1, x0:x1], known)).astype(plane.dtype)
    return filled


def _region(layer: Layer, frame: Frame, plane: int, samples: np.ndarray, alpha: np.ndarray, box, step_x: int, step_y: int) -> Region:
    outline = layer.outline
    width, height = layer.measure or (outline.width, outline.height)
    # The outline carries its growth for speed and doubt as well; strength is measured against all of it but the margin.
    without = 1 if layer.measure else 1 / (1 + layer.style.margin)
    corner_x, corner_y = _corner(outline, frame)
    return Region(samples, box, alpha, step_x, step_y, corner_x, corner_y, width * without, height * without, plane, frame, outline, layer.subject, max(0, frame.number - layer.began))


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
    small = padded[0::step_y, 0::step_x]
    for n in range(1, step_x * step_y):
        small = np.maximum(small, padded[n // step_x::step_y, n % step_x::step_x])
    px0, py0 = left // step_x, top // step_y
    px1, py1 = min(right // step_x, shape[1]), min(bottom // step_y, shape[0])
    return small[:py1 - py0, :px1 - px0], (px0, py0, px1, py1)
