"""Linking the faces of frame after frame into tracklets.

Two stages as in Zhang et al., ByteTrack, ECCV 2022: sure faces first, then doubtful ones for whoever is still missing.
Lost tracks wait and may be found again near the place where they should be by then (Cao et al., OC-SORT, CVPR 2023).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections, around
from skiagraph.lazily import optimize
from skiagraph.track.appearance import UNKNOWN, likeness
from skiagraph.track.camera import motion_between
from skiagraph.track.cuts import CUTS
from skiagraph.track.heads import head_rows
from skiagraph.track.motion import FaceMotion


@dataclass(frozen=True, slots=True)
class GateSettings:
    """How far off a face may be for a track, in face sides, and what a match costs: one side off costs 1.

    Set by benchmarks/quality.py (starts, jackets, crowd).
    """

    # cost of a match that is beyond a gate
    impossible: float = 1e3
    # sides that a sure face may be off where one is expected; larger: faster moves, more heads are exchanged
    sure_away: float = 0.9
    # the longer a track is lost, the further off a sure face may be (by twice the deviation of its motion, a side at
    # most); share of that for a doubtful face
    waited_away: float = 0.3
    # change of the logarithm of its size at most for a doubtful face
    doubtful_size: float = 0.22
    # likeness of head and shoulders at least for a doubtful face, where both are known; larger: less is continued
    doubtful_like: float = 0.6
    # score at which the gates of a sure face begin to open, score further at which they are open wholly, and the share
    # by which they are open at least: the less sure a face is, the nearer it must be
    unsure: tuple[float, float, float] = (0.45, 0.25, 0.4)
    # change of the logarithm of its size at most for a sure face
    sure_size: float = 0.5
    # more change of size for a sure face for each frame in which the track was not seen
    sure_size_a_frame: float = 0.02
    # frames without a face from which looks decide about a sure face too
    lost_frames: int = 3
    # likeness of head and shoulders at least for a sure face after that; larger: more tracks begin anew
    lost_like: float = 0.55
    # cost of no overlap at all with where it is expected
    overlap_costs: float = 0.5
    # cost of a size that differs by a factor of e
    size_costs: float = 0.6
    # cost of looks that have nothing in common
    looks_cost: float = 0.9
    # sides off where somebody is expected who was not seen lately within which a face may be theirs (railings, every
    # frame: 42 frames of another person to none); larger: more tracks begin anew where people cross
    either_away: float = 1.2
    # likeness from which a face is somebody's own, whoever else may be there: that of one person on both sides of a
    # meeting is 0.75 to 0.97 (track.meetings); larger: more tracks begin anew where people cross
    own_like: float = 0.75
    # likeness by which a face has to be nearer to one of them than to the others for it to be that one's; larger: more
    # tracks begin anew where people cross
    either_like: float = 0.1
    # share of a track's looks that is taken from each surely seen face; larger: learns quicker, also somebody else's
    looks_learned: float = 0.1
    # share of its speed that a track which is not seen keeps in each frame
    slows: float = 0.9
    # cost up to which a match is not broken up so that somebody else has one too: less than two bad ones cost together;
    # smaller: groups that move otherwise than expected come apart (alike: at 1.2 15 leaks for none); larger: heads are
    # exchanged where one of two is not found (veiled, railings)
    broken: float = 3.0
    # sides a doubtful face may be off where one is expected; larger: more is continued
    doubtful_away: float = 0.4
    # sides further off that a doubtful face may be from a face that was seen once, whose speed is not known yet
    begun_away: float = 0.4
    # face sides a second squared by which somebody quickens at most, beyond the usual gate: 10 m/s² for a face of 15
    # cm, as at a sprinter's start; larger: heads are exchanged where one of two is hidden (railings)
    quickens: float = 67.0
    # faces from which the speed of a track is known
    speed_known: int = 5
    # frames for which a track waits that was never seen for certain
    hint_patience: int = 3
    # on the way back before its first face: sides further off for each frame that a doubtful face may be, beside
    # doubtful_away
    back_away: float = 0.05
    # on the way back: change of the logarithm of its size at most
    back_size: float = 0.3
    # on the way back: frames without a fitting face that end it
    back_missed: int = 5


GATES = GateSettings()
# Overlap (IoU) from which two finds in one frame are one face.
SAME_FACE = 0.4


@dataclass(frozen=True, slots=True)
class LinkSettings:
    """What may begin and go on a track, and what is believed of it; scores are the detector's.

    Set by benchmarks/quality.py (crowd, night).
    """

    # score from which a face may begin a track; smaller: more tracks, of which more are nobody
    begin: float = 0.5
    # score from which a face continues a track for certain
    sure: float = 0.55
    # score from which a face may continue a track; smaller: longer tracks, which drift more
    doubtful: float = 0.35
    # seconds that a lost track waits; larger: more is taken up again, and by somebody else
    patience_s: float = 1.2
    # seconds that a track may live on doubtful faces alone
    doubt_s: float = 1.0
    # faces that a track needs to be believed; larger: fewer, surer ones
    least: int = 3
    # score that the best of them needs
    kept: float = 0.75
    # score of a face that is enough by itself
    very_sure: float = 0.8
    # faces from which a track that is not believed is kept as doubtful
    hint: int = 2
    # score from which one face is kept as doubtful where a shot begins or ends, since no other frame would tell;
    # smaller: more doubtful ones. From it on a bare face is a finding (SweepSettings.sure_face)
    alone: float = 0.65


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
    doubtful: bool = False

    @property
    def best(self) -> float:
        return max(self.scores)

    @property
    def roll(self) -> float:
        """Degrees clockwise by which the head leaned when it was seen last."""
        return float(self.heads[-1][4]) if self.heads else 0.0


@dataclass(frozen=True, slots=True)
class Seen:
    """The faces of a frame and how the head and shoulders of each look (see head_colours; None where unknown)."""

    found: Detections
    colours: tuple[np.ndarray | None, ...]

    def take(self, rows) -> Seen:
        rows = np.flatnonzero(rows) if np.asarray(rows).dtype == bool else np.asarray(rows, int)
        return Seen(self.found.take(rows), tuple(self.colours[n] for n in rows))

    def __len__(self) -> int:
        return len(self.found)

    @staticmethod
    def none() -> Seen:
        return Seen(Detections.none(), ())

    @staticmethod
    def joined(parts: Sequence[Seen]) -> Seen:
        return Seen(Detections.joined([p.found for p in parts]), tuple(c for p in parts for c in p.colours))


@dataclass(frozen=True, slots=True)
class Match:
    """A face that was just given to a track: number of its tracklet, the face's box, its score and landmarks."""

    tracklet: Tracklet
    box: np.ndarray
    score: float
    landmarks: np.ndarray


