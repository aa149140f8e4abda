"""Looking closer in the pictures between the last look and this one: backwards for whoever is new, is found again, or
did not go straight; forwards for whoever was not seen at this look, from where they were seen last.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import LOOK_REACH, FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import TURNED
from skiagraph.track.appearance import COLOURS_REACH, head_colours
from skiagraph.track.judging import Judging
from skiagraph.track.linking import Expected, Match, Seen, not_taken
from skiagraph.track.observations import Observation
from skiagraph.track.picture import Picture
from skiagraph.track.straight import Straight


@dataclass(frozen=True, slots=True)
class LookingSettings:
    """Following faces from picture to picture by looking. Set by benchmarks/quality.py (starts, edge)."""

    # overlap with itself (IoU) from one picture to the next; smaller: faster moves, more mistakes
    overlap: float = 0.15
    # pictures without it that are passed over; larger: longer looks
    missed: int = 1
    # face sides off where somebody was expected from which they did not go straight; smaller: more looks
    surprise: float = 0.15


LOOKING = LookingSettings()


@dataclass(slots=True)
class _Sought:
    """A face looked for picture by picture. box: (4,), where it was in the one looked at before; since: it is not
    sought in this frame and before; at: the frame of box; speed: px a frame, (4,), where its way is known; roll:
    degrees clockwise by which the head leans."""

    box: np.ndarray
    since: int
    at: int = 0
    speed: np.ndarray | None = None
    missed: int = 0
    roll: float = 0.0

    def expected(self, frame: int) -> np.ndarray:
        """Where it should be in a frame, (4,)."""
        return self.box if self.speed is None else self.box + self.speed * (frame - self.at)

    def go_on(self, found: Detections, frame: int) -> None:
        """Take the surest face at its place."""
        overlap = iou(self.expected(frame)[None], found.boxes)[0]
        near = np.flatnonzero(overlap > LOOKING.overlap)
        self.missed = 0 if len(near) else self.missed + 1
        if len(near):
            box = found.boxes[near[int(np.argmax(found.scores[near]))]]
            if self.speed is not None:
                self.speed = (box - self.box) / max(1, frame - self.at)
            self.box, self.at = box, frame


class LookingBack:
    """straight: tells whether the pictures since somebody was looked at show them on the way between; None where that
    needs not be asked. interval: frames between two looks as planned; back: so many frames are at hand. final: up to
    this frame an earlier run has looked."""

    def __init__(
        self,
        finder: FaceFinder,
        judging: Judging,
        squared: Squared,
        straight: Straight | None,
        interval: int,
        back: int,
    ):
        self._finder, self._judging, self._squared, self._straight = finder, judging, squared, straight
        self._interval, self._back = interval, back
        # Where each track was seen last, frame and box, and how it moved, px a frame.
        self._last: dict[int, tuple[int, np.ndarray, np.ndarray]] = {}
        self.final = -1

    def look(
        self,
        matches: list[Match],
        expected: list[Expected],
        recent: Sequence[Picture],
        observations: dict[int, Observation],
        told: Callable[[int, Seen, bool], None],
    ) -> None:
        """Look in the recent pictures, the present one last, and add what is seen to the observations of their
        frames."""
        places, sought = {e.number: e.box for e in expected}, []
        for match in matches:
            frames = match.tracklet.frames
            since = frames[-2] if len(frames) > 1 else -1
            went = self._straight is None or self._straight.went(match.tracklet, recent[-1].grey, recent)
            straight = went and not _surprises(match.box, places.get(match.tracklet.number))
            if frames[-1] - since > self._interval or not straight:
                sought.append(
                    _Sought(match.box, max(since, frames[-1] - self._back - 1, self.final), roll=match.tracklet.roll)
                )
        lost = self._just_lost(matches, expected, recent)
        self._follow(sought, list(reversed(list(recent)[:-1])), observations, told)
        self._follow(lost, list(recent), observations, told, only=True)

    def _just_lost(self, matches: list[Match], expected: list[Expected], recent: Sequence[Picture]) -> list[_Sought]:
        """Whoever was seen at the last look and is not seen now, though pictures lie between: they may have gone on
        otherwise than expected, or out of the picture."""
        found, now = {match.tracklet.number for match in matches}, recent[-1].number
        known = [
            (*self._last[e.number], e.roll)
            for e in expected
            if e.number not in found and not e.missed and e.sure and e.number in self._last
        ]
        lost = [
            _Sought(box, frame, frame, speed, roll=roll)
            for frame, box, speed, roll in known
            if recent[0].number <= frame < now - 1
        ]
        last = {number: entry for number, entry in self._last.items() if entry[0] >= now - self._back}
        for match in matches:
            frame, box, _ = last.get(match.tracklet.number, (now, match.box, None))
            last[match.tracklet.number] = now, match.box, (match.box - box) / max(1, now - frame)
        self._last = last
        return lost

    def _follow(
        self,
        sought: list[_Sought],
        pictures: Sequence[Picture],
        observations: dict[int, Observation],
        told: Callable[[int, Seen, bool], None],
        only: bool = False,
    ) -> None:
        """Follow faces through pictures, on or back, and add what is seen to the observations of their frames; only:
        nothing but the faces sought."""
        for picture in pictures:
            sought = [b for b in sought if b.missed <= LOOKING.missed]
            if not sought:
                return
            now = [b for b in sought if picture.number > b.since]
            if not now:
                continue
            boxes = np.array([b.expected(picture.number) for b in now])
            found = self._judging.believed(
                picture, look_at(picture, self._finder, self._squared.boxes(boxes), [b.roll for b in now]), []
            )
            again = with_colours(picture, found, self._squared) if len(found) else Seen.none()
            coloured = picture.coloured
            picture.let_go()
            if only and len(again):
                again = again.take((iou(boxes, again.found.boxes) > LOOKING.overlap).any(axis=0))
            for face in now:
                face.go_on(again.found, picture.number)
            old = observations.get(picture.number)
            if old is not None:
                again = not_taken(again, old.seen)
            if len(again):
                observations[picture.number] = (
                    replace(old, seen=Seen.joined([old.seen, again]))
                    if old is not None
                    else Observation(picture.number, again, picture.view, False, False, coloured)
                )
                told(picture.number, again, False)


def look_at(picture: Picture, finder: FaceFinder, boxes: np.ndarray, rolls: Sequence[float], **how) -> Detections:
    """A second look at boxes, (n, 4), in a picture, both in square pixels. rolls: of the heads; how: as FaceFinder.look
    has it."""
    return finder.look(
        picture.near(boxes, LOOK_REACH * (np.sqrt(2) if np.abs(rolls).max(initial=0) >= TURNED.looked_from else 1)).rgb,
        boxes,
        rolls=np.asarray(rolls, float),
        **how,
    )


def with_colours(picture: Picture, found: Detections, squared: Squared) -> Seen:
    """Faces with how their surroundings look, which nobody knows in coloured light; picture and found in square pixels,
    the result in px of the clip."""
    if picture.coloured:
        return Seen(squared.stored(found), (None,) * len(found))
    rgb = picture.near(found.boxes, COLOURS_REACH).rgb
    return Seen(squared.stored(found), tuple(head_colours(rgb, box) for box in found.boxes))


def _surprises(box: np.ndarray, expected: np.ndarray | None) -> bool:
    """True when a face, (4,), is not where it was expected: between the two it did not go straight."""
    if expected is None:
        return False
    away = np.hypot(*(box[:2] + box[2:] - expected[:2] - expected[2:])) / 2
    return bool(away > LOOKING.surprise * (box[2] - box[0]))
