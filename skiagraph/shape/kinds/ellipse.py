"""The ellipse: a circle in the unit frame."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from skiagraph.shape.shape import Shape
from skiagraph.values import Value

_TURN = np.linspace(0, 2 * np.pi, 64, endpoint=False)
_EDGE = np.stack([np.cos(_TURN), np.sin(_TURN)], axis=1)


@Shape.register
class Ellipse(Shape, Value, frozen=True, tag_field="kind", tag="ellipse"):
    """What heads are covered with."""

    word: ClassVar[str] = "Ellipse"

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        squared = np.asarray(u * u + v * v)
        return np.sqrt(squared, out=squared) - 1

    def edge(self) -> np.ndarray:
        return _EDGE

    def half_extents(self, linear: np.ndarray, beyond: float) -> np.ndarray:
        return np.sqrt((linear**2).sum(axis=1)) * (1 + beyond)
