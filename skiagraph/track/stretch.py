"""A stretch: one path of somebody, with what is known of whom it shows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.track.describing import Description
from skiagraph.track.identity import Signature
from skiagraph.track.path import FOUND, Path


@dataclass(frozen=True, slots=True)
class Stretch:
    """A path with what is known of whom it shows. faces: frame, box and score of what was found on it."""

    path: Path
    chains: tuple[int, ...]
    faces: tuple[tuple[int, np.ndarray, float], ...]
    described: tuple[tuple[int, Description], ...]
    colours: np.ndarray | None
    doubtful: bool
    number: int

    @property
    def found(self) -> tuple[int, int]:
        """First and last frame with a found face."""
        rows = np.flatnonzero(self.path.origin == FOUND)
        return self.path.first + int(rows[0]), self.path.first + int(rows[-1])

    @property
    def signature(self) -> Signature:
        if not self.described:
            return Signature(np.zeros((0, 128), np.float32), np.zeros(0, np.float32), self.colours)
        return Signature(
            np.array([d.vector for _, d in self.described]),
            np.array([d.worth for _, d in self.described], np.float32),
            self.colours,
        )


def seen_at_once(a: Stretch, b: Stretch) -> bool:
    """Whether both were found at the same time, so that they are two people, or one head tracked twice."""
    (a0, a1), (b0, b1) = a.found, b.found
    return min(a1, b1) - max(a0, b0) >= 2 or b0 <= a0 and a1 <= b1 or a0 <= b0 and b1 <= a1
