"""Linking the faces of frame after frame into tracklets.

Two stages as in Zhang et al., ByteTrack, ECCV 2022: sure faces first, then doubtful ones for whoever is still missing. In
between a second look is taken where a face is expected. Lost tracks wait and may be found again near the place where
they should be by then (Cao et al., OC-SORT, CVPR 2023).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import linear_sum_assignment

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections, around
from skiagraph.track.appearance import head_colours, likeness
from skiagraph.track.heads import head_rows
from skiagraph.track.motion import FaceMotion

IMPOSSIBLE = 1e3
# How far off, in face sides, a doubtful face may be from where it is expected.
DOUBTFUL_AWAY = 0.4


@dataclass(frozen=True, slots=True)
class LinkSettings:
    """begin: score from which a face may begin a track; sure: score from which it continues one for certain; doubtful: score from which it may continue one;
    patience_s: how long a lost track waits;
    doubt_s: how long a track may live on doubtful faces alone; least: rows a track needs to be kept, one
    of them of score kept, unless one is very sure."""

    begin: float = 0.62
    sure: float = 0.55
    doubtful: float = 0.35
    patience_s: float = 1.2
    doubt_s: float = 1.0
    least: int = 3
    kept: float = 0.68
    very_sure: float = 0.8


@dataclass(slots=True)
class Tracklet:
    """One face over time: frames (rising), heads (n, 5) as from head_rows, boxes (n, 4) of the face, scores (n,)."""

    number: int
    frames: list[int] = field(default_factory=list)
    heads: list[np.ndarray] = field(default_factory=list)
    boxes: list[np.ndarray] = field(default_factory=list)
    scores: list[float] = field(default_factory=list)
    colours: np.ndarray | None = None
    shot: int = 0

    @property
    def best(self) -> float:
        return max(self.scores)


class _Track:
    def __init__(self, tracklet: Tracklet, box: np.ndarray):
        self.tracklet, self.motion, self.missed, self.doubted = tracklet, FaceMotion(box), 0, 0


class Linker:
    """Fed the detections of one frame after another; gives the tracklets at the end."""

    def __init__(self, rate: float, settings: LinkSettings = LinkSettings()):
        self._settings = settings
        self._patience = max(3, round(settings.patience_s * rate))
        self._doubt = max(3, round(settings.doubt_s * rate))
        self._tracks: list[_Track] = []
        self._done: list[Tracklet] = []
        self._count = 0
        self._frame: int | None = None
        self._shot = 0

    @property
    def tracklets(self) -> list[Tracklet]:
        """All tracklets so far that are worth keeping, in the order of their first sight."""
        every = self._done + [t.tracklet for t in self._tracks]
        kept = [t for t in every if len(t.frames) >= self._settings.least and t.best >= self._settings.kept
                or t.best >= self._settings.very_sure]
        return sorted(kept, key=lambda t: (t.frames[0], t.number))

    def new_shot(self) -> None:
        """End all tracks: nothing is followed across a cut."""
        self._done += [t.tracklet for t in self._tracks]
        self._tracks = []
        self._shot += 1

    def update(self, frame: int, found: Detections, frame_rgb: np.ndarray, camera: np.ndarray | None = None,
               look: Callable[[np.ndarray], Detections] | None = None) -> None:
        """Take in the faces of a frame. look: takes boxes (n, 4) and gives faces found there at a second look."""
        passed = 1 if self._frame is None else frame - self._frame
        self._frame = frame
        for track in self._tracks:
            track.motion.predict(passed, camera)
            if track.missed:
                track.motion.slow_down(0.9 ** passed)
        sure = found.take(found.scores >= self._settings.sure)
        doubtful = found.take((found.scores < self._settings.sure) & (found.scores >= self._settings.doubtful))
        sure_colours = [head_colours(frame_rgb, box) for box in sure.boxes]
        left, free = self._match(self._tracks, sure, sure_colours, frame, passed, gate=0.9)
        if look is not None:
            expected = [t for t in left if t.missed < self._patience]
            if expected:
                seen = look(np.array([t.motion.box for t in expected]))
                seen = seen.take(seen.scores >= self._settings.doubtful)
                doubtful = Detections.joined([doubtful, _not_taken(seen, sure, doubtful)])
        doubtful = _not_taken(doubtful, sure)
        colours = [head_colours(frame_rgb, box) for box in doubtful.boxes]
        for track in self._tracks:
            track.doubted += passed
        waiting = [t for t in left if t.doubted <= self._doubt]
        left = [t for t in left if t.doubted > self._doubt] + self._match(waiting, doubtful, colours, frame, passed, gate=None)[0]
        for track in left:
            track.missed += passed
        for row in (r for r in free if sure.scores[r] >= self._settings.begin):
            self._begin(sure, row, sure_colours[row], frame)
        self._done += [t.tracklet for t in self._tracks if t.missed > self._patience]
        self._tracks = [t for t in self._tracks if t.missed <= self._patience]

    def _begin(self, found, row, colours, frame):
        self._count += 1
        tracklet = Tracklet(self._count, colours=colours, shot=self._shot)
        track = _Track(tracklet, found.boxes[row])
        self._tracks.append(track)
        _append(tracklet, found, row, frame)

    def _match(self, tracks, found, colours, frame, passed, gate):
        """Assign faces to tracks; returns the tracks and the rows of faces that stay alone.

        gate: how many face sides off a face may be; None for doubtful faces, which must fit in place, size and looks.
        """
        if not tracks or not len(found):
            return list(tracks), list(range(len(found)))
        cost = self._costs(tracks, found, colours, passed, gate)
        rows, columns = linear_sum_assignment(cost)
        taken_tracks, taken = set(), set()
        for row, column in zip(rows, columns):
            if cost[row, column] >= IMPOSSIBLE:
                continue
            track = tracks[row]
            score = float(found.scores[column])
            track.motion.correct(found.boxes[column], weight=min(1.0, score / self._settings.sure))
            track.missed = 0
            if score >= self._settings.sure:
                track.doubted = 0
            _append(track.tracklet, found, column, frame)
            if colours[column] is not None and score >= self._settings.sure:
                old = track.tracklet.colours
                track.tracklet.colours = colours[column] if old is None else 0.9 * old + 0.1 * colours[column]
            taken_tracks.add(row)
            taken.add(column)
        return [t for n, t in enumerate(tracks) if n not in taken_tracks], [n for n in range(len(found)) if n not in taken]

    def _costs(self, tracks, found, colours, passed, gate):
        """Distance in face sides, size change and looks; beyond the gate impossible."""
        predicted = np.array([t.motion.box for t in tracks])
        overlap = iou(predicted, found.boxes)
        centres = (found.boxes[:, :2] + found.boxes[:, 2:]) / 2
        sides = found.boxes[:, 2] - found.boxes[:, 0]
        cost = np.full(overlap.shape, IMPOSSIBLE)
        for i, track in enumerate(tracks):
            x, y, side = track.motion.state[:3]
            away = np.hypot(centres[:, 0] - x, centres[:, 1] - y) / np.maximum(side, sides)
            waited = min(1.0, 2.0 * track.motion.spread / side) * (track.missed + passed > 1)
            allowed, most, least_like = (DOUBTFUL_AWAY + 0.3 * waited, 0.22, 0.6) if gate is None else (
                gate + waited, 0.5 + 0.02 * track.missed, 0.55 if track.missed > 3 else 0.0)
            change = np.abs(np.log(np.maximum(sides, 1) / max(side, 1)))
            for j in range(len(found)):
                like = likeness(track.tracklet.colours, colours[j])
                # The less sure a face is, the nearer it must be to where one was expected.
                if away[j] > allowed * (1.0 if gate is None else float(np.clip((found.scores[j] - 0.45) / 0.25, 0.4, 1))) or change[j] > most or like < least_like:
                    continue
                cost[i, j] = away[j] + 0.5 * (1 - overlap[i, j]) + 0.6 * change[j] + 0.9 * (1 - like)
        return cost


def _append(tracklet: Tracklet, found: Detections, row: int, frame: int) -> None:
    tracklet.frames.append(frame)
    tracklet.heads.append(head_rows(found.take([row]))[0])
    tracklet.boxes.append(found.boxes[row])
    tracklet.scores.append(float(found.scores[row]))


def _not_taken(found: Detections, *others: Detections) -> Detections:
    """The detections that are not the same face as one of the others, at whatever scale."""
    for other in others:
        if len(found) and len(other):
            taken = iou(found.boxes, other.boxes).max(axis=1) >= 0.4
            for box in other.boxes:
                taken |= around(found.boxes, box)
            found = found.take(~taken)
    return found
