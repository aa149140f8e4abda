"""What lies around a region: its colour, and a fill that goes inwards from its rim."""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.cover.region import Region

# How far around the region the rim is looked at, as a share of what is covered.
RIM = 0.10
# Longest side of the small picture in which a fill is made, and how often it is evened out there.
SMALL, ROUNDS = 20, 4


def around(region: Region) -> tuple[np.ndarray, np.ndarray, tuple[int, int, int, int]]:
    """The samples of a region and its rim, float32; which of them no cover is laid on; and the box of both."""
    x0, y0, x1, y1 = region.box
    height, width = region.samples.shape
    rim_x, rim_y = (max(2, round(RIM * region.height / step)) for step in (region.step_x, region.step_y))
    box = max(0, x0 - rim_x), max(0, y0 - rim_y), min(width, x1 + rim_x), min(height, y1 + rim_y)
    known = np.ones((box[3] - box[1], box[2] - box[0]), bool)
    known[y0 - box[1]:y1 - box[1], x0 - box[0]:x1 - box[0]] = region.alpha == 0
    return region.samples[box[1]:box[3], box[0]:box[2]].astype(np.float32), known, box


def colour_around(region: Region) -> float:
    """The mean of what is seen around a region; of the middle of the plane's range where nothing is."""
    samples, known, _ = around(region)
    count = np.count_nonzero(known)
    return float(np.dot(samples.ravel(), known.ravel().astype(np.float32)) / count) if count else float(region.value((128, 128, 128)))


def filled(region: Region) -> np.ndarray:
    """A region filled from its rim inwards, float32 (y1 - y0, x1 - x0): as smooth as a skin that is held by the rim, so that nothing of what is inside is in it.

    Source: Pérez et al., Poisson Image Editing, SIGGRAPH 2003, with no guidance (a membrane), solved at a small size.
    """
    samples, known, box = around(region)
    x0, y0, x1, y1 = region.box
    if not known.any():
        return np.full((y1 - y0, x1 - x0), region.value((128, 128, 128)), np.float32)
    shrink = max(samples.shape) / SMALL
    size = (samples.shape[1], samples.shape[0]) if shrink <= 1 else (max(2, round(samples.shape[1] / shrink)), max(2, round(samples.shape[0] / shrink)))
    weight = known.astype(np.float32)
    sums, weights = (cv2.resize(a, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0]) for a in (samples * weight, weight))
    some = weights > 0.02
    value = np.divide(sums, weights, out=np.zeros_like(sums), where=some)
    value = _begun(value, some.astype(np.float32))
    for _ in range(ROUNDS):
        smooth = cv2.blur(value, (5, 5), borderType=cv2.BORDER_REPLICATE).reshape(value.shape)
        np.copyto(smooth, value, where=some)
        value = smooth
    large = cv2.resize(value, (samples.shape[1], samples.shape[0]), interpolation=cv2.INTER_LINEAR).reshape(samples.shape)
    return large[y0 - box[1]:y1 - box[1], x0 - box[0]:x1 - box[0]]


def _begun(value: np.ndarray, known: np.ndarray) -> np.ndarray:
    """A first guess of what is not known: means of what is, the nearer the better, within ever smaller distances."""
    sums, guess = value * known, np.full_like(value, float((value * known).sum() / known.sum()))
    for reach in (21, 9):
        near, weight = (cv2.blur(a, (reach, reach), borderType=cv2.BORDER_CONSTANT).reshape(a.shape) for a in (sums, known))
        np.divide(near, weight, out=guess, where=weight > 1e-4)
    return np.where(known > 0, value, guess)
