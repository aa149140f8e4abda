"""What a scan gives. Light to import: the project holds these values without the machinery that makes them."""

from __future__ import annotations

from array import array
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.track.identity import Signature
from skiagraph.track.path import Path

# Scores (percent) under this are signs at an edge.
SIGN = 50


class FaceTable:
    """Every face the detector was sure of, also of nobody, and signs at an edge where a shot begins or ends: parallel
    arrays.

    frames int32 (n,) rising; boxes int16 (n, 4) x0, y0, x1, y1 px; scores uint8 (n,) in percent. A value; a plain class
    and no dataclass, since the project file has its own, compact form for it.
    """

    __slots__ = ("frames", "boxes", "scores", "__weakref__")

    def __init__(self, frames: np.ndarray, boxes: np.ndarray, scores: np.ndarray):
        self.frames, self.boxes, self.scores = (np.asarray(a) for a in (frames, boxes, scores))
        for column in (self.frames, self.boxes, self.scores):
            column.flags.writeable = False

    def __reduce__(self):
        return FaceTable, (self.frames, self.boxes, self.scores)

    def at(self, frame: int) -> slice:
        return slice(int(np.searchsorted(self.frames, frame)), int(np.searchsorted(self.frames, frame + 1)))

    def __len__(self) -> int:
        return len(self.frames)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, FaceTable) and all(
            np.array_equal(getattr(self, n), getattr(other, n)) for n in ("frames", "boxes", "scores")
        )

    def __hash__(self) -> int:
        return hash((len(self), self.frames[:1].tobytes()))

    @staticmethod
    def none() -> FaceTable:
        return FaceTable(np.zeros(0, np.int32), np.zeros((0, 4), np.int16), np.zeros(0, np.uint8))


class FaceRows:
    """A face table in the making, in the memory of the table."""

    def __init__(self):
        self._frames, self._boxes, self._scores = array("i"), array("h"), array("B")

    def add(self, frame: int, box: np.ndarray, score: float) -> None:
        self._frames.append(frame)
        self._boxes.extend(int(v) for v in np.clip(np.round(box), -32768, 32767))
        self._scores.append(round(score * 100))

    def table(self, more: Sequence[tuple[int, np.ndarray, float]] = (), frames: int | None = None) -> FaceTable:
        """All rows in order of frames, with some more (frame, box, score), of the first `frames` frames."""
        every = FaceRows()
        every._frames, every._boxes, every._scores = self._frames[:], self._boxes[:], self._scores[:]
        for row in more:
            every.add(*row)
        number = np.array(every._frames, np.int32)
        order = np.argsort(number, kind="stable")
        order = order if frames is None else order[number[order] < frames]
        return FaceTable(
            number[order],
            np.array(every._boxes, np.int16).reshape(-1, 4)[order],
            np.array(every._scores, np.uint8)[order],
        )


@dataclass(frozen=True, slots=True)
class FoundJoin:
    """Where somebody was taken for the same person although another may have gone on in their place. first, last:
    frames in between; others: keys of who else was there; same: probability 0..1.
    """

    first: int
    last: int
    others: tuple[int, ...]
    same: float


@dataclass(frozen=True, slots=True, eq=False)
class FoundPerson:
    """Somebody seen in the clip. key: stable number within the scan; paths: one for each sighting, in order, never
    overlapping; best: frame and box x0, y0, x1, y1 of the best face; doubtful: hardly a face; sure: that all its
    sightings are one person, 0..1; joins: where it was asked whether they are the same on both sides; signature: how
    they look, which stays in memory."""

    key: int
    paths: tuple[Path, ...]
    best_frame: int
    best_box: tuple[float, float, float, float]
    doubtful: bool = False
    sure: float = 1.0
    joins: tuple[FoundJoin, ...] = ()
    signature: Signature = Signature.none()


@dataclass(frozen=True, slots=True)
class ScanResult:
    """likely: (key, key, probability) of people who may be one; damage: a sentence when the clip turned out to be good
    only up to `frames`, otherwise empty; reached: frames that were looked at, fewer than `frames` while the scan runs,
    None when it is whole; begun: the first frame that was looked at; gaps: first and last frames in between that were
    not."""

    people: tuple[FoundPerson, ...]
    faces: FaceTable
    cuts: tuple[int, ...]
    frames: int
    damage: str = ""
    likely: tuple[tuple[int, int, float], ...] = ()
    reached: int | None = None
    begun: int = 0
    gaps: tuple[tuple[int, int], ...] = ()

    @property
    def end(self) -> int:
        """The frame after the last that was looked at."""
        return self.frames if self.reached is None else self.reached
