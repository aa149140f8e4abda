"""The sweep of a scan through a clip: decode, search, link, and describe who is seen well, with decode and detectors overlapped."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from skiagraph.boxes import crossing, iou
from skiagraph.detect.detections import Detections, around
from skiagraph.detect.finder import FaceFinder, Search
from skiagraph.detect.squared import Squared
from skiagraph.errors import FrameNotDecoded
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.track.appearance import head_colours
from skiagraph.track.camera import STILL, CameraMotion, with_cuts
from skiagraph.track.describing import HARDLY, NEAR, Describing
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.heads import head_rows
from skiagraph.track.linking import Expected, Linker, Match, Seen, not_taken
from skiagraph.track.observations import Diary, Observation
from skiagraph.track.silhouette import CLEAR, GONE, Silhouette
from skiagraph.track.stepping import plan_of
from skiagraph.track.straight import Straight

STEP_FIND = "Finding faces"
# So many looks at edges are under way at most, since each holds a picture.
EDGES_AHEAD = 2
# Frames are decoded so far ahead, and so many of them wait at the detectors.
DECODED_AHEAD, SEARCHED_AHEAD = 6, 4
# The roll of a face of this score is measured every so many seconds.
MEASURED_SCORE, MEASURE_EVERY_S = 0.6, 0.96
# A face of a score between these is shown to the landmark network for a second opinion: on drawn and
# textured footage that network sees 0.9 or more on nearly all real faces and under 0.5 on nearly all others.
ASKED_FROM, ASKED_TO = 0.45, 0.82
FACE_SAID = 0.5
# An opinion of a place holds for so many seconds, for boxes that overlap by this much (IoU).
OPINION_HOLDS_S, SAME_PLACE = 0.32, 0.5
# A weak sign of a face where this share of the head would be person counts with this score. Of backgrounds that look like a face
# hardly any has a third, of half hidden heads most have two thirds (measured). Smaller ones, against the smallest face to find, are hands.
SOMEBODY, SOMEBODY_SCORE, SOMEBODY_LEAST = 0.55, 0.5, 0.75
# Who was lost no longer ago, in seconds, is where they were.
JUST_LOST_S = 0.48
# A head reaches so many face sides around the middle of its face, in profile.
ON_HEAD = 0.9
# Somebody who was not seen for more frames than this is sought with all means only in each fourth frame.
THOROUGH, THOROUGH_AGAIN = 4, 4
# Backwards a face is followed where it overlaps itself by this much (IoU), past so many pictures without it.
BACK_OVERLAP, BACK_MISSED = 0.15, 1
# So many frames stay at hand for looking back, or one step, but not more than fit into so much memory.
BACK_LEAST, BACK_BYTES = 8, 150e6
# Whoever is found so many face sides from where they were expected did not go straight.
SURPRISE = 0.15
# At the ends of a shot signs of this score, so near an edge in face sides, may be somebody half in the picture.
EDGE_SCORE, EDGE_NEAR, EDGE_FINER = 0.3, 0.15, 2.5
# Faces of at least this score go into the table against which covers are checked.
SURE_FACE = 0.65
# Whoever is seen with at least this score in a search needs no look of their own.
GOOD = 0.55
# What that network does not take for a face continues a track only as a hint of this score.
HINT_SCORE = 0.45


class _Picture:
    """A decoded frame whose colours are made when somebody looks at them."""

    def __init__(self, frame: Frame, squared: Squared):
        self.number, self._frame, self._squared = frame.number, frame, squared
        self._rgb: np.ndarray | None = None

    @property
    def rgb(self) -> np.ndarray:
        if self._rgb is None:
            self._rgb = self._squared.picture(self._frame.rgb())
        return self._rgb

    @cached_property
    def grey(self) -> np.ndarray:
        """Brightness, uint8, in the clip's own pixels."""
        return self._frame.grey()

    def let_go(self) -> None:
        """Keep only what the decoder gave, which is smaller."""
        self._rgb = None


@dataclass(frozen=True, slots=True)
class _Prepared:
    """camera: None where it was not looked for; search: None where the frame is not searched."""

    picture: _Picture
    cut: bool
    camera: np.ndarray | None
    search: Search | None


@dataclass(slots=True)
class _Opinion:
    """What was said of a place, (4,): by the landmark network, whether a face is there, and by the shape, whether somebody is. None: not asked yet."""

    frame: int
    place: np.ndarray
    face: bool | None = None
    person: bool | None = None


