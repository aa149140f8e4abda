"""Looking for whoever is new, back, or did not go straight in the pictures just before, all together, picture by picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.track.appearance import head_colours
from skiagraph.track.camera import STILL
from skiagraph.track.judging import Judging
from skiagraph.track.linking import Expected, Match, Seen, not_taken
from skiagraph.track.observations import Observation
from skiagraph.track.picture import Picture
from skiagraph.track.straight import Straight

# Backwards a face is followed where it overlaps itself by this much (IoU), past so many pictures without it.
BACK_OVERLAP, BACK_MISSED = 0.15, 1
# Whoever is found so many face sides from where they were expected did not go straight.
SURPRISE = 0.15


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


class LookingBack:
    """straight: tells whether the pictures since somebody was looked at show them on the way between; None where that needs not be asked.
    apart: frames between two looks as planned; back: so many frames are at hand. final: up to this frame an earlier run has looked."""

    def __init__(self, finder: FaceFinder, judging: Judging, squared: Squared, straight: Straight | None, apart: int, back: int):
        self._finder, self._judging, self._squared, self._straight = finder, judging, squared, straight
        self._apart, self._back = apart, back
        self.final = -1

    def look(self, matches: list[Match], expected: list[Expected], recent: Sequence[Picture], observations: dict[int, Observation],
             told: Callable[[int, Seen, bool], None]) -> None:
        """Look in the recent pictures, the present one last, and add what is seen to the observations of their frames."""
        places, sought = {e.number: e.box for e in expected}, []
        for match in matches:
            frames = match.tracklet.frames
            since = frames[-2] if len(frames) > 1 else -1
            went = self._straight is None or self._straight.went(match.tracklet, recent[-1].grey, recent)
            straight = went and not _surprises(match.box, places.get(match.tracklet.number))
            if frames[-1] - since > self._apart or not straight:
                sought.append(_Backward(match.box, max(since, frames[-1] - self._back - 1, self.final)))
        for picture in reversed(list(recent)[:-1]):
            sought = [b for b in sought if picture.number > b.since and b.missed <= BACK_MISSED]
            if not sought:
                return
            boxes = np.array([b.box for b in sought])
            found = self._judging.believed(picture, self._finder.look(picture.rgb, self._squared.boxes(boxes)), [])
            again = with_colours(picture.rgb, found, self._squared) if len(found) else Seen.none()
            picture.let_go()
            for backward in sought:
                backward.go_on(again.found)
            old = observations.get(picture.number)
            if old is not None:
                again = not_taken(again, old.seen)
            if len(again):
                observations[picture.number] = (replace(old, seen=Seen.joined([old.seen, again])) if old is not None
                                                else Observation(picture.number, again, STILL, False, False))
                told(picture.number, again, False)


def with_colours(rgb: np.ndarray, found: Detections, squared: Squared) -> Seen:
    """Faces with how their surroundings look; rgb and found in square pixels, the result in px of the clip."""
    return Seen(squared.stored(found), tuple(head_colours(rgb, box) for box in found.boxes))


def _surprises(box: np.ndarray, expected: np.ndarray | None) -> bool:
    """True when a face, (4,), is not where it was expected: between the two it did not go straight."""
    if expected is None:
        return False
    away = np.hypot(*(box[:2] + box[2:] - expected[:2] - expected[2:])) / 2
    return bool(away > SURPRISE * (box[2] - box[0]))
