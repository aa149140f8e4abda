"""What a sweep makes ahead of linking: the frames it needs, cuts, how the camera moved, and searches that are begun."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future
from dataclasses import dataclass

import numpy as np

from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.finder import FaceFinder, Search
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.track.camera import STILL, CameraMotion, newly_seen, newly_seen_parts
from skiagraph.track.cuts import thumbnail, with_cuts, with_ends
from skiagraph.track.dissolves import Dissolve, Dissolves
from skiagraph.track.observations import Observation
from skiagraph.track.picture import Picture
from skiagraph.track.stepping import Plan
from skiagraph.track.unfaced import UNFACED


@dataclass(frozen=True, slots=True)
class PreparingSettings:
    """What is searched and looked at beside what was planned, when stepping. Set by benchmarks/quality.py."""

    # frames after the first of a shot in which everybody is looked at, until it is known how fast they go: of people
    # who walk one behind the other each may be where the next was a look ago (meetings); larger: more looks
    looked_at_first: int = 2
    # share of the picture that the camera has come to show since the last search from which all of it is searched
    # again: whoever comes in may have turned away, or be gone, before the next (phone); larger: fewer searches, and
    # none where the camera stands
    newly_seen: float = 0.06
    # share of the picture that is new since anything was searched, from which that part is searched by itself (phone,
    # close); larger: fewer searches of parts
    newly_seen_part: float = 0.02
    # seconds from one search for those who lie to the next, and a third of that often for those who are upside down
    # (turned); larger: less work, later found
    lying_s: float = 0.8
    # of the picture's shorter side, by which such a part is wider than what is new in it, so that a face there has
    # room; larger: more work, larger faces
    part_around: float = 0.2


PREPARING = PreparingSettings()


@dataclass(frozen=True, slots=True)
class Prepared:
    """looked: everybody known is looked for in it; search: of all of it where it is searched, else of what the camera
    has just brought into it, None for neither. known: an earlier run went through it; bodies: a look for those, where
    it is time for one."""

    picture: Picture
    cut: bool
    looked: bool
    search: Search | None
    known: bool = False
    dissolve: Dissolve | None = None
    searched: bool = False
    bodies: Future[np.ndarray] | None = None


class Preparing:
    """Works in a thread of its own, ahead of whoever takes what it makes. every: each n-th frame is searched."""

    def __init__(
        self,
        info: ClipInfo,
        index: FrameIndex,
        finder: FaceFinder,
        bodies: BodyFinder,
        squared: Squared,
        plan: Plan,
        every: int,
    ):
        self._info, self._index, self._finder, self._bodies, self._squared, self._plan, self._every = (
            info,
            index,
            finder,
            bodies,
            squared,
            plan,
            every,
        )

    def frames(
        self,
        reader: FrameReader,
        begin: int,
        warm: int,
        cuts: Sequence[int],
        again: Mapping[int, Observation],
        bodied: int | None = None,
    ) -> Iterator[Prepared]:
        """All that is needed from a frame on, and before it what an earlier run was done with. warm: so many frames
        before it are wanted once more; cuts: known ones before those; again: what the earlier run saw in them; bodied:
        the frame in which it looked for bodies last. Of still earlier ones only those are read that a dissolve may have
        begun in.
        """
        # In the first search of each so many frames bodies are looked for.
        each = UNFACED.each(float(self._info.rate))
        bodied = -1 if bodied is None else bodied // each
        # What the camera had done in the frame that was searched last, as a whole, and as a whole or in part.
        camera, view_searched, view_seen = CameraMotion(), STILL, STILL
        # A search half a step into each shot, so that who is missed at its beginning is not first seen a whole step
        # later.
        half = self._half_of(max((cut for cut in [0, *cuts] if cut < begin), default=0)) if begin else None
        half = half if half is not None and half >= begin else None
        began, dissolves, over = -PREPARING.looked_at_first - 1, Dissolves(float(self._info.rate)), None
        earliest = max(0, begin - max(warm, dissolves.reaches)) if begin else 0
        for frame, cut, ends in self._with_beginnings(
            with_ends(with_cuts(self._frames(reader, earliest), self._left_out))
        ):
            number, grey = frame.number, frame.grey()
            over = dissolves.step(number, thumbnail(grey)) or over
            if ends:
                # With the next frame a shot begins, or there is none.
                over = dissolves.restart() or over
            if cut or number == 0:
                began = number
            if number < begin - warm:
                # Only the dissolve that it may be in, or just after, is not known.
                continue
            if number < begin:
                # Its cuts and faces are known; the camera and the pictures after it are measured against it.
                known = again.get(number)
                if known is not None and known.cut:
                    half = self._half_of(number)
                view = camera.step(grey) if known is None else camera.restart(grey, known.view)
                view_searched = (
                    view if self._plan.searched[number] or known is not None and known.cut else view_searched
                )
                view_seen = view_searched
                yield Prepared(
                    Picture(frame, self._squared, view), known is not None and known.cut, False, None, True, over
                )
                over = None
                continue
            if cut or number == 0:
                half = self._half_of(number)
            picture = Picture(frame, self._squared, camera.restart(grey) if cut else camera.step(grey))
            # The last one too, so that whoever comes out from behind another in the last step is not missed.
            searched = (
                self._plan.searched[number]
                or cut
                or ends
                or newly_seen(view_searched, picture.view, self._info.upright_size) > PREPARING.newly_seen
            )
            if half is not None and number >= half:
                searched, half = True, None
            bodies = None
            if searched and number // each > bodied:
                bodied, bodies = number // each, self._bodies.submit(picture.rgb, number // each)
            looked, search = searched or self._plan.looked[number] or number <= began + PREPARING.looked_at_first, None
            if searched:
                view_searched = view_seen = picture.view
                search = self._finder.submit(
                    picture.rgb, turn=None if cut or self._every > 1 else number, rolls=self._rolls(number, cut)
                )
            elif newly_seen(view_seen, picture.view, self._info.upright_size) > PREPARING.newly_seen_part:
                search, view_seen = self._search_of_parts(picture, view_seen), picture.view
            yield Prepared(picture, cut, looked, search, dissolve=over, searched=bool(searched), bodies=bodies)
            over = None

    def _rolls(self, number: int, begins: bool) -> tuple[float, ...]:
        """The rolls for which a frame is searched beside those who stand. begins: a shot does."""
        turn, rest = divmod(number, self._every)
        each = max(1, round(PREPARING.lying_s * float(self._info.rate) / self._every))
        if begins or turn % (3 * each) == rest == 0:
            return ON_A_SIDE + UPSIDE_DOWN
        return ON_A_SIDE if turn % each == rest == 0 else ()

    def _search_of_parts(self, picture: Picture, before: np.ndarray) -> Search:
        """A search of what has come into the picture since an earlier view."""
        size = self._info.upright_size
        return self._finder.submit_parts(
            picture.rgb,
            self._squared.boxes(newly_seen_parts(before, picture.view, size, PREPARING.part_around * min(size))),
        )

    def _with_beginnings(self, frames: Iterable[tuple[Frame, bool, bool]]) -> Iterator[tuple[Frame, bool, bool]]:
        """Frames as with_ends gives them, and after the first of each shot the very next, though it was left out."""
        began = None
        for frame, cut, ends in frames:
            if began is not None and began + 1 < frame.number and not cut:
                yield self._left_out(began + 1), False, False
            yield frame, cut, ends
            began = frame.number if cut or frame.number == 0 else None

    def _half_of(self, shot: int) -> int | None:
        """The frame half a step into a shot, where steps are long enough for that."""
        return shot + self._every // 2 if self._every // 2 > 2 else None

    def _frames(self, reader: FrameReader, begin: int) -> Iterator[Frame]:
        for number in np.flatnonzero(self._plan.needed[begin:]):
            yield reader.read(begin + int(number))

    def _left_out(self, number: int) -> Frame:
        """A frame that was not needed, and now is."""
        with FrameReader(self._info, self._index, threads=1, rough=True) as reader:
            return reader.read(number)
