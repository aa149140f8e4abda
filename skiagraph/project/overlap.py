"""How much of one thing lies within another, over many frames at once."""

from __future__ import annotations

import numpy as np

from skiagraph.shape.shape import Shape, disc_points

# Samples of a head or a face within its ellipse.
POINTS = disc_points()


def head_points(rows: np.ndarray) -> np.ndarray:
    """Points spread over heads: rows (n, 5 or more) cx, cy, width, height, angle give (n, m, 2) px."""
    lean = np.radians(rows[:, 4])[:, None]
    u, v = POINTS[:, 0] * rows[:, 2:3] / 2, POINTS[:, 1] * rows[:, 3:4] / 2
    cos, sin = np.cos(lean), np.sin(lean)
    return np.stack([rows[:, 0:1] + u * cos - v * sin, rows[:, 1:2] + u * sin + v * cos], axis=2)


def within(points: np.ndarray, rows: np.ndarray, shape: Shape, grown: np.ndarray | float = 0.0) -> np.ndarray:
    """Which of the points (n, m, 2) px lie within the shape on the place of their row, grown by a distance in its unit frame: bool (n, m)."""
    return distances(points, rows, shape) <= np.reshape(grown, (-1, 1)) + 1e-6


def distances(points: np.ndarray, rows: np.ndarray, shape: Shape) -> np.ndarray:
    """Distance of the points (n, m, 2) px from the edge of the shape on the place of their row, in its unit frame: (n, m)."""
    lean = np.radians(rows[:, 4])[:, None]
    cos, sin = np.cos(lean), np.sin(lean)
    dx, dy = points[..., 0] - rows[:, 0:1], points[..., 1] - rows[:, 1:2]
    u = (dx * cos + dy * sin) / np.maximum(rows[:, 2:3] / 2, 1e-6)
    v = (dy * cos - dx * sin) / np.maximum(rows[:, 3:4] / 2, 1e-6)
    return shape.distance(u, v)


def share_within(points: np.ndarray, rows: np.ndarray, shape: Shape, grown: np.ndarray | float = 0.0) -> np.ndarray:
    """The share of the points within, (n,)."""
    return within(points, rows, shape, grown).mean(axis=1)
