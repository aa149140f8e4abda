"""The sweep of a scan through a clip: decode, search, link, and describe who is seen well, with decode and detectors overlapped."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, replace

import cv2
import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import EAR_LEFT, EAR_RIGHT, NOSE, Detections
from skiagraph.detect.finder import FaceFinder, Search
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.track.appearance import head_colours
from skiagraph.track.camera import CameraMotion, Thumbnails
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.linking import Linker, Match, Seen, not_taken
from skiagraph.track.observations import Diary, Observation, compact

STEP_FIND = "Finding faces"
# When stepping, people who are known are looked at again every so many frames.
LOOK_EVERY = 2
# A face is described when it is at least this sure and this large (px), at most this often for one track, and not soon again.
DESCRIBE_SCORE, DESCRIBE_PX, DESCRIBE_MOST, DESCRIBE_APART_S = 0.7, 22, 4, 0.35
# After so many frames without a face a track is described anew, this often, and again when so long ago.
LOST_FRAMES, DESCRIBE_ANEW, DESCRIBE_AGAIN_S = 3, 2, 1.0
# A face of a score between these is shown to the landmark network for a second opinion: on drawn and
# textured footage that network sees 0.9 or more on nearly all real faces and under 0.5 on nearly all others.
ASKED_FROM, ASKED_TO = 0.45, 0.74
FACE_SAID = 0.5
# What that network does not take for a face continues a track only as a hint of this score.
HINT_SCORE = 0.45


@dataclass(frozen=True, slots=True)
class Description:
    """A face's descriptor, (128,), with the box it was taken from, how much it is worth, and how surely it is a face, 0..1."""

    box: np.ndarray
    vector: np.ndarray
    worth: float
    present: float


class Squared:
    """Square pixels for the detectors: an anamorphic picture is widened, and what is found in it brought back."""

    def __init__(self, aspect: float):
        self.aspect = aspect if abs(aspect - 1) >= 0.01 else 1.0

    def picture(self, rgb: np.ndarray) -> np.ndarray:
        if self.aspect == 1.0:
            return rgb
        return cv2.resize(rgb, (round(rgb.shape[1] * self.aspect), rgb.shape[0]), interpolation=cv2.INTER_LINEAR)

    def boxes(self, boxes: np.ndarray) -> np.ndarray:
        return np.asarray(boxes, float) * np.array([self.aspect, 1, self.aspect, 1])

    def stored(self, found: Detections) -> Detections:
        if self.aspect == 1.0:
            return found
        scale = np.array([self.aspect, 1, self.aspect, 1], np.float32)
        return Detections(found.boxes / scale, found.scores, found.landmarks / scale[:2])


@dataclass(frozen=True, slots=True)
class _Prepared:
    frame: int
    cut: bool
    camera: np.ndarray | None       # None where the frame is passed over
    rgb: np.ndarray | None
    search: Search | None


