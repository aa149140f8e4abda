"""The curve: a closed line through points, each smooth or a corner. What polygons and ellipses are too stiff for."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.shape.pointed import MOST_POINTS, Point, away_from, changed_points
from skiagraph.shape.shape import Shape
from skiagraph.values import Value, replace

# Straight pieces from one point to the next.
PIECES = 8
_T = (np.arange(PIECES) / PIECES)[:, None]


@Shape.register
class Curve(Shape, Value, frozen=True, tag_field="kind", tag="curve"):
    """Cubic Hermite pieces from point to point, with the slopes of Catmull and Rom (A Class of Local Interpolating
    Splines, 1974) at smooth points, and none beyond a corner. nodes: in order; the last one is joined to the first."""

    word: ClassVar[str] = "Curve"

    nodes: Annotated[tuple[Point, ...], msgspec.Meta(min_length=3, max_length=MOST_POINTS)] = (
        Point(0.0, -1.0),
        Point(1.0, 0.0),
        Point(0.0, 1.0),
        Point(-1.0, 0.0),
    )

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        return away_from(self.edge().astype(np.float32), u, v)

    def edge(self) -> np.ndarray:
        at = np.array([(p.u, p.v) for p in self.nodes])
        smooth = np.array([p.smooth for p in self.nodes])[:, None]
        before, after = np.roll(at, 1, axis=0), np.roll(at, -1, axis=0)
        line = after - at
        slope = np.where(smooth, (after - before) / 2, line)
        arriving = np.where(smooth, (after - before) / 2, at - before)
        end, arrival = after, np.roll(arriving, -1, axis=0)
        a, b, c, d = 2 * _T**3 - 3 * _T**2 + 1, _T**3 - 2 * _T**2 + _T, 3 * _T**2 - 2 * _T**3, _T**3 - _T**2
        pieces = at[:, None] * a + slope[:, None] * b + end[:, None] * c + arrival[:, None] * d
        return pieces.reshape(-1, 2)

    def edge_owners(self) -> np.ndarray:
        return np.repeat(np.arange(len(self.nodes)), PIECES)

    def points(self) -> tuple[Point, ...]:
        return self.nodes

    def with_points(self, points: tuple[Point, ...]) -> Shape:
        return replace(self, nodes=changed_points(points))

    def handles(self) -> dict[str, tuple[float, float]]:
        # Its points are its handles; one corner sizes all of it.
        return {"top": (0.0, -1.0), "bottom right": (1.0, 1.0)}