@dataclass(frozen=True, slots=True)
class Expected:
    """Where the face of a track should be: box (4,); number: of its tracklet; missed: frames since it was last seen;
    score: that it had then; sure: whether it was ever seen for certain; roll: degrees clockwise by which the head
    leaned."""

    number: int
    box: np.ndarray
    missed: int
    score: float
    sure: bool = True
    roll: float = 0.0


class _Track:
    def __init__(self, tracklet: Tracklet, box: np.ndarray):
        self.tracklet, self.motion, self.missed, self.doubted = tracklet, FaceMotion(box), 0, 0


class Linker:
    """Fed the detections of one frame after another; gives the tracklets at the end."""

    def __init__(self, rate: float, settings: LinkSettings = LinkSettings()):
        self._settings, self._rate = settings, rate
        self._patience = max(3, round(settings.patience_s * rate))
        self._doubt = max(3, round(settings.doubt_s * rate))
        self._tracks: list[_Track] = []
        self._done: list[Tracklet] = []
        self._count = 0
        self._frame: int | None = None
        self._view: np.ndarray | None = None
        self._passed = 1
        self._shot = 0
        # First and last frame that was taken in of each shot.
        self._shots: dict[int, tuple[int, int]] = {}

    @property
    def tracklets(self) -> list[Tracklet]:
        """All tracklets so far, in the order of their first sight; what is hardly a face is marked as doubtful."""
        every = self._done + [t.tracklet for t in self._tracks]
        for t in every:
            t.doubtful = not (
                len(t.frames) >= self._settings.least
                and t.best >= self._settings.kept
                or t.best >= self._settings.very_sure
            )
        return sorted((t for t in every if not t.doubtful or self._is_hint(t)), key=lambda t: (t.frames[0], t.number))

    def _is_hint(self, t: Tracklet) -> bool:
        """Whether something doubtful is worth a person's look: seen more than once, and most of the time well enough to
        begin a track; or seen well where a shot begins or ends."""
        if len(t.frames) == 1:
            first, last = self._shots[t.shot]
            return (
                t.frames[0] in (first, last)
                and last - first + 1 >= CUTS.least_shot
                and t.scores[0] >= self._settings.alone
            )
        return len(t.frames) >= self._settings.hint and sum(
            score >= self._settings.begin for score in t.scores
        ) >= 0.5 * len(t.frames)

    @property
    def expected(self) -> list[Expected]:
        """Where the faces of the present tracks should be, in the frame last gone on to."""
        return [
            Expected(
                t.tracklet.number,
                t.motion.box,
                t.missed,
                t.tracklet.scores[-1],
                t.tracklet.best >= self._settings.sure,
                t.tracklet.roll,
            )
            for t in self._tracks
        ]

    def new_shot(self) -> None:
        """End all tracks: nothing is followed across a cut."""
        self._done += [t.tracklet for t in self._tracks]
        self._tracks, self._view = [], None
        self._shot += 1

    def go_on(self, frame: int, view: np.ndarray | None = None) -> None:
        """Move on to a later frame. view: what the camera did since the shot began (Picture.view)."""
        camera = None if view is None or self._view is None else motion_between(self._view, view)
        self._view = view
        self._passed = 1 if self._frame is None else frame - self._frame
        self._frame = frame
        for track in self._tracks:
            track.motion.predict(self._passed, camera)
            if track.missed:
                track.motion.slow_down(GATES.slows**self._passed)

    def take(self, seen: Seen, sought: Collection[int] | None = None) -> list[Match]:
        """Take in the faces of the frame gone on to; returns who got which.

        sought: numbers of the tracklets that were looked for, if not all were; nobody else is missed.
        """
        frame, passed = self._frame, self._passed
        self._shots[self._shot] = self._shots.get(self._shot, (frame,))[0], frame
        matches: list[Match] = []
        scores = seen.found.scores
        sure, doubtful = (
            seen.take(scores >= self._settings.sure),
            seen.take((scores < self._settings.sure) & (scores >= self._settings.doubtful)),
        )
        left, free = self._match(self._tracks, sure, frame, passed, matches)
        doubtful = not_taken(doubtful, sure)
        for track in self._tracks:
            if sought is None or track.tracklet.number in sought:
                track.doubted += passed
        waiting = [t for t in left if t.doubted <= self._doubt]
        lost, unclaimed = self._match(waiting, doubtful, frame, passed, matches, doubtful=True)
        left = [t for t in left if t.doubted > self._doubt] + lost
        for track in left:
            if sought is None or track.tracklet.number in sought:
                track.missed += passed
        for faces, rows in ((sure, free), (doubtful, unclaimed)):
            for row in (r for r in rows if faces.found.scores[r] >= self._settings.begin):
                self._begin(faces, row, frame, matches)
        waits = [
            t.missed <= (self._patience if t.tracklet.best >= self._settings.sure else GATES.hint_patience * passed)
            for t in self._tracks
        ]
        self._done += [t.tracklet for t, still in zip(self._tracks, waits) if not still]
        self._tracks = [t for t, still in zip(self._tracks, waits) if still]
        return matches

    def update(
        self, frame: int, seen: Seen, view: np.ndarray | None = None, sought: Collection[int] | None = None
    ) -> list[Match]:
        """Go on to a frame and take in its faces."""
        self.go_on(frame, view)
        return self.take(seen, sought)

    def _begin(self, seen: Seen, row, frame, matches):
        self._count += 1
        tracklet = Tracklet(self._count, colours=seen.colours[row], shot=self._shot)
        self._tracks.append(_Track(tracklet, seen.found.boxes[row]))
        matches += _given([tracklet], seen.found, [row], frame)

    def _match(self, tracks, seen: Seen, frame, passed, matches, doubtful=False):
        """Assign faces to tracks; returns the tracks and the rows of faces that stay alone.

        Doubtful faces must fit in place, size and looks.
        """
        found, colours = seen.found, seen.colours
        if not tracks or not len(found):
            return list(tracks), list(range(len(found)))
        cost = self._costs(tracks, found, colours, passed, doubtful)
        rows, columns = assigned(cost)
        matches += _given([tracks[row].tracklet for row in rows], found, columns, frame)
        for row, column in zip(rows, columns):
            track, score = tracks[row], float(found.scores[column])
            track.motion.correct(found.boxes[column], weight=min(1.0, score / self._settings.sure))
            track.missed = 0
            if score >= self._settings.sure:
                track.doubted = 0
                if colours[column] is not None:
                    old = track.tracklet.colours
                    track.tracklet.colours = (
                        colours[column]
                        if old is None
                        else (1 - GATES.looks_learned) * old + GATES.looks_learned * colours[column]
                    )
        taken_tracks, taken = set(rows.tolist()), set(columns.tolist())
        return [t for n, t in enumerate(tracks) if n not in taken_tracks], [
            n for n in range(len(found)) if n not in taken
        ]

    def _costs(self, tracks, found, colours, passed, doubtful):
        """The cost matrix, (tracks, faces): distance in face sides, size change and looks; beyond the gates
        impossible."""
        predicted = np.array([t.motion.box for t in tracks])
        states = np.array([t.motion.centre_and_side for t in tracks])
        missed = np.array([t.missed for t in tracks])
        overlap = iou(predicted, found.boxes)
        centres = (found.boxes[:, :2] + found.boxes[:, 2:]) / 2
        sides, side = found.boxes[:, 2] - found.boxes[:, 0], states[:, 2:3]
        away = np.hypot(centres[None, :, 0] - states[:, 0:1], centres[None, :, 1] - states[:, 1:2]) / np.maximum(
            side, sides[None]
        )
        change = np.abs(np.log(np.maximum(sides, 1)[None] / np.maximum(side, 1)))
        waited = np.minimum(1.0, 2.0 * np.array([t.motion.spread for t in tracks]) / side[:, 0]) * (missed + passed > 1)
        # Nobody whose speed is known changes it by more than a body can.
        known = np.array([len(t.tracklet.frames) >= GATES.speed_known for t in tracks])
        waited = np.where(known, np.minimum(waited, GATES.quickens / 2 * ((missed + passed) / self._rate) ** 2), waited)
        if doubtful:
            just_begun = np.array([len(t.tracklet.frames) == 1 for t in tracks])
            allowed = (GATES.doubtful_away + GATES.waited_away * waited + GATES.begun_away * just_begun)[:, None]
            most, least_like = GATES.doubtful_size, np.full(len(tracks), GATES.doubtful_like)
        else:
            begins, over, least = GATES.unsure
            surely = np.clip((found.scores - begins) / over, least, 1)[None]
            allowed = (GATES.sure_away + waited)[:, None] * surely
            most, least_like = (
                (GATES.sure_size + GATES.sure_size_a_frame * missed)[:, None] * surely,
                np.where(missed > GATES.lost_frames, GATES.lost_like, 0.0),
            )
        cost = np.full(overlap.shape, GATES.impossible)
        near = (away <= allowed) & (change <= most)
        like, known = np.full(cost.shape, UNKNOWN), np.zeros(cost.shape, bool)
        theirs = (away <= GATES.either_away) & (missed >= GATES.lost_frames)[:, None]
        for i, j in zip(*np.nonzero(near | theirs)):
            like[i, j] = likeness(tracks[i].tracklet.colours, colours[j])
            known[i, j] = tracks[i].tracklet.colours is not None and colours[j] is not None
        fits = near & ~(known & (like < least_like[:, None])) & ~_either(theirs, like, known)
        cost[fits] = (
            away + GATES.overlap_costs * (1 - overlap) + GATES.size_costs * change + GATES.looks_cost * (1 - like)
        )[fits]
        return cost