@dataclass(slots=True)
class _Backward:
    """A face looked for backwards. box: (4,), where it was in the frame after; since: it is not sought in this frame and before."""

    box: np.ndarray
    since: int
    missed: int = 0

    def go_on(self, found: Detections) -> None:
        """Take the surest face at its place."""
        overlap = iou(self.box[None], found.boxes)[0]
        near = np.flatnonzero(overlap > BACK_OVERLAP)
        self.missed = 0 if len(near) else self.missed + 1
        if len(near):
            self.box = found.boxes[near[int(np.argmax(found.scores[near]))]]


class Sweep:
    """Goes through a clip once. Afterwards the diary has what was seen, and `describing` whom it is like.

    Who is known and not seen well in a searched frame is looked for where they should be. When stepping, known people are looked
    at a few times a second at least, and in every frame that is decoded where one is lost, doubtful or crosses another; whoever is
    new or back, or moved otherwise than expected, is looked for in the frames just before. Pictures that no other is made from are left
    out then, but never two in a row.

    every: search each n-th frame.
    """

    def __init__(self, info: ClipInfo, index: FrameIndex, finder: FaceFinder, describer: FaceDescriber, every: int, linker: Linker, diary: Diary):
        self._info, self._index, self._finder = info, index, finder
        self._rate = float(info.rate)
        self._every, self._diary, self._plan = every, diary, plan_of(index.spare, every, self._rate)
        self.linker = linker
        self.squared = Squared(float(info.upright_aspect))
        self.describing = Describing(describer, self.squared, self._rate, self._plan.apart)
        self.cuts: list[int] = []
        width, height = info.upright_size
        # The landmark network is asked in between; no two threads may share one.
        self._judge = FaceDescriber()
        self._silhouette = Silhouette()
        self._back = min(max(every, BACK_LEAST), max(2, int(BACK_BYTES / (3 * width * height))))
        self._recent: deque[_Picture] = deque(maxlen=self._back + 1)
        self._open: dict[int, Observation] = {}
        self._straight = Straight()
        self._opinions: list[_Opinion] = []
        # Frames; when stepping an opinion holds for the next search at least.
        self._holds = max(round(OPINION_HOLDS_S * self._rate), every + 2 if every > 1 else 0)
        # When the roll of a tracklet was measured last.
        self._rolled: dict[int, int] = {}
        # Weak signs of faces at the edge where a shot begins or ends: (frame, box, score).
        self.edges: list[tuple[int, np.ndarray, float]] = []
        # Looks at edges under way: frame, its picture, whom was seen in it, and the search.
        self._at_edges: deque[tuple[int, np.ndarray, Detections, Search]] = deque()

    def run(self, control: JobControl, told: Callable[[int, Seen, bool], None] = lambda frame, seen, searched: None) -> None:
        """told: frame, what was seen in it, and whether it was searched as a whole; a frame may be told of twice.

        Raises Cancelled and FrameNotDecoded; what was seen until then is in the diary.
        """
        total = len(self._index)
        begin = self._replay(told)
        damage: FrameNotDecoded | None = None
        ahead: deque[_Prepared] = deque()
        try:
            with (FrameReader(self._info, self._index, threads=2, rough=True, wanted=self._plan.needed) as reader,
                  closing(read_ahead(self._prepared(reader, begin), DECODED_AHEAD)) as frames):
                if begin:
                    self._look_at_edges_before(begin)
                try:
                    for prepared in frames:
                        ahead.append(prepared)
                        # So many frames wait at the detectors while the one before them is linked.
                        if len(ahead) > SEARCHED_AHEAD:
                            self._take(ahead.popleft(), told)
                        control.report(STEP_FIND, prepared.picture.number + 1, total)
                except FrameNotDecoded as error:
                    # The frames before it count.
                    damage = error
                while ahead:
                    self._take(ahead.popleft(), told)
            self.describing.finish()
            self._note_edges()
        finally:
            self.describing.close()
            self._close_before(total)
            self._diary.flush()
        if damage is not None:
            raise damage

    def _replay(self, told) -> int:
        """Link what an earlier run saw; returns the frame to go on from."""
        last = -1
        for observation in self._diary.read():
            if observation.cut:
                self._new_shot(observation.frame)
            self.linker.update(observation.frame, observation.seen, observation.camera, None if observation.whole else ())
            last = observation.frame
            told(observation.frame, observation.seen, observation.whole)
        return last + 1

    def _prepared(self, reader: FrameReader, begin: int) -> Iterator[_Prepared]:
        """What is made ahead, in a thread of its own: pictures, cuts, camera, and the searches begun."""
        camera, turn = CameraMotion(), 0
        # A search half a step into each shot, so that who is missed at its beginning is not first seen a whole step later.
        half = None
        for frame, cut in with_cuts(self._frames(reader, begin), self._left_out):
            number, picture = frame.number, _Picture(frame, self.squared)
            if (cut or number == 0) and self._every // 2 > 2:
                half = number + self._every // 2
            searched = self._plan.searched[number] or cut
            if half is not None and number >= half:
                searched, half = True, None
            if not searched and not self._plan.looked[number]:
                yield _Prepared(picture, cut, None, None)
                continue
            grey = frame.grey()
            step = STILL if cut else camera.step(grey)
            if cut:
                camera.restart(grey)
            search = None
            if searched:
                search = self._finder.submit(picture.rgb, turn=None if cut or number == 0 or self._every > 1 else turn)
                turn += 1
            yield _Prepared(picture, cut, step, search)

    def _frames(self, reader: FrameReader, begin: int) -> Iterator[Frame]:
        for number in np.flatnonzero(self._plan.needed[begin:]):
            yield reader.read(begin + int(number))

    def _left_out(self, number: int) -> Frame:
        """A frame that was not needed, and now is."""
        with FrameReader(self._info, self._index, threads=1, rough=True) as reader:
            return reader.read(number)

    def _new_shot(self, frame: int) -> None:
        self.cuts.append(frame)
        self.linker.new_shot()

    def _take(self, prepared: _Prepared, told) -> None:
        picture, frame = prepared.picture, prepared.picture.number
        if prepared.cut:
            self._look_at_edges(self._recent[-1])
            self._new_shot(frame)
            self._recent.clear()
        if self._recent:
            self._recent[-1].let_go()
        self._recent.append(picture)
        self._close_before(frame - self._back)
        sought = self._in_doubt() if prepared.camera is None else None
        if sought is not None and not sought:
            return
        self.linker.go_on(frame, prepared.camera)
        expected = [e for e in self.linker.expected if sought is None or e.number in sought]
        found = Detections.none() if prepared.search is None else self._believed(picture, prepared.search.result(), expected)
        missing = self._not_seen(expected, found)
        if missing:
            # Somebody long out of sight is not sought with all means in every frame.
            thorough = np.array([e.missed <= THOROUGH or frame % THOROUGH_AGAIN == 0 for e in missing])
            looked = self._finder.look(picture.rgb, self.squared.boxes(np.array([e.box for e in missing])), thorough=thorough)
            found = _without_twins(found, self._believed(picture, looked, missing))
        seen = self.seen(picture.rgb, self._measured(picture, found, expected))
        matches = self.linker.take(seen, sought)
        self._open[frame] = Observation(frame, seen, STILL if prepared.camera is None else prepared.camera, prepared.cut, sought is None)
        self.describing.consider(frame, picture.rgb, matches)
        told(frame, seen, prepared.search is not None)
        self._look_back(matches, expected, told)
        if prepared.cut or frame in (0, len(self._index) - 1):
            self._look_at_edges(picture)

    def _close_before(self, frame: int) -> None:
        """What was seen before a frame is final."""
        for number in [n for n in sorted(self._open) if n < frame]:
            self._diary.add(self._open.pop(number))

    def _in_doubt(self) -> set[int]:
        """Numbers of those who were just lost, are hardly seen, or cross another, so that they are looked at in this frame too."""
        expected = self.linker.expected
        doubt = {e.number for e in expected if 0 < e.missed <= self._back or e.score < HARDLY}
        crosses = crossing(np.array([e.box for e in expected]), NEAR)
        doubt |= {e.number for e, near in zip(expected, crosses) if near}
        return doubt

    def _look_back(self, matches: list[Match], expected: list[Expected], told) -> None:
        """Look for whoever is new, or back, or moved otherwise than expected, in the frames before, as far as they are at hand."""
        places, sought = {e.number: e.box for e in expected}, []
        for match in matches:
            frames = match.tracklet.frames
            since = frames[-2] if len(frames) > 1 else -1
            straight = self._went_straight(match) and not _surprises(match.box, places.get(match.tracklet.number))
            if frames[-1] - since > self._plan.apart or not straight:
                sought.append(_Backward(match.box, max(since, frames[-1] - self._back - 1)))
        self._straight.forget(self._recent[-1].number - 2 * self._plan.apart)
        for picture in reversed(list(self._recent)[:-1]):
            sought = [b for b in sought if picture.number > b.since and b.missed <= BACK_MISSED]
            if not sought:
                return
            boxes = np.array([b.box for b in sought])
            found = self._believed(picture, self._finder.look(picture.rgb, self.squared.boxes(boxes)), ())
            again = self.seen(picture.rgb, found) if len(found) else Seen.none()
            picture.let_go()
            for backward in sought:
                backward.go_on(again.found)
            old = self._open.get(picture.number)
            if old is not None:
                again = not_taken(again, old.seen)
            if len(again):
                self._open[picture.number] = (replace(old, seen=Seen.joined([old.seen, again])) if old is not None
                                              else Observation(picture.number, again, STILL, False, False))
                told(picture.number, again, False)

    def _went_straight(self, match: Match) -> bool:
        """Whether the pictures since somebody was looked at show them on the way between."""
        if self._every == 1:
            return True
        return self._straight.went(match.tracklet, self._recent[-1].grey, self._recent)

    def _not_seen(self, expected: list[Expected], found: Detections) -> list[Expected]:
        """Those of the expected whom a search, in square pixels, did not show well."""
        good = found.boxes[found.scores >= GOOD]
        if not len(good) or not expected:
            return expected
        overlap = iou(self.squared.boxes(np.array([e.box for e in expected])), good).max(axis=1)
        return [e for e, most in zip(expected, overlap) if most < SAME_PLACE]

    def _measured(self, picture: _Picture, found: Detections, expected: list[Expected]) -> Detections:
        """With the roll of whoever is new, or was not measured for a while."""
        rolls, places = found.rolls.copy(), self.squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))
        for row in np.flatnonzero(found.scores >= MEASURED_SCORE):
            overlap = iou(found.boxes[row][None], places)[0] if len(places) else np.zeros(0)
            number = expected[int(overlap.argmax())].number if len(overlap) and overlap.max() > SAME_PLACE else None
            if number is None or number not in self._rolled or picture.number - self._rolled[number] >= round(MEASURE_EVERY_S * self._rate):
                rolls[row] = self._judge.roll(picture.rgb, found.boxes[row])
                if number is not None:
                    self._rolled[number] = picture.number
        return replace(found, rolls=rolls)

    def _believed(self, picture: _Picture, found: Detections, expected: list[Expected]) -> Detections:
        """Without what only looks like a face, where none was expected; where one was, it counts as a hint only.

        A weak sign of a face where the shape says that somebody is counts as a face: half of it is hidden.
        """
        places = self.squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))
        steady = places[[n for n, e in enumerate(expected) if not e.missed and e.score >= HARDLY]]
        kept, scores = np.ones(len(found), bool), found.scores.copy()
        # Where somebody was a moment ago their own head gives weak signs, and is followed better by its picture.
        heads = [*places[[n for n, e in enumerate(expected) if e.sure and e.missed <= JUST_LOST_S * self._rate]], *found.boxes[found.scores >= GOOD]]
        # Of several weak signs on one head the strongest counts.
        for n in np.argsort(-found.scores, kind="stable"):
            box, score = found.boxes[n], found.scores[n]
            if score >= ASKED_TO or len(steady) and iou(box[None], steady)[0].max() > SAME_PLACE:
                continue
            if score >= ASKED_FROM and self._is_face(picture, box):
                continue
            if not _on_head(box, heads) and self._is_person(picture, found, n):
                scores[n] = max(score, SOMEBODY_SCORE)
                heads.append(box)
            elif score >= ASKED_FROM:
                kept[n], scores[n] = len(places) and iou(box[None], places)[0].max() > 0.3, min(score, HINT_SCORE)
        return replace(found, scores=scores).take(kept)

    def _is_face(self, picture: _Picture, box: np.ndarray) -> bool:
        opinion = self._opinion(picture.number, box)
        if opinion.face is None:
            opinion.face = self._judge.presence(picture.rgb, box) >= FACE_SAID
        return opinion.face

    def _is_person(self, picture: _Picture, found: Detections, row: int) -> bool:
        box = found.boxes[row]
        if box[2] - box[0] < SOMEBODY_LEAST * self._finder.smallest:
            return False
        opinion = self._opinion(picture.number, box)
        if opinion.person is None:
            shape = self._silhouette.shape(picture.rgb, head_rows(found.take([row]))[0])
            opinion.person = shape.share >= SOMEBODY and shape.margin >= CLEAR
        return opinion.person

    def _opinion(self, frame: int, box: np.ndarray) -> _Opinion:
        """What was said of a place a moment ago, or room for what is said now."""
        self._opinions = [o for o in self._opinions if abs(frame - o.frame) < self._holds]
        for opinion in self._opinions:
            if iou(box[None], opinion.place[None])[0, 0] > SAME_PLACE:
                return opinion
        self._opinions.append(_Opinion(frame, box))
        return self._opinions[-1]

    def _look_at_edges_before(self, begin: int) -> None:
        """At the ends of shots that an earlier run went through: signs there are not in the diary."""
        ends = sorted({0, *self.cuts, *(cut - 1 for cut in self.cuts)})
        with FrameReader(self._info, self._index, threads=1) as reader:
            for number in ends:
                if number < begin:
                    self._look_at_edges(_Picture(reader.read(number), self.squared))

    def _look_at_edges(self, picture: _Picture) -> None:
        """At an end of a shot nothing more is to come that would tell of somebody half in the picture: look for them
        harder. Nothing waits for it."""
        known = self._open[picture.number].seen.found if picture.number in self._open else Detections.none()
        known = known.take(known.scores >= SURE_FACE)
        self._at_edges.append((picture.number, picture.rgb, known, self._finder.submit_edges(picture.rgb, EDGE_SCORE, EDGE_FINER)))
        self._note_edges(EDGES_AHEAD)

    def _note_edges(self, most: int = 0) -> None:
        """Take in what was seen at edges, where the shape says that there is somebody, until at most so many looks are under way."""
        while len(self._at_edges) > most:
            frame, rgb, known, search = self._at_edges.popleft()
            found = search.result()
            height, width = rgb.shape[:2]
            near = EDGE_NEAR * (found.boxes[:, 2] - found.boxes[:, 0])
            touching = (found.boxes[:, 0] < near) | (found.boxes[:, 2] > width - near) | (found.boxes[:, 1] < near) | (found.boxes[:, 3] > height - near)
            found = found.take(touching & ~_same_face(self.squared.stored(found), known))
            if len(found):
                found = found.take(np.array([self._silhouette.shape(rgb, head).share >= GONE for head in head_rows(found)]))
            hints = self.squared.stored(found)
            self.edges += [(frame, box, float(score)) for box, score in zip(hints.boxes, hints.scores)]

    def seen(self, rgb: np.ndarray, found: Detections) -> Seen:
        """Faces with how their surroundings look; rgb and found in square pixels."""
        colours = tuple(head_colours(rgb, box) for box in found.boxes)
        return Seen(self.squared.stored(found), colours)


