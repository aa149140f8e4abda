"""Places: where the unit frame of a shape lies in the picture. ±1 in it is half the width or height of what it
holds."""

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

    def row(self) -> np.ndarray:
        """(8,) cx, cy, width, height, angle, shear, tilt_x, tilt_y; the last three are 0 for a similarity."""
        raise NotImplementedError

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

    def linear(self) -> np.ndarray:
        return self.matrix()[:2, :2]

    def row(self) -> np.ndarray:
        return np.array([self.cx, self.cy, self.width, self.height, self.angle, 0.0, 0.0, 0.0], float)

    @staticmethod
    def of(row: np.ndarray) -> Similarity:
        return Similarity(*(float(v) for v in row[:5]))

    def scaled(self, factor: float) -> Similarity:
        return replace(self, width=self.width * factor, height=self.height * factor)


# Sum of both tilts at most: twice as far out as the shape reaches, what lies behind the horizon begins.
MOST_TILT = 0.5
# Nothing is drawn nearer to the horizon than this.
HORIZON = 0.04


@Place.register
class Perspective(Place, Value, frozen=True, tag_field="kind", tag="perspective"):
    """A plane in perspective, as a homography of eight numbers: centre, size and angle of its middle as in a
    similarity, shear, and by how much what lies at +1 is nearer or further than the middle, along both axes. u goes to
    c + J u / (1 + tilt · u), with J = R(angle) [[a, a shear], [0, b]].
    """

    cx: Pixels
    cy: Pixels
    width: Size
    height: Size
    angle: Degrees = 0.0
    shear: Annotated[float, msgspec.Meta(ge=-20, le=20)] = 0.0
    tilt_x: Annotated[float, msgspec.Meta(ge=-MOST_TILT, le=MOST_TILT)] = 0.0
    tilt_y: Annotated[float, msgspec.Meta(ge=-MOST_TILT, le=MOST_TILT)] = 0.0

    def linear(self) -> np.ndarray:
        lean = np.radians(self.angle)
        cos, sin, a, b = np.cos(lean), np.sin(lean), max(self.width / 2, 0.5), max(self.height / 2, 0.5)
        return np.array([[cos, -sin], [sin, cos]]) @ np.array([[a, a * self.shear], [0.0, b]])

    def matrix(self) -> np.ndarray:
        middle, tilt = np.array([self.cx, self.cy]), np.array([self.tilt_x, self.tilt_y])
        return np.block([[self.linear() + np.outer(middle, tilt), middle[:, None]], [tilt[None], np.ones((1, 1))]])

    def to_unit(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        (a, b), (c, d) = np.linalg.inv(self.linear()).astype(np.float32)
        dx, dy = x - np.float32(self.cx), y - np.float32(self.cy)
        u, v = dx * a + dy * b, dx * c + dy * d
        away = np.maximum(1 - self.tilt_x * u - self.tilt_y * v, HORIZON)
        return u / away, v / away

    def to_px(self, points: np.ndarray) -> np.ndarray:
        points = np.asarray(points, float)
        away = np.maximum(1 + points @ np.array([self.tilt_x, self.tilt_y]), HORIZON)
        return np.array([self.cx, self.cy]) + points @ self.linear().T / away[:, None]

    def row(self) -> np.ndarray:
        return np.array(
            [self.cx, self.cy, self.width, self.height, self.angle, self.shear, self.tilt_x, self.tilt_y], float
        )


def place_of(row: np.ndarray) -> Similarity | Perspective:
    """The place of a row (8,), or (5,) of a similarity; tilts are kept within what a plane can have."""
    row = [float(v) for v in row]
    if len(row) < 8 or not any(row[5:8]):
        return Similarity(*row[:5])
    return Perspective(*row[:6], *within_tilt(np.array(row[6:8])))


def within_tilt(tilt: np.ndarray) -> tuple[float, float]:
    """Both tilts (2,), taken back together to what a place may have."""
    most = float(np.abs(tilt).sum())
    return tuple(float(v) for v in tilt * (min(1.0, MOST_TILT / most) if most else 1.0))


def place_through(corners: np.ndarray) -> Similarity | Perspective:
    """The place of which the corners (4, 2) px of the unit square are where they are given: top left, top right, bottom
    right, bottom left.

    Source: Hartley and Zisserman, Multiple View Geometry, 2nd ed., section 4.1. Raises ValueError for corners that are
    no picture of a square seen from one side, as when they cross.
    """
    corners = np.asarray(corners, float)
    unit = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], float)
    rows = []
    for (u, v), (x, y) in zip(unit, corners):
        rows += [[u, v, 1, 0, 0, 0, -x * u, -x * v], [0, 0, 0, u, v, 1, -y * u, -y * v]]
    try:
        h = np.append(np.linalg.solve(np.array(rows), corners.ravel()), 1.0).reshape(3, 3)
    except np.linalg.LinAlgError:
        raise ValueError("these corners lie on one line") from None
    return place_of_matrix(h)


def place_of_matrix(h: np.ndarray) -> Similarity | Perspective:
    """The place of a homography (3, 3).

    Raises ValueError where it is no plane seen from one side and not too obliquely.
    """
    h = h / h[2, 2]
    middle, tilt = h[:2, 2], h[2, :2]
    linear = h[:2, :2] - np.outer(middle, tilt)
    if np.linalg.det(linear) <= 1e-6 or np.abs(tilt).sum() > MOST_TILT:
        raise ValueError("these corners are no plane seen from one side")
    angle = np.arctan2(linear[1, 0], linear[0, 0])
    cos, sin = np.cos(angle), np.sin(angle)
    (a, across), (_, b) = np.array([[cos, sin], [-sin, cos]]) @ linear
    row = np.array([*middle, 2 * a, 2 * b, np.degrees(angle), across / a, *tilt])
    return place_of(np.where(np.abs(row) < 1e-9, 0.0, row))
