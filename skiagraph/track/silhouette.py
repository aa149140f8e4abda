"""Whether a head is still there though no face is seen: the shape of head and shoulders against what is behind.

Network: the person segmentation of Bazarevsky et al. (MediaPipe selfie segmentation, Apache-2.0), 256x256.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources

import cv2
import numpy as np

_SIDE = 256
# The square that is looked at: its side in head heights, and how far down in it the head's middle lies.
_REACH, _RISE = 3.0, 0.36
# The mask is matched at this resolution.
_FINE = 48
# A head of which this share is person is there; below the other it is not.
THERE, GONE = 0.7, 0.35
# From this margin between head and what is around it the place of the head is clear.
CLEAR = 0.5
# Hair above the skull, in head heights.
HAIR = 0.05
# Places and widths tried around what was expected: shifts in head widths and heights, factors on the width, and what straying costs.
_COARSE_X, _COARSE_Y, _WIDTHS, _STRAY = (-0.6, -0.4, -0.2, 0.0, 0.2, 0.4, 0.6), (-0.27, 0.0, 0.27), (0.9, 1.2, 1.45), 0.5


@dataclass(frozen=True, slots=True)
class Shape:
    """share: of the head's ellipse that is person, where it was expected; margin: how much more person the best ellipse nearby
    holds than the ring above and beside it, low in a crowd, where the shape tells little; cx, cy, width: that ellipse, px."""

    share: float
    margin: float
    cx: float
    cy: float
    width: float


class Silhouette:
    """The network; not to be shared between threads."""

    def __init__(self, threads: int = 1):
        from ai_edge_litert.interpreter import Interpreter
        weights = resources.files("skiagraph.assets").joinpath("models", "person_segmentation.tflite").read_bytes()
        self._interpreter = Interpreter(model_content=weights, num_threads=threads)
        self._interpreter.allocate_tensors()
        self._input = self._interpreter.get_input_details()[0]["index"]
        self._output = self._interpreter.get_output_details()[0]["index"]

    def shape(self, picture_rgb: np.ndarray, head: np.ndarray, origin=(0, 0)) -> Shape:
        """Look at a head (cx, cy, width, height, …; px of the frame) in a crop of the frame whose corner is at origin."""
        cx, cy, width, height = (float(v) for v in head[:4])
        side = max(height * _REACH, 16.0)
        scale = _SIDE / side
        left, top = cx - origin[0] - side / 2, cy - origin[1] - side * _RISE
        move = np.float32([[scale, 0, -left * scale], [0, scale, -top * scale]])
        crop = cv2.warpAffine(picture_rgb, move, (_SIDE, _SIDE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        self._interpreter.set_tensor(self._input, (crop.astype(np.float32) * np.float32(1 / 255))[None])
        self._interpreter.invoke()
        mask = self._interpreter.get_tensor(self._output)[0, :, :, 0]
        small = cv2.resize(mask, (_FINE, _FINE), interpolation=cv2.INTER_AREA)
        fine = scale * _FINE / _SIDE
        x, y, a, b = _FINE / 2, _FINE * _RISE, width * fine / 2, height * fine / 2
        share = float(small[_radius(x, y, a, b) < 0.81].mean())
        best = _best(small, x, y, a, b, ((dx, dy, w) for dx in _COARSE_X for dy in _COARSE_Y for w in _WIDTHS))
        _, _, px, py, wide = best
        near = ((px - x) / (2 * a), (py - y) / (2 * b), wide / a)
        best = max(best, _best(small, x, y, a, b, ((near[0] + dx, near[1] + dy, near[2]) for dx in (-0.1, 0, 0.1) for dy in (-0.09, 0, 0.09))))
        _, margin, px, py, wide = best
        if margin < CLEAR:
            return Shape(share, margin, cx, cy, width)
        # Hair and hats stand above the skull, which draws the best place upwards.
        return Shape(share, margin, cx + (px - x) / fine, cy + (py - y) / fine + HAIR * height, 2 * wide / fine)


def _best(mask, x, y, a, b, places) -> tuple[float, float, float, float, float]:
    """(value, margin, cx, cy, half width) of the best of the places (shift in widths, in heights, factor on the width)."""
    best = (-1.0, 0.0, x, y, a)
    for dx, dy, factor in places:
        px, py, wide = x + dx * 2 * a, y + dy * 2 * b, a * factor
        radius = _radius(px, py, wide, b)
        ring = (radius > 1.35) & (radius < 2.3)
        ring[int(max(0, py + 0.2 * b)):] = False
        inside = radius < 0.85
        count, around = np.count_nonzero(inside), np.count_nonzero(ring)
        if not count or not around:
            continue
        margin = float(mask[inside].sum() / count - mask[ring].sum() / around)
        value = margin - _STRAY * (dx * dx + dy * dy) - 0.05 * abs(factor - 1)
        if value > best[0]:
            best = (value, margin, px, py, wide)
    return best


_COLUMN, _ROW = np.arange(_FINE, dtype=np.float32)[None, :] + 0.5, np.arange(_FINE, dtype=np.float32)[:, None] + 0.5


def _radius(x: float, y: float, a: float, b: float) -> np.ndarray:
    """Squared distance from (x, y) in half axes, for every cell of the mask."""
    return np.square((_COLUMN - x) / np.float32(a)) + np.square((_ROW - y) / np.float32(b))
