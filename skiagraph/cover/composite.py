"""Covers laid on a frame in the source's own samples, only inside the box of each matte.

Samples outside every matte are not touched: they reach the encoder bit for bit. Covers are laid one over the other:
each hides what is there with the covers before it, so that where two overlap nothing is finer than either.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from skiagraph.cover.cover import Cover
from skiagraph.cover.layer import Layer
from skiagraph.cover.pull_push import spread_from
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import RIM
from skiagraph.media.frame import Frame, stored, stored_box


def with_layers(frame: Frame, layers: list[Layer], *, in_place: bool = False) -> Frame:
    """The frame with the given layers laid on it in order.

    Without layers it is returned itself. in_place: on the frame given, which nobody may want as it was; otherwise that
    is not changed.
    """
    if not layers:
        return frame
    result = frame if in_place else frame.writable()
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
            _lay_on(
                frame,
                layer,
                [plane[parity::2] for plane in planes],
                field,
                _field_of(whole, box, parity)[0],
                inside,
                None if front is None else _field_of(*front, parity),
                2,
            )
    return result


def _in_front(layer: Layer, frame: Frame) -> tuple[np.ndarray, tuple[int, int, int, int]] | None:
    """What is in front of a layer, in it and as far around it as covers look: alpha and its box in the stored picture;
    None where nothing is."""
    if not layer.fronts:
        return None
    width, height = frame.size if frame.rotation in (0, 180) else frame.size[::-1]
    room = int(2 * RIM * max(layer.outline.width, layer.outline.height)) + 8
    x0, y0, x1, y1 = (
        max(0, layer.box[0] - room),
        max(0, layer.box[1] - room),
        min(width, layer.box[2] + room),
        min(height, layer.box[3] + room),
    )
    held = np.zeros((y1 - y0, x1 - x0), np.uint8)
    for (fx0, fy0, fx1, fy1), alpha in layer.fronts:
        left, top, right, bottom = max(x0, fx0), max(y0, fy0), min(x1, fx1), min(y1, fy1)
        if left < right and top < bottom:
            here = held[top - y0 : bottom - y0, left - x0 : right - x0]
            np.maximum(here, alpha[top - fy0 : bottom - fy0, left - fx0 : right - fx0], out=here)
    return _stored_box((x0, y0, x1, y1), held, frame)[::-1]


def _lay_on(frame: Frame, layer: Layer, planes, alpha: np.ndarray, whole: np.ndarray, box, front, lines: int) -> None:
    """Lay a layer on the planes of a frame, or of one of its fields. whole: alpha with what is in front; box: in lines
    of the planes; front: what is in front of it, as alpha and its box, or None; lines: of the frame for one of them."""
    layout = frame.layout
    corner, measure, age = _corner(layer.outline, frame), _measure(layer), max(0, frame.number - layer.began)
    made: dict[tuple[int, int], tuple] = {}
    regions, alphas = [], []
    for n in range(layout.picture_planes):
        shift_x, shift_y = layout.shifts[n]
        if (shift_x, shift_y) not in made:
            # Both planes of colour have the same.
            small, inside = _subsampled(
                *(_taller(alpha, box) if lines > 1 and shift_y else (alpha, box)), shift_x, shift_y, planes[n].shape
            )
            hiding = (
                small
                if whole is alpha
                else _subsampled(
                    *(_taller(whole, box) if lines > 1 and shift_y else (whole, box)), shift_x, shift_y, planes[n].shape
                )[0]
            )
            made[shift_x, shift_y] = small, hiding, inside
        small, hiding, inside = made[shift_x, shift_y]
        if inside[0] >= inside[2] or inside[1] >= inside[3]:
            continue
        plane = planes[n]
        if front is not None:
            # Covers see what is behind, not what is in front of it: no rim of its colours around it.
            plane = _without(
                plane,
                *_subsampled(*(_taller(*front) if lines > 1 and shift_y else front), shift_x, shift_y, plane.shape),
            )
        regions.append(
            Region(
                plane,
                inside,
                hiding,
                1 << shift_x,
                lines << shift_y,
                *corner,
                *measure,
                n,
                frame,
                layer.outline,
                layer.subject,
                age,
            )
        )
        alphas.append(small)
    if regions:
        for region, small, hidden in zip(regions, alphas, _hidden(layer.covers, regions)):
            x0, y0, x1, y1 = region.box
            area = planes[region.number][y0:y1, x0:x1]
            area[:] = _blended(area, hidden, small, layout.depth)


def _hidden(covers: Sequence[Cover], regions: list[Region]) -> list[np.ndarray]:
    """What is seen in each plane of a region instead of its samples.

    Each of several covers hides what those before it made, and none of them what was shot.
    """
    *before, last = covers
    for cover in before:
        after = []
        for region, hidden in zip(regions, cover.hide_all(regions)):
            x0, y0, x1, y1 = region.box
            samples = region.samples.copy() if cover is before[0] else region.samples
            samples[y0:y1, x0:x1] = hidden
            after.append(replace(region, samples=samples))
        regions = after
    return last.hide_all(regions)


def _field_of(alpha: np.ndarray, box, parity: int):
    """The part of a matte that lies on each second line, and its box in those lines.

    The two fields of an interlaced frame are pictures of two moments: what is mixed of both would comb, and hide
    neither.
    """
    x0, y0, x1, y1 = box
    first, last = -((parity - y0) // 2), -((parity - y1) // 2)
    return alpha[2 * first + parity - y0 :: 2], (x0, first, x1, last)


def _taller(alpha: np.ndarray, box):
    """A matte and its box grown by a line up and down: software that takes the frame for a whole picture finds the
    colour of a line elsewhere."""
    x0, y0, x1, y1 = box
    top = min(1, y0)
    padded = np.pad(alpha, ((top + 1, 2), (0, 0)))
    return np.maximum(np.maximum(padded[:-2], padded[1:-1]), padded[2:]), (x0, y0 - top, x1, y1 + 1)


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


def _measure(layer: Layer) -> tuple[float, float]:
    """Width and height, px, that strength is measured against: of what is covered with its growth for speed and doubt,
    but without its margin."""
    if layer.measure:
        return layer.measure
    without = 1 / (1 + layer.style.margin)
    return layer.outline.width * without, layer.outline.height * without


def _corner(outline, frame: Frame) -> tuple[float, float]:
    """Top left corner of the outline's own box in the stored picture; it moves with the face, unlike the box cut to the
    frame."""
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
    if not frame.rotation:
        return box, alpha
    return stored_box(box, frame.size, frame.rotation), np.ascontiguousarray(stored(alpha, frame.rotation))


def _subsampled(alpha, box, shift_x, shift_y, shape):
    """The matte for a plane with fewer samples: each takes the largest alpha of the pixels it stands for, so no colour
    leaks."""
    x0, y0, x1, y1 = box
    if not shift_x and not shift_y:
        return alpha, box
    step_x, step_y = 1 << shift_x, 1 << shift_y
    left, top = x0 // step_x * step_x, y0 // step_y * step_y
    right, bottom = -(-x1 // step_x) * step_x, -(-y1 // step_y) * step_y
    padded = np.zeros((bottom - top, right - left), np.uint8)
    padded[y0 - top : y1 - top, x0 - left : x1 - left] = alpha
    small = padded[0::step_y, 0::step_x]
    for n in range(1, step_x * step_y):
        small = np.maximum(small, padded[n // step_x :: step_y, n % step_x :: step_x])
    px0, py0 = left // step_x, top // step_y
    px1, py1 = min(right // step_x, shape[1]), min(bottom // step_y, shape[0])
    return small[: py1 - py0, : px1 - px0], (px0, py0, px1, py1)
