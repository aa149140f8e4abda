"""Places: where the unit frame of a shape lies in the picture. ±1 in it is half the width or height of what it holds."""

from __future__ import annotations

from typing import Annotated

import msgspec
import numpy as np

from skiagraph.values import Family, Value, replace

# Bounds of every place and size in px: far beyond any picture, and safe to reckon with.
Pixels = Annotated[float, msgspec.Meta(ge=-1e6, le=1e6)]
Size = Annotated[float, msgspec.Meta(gt=0, le=1e6)]
Degrees = Annotated[float, msgspec.Meta(ge=-1e6, le=1e6)]


class Place(Family):
    """Where something is in one frame. A kind gives its matrix; the rest follows from it."""

    __slots__ = ()

    def matrix(self) -> np.ndarray:
        """From the unit frame to px of the upright clip, (3, 3), homogeneous."""
        raise NotImplementedError

    def to_unit(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """px to the unit frame; x and y of any shapes that broadcast."""
        (a, b, c), (d, e, f), (g, h, i) = np.linalg.inv(self.matrix()).astype(np.float32)
        if g == 0 and h == 0:
            return (x * (a / i) + (y * (b / i) + c / i)), (x * (d / i) + (y * (e / i) + f / i))
        w = x * g + y * h + i
        return (x * a + y * b + c) / w, (x * d + y * e + f) / w

    def to_px(self, points: np.ndarray) -> np.ndarray:
        """Points (n, 2) of the unit frame in px, (n, 2)."""
        moved = np.column_stack([points, np.ones(len(points))]) @ self.matrix().T
        return moved[:, :2] / moved[:, 2:]

    def linear(self) -> np.ndarray:
        """The linear part at the middle, (2, 2): px for a unit."""
        m = self.matrix()
        return m[:2, :2] / m[2, 2] - np.outer(m[:2, 2], m[2, :2]) / m[2, 2] ** 2


@Place.register
class Similarity(Place, Value, frozen=True, tag_field="kind", tag="similarity"):
    """Centre and full size in px of the upright clip, turned by angle degrees clockwise."""

    cx: Pixels
    cy: Pixels
    width: Size
    height: Size
    angle: Degrees = 0.0

    def matrix(self) -> np.ndarray:
        lean = np.radians(self.angle)
        cos, sin, a, b = np.cos(lean), np.sin(lean), max(self.width / 2, 0.5), max(self.height / 2, 0.5)
        return np.array([[a * cos, -b * sin, self.cx], [a * sin, b * cos, self.cy], [0.0, 0.0, 1.0]])

    def row(self) -> np.ndarray:
        """(5,) cx, cy, width, height, angle."""
        return np.array([self.cx, self.cy, self.width, self.height, self.angle], float)

    @staticmethod
    def of(row: np.ndarray) -> Similarity:
        return Similarity(*(float(v) for v in row[:5]))

    def scaled(self, factor: float) -> Similarity:
        return replace(self, width=self.width * factor, height=self.height * factor)
