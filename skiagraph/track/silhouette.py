"""Whether a head is still there though no face is seen: the shape of head and shoulders against what is behind.

Network: the person segmentation of Bazarevsky et al. (MediaPipe selfie segmentation, Apache-2.0), 256x256.
"""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from skiagraph.detect.networks import weights
from skiagraph.detect.turned import TURNED

_SIDE = 256
# The square that is looked at: its side in head heights, and how far down in it the head's middle lies.
_REACH, _RISE = 3.0, 0.36
# Nothing is looked at further from the middle of a head than so many of its heights.
SHAPE_REACH = 2.0
# The mask is matched at this resolution.
_FINE = 48


@dataclass(frozen=True, slots=True)
class SilhouetteSettings:
    """What the shape of head and shoulders tells.

    Shares of a head that is person, measured on films of benchmarks/scenes.py: heads have 0.8 to 1, backgrounds hardly
    ever a third.
    """

    there: float = 0.7  # share from which a head is there; larger: fewer are believed
    gone: float = 0.35  # share below which it is not
    clear: float = 0.5  # margin between head and what is around it from which its place is clear
    hair: float = 0.05  # hair above the skull, in head heights
    inside: float = 0.81  # squared radius, in half axes, within which px of a head are its own when its share is taken
    tried_inside: float = 0.85  # the same for ellipses that are tried
    ring: tuple[float, float] = (1.35, 2.3)  # squared radii between which what is around them lies
    shoulders: float = 0.2  # half heights below the middle from which shoulders begin, and nothing around counts
    strays: float = 0.5  # cost of a shift of one width or height
    resizes: float = 0.05  # cost of an ellipse twice as wide


SILHOUETTE = SilhouetteSettings()
# Places and widths tried around what was expected, shifts in head widths and heights and factors on the width; then
# shifts around the best of them.
_COARSE_X, _COARSE_Y, _WIDTHS = (-0.6, -0.4, -0.2, 0.0, 0.2, 0.4, 0.6), (-0.27, 0.0, 0.27), (0.9, 1.2, 1.45)
_NEAR_X, _NEAR_Y = (-0.1, 0, 0.1), (-0.09, 0, 0.09)
# Half axes of heads are rounded to this many cells of the mask, so that what is tried need not be laid out anew each
# time.
_ROUND = 0.125


@dataclass(frozen=True, slots=True)
class Shape:
    """share: of the head's ellipse that is person, where it was expected; margin: how much more person the best ellipse
    nearby holds than the ring above and beside it, low in a crowd, where the shape tells little; cx, cy, width: that
    ellipse, px."""

    share: float
    margin: float
    cx: float
    cy: float
    width: float