def _without_twins(found: Detections, more: Detections) -> Detections:
    """What was found, and of the rest what is not the same face."""
    good, weak = found.take(found.scores >= GOOD), found.take(found.scores < GOOD)
    for others in (more, weak):
        good = Detections.joined([good, others.take(~_same_face(others, good))])
    return good


def _surprises(box: np.ndarray, expected: np.ndarray | None) -> bool:
    """True when a face, (4,), is not where it was expected: between the two it did not go straight."""
    if expected is None:
        return False
    away = np.hypot(*(box[:2] + box[2:] - expected[:2] - expected[2:])) / 2
    return bool(away > SURPRISE * (box[2] - box[0]))


def _on_head(box: np.ndarray, known: Sequence[np.ndarray]) -> bool:
    """True when the middle of a box lies on the head of one of the known faces, (4,) each."""
    faces = np.array(known).reshape(-1, 4)
    away = np.abs((faces[:, :2] + faces[:, 2:]) / 2 - (box[:2] + box[2:]) / 2)
    return bool((away < ON_HEAD * (faces[:, 2:] - faces[:, :2])).all(axis=1).any())


def _same_face(found: Detections, others: Detections) -> np.ndarray:
    same = np.zeros(len(found), bool)
    if len(found) and len(others):
        same |= iou(found.boxes, others.boxes).max(axis=1) >= 0.4
        for box in others.boxes:
            same |= around(found.boxes, box)
    return same
