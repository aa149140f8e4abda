"""The sweep of a scan through a clip: decode, search, link, and describe who is seen well, with decode and detectors
overlapped."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from skiagraph.boxes import crossing, iou
from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.errors import FrameNotDecoded
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import ahead_of
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.track.body import BodyLandmarks
from skiagraph.track.camera import CAMERA
from skiagraph.track.describing import DESCRIBING, Describing
from skiagraph.track.descriptor import CHIP_REACH, FaceDescriber
from skiagraph.track.edges import EdgeLooks, same_face
from skiagraph.track.judging import JUDGING, Judging
from skiagraph.track.light import Lit
from skiagraph.track.linking import Expected, Linker, Match, Seen
from skiagraph.track.looking_back import LookingBack, look_at, with_colours
from skiagraph.track.observations import Checkpoint, Observation
from skiagraph.track.picture import Picture
from skiagraph.track.preparing import Prepared, Preparing
from skiagraph.track.silhouette import Silhouette
from skiagraph.track.stepping import plan_of
from skiagraph.track.straight import Straight
from skiagraph.track.unfaced import heads_seen

STEP_FIND = "Finding people"


@dataclass(frozen=True, slots=True)
class SweepSettings:
    """How far ahead a sweep works and how hard it looks.

    Bounds of memory set by the scan of 8K in docs/measured/speed.md, the rest by benchmarks/speed.py and quality.py.
    """

    # frames decoded ahead; larger: more memory, fewer waits
    decoded_ahead: int = 6
    # frames that wait at the detectors
    searched_ahead: int = 4
    # bytes that those may take
    ahead_bytes: float = 400e6
    # of each frame: as decoded, its brightness and its colours
    copies: int = 3
    # frames after which somebody not seen is sought with all means only now and then; larger: more work
    thorough: int = 4
    # then in each frame divisible by this
    thorough_again: int = 4
    # frames at hand for looking back, or one step
    back_least: int = 8
    # bytes that those may take
    back_bytes: float = 150e6
    # score from which a face goes into the table that covers are checked against; smaller: more findings
    sure_face: float = 0.65


SWEEP = SweepSettings()


class Sweep:
    """Goes through a clip once. Afterwards the checkpoint has what was seen, and `describing` whom it is like.

    Who is known and not seen well in a searched frame is looked for where they should be. When stepping, known people
    are looked at a few times a second at least, and in every frame that is decoded where one is lost, doubtful or
    crosses another; whoever is new or back, or moved otherwise than expected, is looked for in the frames just before.
    Pictures that no other is made from are left out then, but never two in a row.

    every: search each n-th frame.
    """

    def __init__(
        self,
        info: ClipInfo,
        index: FrameIndex,
        finder: FaceFinder,
        bodies: BodyFinder,
        describer: FaceDescriber,
        every: int,
        linker: Linker,
        checkpoint: Checkpoint,
    ):
        self._info, self._index, self._finder = info, index, finder
        self._rate = float(info.rate)
        self._every, self._checkpoint, self._plan = every, checkpoint, plan_of(index.non_reference, every, self._rate)
        self.linker = linker
        self.squared = Squared(float(info.upright_aspect))
        self.describing = Describing(describer, self.squared, self._rate, self._plan.interval)
        self.cuts: list[int] = []
        width, height = info.upright_size
        # The landmark network is asked in between; no two threads may share one.
        silhouette = Silhouette()
        judge = FaceDescriber()
        self._judging = Judging(judge, silhouette, self.squared, self._rate, finder.smallest, every)
        self._preparing = Preparing(info, index, finder, bodies, self.squared, self._plan, every)
        self._landmarks = BodyLandmarks()
        # The frame in which an earlier run looked for bodies last.
        self._bodied: int | None = None
        self._edges = EdgeLooks(finder, judge, silhouette, self.squared)
        self._back = min(max(every, SWEEP.back_least), max(2, int(SWEEP.back_bytes / (3 * width * height))))
        self._decoded_ahead, self._searched_ahead = (
            ahead_of(info, most, SWEEP.ahead_bytes, SWEEP.copies)
            for most in (SWEEP.decoded_ahead, SWEEP.searched_ahead)
        )
        self._recent: deque[Picture] = deque(maxlen=self._back + 1)
        self._open: dict[int, Observation] = {}
        # Of an earlier run, what it saw in the last frames that it was done with, whose pictures are needed once more.
        self._again: dict[int, Observation] = {}
        self._straight = Straight()
        # Searched in each frame, everybody went straight. Nothing of the sweep is held here: in a cycle its pictures
        # would outlive the scan.
        self._looking_back = LookingBack(
            finder, self._judging, self.squared, self._straight if every > 1 else None, self._plan.interval, self._back
        )

    def run(
        self, control: JobControl, told: Callable[[int, Seen, bool], None] = lambda frame, seen, searched: None
    ) -> None:
        """told: frame, what was seen in it, and whether it was searched as a whole; a frame may be told of twice.

        Raises Cancelled and FrameNotDecoded; what was seen until then is in the checkpoint.
        """
        total = len(self._index)
        try:
            begin = self._replay(control, told)
        except BaseException:
            self.describing.close()
            raise
        self._looking_back.final = begin - 1
        damage: FrameNotDecoded | None = None
        whole = False
        ahead: deque[Prepared] = deque()
        try:
            with (
                FrameReader(self._info, self._index, threads=2, rough=True, wanted=self._plan.needed) as reader,
                closing(
                    read_ahead(
                        self._preparing.frames(reader, begin, self._warm, self.cuts, self._again, self._bodied),
                        self._decoded_ahead,
                    )
                ) as frames,
            ):
                if begin:
                    self._look_at_edges_before(begin)
                try:
                    for prepared in frames:
                        ahead.append(prepared)
                        # So many frames wait at the detectors while the one before them is linked.
                        if len(ahead) > self._searched_ahead:
                            self._take(ahead.popleft(), told)
                        if not prepared.known:
                            control.report(STEP_FIND, prepared.picture.number + 1, total)
                except FrameNotDecoded as error:
                    # The frames before it count.
                    damage = error
                while ahead:
                    self._take(ahead.popleft(), told)
            self.describing.finish()
            self._edges.finish()
            whole = True
        finally:
            self.describing.close()
            if whole:
                self._close_before(total)
            # Otherwise what may still change is not kept: whoever takes the scan up again begins with it.
            self._checkpoint.flush()
        if damage is not None:
            raise damage

    def _replay(self, control: JobControl, told) -> int:
        """Link what an earlier run saw, all but its last frames; returns the frame to go on from."""
        last, waiting = -1, deque()
        # What tells faces apart is kept nowhere: who was seen well is described again, from the same frames.
        with FrameReader(self._info, self._index, threads=1, rough=True) as reader:
            # Several faces of a frame are described one after the other.
            picture_of = lru_cache(maxsize=1)(lambda number: Picture(reader.read(number), self.squared))
            for observation in self._checkpoint.read():
                control.check()
                last = observation.frame
                self._bodied = last if observation.bodies is not None else self._bodied
                waiting.append(observation)
                while last - waiting[0].frame >= self._warm:
                    earlier = waiting.popleft()
                    self._relink(earlier, told, lambda box: self._around_face(picture_of(earlier.frame), box))
        self._again = {observation.frame: observation for observation in waiting}
        return last + 1

    def _around_face(self, picture: Picture, box: np.ndarray) -> Lit:
        """A picture of which what a face, (4,) in px of the clip, is described from is filled in."""
        return picture.near(self.squared.boxes(box), CHIP_REACH)

    def _relink(self, observation: Observation, told, picture: Callable[[np.ndarray], Lit]) -> list[Match]:
        if observation.cut:
            self._new_shot(observation.frame)
        matches = self.linker.update(
            observation.frame, observation.seen, observation.view, None if observation.whole else ()
        )
        self.describing.consider(observation.frame, picture, matches)
        told(observation.frame, observation.seen, observation.whole)
        return matches

    @property
    def _warm(self) -> int:
        """So many frames before the one a scan is taken up at are looked at once more, since what follows leans on
        their pictures."""
        return max(self._back, self._plan.interval) + CAMERA.renew + 1

    def _new_shot(self, frame: int) -> None:
        self.cuts.append(frame)
        self.linker.new_shot()

    def _take(self, prepared: Prepared, told) -> None:
        picture, frame = prepared.picture, prepared.picture.number
        if prepared.dissolve is not None:
            self._checkpoint.note(prepared.dissolve)
        if prepared.known:
            self._take_again(prepared, told)
            return
        if prepared.cut:
            self._look_at_edges(self._recent[-1])
            self._new_shot(frame)
            self._recent.clear()
        if self._recent:
            self._recent[-1].let_go()
        self._recent.append(picture)
        self._close_before(frame - self._back)
        sought = None if prepared.looked else self._in_doubt()
        if sought is not None and not sought and prepared.search is None:
            return
        self.linker.go_on(frame, picture.view)
        known = self.linker.expected
        expected = [e for e in known if sought is None or e.number in sought]
        found = (
            Detections.none()
            if prepared.search is None
            else self._judging.believed(picture, prepared.search.result(), known)
        )
        missing = self._not_seen(expected, found)
        if missing:
            # Somebody long out of sight is not sought with all means in every frame.
            thorough = np.array([e.missed <= SWEEP.thorough or frame % SWEEP.thorough_again == 0 for e in missing])
            looked = look_at(
                picture,
                self._finder,
                self.squared.boxes(np.array([e.box for e in missing])),
                [e.roll for e in missing],
                thorough=thorough,
            )
            found = _without_twins(found, self._judging.believed(picture, looked, missing))
        seen = with_colours(picture, self._judging.measured(picture, found, known), self.squared)
        matches = self.linker.take(seen, sought)
        bodies = (
            None
            if prepared.bodies is None
            else heads_seen(prepared.bodies.result(), picture, self._landmarks, self.squared)
        )
        self._open[frame] = Observation(
            frame, seen, picture.view, prepared.cut, sought is None, picture.coloured, bodies
        )
        self.describing.consider(frame, lambda box: self._around_face(picture, box), matches)
        told(frame, seen, prepared.searched)
        self._looking_back.look(matches, expected, self._recent, self._open, told)
        self._straight.forget(self._recent[-1].number - 2 * self._plan.interval)
        if prepared.cut or frame in (0, len(self._index) - 1):
            self._look_at_edges(picture)

    def _take_again(self, prepared: Prepared, told) -> None:
        """A frame that an earlier run was done with: what it saw is linked beside its picture."""
        picture, known = prepared.picture, self._again.pop(prepared.picture.number, None)
        if prepared.cut:
            self._recent.clear()
        self._recent.append(picture)
        if known is None:
            return
        for match in self._relink(known, told, lambda box: self._around_face(picture, box)):
            if self._every > 1:
                self._straight.went(match.tracklet, picture.grey, ())

    def _close_before(self, frame: int) -> None:
        """What was seen before a frame is final."""
        for number in [n for n in sorted(self._open) if n < frame]:
            self._checkpoint.add(self._open.pop(number))

    def _in_doubt(self) -> set[int]:
        """Numbers of those who were just lost, are hardly seen, or cross another, so that they are looked at in this
        frame too."""
        expected = self.linker.expected
        doubt = {e.number for e in expected if 0 < e.missed <= self._back or e.score < DESCRIBING.hardly}
        crosses = crossing(np.array([e.box for e in expected]), DESCRIBING.near)
        doubt |= {e.number for e, near in zip(expected, crosses) if near}
        return doubt

    @property
    def edges(self) -> list[tuple[int, np.ndarray, float]]:
        """Weak signs of faces at the edge where a shot begins or ends: (frame, box, score)."""
        return self._edges.found

    def _not_seen(self, expected: list[Expected], found: Detections) -> list[Expected]:
        """Those of the expected whom a search, in square pixels, did not show well."""
        good = found.boxes[found.scores >= JUDGING.good]
        if not len(good) or not expected:
            return expected
        overlap = iou(self.squared.boxes(np.array([e.box for e in expected])), good).max(axis=1)
        return [e for e, most in zip(expected, overlap) if most < JUDGING.same_place]

    def _look_at_edges_before(self, begin: int) -> None:
        """At the ends of shots that an earlier run went through: signs there are not in the checkpoint."""
        cuts = [*self.cuts, *(o.frame for o in self._again.values() if o.cut)]
        ends = sorted({0, *cuts, *(cut - 1 for cut in cuts)})
        with FrameReader(self._info, self._index, threads=1) as reader:
            for number in ends:
                if number < begin:
                    self._look_at_edges(Picture(reader.read(number), self.squared))

    def _look_at_edges(self, picture: Picture) -> None:
        """At an end of a shot nothing more is to come that would tell of somebody half in the picture: look for them
        harder. Nothing waits for it."""
        known = self._open[picture.number].seen.found if picture.number in self._open else Detections.none()
        self._edges.look(picture, known.take(known.scores >= SWEEP.sure_face))


def _without_twins(found: Detections, more: Detections) -> Detections:
    """What was found, and of the rest what is not the same face."""
    good, weak = found.take(found.scores >= JUDGING.good), found.take(found.scores < JUDGING.good)
    for others in (more, weak):
        good = Detections.joined([good, others.take(~same_face(others, good))])
    return good