class Silhouette:
    """The network, one for each thread that asks."""

    def __init__(self):
        self._of_thread = threading.local()

    def _mask(self, crop: np.ndarray) -> np.ndarray:
        """Person, 0..1, for every px of an RGB picture, (256, 256)."""
        mine = self._of_thread
        if not hasattr(mine, "interpreter"):
            from ai_edge_litert.interpreter import Interpreter

            mine.interpreter = Interpreter(model_content=weights("person_segmentation.tflite"), num_threads=1)
            mine.interpreter.allocate_tensors()
            mine.input = mine.interpreter.get_input_details()[0]["index"]
            mine.output = mine.interpreter.get_output_details()[0]["index"]
        mine.interpreter.set_tensor(mine.input, (crop.astype(np.float32) * np.float32(1 / 255))[None])
        mine.interpreter.invoke()
        return mine.interpreter.get_tensor(mine.output)[0, :, :, 0]

    def shape(self, picture_rgb: np.ndarray, head: np.ndarray, origin=(0, 0)) -> Shape:
        """Look at a head (cx, cy, width, height, angle in degrees clockwise if it is known, …; px of the frame) in a
        crop of the frame whose corner is at origin."""
        cx, cy, width, height = (float(v) for v in head[:4])
        side = max(height * _REACH, 16.0)
        scale = _SIDE / side
        left, top = cx - origin[0] - side / 2, cy - origin[1] - side * _RISE
        move = np.float32([[scale, 0, -left * scale], [0, scale, -top * scale]])
        # Of somebody who lies the shoulders are to the side.
        lean = np.radians(float(head[4])) if len(head) > 4 and abs(head[4]) >= TURNED.looked_from else 0.0
        stands = np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]])
        if lean:
            move = np.column_stack(
                [scale * stands, (_SIDE / 2, _SIDE * _RISE) - scale * stands @ (cx - origin[0], cy - origin[1])]
            ).astype(np.float32)
        crop = cv2.warpAffine(
            picture_rgb, move, (_SIDE, _SIDE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        mask = self._mask(crop)
        small = cv2.resize(mask, (_FINE, _FINE), interpolation=cv2.INTER_AREA)
        fine = scale * _FINE / _SIDE
        x, y, a, b = (
            _FINE / 2,
            _FINE * _RISE,
            max(1, round(width * fine / 2 / _ROUND)) * _ROUND,
            max(1, round(height * fine / 2 / _ROUND)) * _ROUND,
        )
        share = float(small[_radius(x, y, a, b) < SILHOUETTE.inside].mean())
        best = _best_of(small, _coarse(x, y, a, b))
        _, _, px, py, wide = best
        near = ((px - x) / (2 * a), (py - y) / (2 * b), wide / a)
        best = max(
            best,
            _best_of(
                small,
                _Places.of(x, y, a, b, [(near[0] + dx, near[1] + dy, near[2]) for dx in _NEAR_X for dy in _NEAR_Y]),
            ),
        )
        _, margin, px, py, wide = best
        if margin < SILHOUETTE.clear:
            return Shape(share, margin, cx, cy, width)
        # Hair and hats stand above the skull, which draws the best place upwards.
        right, down = stands.T @ ((px - x) / fine, (py - y) / fine + SILHOUETTE.hair * height)
        return Shape(share, margin, cx + float(right), cy + float(down), 2 * wide / fine)


@dataclass(frozen=True, slots=True)
class _Places:
    """Ellipses to try. at: (n, 3) cx, cy, half width in cells of the mask; weights: float32 (n, cells), whose sum over
    a mask is how much more of the ellipse than of the ring above and beside it is person; costs: (n,) for straying,
    infinite where nothing is to be seen."""

    at: np.ndarray
    weights: np.ndarray
    costs: np.ndarray

    @staticmethod
    def of(x: float, y: float, a: float, b: float, places: Sequence[tuple[float, float, float]]) -> _Places:
        """places: shift in widths, in heights, factor on the width."""
        places = np.asarray(places, np.float32)
        px, py, wide = x + places[:, 0] * 2 * a, y + places[:, 1] * 2 * b, a * places[:, 2]
        radius = (
            np.square((_COLUMN[None] - px[:, None, None]) / wide[:, None, None])
            + np.square((_ROW[None] - py[:, None, None]) / np.float32(b))
        ).reshape(len(places), -1)
        lowest = np.maximum(0, py + SILHOUETTE.shoulders * b).astype(int)
        inside = radius < SILHOUETTE.tried_inside
        ring = (
            (radius > SILHOUETTE.ring[0])
            & (radius < SILHOUETTE.ring[1])
            & (np.repeat(np.arange(_FINE), _FINE)[None] < lowest[:, None])
        )
        count, around = inside.sum(axis=1), ring.sum(axis=1)
        weights = inside / np.maximum(count, 1)[:, None] - ring / np.maximum(around, 1)[:, None]
        costs = SILHOUETTE.strays * np.square(places[:, :2]).sum(axis=1) + SILHOUETTE.resizes * np.abs(places[:, 2] - 1)
        return _Places(
            np.stack([px, py, wide], axis=1),
            weights.astype(np.float32),
            np.where((count > 0) & (around > 0), costs, np.inf),
        )


@lru_cache(maxsize=32)
def _coarse(x: float, y: float, a: float, b: float) -> _Places:
    return _Places.of(x, y, a, b, [(dx, dy, w) for dx in _COARSE_X for dy in _COARSE_Y for w in _WIDTHS])


def _best_of(mask: np.ndarray, places: _Places) -> tuple[float, float, float, float, float]:
    """(value, margin, cx, cy, half width) of the best of the places."""
    margin = places.weights @ mask.ravel()
    value = np.maximum(margin - places.costs, -1.0)
    n = int(np.argmax(value))
    cx, cy, wide = places.at[n].tolist()
    return float(value[n]), float(margin[n]) if value[n] > -1.0 else 0.0, cx, cy, wide


_COLUMN, _ROW = np.arange(_FINE, dtype=np.float32)[None, :] + 0.5, np.arange(_FINE, dtype=np.float32)[:, None] + 0.5


def _radius(x: float, y: float, a: float, b: float) -> np.ndarray:
    """Squared distance from (x, y) in half axes, for every cell of the mask."""
    return np.square((_COLUMN - x) / np.float32(a)) + np.square((_ROW - y) / np.float32(b))
