"""The polygon: straight lines from corner to corner."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.shape.shape import Shape
from skiagraph.values import Value

Unit = Annotated[float, msgspec.Meta(ge=-4, le=4)]


@Shape.register
class Polygon(Shape, Value, frozen=True, tag_field="kind", tag="polygon"):
    """corners: in the unit frame, in order; the last one is joined to the first. Where lines cross, what an odd number of them encloses
    is inside."""

    word: ClassVar[str] = "Polygon"

    corners: Annotated[tuple[tuple[Unit, Unit], ...], msgspec.Meta(min_length=3, max_length=400)] = ((-1.0, -1.0), (1.0, -1.0), (0.0, 1.0))

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        u, v = np.broadcast_arrays(np.asarray(u, np.float32), np.asarray(v, np.float32))
        nearest, inside = np.full(u.shape, np.inf, np.float32), np.zeros(u.shape, bool)
        corners = np.asarray(self.corners, np.float32)
        for (ax, ay), (bx, by) in zip(corners, np.roll(corners, -1, axis=0)):
            dx, dy, length = bx - ax, by - ay, max((bx - ax) ** 2 + (by - ay) ** 2, np.float32(1e-12))
            along = np.clip(((u - ax) * dx + (v - ay) * dy) / length, 0, 1)
            nearest = np.minimum(nearest, (u - ax - along * dx) ** 2 + (v - ay - along * dy) ** 2)
            if ay != by:
                inside ^= ((ay > v) != (by > v)) & (u < dx * (v - ay) / dy + ax)
        away = np.sqrt(nearest)
        return np.where(inside, -away, away)

    def edge(self) -> np.ndarray:
        return np.asarray(self.corners, float)
