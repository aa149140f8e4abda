"""What lies around a region: its colour, and a fill that goes inwards from its rim. Both are reckoned with a small picture of it, so that they cost little and noise does not show."""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.cover.region import Region

# How far around the region the rim is looked at, as a share of what is covered.
RIM = 0.12
# Longest side of the small picture, and how often a fill is evened out in it, within how many of its px.
SMALL, ROUNDS, EVENED = 28, 9, (5, 5)
# Distances, in px of the small picture, within which a first guess looks for what is known.
GUESSED = (29, 11)
GREY = (128, 128, 128)


def _small(region: Region) -> tuple[np.ndarray, np.ndarray, tuple[int, int, int, int]]:
    """A small picture of a region and its rim, float32; which of its px no cover is laid on, even in part, bool; and the box of both in samples."""
    x0, y0, x1, y1 = region.box
    height, width = region.samples.shape
    rim_x, rim_y = (max(2, round(RIM * region.height / step)) for step in (region.step_x, region.step_y))
    fewer = max(1, -(-max(x1 - x0 + 2 * rim_x, y1 - y0 + 2 * rim_y) // SMALL))
    (left, right), (top, bottom) = _whole(x0, x1, rim_x, fewer, width), _whole(y0, y1, rim_y, fewer, height)
    covered = np.zeros((bottom - top, right - left), np.uint8)
    inner = max(x0, left), max(y0, top), min(x1, right), min(y1, bottom)
    np.minimum(region.alpha[inner[1] - y0:inner[3] - y0, inner[0] - x0:inner[2] - x0], 1, out=covered[inner[1] - top:inner[3] - top, inner[0] - left:inner[2] - left])
    size = max(1, (right - left) // fewer), max(1, (bottom - top) // fewer)
    value = cv2.resize(region.samples[top:bottom, left:right], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0]).astype(np.float32)
    # As 255 so that a hundredth of a px that is covered counts.
    known = cv2.resize(covered * np.uint8(255), size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0]) == 0
    return value, known, (left, top, right, bottom)


def _whole(first: int, last: int, rim: int, fewer: int, limit: int) -> tuple[int, int]:
    """A stretch with its rim that is made up of whole px of the small picture, as far as the picture goes: those are quick to make."""
    low, high = max(0, first - rim), min(limit, last + rim)
    more = -(high - low) % fewer
    high = min(limit, high + more)
    low = max(0, low - (-(high - low) % fewer))
    return (low, high) if (high - low) % fewer == 0 or high - low < fewer else (low + (high - low) % fewer, high)


def colour_around(region: Region) -> float:
    """The mean of what is seen around a region; of the middle of the plane's range where nothing is."""
    value, known, _ = _small(region)
    return float(value[known].mean()) if known.any() else float(region.value(GREY))


def filled(region: Region) -> np.ndarray:
    """A region filled from its rim inwards, as samples (y1 - y0, x1 - x0): as smooth as a skin that is held by the rim, so that nothing of what is inside is in it.

    Source: Pérez et al., Poisson Image Editing, SIGGRAPH 2003, with no guidance (a membrane).
    """
    value, known, box = _small(region)
    x0, y0, x1, y1 = region.box
    if not known.any():
        return np.full((y1 - y0, x1 - x0), region.value(GREY), region.samples.dtype)
    weight = known.astype(np.float32)
    sums = value * weight
    made = np.full_like(value, float(sums.sum() / weight.sum()))
    for reach in GUESSED:
        near, there = (cv2.blur(a, (reach, reach), borderType=cv2.BORDER_CONSTANT).reshape(a.shape) for a in (sums, weight))
        np.divide(near, there, out=made, where=there > 1e-4)
    np.copyto(made, value, where=known)
    for _ in range(ROUNDS):
        smooth = cv2.blur(made, EVENED, borderType=cv2.BORDER_REPLICATE).reshape(value.shape)
        np.copyto(smooth, value, where=known)
        made = smooth
    large = cv2.resize(region.made(made), (box[2] - box[0], box[3] - box[1]), interpolation=cv2.INTER_LINEAR).reshape(box[3] - box[1], box[2] - box[0])
    before, after = (max(0, box[0] - x0), max(0, box[1] - y0)), (max(0, x1 - box[2]), max(0, y1 - box[3]))
    if any(before + after):
        # The region reaches into the last px before the picture's edge that make no whole one.
        large = np.pad(large, ((before[1], after[1]), (before[0], after[0])), mode="edge")
    top, left = y0 - box[1] + before[1], x0 - box[0] + before[0]
    return large[top:top + y1 - y0, left:left + x1 - x0]
