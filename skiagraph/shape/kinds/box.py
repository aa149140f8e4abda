"""The box: plates, screens, signs. Turned by the angle of its place."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from skiagraph.shape.shape import Shape
from skiagraph.values import Value

_ALONG = np.linspace(-1, 1, 9)[:-1]
_EDGE = np.concatenate(
    [
        np.column_stack(side)
        for side in ((_ALONG, -np.ones(8)), (np.ones(8), _ALONG), (-_ALONG, np.ones(8)), (-np.ones(8), -_ALONG))
    ]
)


@Shape.register
class Box(Shape, Value, frozen=True, tag_field="kind", tag="box"):
    """A rectangle."""

    word: ClassVar[str] = "Box"

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        # At the corners nearer than it is, so that what is around a box has corners too.
        return np.maximum(np.abs(u), np.abs(v)) - 1

    def edge(self) -> np.ndarray:
        return _EDGE

    def handles(self) -> dict[str, tuple[float, float]]:
        return {
            **super().handles(),
            "top left": (-1.0, -1.0),
            "top right": (1.0, -1.0),
            "bottom left": (-1.0, 1.0),
            "bottom right": (1.0, 1.0),
        }
