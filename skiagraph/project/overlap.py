"""How much of one thing lies within another, over many frames at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from skiagraph.project.rows import SHEAR, TILT_X, TILT_Y
from skiagraph.shape.place import HORIZON, MOST_TILT
from skiagraph.shape.shape import Shape, disc_points

# Samples of a head or a face within its ellipse.
POINTS = disc_points()


def head_points(rows: np.ndarray) -> np.ndarray:
    """Points spread over heads: rows (n, 5 or more) cx, cy, width, height, angle give (n, m, 2) px."""
    lean = np.radians(rows[:, 4])[:, None]
    u, v = POINTS[:, 0] * rows[:, 2:3] / 2, POINTS[:, 1] * rows[:, 3:4] / 2
    cos, sin = np.cos(lean), np.sin(lean)
    return np.stack([rows[:, 0:1] + u * cos - v * sin, rows[:, 1:2] + u * sin + v * cos], axis=2)


def within(
    points: np.ndarray, rows: np.ndarray, shape: Shape | Sequence[Shape], grown: np.ndarray | float = 0.0
) -> np.ndarray:
    """Which of the points (n, m, 2) px lie within the shape on the place of their row, grown by a distance in its unit
    frame: bool (n, m)."""
    return distances(points, rows, shape) <= np.reshape(grown, (-1, 1)) + 1e-6


def distances(points: np.ndarray, rows: np.ndarray, shape: Shape | Sequence[Shape]) -> np.ndarray:
    """Distance of the points (n, m, 2) px from the edge of the shape on the place of their row, in its unit frame: (n,
    m). rows: (n, 5 or more) as project.rows has them. shape: of all rows, or one for each."""
    lean = np.radians(rows[:, 4])[:, None]
    cos, sin = np.cos(lean), np.sin(lean)
    dx, dy = points[..., 0] - rows[:, 0:1], points[..., 1] - rows[:, 1:2]
    u = (dx * cos + dy * sin) / np.maximum(rows[:, 2:3] / 2, 1e-6)
    v = (dy * cos - dx * sin) / np.maximum(rows[:, 3:4] / 2, 1e-6)
    if rows.shape[1] > TILT_Y and rows[:, SHEAR:].any():
        # As Perspective.to_unit has it.
        tilt = rows[:, TILT_X:]
        tilt = tilt * np.minimum(1.0, MOST_TILT / np.maximum(np.abs(tilt).sum(axis=1, keepdims=True), 1e-9))
        u = u - rows[:, SHEAR : SHEAR + 1] * v
        away = np.maximum(1 - tilt[:, :1] * u - tilt[:, 1:] * v, HORIZON)
        u, v = u / away, v / away
    if isinstance(shape, Shape):
        return shape.distance(u, v)
    return np.stack([one.distance(a, b) for one, a, b in zip(shape, u, v)]) if len(u) else np.zeros(u.shape)


def share_within(
    points: np.ndarray, rows: np.ndarray, shape: Shape | Sequence[Shape], grown: np.ndarray | float = 0.0
) -> np.ndarray:
    """The share of the points within, (n,)."""
    return within(points, rows, shape, grown).mean(axis=1)
