"""What lies around a region: its colour, and a fill that goes inwards from its rim.

Both are reckoned with a small picture of it, so that they cost little and noise does not show.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.cover.region import Region

# How far around the region the rim is looked at, as a share of what is covered.
RIM = 0.12
# Longest side of the small picture, which with 20 keeps enough of what is at the rim to tell people by its colours
# (measured, benchmarks/attack.py); how far a first guess looks for what is known, in its px; and within how many of
# them it is evened out, again and again: so it comes as near to the membrane as more rounds of one width do (2 of 255,
# measured on quay).
SMALL, GUESSED, EVENED = 28, 11, (7, 7, 5, 5, 3)
GREY = (128, 128, 128)


@dataclass(frozen=True, slots=True)
class _Small:
    """A small picture of a region in each of its planes, with its rim. values: float32 (rows, columns, planes); known:
    bool (rows, columns), where no cover is laid on it, even in part; boxes: left, top, right, bottom in samples of each
    plane."""

    values: np.ndarray
    known: np.ndarray
    boxes: tuple[tuple[int, int, int, int], ...]


def _small(regions: Sequence[Region]) -> _Small | None:
    """A region small in all of its planes at once, or None where these end at places of their own, as in pictures of
    odd size."""
    # Of the plane with the fewest samples, whose alpha holds that of all others.
    region = max(regions, key=lambda r: r.step_x * r.step_y)
    x0, y0, x1, y1 = region.box
    height, width = region.samples.shape
    rim_x, rim_y = (max(2, round(RIM * region.height / step)) for step in (region.step_x, region.step_y))
    fewer = max(1, -(-max(x1 - x0 + 2 * rim_x, y1 - y0 + 2 * rim_y) // SMALL))
    (left, right), (top, bottom) = _whole(x0, x1, rim_x, fewer, width), _whole(y0, y1, rim_y, fewer, height)
    covered = np.zeros((bottom - top, right - left), np.uint8)
    inner = max(x0, left), max(y0, top), min(x1, right), min(y1, bottom)
    covered[inner[1] - top : inner[3] - top, inner[0] - left : inner[2] - left] = (
        region.alpha[inner[1] - y0 : inner[3] - y0, inner[0] - x0 : inner[2] - x0] > 0
    )
    columns, rows = max(1, (right - left) // fewer), max(1, (bottom - top) // fewer)
    # As 255 so that a hundredth of a px that is covered counts.
    known = (
        cv2.resize(covered * np.uint8(255), (columns, rows), interpolation=cv2.INTER_AREA).reshape(rows, columns) == 0
    )
    values, boxes = np.empty((rows, columns, len(regions)), np.float32), []
    for n, plane in enumerate(regions):
        by_x, by_y = region.step_x // plane.step_x, region.step_y // plane.step_y
        box = left * by_x, top * by_y, right * by_x, bottom * by_y
        if box[2] > plane.samples.shape[1] or box[3] > plane.samples.shape[0]:
            return None
        values[..., n] = cv2.resize(
            plane.samples[box[1] : box[3], box[0] : box[2]], (columns, rows), interpolation=cv2.INTER_AREA
        ).reshape(rows, columns)
        boxes.append(box)
    return _Small(values, known, tuple(boxes))


def _whole(first: int, last: int, rim: int, fewer: int, limit: int) -> tuple[int, int]:
    """A stretch with its rim that is made up of whole px of the small picture, as far as the picture goes: those are
    quick to make."""
    low, high = max(0, first - rim), min(limit, last + rim)
    more = -(high - low) % fewer
    high = min(limit, high + more)
    low = max(0, low - (-(high - low) % fewer))
    return (low, high) if (high - low) % fewer == 0 or high - low < fewer else (low + (high - low) % fewer, high)


def colour_around(region: Region) -> float:
    """The mean of what is seen around a region; of the middle of the plane's range where nothing is."""
    small = _small([region])
    return float(small.values[small.known].mean()) if small.known.any() else float(region.value(GREY))


def filled(regions: Sequence[Region]) -> list[np.ndarray]:
    """A region filled from its rim inwards in each of its planes, as samples (y1 - y0, x1 - x0): as smooth as a skin
    that is held by the rim, so that nothing of what is inside is in it.

    Source: Pérez et al., Poisson Image Editing, SIGGRAPH 2003, with no guidance (a membrane).
    """
    small = _small(regions)
    if small is None:
        return [made for region in regions for made in filled([region])]
    if not small.known.any():
        return [np.full(region.alpha.shape, region.value(GREY), region.samples.dtype) for region in regions]
    made = regions[0].made(_membrane(small.values, small.known))
    return [
        _enlarged(np.ascontiguousarray(made[..., n]), box, region)
        for n, (box, region) in enumerate(zip(small.boxes, regions))
    ]


def _membrane(values: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Values float32 (rows, columns, planes) with what is not known (bool, (rows, columns)) as smooth as what is known
    around it allows."""
    weight = known.astype(np.float32)
    sums, mask = values * weight[..., None], known.view(np.uint8)
    made = np.empty_like(values)
    made[:] = cv2.mean(values, mask)[: values.shape[2]]
    near = cv2.blur(sums, (GUESSED, GUESSED), borderType=cv2.BORDER_CONSTANT).reshape(values.shape)
    there = cv2.blur(weight, (GUESSED, GUESSED), borderType=cv2.BORDER_CONSTANT).reshape(weight.shape)[..., None]
    np.divide(near, there, out=made, where=there > 1e-4)
    cv2.copyTo(values, mask, made)
    for within in EVENED:
        made = cv2.blur(made, (within, within), borderType=cv2.BORDER_REPLICATE).reshape(values.shape)
        cv2.copyTo(values, mask, made)
    return made


def _enlarged(small: np.ndarray, box: tuple[int, int, int, int], region: Region) -> np.ndarray:
    """The part of a small picture of a box that a region takes in, in the region's samples."""
    x0, y0, x1, y1 = region.box
    large = cv2.resize(small, (box[2] - box[0], box[3] - box[1]), interpolation=cv2.INTER_LINEAR).reshape(
        box[3] - box[1], box[2] - box[0]
    )
    before, after = (max(0, box[0] - x0), max(0, box[1] - y0)), (max(0, x1 - box[2]), max(0, y1 - box[3]))
    if any(before + after):
        # The region reaches into the last px before the picture's edge that make no whole one.
        large = np.pad(large, ((before[1], after[1]), (before[0], after[0])), mode="edge")
    top, left = y0 - box[1] + before[1], x0 - box[0] + before[0]
    return large[top : top + y1 - y0, left : left + x1 - x0]
