"""Whose face is described in which frame of a sweep: a few good ones of each track, and again where it may have changed
heads."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from skiagraph.boxes import area, crossing, intersection, iou
from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import TURNED
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.light import Lit
from skiagraph.track.linking import Match


@dataclass(frozen=True, slots=True)
class DescribingSettings:
    """When a face of a track is described, and when again.

    Set by benchmarks/quality.py, with room: more descriptions cost 11 ms each and change nothing on its films.
    """

    # score from which a face is described; larger: fewer, surer ones
    score: float = 0.7
    # width of a face, px, from which it is described; larger: fewer
    least_px: int = 22
    # descriptions of one track until others have to be better; larger: more work
    most: int = 4
    # seconds between two of one track; larger: fewer, of more unlike views
    interval_s: float = 0.35
    # share of the best view (size times facing) under which a face tells nobody apart; larger: fewer
    least_promise: float = 0.1
    # times as promising as the last for being described before its time; larger: fewer
    soon: float = 1.3
    # times as promising as the least of them for one more than the most; larger: fewer
    one_more: float = 1.25
    # frames without a face after which a track was lost and is described anew; larger: later
    lost_frames: int = 3
    # descriptions of a track that was lost, once it is found again
    anew: int = 2
    # seconds after which somebody who came near another, or was hardly seen, is described again; larger: later
    stirred_s: float = 1.0
    # seconds after which everybody is described again, where nothing happened; larger: later
    calm_s: float = 3.0
    # sides of a face, around it, within which another's makes the two near each other; larger: sooner
    near: float = 0.5
    # sides of a face, around it, within which another's lies over it, so that neither is described
    over: float = 0.1
    # score under which a face is hardly seen; larger: more looks
    hardly: float = 0.6
    # overlap (IoU) from which two boxes in one frame are of the same face
    same: float = 0.7
    # descriptions under way at most, each of which holds a picture
    ahead: int = 6
    # of a face turned by 55 degrees the nose stands off the middle of the eyes by one part in so many of their distance
    aside: float = 2.3
    # width of a face, px, from which a larger one tells no more
    large_px: int = 80


DESCRIBING = DescribingSettings()


@dataclass(frozen=True, slots=True)
class Description:
    """A face's descriptor, (128,), with the box it was taken from, how much it is worth, and how surely it is a face,
    0..1."""

    box: np.ndarray
    vector: np.ndarray
    worth: float
    present: float


@dataclass(slots=True)
class _Known:
    """Of a track: (frame, promise) of the faces taken; how many more are wanted; whether anything happened since."""

    taken: list[tuple[int, float]] = field(default_factory=list)
    wanted: int = 0
    stirred: bool = False


class Describing:
    """Fed the matches of one frame after another. descriptions: of each frame, after `finish`.

    interval: frames from one look at known people to the next, at most. Descriptions are made in a thread of their own,
    since nothing waits for them.
    """

    def __init__(self, describer: FaceDescriber, squared: Squared, rate: float, interval: int):
        self._describer, self._squared, self._rate = describer, squared, rate
        # After so many frames without its face a track was lost; a planned wait is no loss.
        self.lost = max(DESCRIBING.lost_frames, interval)
        self.descriptions: dict[int, list[Description]] = {}
        self._known: dict[int, _Known] = {}
        self._pen = ThreadPoolExecutor(1, thread_name_prefix="describer")
        self._under_way: deque[tuple[int, Future]] = deque()

    def consider(self, frame: int, picture: Callable[[np.ndarray], Lit], matches: Sequence[Match]) -> None:
        """Begin to describe those whose faces add to what is known of their tracks. picture: gives the frame in square
        pixels, of which it takes no more than is needed to describe a face, box (4,) in the clip's own px.
        """
        boxes = np.array([m.box for m in matches]).reshape(-1, 4)
        for match, near, over in zip(matches, crossing(boxes, DESCRIBING.near), crossing(boxes, DESCRIBING.over)):
            known = self._known.setdefault(match.tracklet.number, _Known())
            known.stirred |= bool(near) or match.score < DESCRIBING.hardly
            # Of two faces one over the other the description is of neither.
            if not over and self._is_due(frame, match, known):
                self._under_way.append(
                    (
                        frame,
                        self._pen.submit(
                            describe, self._describer, picture(match.box), self._squared, match.box, match.tracklet.roll
                        ),
                    )
                )
                self._note_down(DESCRIBING.ahead)

    def finish(self) -> None:
        self._note_down()

    def close(self) -> None:
        self._pen.shutdown(cancel_futures=True)

    def _is_due(self, frame: int, match: Match, known: _Known) -> bool:
        side = float(match.box[2] - match.box[0])
        if match.score < DESCRIBING.score or side < DESCRIBING.least_px:
            return False
        frames, promise = match.tracklet.frames, min(side / DESCRIBING.large_px, 1.0) * facing(match.landmarks)
        if len(frames) > 1 and frames[-1] - frames[-2] > self.lost:
            # Whoever comes out of a crossing is looked at anew: it may be somebody else.
            known.wanted = DESCRIBING.anew
        if (
            known.taken
            and frame - known.taken[-1][0] > (DESCRIBING.stirred_s if known.stirred else DESCRIBING.calm_s) * self._rate
        ):
            # So that a track that quietly changed heads is noticed.
            known.wanted = max(1, known.wanted)
        if promise < DESCRIBING.least_promise:
            return False
        if known.wanted:
            known.wanted -= 1
        elif not self._adds(frame, promise, known.taken):
            return False
        known.taken.append((frame, promise))
        known.stirred = False
        return True

    def _adds(self, frame: int, promise: float, taken: list[tuple[int, float]]) -> bool:
        """Whether a face is worth it beside those taken."""
        interval = max(2, round(DESCRIBING.interval_s * self._rate))
        if len(taken) >= 2 * DESCRIBING.most or any(
            abs(frame - f) < interval and promise < DESCRIBING.soon * p for f, p in taken
        ):
            return False
        return len(taken) < DESCRIBING.most or promise >= DESCRIBING.one_more * min(p for _, p in taken)

    def _note_down(self, most: int = 0) -> None:
        """Take in descriptions until at most so many are under way."""
        while len(self._under_way) > most:
            frame, under_way = self._under_way.popleft()
            description = under_way.result()
            if description is not None:
                self.descriptions.setdefault(frame, []).append(description)


def is_of(description: Description, box: np.ndarray) -> bool:
    """Whether a description is of the face in a box, (4,), of the same frame."""
    return bool(iou(np.asarray(box)[None], description.box[None])[0, 0] > DESCRIBING.same)


def facing(landmarks: np.ndarray) -> float:
    """How far a face looks this way by its landmarks, (5, 2): 1 facing to 0 in profile, by where the nose stands
    between the eyes."""
    left, right, nose = (landmarks[mark, 0] for mark in (EYE_LEFT, EYE_RIGHT, NOSE))
    return float(np.clip(1 - DESCRIBING.aside * abs(nose - (left + right) / 2) / max(right - left, 1e-3), 0, 1))


def describe(
    describer: FaceDescriber, picture: Lit, squared: Squared, box: np.ndarray, roll: float = 0.0
) -> Description | None:
    """The description of a face (box in the clip's own px) in a picture with square pixels, or None when it is not seen
    well. roll: of its head, degrees clockwise."""
    place = squared.boxes(box)
    chip = describer.chip(picture.rgb, place, roll if abs(roll) >= TURNED.looked_from else 0.0)
    if chip is None:
        return None
    return Description(
        np.asarray(box, np.float32),
        describer.describe(chip),
        chip.worth * _whole(place, picture.rgb.shape) * picture.telling,
        chip.present,
    )


def _whole(box: np.ndarray, shape: Sequence[int]) -> float:
    """1 for a face that lies in the picture, 0 for one of which half or more is outside: what is not seen is made
    up."""
    inside = intersection(box, np.array([0, 0, shape[1], shape[0]], float))[0, 0] / max(area(box)[0], 1e-6)
    return float(np.clip(2 * inside - 1, 0, 1))