class Sweep:
    """Goes through a clip once. Afterwards linker has the tracklets, observations what was seen, descriptions whom it is like.

    every: search each n-th frame; keep: whether observations are kept in memory for linking them again.
    """

    def __init__(self, info: ClipInfo, index: FrameIndex, finder: FaceFinder, describer: FaceDescriber, every: int, linker: Linker, diary: Diary, *, keep: bool):
        self._info, self._index, self._finder, self._describer = info, index, finder, describer
        self._every, self._keep, self._diary = every, keep, diary
        self.linker = linker
        self.squared = Squared(float(info.upright_aspect))
        self.observations: list[Observation] = []
        self.descriptions: dict[int, list[Description]] = {}
        self.cuts: list[int] = []
        self._described: dict[int, list[tuple[int, float]]] = {}
        self._anew: dict[int, int] = {}

    def run(self, control: JobControl, told: Callable[[Observation], None] = lambda observation: None) -> None:
        """told: after each frame that was looked at. Raises Cancelled and FrameNotDecoded; what was seen until then is in the diary."""
        total = len(self._index)
        begin = self._replay(told)
        try:
            with FrameReader(self._info, self._index, threads=1) as reader, closing(read_ahead(self._prepared(reader, begin), 3)) as frames:
                ahead: deque[_Prepared] = deque()
                for prepared in frames:
                    ahead.append(prepared)
                    # Two frames wait at the detectors while the one before them is linked.
                    if len(ahead) > 2:
                        self._take(ahead.popleft(), told)
                    control.report(STEP_FIND, prepared.frame + 1, total)
                while ahead:
                    self._take(ahead.popleft(), told)
        finally:
            self._diary.flush()

    def _replay(self, told) -> int:
        """Link what an earlier run saw; returns the frame to go on from."""
        last = -1
        for observation in self._diary.read():
            if observation.cut:
                self._new_shot(observation.frame)
            self.linker.update(observation.frame, observation.seen, observation.camera)
            if self._keep:
                self.observations.append(replace(observation, seen=compact(observation.seen)))
            last = observation.frame
            told(observation)
        return last + 1

    def _prepared(self, reader: FrameReader, begin: int) -> Iterator[_Prepared]:
        """What is made ahead, in a thread of its own: pictures, cuts, camera, and the searches begun."""
        camera, thumbs, turn = CameraMotion(), Thumbnails(), 0
        last, since_cut = len(self._index) - 1, 0
        for frame in reader.frames(begin):
            grey = frame.grey()
            cut = thumbs.is_cut(grey)
            since_cut = 0 if cut else since_cut + 1
            searched = frame.number % self._every == 0 or cut or frame.number == last or (self._every > 1 and since_cut == self._every // 2 > 2)
            looked = searched or frame.number % LOOK_EVERY == 0
            if not looked:
                yield _Prepared(frame.number, cut, None, None, None)
                continue
            step = np.array([[1.0, 0, 0], [0, 1, 0]]) if cut else camera.step(grey)
            if cut:
                camera.restart(grey)
            rgb = self.squared.picture(frame.rgb())
            search = None
            if searched:
                search = self._finder.submit(rgb, turn=None if cut or frame.number == 0 else turn)
                turn += 1
            yield _Prepared(frame.number, cut, step, rgb, search)

    def _new_shot(self, frame: int) -> None:
        self.cuts.append(frame)
        self.linker.new_shot()

    def _take(self, prepared: _Prepared, told) -> None:
        if prepared.cut:
            self._new_shot(prepared.frame)
        if prepared.camera is None:
            return
        rgb = prepared.rgb
        seen = self.seen(rgb, self._believed(rgb, prepared.search.result())) if prepared.search is not None else Seen.none()
        extra: list[Seen] = []

        def look(boxes):
            extra.append(self.seen(rgb, self._believed(rgb, self._finder.look(rgb, self.squared.boxes(boxes)))))
            return extra[-1]

        matches = self.linker.update(prepared.frame, seen, prepared.camera, look)
        observation = Observation(prepared.frame, Seen.joined([seen, *(not_taken(more, seen) for more in extra)]), prepared.camera, prepared.cut, prepared.search is not None)
        self._diary.add(observation)
        if self._keep:
            self.observations.append(replace(observation, seen=compact(observation.seen)))
        for match in matches:
            self._describe(prepared.frame, rgb, match)
        told(observation)

    def _believed(self, rgb: np.ndarray, found: Detections) -> Detections:
        """Without what only looks like a face, where none was expected; where one was, it counts as a hint only."""
        expected = self.squared.boxes(np.array(self.linker.expected).reshape(-1, 4))
        kept, scores = np.ones(len(found), bool), found.scores.copy()
        for n, (box, score) in enumerate(zip(found.boxes, found.scores)):
            if ASKED_FROM <= score < ASKED_TO and self._describer.presence(rgb, box) < FACE_SAID:
                near = len(expected) and iou(box[None], expected)[0].max() > 0.3
                kept[n], scores[n] = near, min(score, HINT_SCORE)
        return Detections(found.boxes, scores, found.landmarks).take(kept)

    def seen(self, rgb: np.ndarray, found: Detections) -> Seen:
        """Faces with how their surroundings look; rgb and found in square pixels."""
        colours = tuple(head_colours(rgb, box) for box in found.boxes)
        return Seen(self.squared.stored(found), colours)

    def _describe(self, frame: int, rgb: np.ndarray, match: Match) -> None:
        """Describe a face if it adds to what is known of its track."""
        side = float(match.box[2] - match.box[0])
        if match.score < DESCRIBE_SCORE or side < DESCRIBE_PX:
            return
        promise = min(side / 80, 1.0) * facing(match)
        taken = self._described.setdefault(match.tracklet.number, [])
        frames = match.tracklet.frames
        if len(frames) > 1 and frames[-1] - frames[-2] > LOST_FRAMES:
            # Whoever comes out of a crossing is looked at anew: it may be somebody else.
            self._anew[match.tracklet.number] = DESCRIBE_ANEW
        number = match.tracklet.number
        if taken and frame - taken[-1][0] > DESCRIBE_AGAIN_S * float(self._info.rate):
            # So that a track that quietly changed heads is noticed.
            self._anew[number] = max(1, self._anew.get(number, 0))
        if self._anew.get(number, 0) and promise >= 0.1:
            self._anew[number] -= 1
            room = 0
        else:
            room = len(taken)
        apart = max(2, round(DESCRIBE_APART_S * float(self._info.rate)))
        if room and any(abs(frame - f) < apart and promise < 1.3 * p for f, p in taken) or promise < 0.1:
            return
        if room >= DESCRIBE_MOST and promise < 1.25 * min(p for _, p in taken):
            return
        if room >= 2 * DESCRIBE_MOST:
            return
        taken.append((frame, promise))
        description = describe(self._describer, rgb, self.squared, match.box)
        if description is not None:
            self.descriptions.setdefault(frame, []).append(description)


def facing(match: Match) -> float:
    """How far a face looks this way, 1 facing to 0 in profile: where the nose stands between the ears."""
    marks = match.landmarks
    left, right = marks[NOSE, 0] - marks[EAR_LEFT, 0], marks[EAR_RIGHT, 0] - marks[NOSE, 0]
    wide = max(left + right, 1e-3)
    return float(np.clip(1 - abs(left - right) / wide, 0, 1))


def describe(describer: FaceDescriber, rgb: np.ndarray, squared: Squared, box: np.ndarray) -> Description | None:
    """The description of a face (box in the clip's own px) in a picture with square pixels, or None when it is not seen well."""
    chip = describer.chip(rgb, squared.boxes(box))
    return None if chip is None else Description(np.asarray(box, np.float32), describer.describe(chip), chip.worth, chip.present)