def _either(theirs: np.ndarray, like: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Which faces, bool (tracks, faces), may as well be of somebody else who was not seen lately: they went out of
    sight together, and looks do not tell which of them it is.

    Such a face begins a track of its own, and who that is is asked when all is known (track.meetings). theirs: who was
    not seen lately and may be at a face by now; like: how alike they look, where that is known.
    """
    either = np.zeros(theirs.shape, bool)
    for j in np.flatnonzero(theirs.sum(axis=0) > 1):
        who = np.flatnonzero(theirs[:, j])
        for i in who:
            other = max(like[k, j] if known[k, j] else np.inf for k in who if k != i)
            either[i, j] = not known[i, j] or like[i, j] < GATES.own_like and like[i, j] - other < GATES.either_like
    return either


def assigned(cost: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Rows and columns that belong together, at the least cost.

    What fits well comes first: an assignment that has to give as many as it can a partner exchanges two who fit, when a
    third's is missing.
    """
    alone = np.full((len(cost), len(cost)), GATES.broken)
    rows, columns = optimize.linear_sum_assignment(np.hstack([cost, alone]))
    well = columns < cost.shape[1]
    rows, columns = rows[well], columns[well]
    others, free = np.setdiff1d(np.arange(cost.shape[0]), rows), np.setdiff1d(np.arange(cost.shape[1]), columns)
    more, further = optimize.linear_sum_assignment(cost[np.ix_(others, free)])
    possible = cost[others[more], free[further]] < GATES.impossible
    return np.concatenate([rows, others[more][possible]]), np.concatenate([columns, free[further][possible]])


def extend_back(tracklets: Sequence[Tracklet], seen: dict[int, Seen], shot_begins: Callable[[int], int]) -> None:
    """Let each track begin earlier, with faces too doubtful to begin one that lie where its own must have been.

    seen: what was found, by frame; shot_begins: first frame of the shot a frame is in. Changes the tracklets.
    """
    taken = {(frame, float(box[0]), float(box[1])) for t in tracklets for frame, box in zip(t.frames, t.boxes)}
    for t in tracklets:
        frame, missed = t.frames[0] - 1, 0
        begin = shot_begins(t.frames[0])
        while frame >= begin and missed <= GATES.back_missed:
            row = _earlier(t, frame, seen.get(frame), taken) if frame in seen else None
            missed = 0 if row is not None else missed + 1
            if row is not None:
                found = seen[frame].found
                taken.add((frame, float(found.boxes[row][0]), float(found.boxes[row][1])))
                for values, value in (
                    (t.frames, frame),
                    (t.heads, head_rows(found.take([row]), roll=float(t.heads[0][4]))[0]),
                    (t.boxes, found.boxes[row]),
                    (t.scores, float(found.scores[row])),
                ):
                    values.insert(0, value)
            frame -= 1


def _earlier(t: Tracklet, frame: int, seen: Seen, taken) -> int | None:
    """The face of a frame that must be the track's, or None."""
    boxes, ahead = np.asarray(t.boxes[:4], float), t.frames[0] - frame
    side, middle = boxes[0, 2] - boxes[0, 0], (boxes[:, :2] + boxes[:, 2:]) / 2
    pace = (middle[0] - middle[-1]) / max(1, t.frames[len(boxes) - 1] - t.frames[0])
    expected = middle[0] + pace * ahead
    best, best_away = None, GATES.doubtful_away + GATES.back_away * ahead
    for row, box in enumerate(seen.found.boxes):
        if (frame, float(box[0]), float(box[1])) in taken:
            continue
        away = float(np.hypot(*((box[:2] + box[2:]) / 2 - expected))) / side
        if away < best_away and abs(np.log((box[2] - box[0]) / side)) < GATES.back_size:
            best, best_away = row, away
    return best


def _given(tracklets: Sequence[Tracklet], found: Detections, rows, frame: int) -> list[Match]:
    """Give each of the tracklets its row of what was found."""
    if not len(tracklets):
        return []
    found = found.take(np.asarray(rows))
    heads = head_rows(found, roll=np.array([t.heads[-1][4] if t.heads else 0.0 for t in tracklets], float))
    matches = []
    for n, t in enumerate(tracklets):
        # Copies, since a row of a table would keep all of the table.
        box, score = found.boxes[n].copy(), float(found.scores[n])
        t.frames.append(frame)
        t.heads.append(heads[n].copy())
        t.boxes.append(box)
        t.scores.append(score)
        matches.append(Match(t, box, score, found.landmarks[n]))
    return matches


def not_taken(seen: Seen, *others: Seen) -> Seen:
    """Without what is the same face as one of the others, at whatever scale."""
    for other in others:
        if len(seen) and len(other):
            taken = iou(seen.found.boxes, other.found.boxes).max(axis=1) >= SAME_FACE
            for box in other.found.boxes:
                taken |= around(seen.found.boxes, box)
            seen = seen.take(~taken)
    return seen
