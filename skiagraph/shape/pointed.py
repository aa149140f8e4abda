"""Shapes that are drawn through points: what polygons and curves have in common, and how any shape becomes one of
them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import cv2
import msgspec
import numpy as np

from skiagraph.shape.shape import Shape
from skiagraph.values import Value

# How far from the middle a point may be, in the unit frame.
FAR = 16.0
Unit = Annotated[float, msgspec.Meta(ge=-FAR, le=FAR)]
MOST_POINTS, LEAST_POINTS = 400, 3


class Point(Value, frozen=True):
    """A point of an outline in the unit frame; smooth: the edge goes through it without a corner."""

    u: Unit
    v: Unit
    smooth: bool = True


def changed_points(points: Sequence[Point]) -> tuple[Point, ...]:
    """Points within what a shape may have."""
    return tuple(Point(float(np.clip(p.u, -FAR, FAR)), float(np.clip(p.v, -FAR, FAR)), p.smooth) for p in points)


def away_from(corners: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Signed distance of points from a closed line through corners (n, 2), negative inside; u and v broadcast."""
    u, v = np.broadcast_arrays(np.asarray(u, np.float32), np.asarray(v, np.float32))
    nearest, inside = np.full(u.shape, np.inf, np.float32), np.zeros(u.shape, bool)
    for (ax, ay), (bx, by) in zip(corners, np.roll(corners, -1, axis=0)):
        dx, dy, length = bx - ax, by - ay, max((bx - ax) ** 2 + (by - ay) ** 2, np.float32(1e-12))
        along = np.clip(((u - ax) * dx + (v - ay) * dy) / length, 0, 1)
        nearest = np.minimum(nearest, (u - ax - along * dx) ** 2 + (v - ay - along * dy) ** 2)
        if ay != by:
            inside ^= ((ay > v) != (by > v)) & (u < dx * (v - ay) / dy + ax)
    away = np.sqrt(nearest)
    return np.where(inside, -away, away)


def blended(a: Shape, b: Shape, share: float) -> Shape:
    """What one shape is on its way to another, share 0..1.

    Shapes that have no points in common stay the first until they are the other.
    """
    mine, theirs = a.points(), b.points()
    if not mine or len(mine) != len(theirs) or a.kind != b.kind:
        return a if share < 1 else b
    return a.with_points(
        tuple(Point(p.u + (q.u - p.u) * share, p.v + (q.v - p.v) * share, p.smooth) for p, q in zip(mine, theirs))
    )


def as_kind(shape: Shape, kind: str) -> Shape:
    """A shape as another kind, around what it was around.

    Of a box or an ellipse made from another only the unit frame stays.
    """
    if shape.kind == kind:
        return shape
    if kind not in ("polygon", "curve"):
        return Shape.kinds[kind]()
    points = shape.points()
    if not points:
        count = 4 if shape.kind == "box" else 8 if kind == "curve" else 12
        around = np.linspace(0, 2 * np.pi, count, endpoint=False)
        edge = (
            np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], float)
            if shape.kind == "box"
            else np.stack([np.cos(around), np.sin(around)], axis=1)
        )
        # A polygon goes around an ellipse, not through it: nothing is covered less.
        edge = (
            edge / np.cos(np.pi / count)
            if kind == "polygon" and shape.kind != "box"
            else edge * 1.01
            if shape.kind != "box"
            else edge
        )
        points = tuple(Point(float(u), float(v), shape.kind != "box") for u, v in edge)
    if kind == "polygon":
        return Shape.kinds["polygon"](tuple((p.u, p.v) for p in points))
    return Shape.kinds["curve"](points)


# Changing points


def with_point_moved(shape: Shape, numbers: Sequence[int], du: float, dv: float) -> Shape:
    """With some points moved together, in the unit frame."""
    moved = set(numbers)
    return shape.with_points(
        changed_points([Point(p.u + du, p.v + dv, p.smooth) if n in moved else p for n, p in enumerate(shape.points())])
    )


def with_point_added(shape: Shape, after: int, u: float, v: float) -> Shape:
    """With a point more on the line from one point to the next."""
    points = list(shape.points())
    if len(points) >= MOST_POINTS:
        return shape
    points.insert(after + 1, Point(u, v, points[after].smooth and points[(after + 1) % len(points)].smooth))
    return shape.with_points(changed_points(points))


def without_points(shape: Shape, numbers: Sequence[int]) -> Shape:
    """Without some points; three stay at least, or nothing is changed."""
    gone = set(numbers)
    left = tuple(p for n, p in enumerate(shape.points()) if n not in gone)
    return shape.with_points(left) if len(left) >= LEAST_POINTS else shape


def with_points_turned(shape: Shape, numbers: Sequence[int]) -> Shape:
    """With corners made smooth and smooth points made corners."""
    turned = set(numbers)
    return shape.with_points(
        tuple(Point(p.u, p.v, not p.smooth) if n in turned else p for n, p in enumerate(shape.points()))
    )


def simplified(line: np.ndarray) -> np.ndarray:
    """The points (n, 2) that tell most of a line drawn by hand (m, 2): what lies within a sixtieth of its size is left
    out (Douglas and Peucker, Algorithms for the Reduction of the Number of Points, 1973)."""
    kept = cv2.approxPolyDP(np.asarray(line, np.float32)[:, None], float(np.hypot(*np.ptp(line, axis=0))) / 60, True)[
        :, 0
    ]
    return kept.astype(float)


def nearest_line(shape: Shape, u: float, v: float) -> tuple[int, float]:
    """The number of the point after which the edge comes nearest to a place, and how near, in the unit frame."""
    edge, owners = shape.edge(), shape.edge_owners()
    ends = np.roll(edge, -1, axis=0)
    line = ends - edge
    along = np.clip(((np.array([u, v]) - edge) * line).sum(axis=1) / np.maximum((line**2).sum(axis=1), 1e-12), 0, 1)
    away = np.hypot(*(edge + along[:, None] * line - [u, v]).T)
    best = int(np.argmin(away))
    return int(owners[best]), float(away[best])


def reshaped(other: Shape, before: Shape, after: Shape) -> Shape:
    """What a change of one shape means for another form of it: the same points moved by the same, or the same new shape
    where they have other points."""
    mine, old, new = other.points(), before.points(), after.points()
    if other.kind == after.kind and mine and len(mine) == len(old) == len(new):
        return other.with_points(
            changed_points([Point(p.u + n.u - o.u, p.v + n.v - o.v, n.smooth) for p, o, n in zip(mine, old, new)])
        )
    return after
