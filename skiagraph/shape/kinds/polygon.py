"""The polygon: straight lines from corner to corner."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.shape.pointed import Point, Unit, away_from, changed_points
from skiagraph.shape.shape import Shape
from skiagraph.values import Value, replace


@Shape.register
class Polygon(Shape, Value, frozen=True, tag_field="kind", tag="polygon"):
    """corners: in the unit frame, in order; the last one is joined to the first.

    Where lines cross, what an odd number of them encloses is inside.
    """

    word: ClassVar[str] = "Polygon"

    corners: Annotated[tuple[tuple[Unit, Unit], ...], msgspec.Meta(min_length=3, max_length=400)] = (
        (-1.0, -1.0),
        (1.0, -1.0),
        (0.0, 1.0),
    )

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        return away_from(np.asarray(self.corners, np.float32), u, v)

    def edge(self) -> np.ndarray:
        return np.asarray(self.corners, float)

    def points(self) -> tuple[Point, ...]:
        return tuple(Point(u, v, False) for u, v in self.corners)

    def with_points(self, points: tuple[Point, ...]) -> Shape:
        if any(p.smooth for p in points):
            return Shape.kinds["curve"](points)
        return replace(self, corners=tuple((p.u, p.v) for p in changed_points(points)))

    def handles(self) -> dict[str, tuple[float, float]]:
        # Its points are its handles; one corner sizes all of it.
        return {"top": (0.0, -1.0), "bottom right": (1.0, 1.0)}
