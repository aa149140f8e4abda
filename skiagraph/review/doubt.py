"""How doubtful each frame of a sighting is, and why: what the contact sheet goes by, and the reel."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy
from skiagraph.lazily import ndimage
from skiagraph.project.model import Project, Sighting, Subject
from skiagraph.project.rows import CONFIDENCE, CX, CY, HEIGHT, WIDTH, path_of
from skiagraph.remembering import Remembered
from skiagraph.review.finding import Scene, runs
from skiagraph.track.path import BRIDGED
from skiagraph.track.stepping import interval


@dataclass(frozen=True, slots=True)
class DoubtSettings:
    """What makes a frame doubtful. Each gives 0..1, and the largest counts.

    sure: confidence from which a path is not doubted; at none it is doubted wholly. window: frames, odd, whose median a
    place is compared with; a cover that is off for up to half as many stands out. off: distance from that, in widths of
    the head, and size, as a share, at which doubt is whole. speed: widths a frame at which doubt is fast_most;
    small_px: width under which a head is so small that a cover is easily off; small_most at nothing. near_most: where
    another head lies over all of it; front_most: where all of it is held out. Larger shares put such frames further to
    the front. No demo set them: they follow the covers' own growth (project.rows.GROWTH), and benchmarks/review.py
    shows what they find.
    """

    sure: float = 0.8
    window: int = 25
    off: float = 0.25
    speed: float = 0.5
    fast_most: float = 0.6
    small_px: float = 32.0
    small_most: float = 0.3
    near_most: float = 0.5
    front_most: float = 0.9
    bridged: float = 0.4


DOUBT = DoubtSettings()
_WORDS = ("unsure", "jumps", "fast", "small", "others near", "in front", "hidden")
_OWN = Remembered(64 << 20, size=lambda made: made[0].nbytes)
# Under this a reason is not worth a word.
WORTH_SAYING = 0.15


@dataclass(slots=True)
class Doubt:
    """most: (n,) of each frame of a sighting; shares: (reasons, n), words: of each reason; bridges: middles of
    stretches out of sight, counted from the first frame."""

    shares: np.ndarray
    words: list[str]
    bridges: list[int] = field(default_factory=list)

    @property
    def most(self) -> np.ndarray:
        return self.shares.max(axis=0)

    def why(self, n: int) -> str:
        """The main reason in a frame, empty where there is hardly any."""
        reason = int(np.argmax(self.shares[:, n]))
        return self.words[reason] if self.shares[reason, n] >= WORTH_SAYING else ""

    def add(self, at: np.ndarray, share: float, word: str) -> None:
        """Another reason in some frames; what is doubtful there for itself tells which of them is worst."""
        row = np.zeros(self.shares.shape[1])
        row[at] = share + (1 - share) * self.most[at] * 0.9
        self.shares, self.words = np.vstack([self.shares, row]), [*self.words, word]


def doubt_of(
    scene: Scene, subject: Subject, sighting: Sighting, covered: Sequence[tuple[Subject, list[Sighting]]]
) -> Doubt:
    """How doubtful a sighting is. covered: everybody who is covered in the clip."""
    rows = scene.rows(sighting)
    planned = _planned_wait(scene, sighting)
    own, bridges = _OWN.get(
        (sighting,), ("own", len(rows), planned), lambda: _own(scene.project, sighting, rows, planned)
    )
    near = DOUBT.near_most * _overlapped(
        scene, rows, sighting, [s for other, sightings in covered if other is not subject for s in sightings]
    )
    fronts = [
        s
        for holdout in scene.project.subjects
        if holdout.is_in_front and holdout.of.is_before(subject.key)
        for s in scene.sightings(holdout)
    ]
    front = DOUBT.front_most * np.sqrt(_overlapped(scene, rows, sighting, fronts)) if fronts else np.zeros(len(rows))
    return Doubt(np.vstack([own[:4], near, front, own[4]]), list(_WORDS), list(bridges))


def _planned_wait(scene: Scene, sighting: Sighting) -> int:
    """The most frames of a sighting in a row that its scan meant not to look at.

    Nobody was hidden there; whether the scan was sure of the way through is for its confidence to say.
    """
    scan = scene.scan
    if scan is None or not set(sighting.tracks) <= {key for person in scan.people for key in person.tracks}:
        return 0
    return interval(scan.every, float(scene.clip.rate)) - 1


def _own(project: Project, sighting: Sighting, rows: np.ndarray, planned: int) -> tuple[np.ndarray, tuple[int, ...]]:
    """What the path itself says: (5, n) unsure, jumps, fast, small, bridged; and the middles of what is bridged.
    planned: so many bridged frames in a row are no bridge."""
    width = np.maximum(rows[:, WIDTH], 1.0)
    unsure = np.clip((DOUBT.sure - rows[:, CONFIDENCE]) / DOUBT.sure, 0, 1)
    placed = np.column_stack([rows[:, CX], rows[:, CY]])
    window = min(DOUBT.window, 2 * (len(rows) // 2) - 1)
    if window >= 3:
        usual = ndimage.median_filter(placed, size=(window, 1), mode="nearest")
        size = ndimage.median_filter(
            np.log(np.maximum(rows[:, [WIDTH, HEIGHT]], 1.0)), size=(window, 1), mode="nearest"
        )
        off = np.hypot(*(placed - usual).T) / np.exp(size[:, 0])
        changed = np.abs(np.log(np.maximum(rows[:, [WIDTH, HEIGHT]], 1.0)) - size).max(axis=1)
        speed = np.hypot(*np.gradient(placed, axis=0).T) / width
        # Whoever moves evenly is off the median of a window only at its ends, and by no more than their way there.
        steady = np.convolve(speed, np.ones(5) / 5, mode="same")
        off = np.clip(off - 0.5 * steady, 0, None)
    else:
        off, changed, speed = (np.zeros(len(rows)) for _ in range(3))
    jumps = np.clip(np.maximum(off, changed) / DOUBT.off, 0, 1)
    fast = np.clip(speed / DOUBT.speed, 0, 1) * DOUBT.fast_most
    small = np.clip(1 - width / DOUBT.small_px, 0, 1) * DOUBT.small_most
    path, bridged = path_of(project, sighting), np.zeros(len(rows))
    middles: tuple[int, ...] = ()
    if path is not None:
        frames = np.arange(sighting.first, sighting.first + len(rows))
        there = np.flatnonzero(path.origin[np.clip(frames - path.first, 0, len(path) - 1)] == BRIDGED)
        hidden = [(a, b) for a, b in runs(there, join=1) if b - a + 1 > planned]
        for a, b in hidden:
            bridged[a : b + 1] = DOUBT.bridged
        middles = tuple((a + b) // 2 for a, b in hidden)
    return np.vstack([unsure, jumps, fast, small, bridged]), middles


def _overlapped(scene: Scene, rows: np.ndarray, sighting: Sighting, others: list[Sighting]) -> np.ndarray:
    """The share of each head's box that lies in that of another, (n,)."""
    most = np.zeros(len(rows))
    for other in others:
        theirs = scene.rows(other)
        first, last = max(sighting.first, other.first), min(sighting.first + len(rows), other.first + len(theirs))
        if first >= last:
            continue
        mine, there = (
            cxcywh_to_xyxy(r[first - begin : last - begin, :4])
            for r, begin in ((rows, sighting.first), (theirs, other.first))
        )
        size = np.clip(np.minimum(mine[:, 2:], there[:, 2:]) - np.maximum(mine[:, :2], there[:, :2]), 0, None)
        area = np.maximum((mine[:, 2:] - mine[:, :2]).prod(axis=1), 1.0)
        most[first - sighting.first : last - sighting.first] = np.maximum(
            most[first - sighting.first : last - sighting.first], size.prod(axis=1) / area
        )
    return most
