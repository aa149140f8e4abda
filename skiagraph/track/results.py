"""What a scan gives. Light to import: the project holds these values without the machinery that makes them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.track.identity import Signature
from skiagraph.track.path import Path


@dataclass(frozen=True, slots=True, eq=False)
class FaceTable:
    """Every face the detector was sure of, also of nobody, and weak signs at an edge where a shot begins or ends: parallel arrays.

    frames int32 (n,) rising; boxes int16 (n, 4) x0, y0, x1, y1 px; scores uint8 (n,) in percent.
    """

    frames: np.ndarray
    boxes: np.ndarray
    scores: np.ndarray

    def at(self, frame: int) -> slice:
        return slice(int(np.searchsorted(self.frames, frame)), int(np.searchsorted(self.frames, frame + 1)))

    def __len__(self) -> int:
        return len(self.frames)

    @staticmethod
    def none() -> FaceTable:
        return FaceTable(np.zeros(0, np.int32), np.zeros((0, 4), np.int16), np.zeros(0, np.uint8))


@dataclass(frozen=True, slots=True, eq=False)
class FoundPerson:
    """Somebody seen in the clip. key: stable number within the scan; paths: one for each sighting, in order, never overlapping;
    best: frame and box x0, y0, x1, y1 of the best face; doubtful: hardly a face; sure: that all its sightings are one person, 0..1;
    signature: how they look, which stays in memory."""

    key: int
    paths: tuple[Path, ...]
    best_frame: int
    best_box: tuple[float, float, float, float]
    doubtful: bool = False
    sure: float = 1.0
    signature: Signature = Signature.none()


@dataclass(frozen=True, slots=True)
class ScanResult:
    """likely: (key, key, probability) of people who may be one; damage: a sentence when the clip turned out to be good only up to
    `frames`, otherwise empty."""

    people: tuple[FoundPerson, ...]
    faces: FaceTable
    cuts: tuple[int, ...]
    frames: int
    damage: str = ""
    likely: tuple[tuple[int, int, float], ...] = ()
