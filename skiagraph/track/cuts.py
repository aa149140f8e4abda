"""Where shots begin: pictures that cannot be neighbours in one shot.

Source: block matching, as in Shahraray, Scene change detection and content-based sampling of video sequences, SPIE
2419, 1995, here with normalised correlation, which light does not change; and where blocks are not found again, the
camera's motion (track.camera), since fine texture that moves by parts of a px of a thumbnail is not found in one.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.detect.shrink import shrunk
from skiagraph.errors import FrameNotDecoded
from skiagraph.media.frame import Frame
from skiagraph.track.camera import CAMERA, at_work_size, share_moved


@dataclass(frozen=True, slots=True)
class CutSettings:
    """Set on the films of benchmarks/scenes.py and benchmarks/degraded.py, and on photographs that are moved, dimmed
    and made noisy."""

    # px, width and height, of the pictures that are compared for cuts
    thumbnail: tuple[int, int] = (160, 90)
    # px, width and height, of the smaller pictures that are compared before those
    overview: tuple[int, int] = (64, 36)
    # correlation of overviews from which there is no cut; smaller: fewer pictures are compared by their blocks
    alike: float = 0.985
    # mean difference of overviews, of 255, below which there is no cut: noise, however dark; larger: fewer cuts at
    # night
    cut_least: float = 2.0
    # px, width and height, of a block of a thumbnail
    block: tuple[int, int] = (20, 18)
    # px by which a block may have moved, each way; larger: faster pans are one shot
    moves: int = 8
    # deviation, of 255, from which a block can be found again: noise of 10 leaves 1.2 of itself in a thumbnail of 720
    # lines (lamps over places of like composition, tests/track/test_cuts.py); smaller: cuts are seen in darker places,
    # and noise makes more of them
    textured: float = 2.5
    # blocks that can be found again, below which overviews decide alone
    least_blocks: int = 6
    # median likeness of blocks and their best match below which a shot begins, unless the camera's motion tells why.
    # Neighbours of forty films have 0.91 and more, but for whip pans, light that goes out and cameras that shake over
    # gravel (0.69 at least); 1,035 pairs of 46 places, drawn and photographed, have 0.65 at most. larger: more cuts
    found_again: float = 0.8
    # as soon as the likeness of the blocks of one of both pictures, in the median, is that high, the others are not
    # looked for, and what comes a few frames later is what was before; smaller: quicker, more whip pans are one shot
    surely_again: float = 0.88
    # share of the corners of a picture that one motion of the camera takes to where they are found, no further than
    # blocks may have moved, from which no shot begins. Neighbours have 0.37 and more, 1,035 pairs of places 0.10 at
    # most; smaller: fewer cuts
    moved_alike: float = 0.25
    # mean brightness, of 255, by which a frame differs that a flash lights. Frames of whip pans differed by 2 (album),
    # flashes by 150 (flashes over quay, crowd and phone-2); smaller: more whip pans are one shot
    flash: float = 20.0
    # where overviews decide: mean difference, of 255, from which there is a cut in a picture that is as bright as
    # `lit`; smaller: more cuts
    cut_difference: float = 22.0
    # mean brightness, of 255, below which a smaller difference is enough, by as much as the picture is darker; larger:
    # more cuts in the dark
    lit: float = 110.0
    # where overviews decide: correlation below which there is a cut; larger: more cuts
    cut_correlation: float = 0.55
    # frames between two cuts that make a shot; in fewer, as in a whip pan, nothing can be recognised; larger: more is
    # taken for that
    least_shot: int = 3
    # deviation, of 255, in a small picture below which nothing is seen in it, as when the light is out; larger: fewer
    # cuts. Dim lamps leave 5 and more, darkness 0.8 (club)
    nothing_seen: float = 2.0


CUTS = CutSettings()


def with_cuts(frames: Iterable[Frame], left_out: Callable[[int], Frame]) -> Iterator[tuple[Frame, bool]]:
    """Each frame, in order, and whether a shot begins with it.

    Frames in which nothing is seen, black or white all over, begin no shot: what comes after them is held against what
    was before. Nor do those that a flash lights: a few frames later all is as before. left_out: reads a frame that is
    not among the frames. Where one lies between two that differ it is brought in, and tells with which of them the shot
    begins, or how the camera got from one to the other; more than one in a row is never left out.
    """
    number, before, ahead = -1, None, _Ahead(frames)
    for frame in ahead:
        now = _Shown(frame)
        unlike = before is not None and now.shows_something and is_cut(before.small, now.small)
        between = left_out(number + 1) if unlike and number + 1 < frame.number else None
        middle = _Shown(between) if between is not None else None
        since = middle if middle is not None and middle.shows_something else before
        earlier = since is not before and _begins(before, since)
        cut = unlike and _begins(since, now)
        flashed = unlike and any(abs(shown.light - before.light) >= CUTS.flash for shown in (since, now))
        lit = (earlier or cut) and any(
            _is_as_before(before, later, flashed)
            for later in map(_Shown, ahead.seen(CAMERA.flash))
            if later.shows_something
        )
        if between is not None:
            yield between, earlier and not lit
        cut = cut and not lit
        yield frame, cut
        number = frame.number
        if before is None or now.shows_something and not lit:
            before = now


class _Shown:
    """What is asked of a frame to tell whether a shot begins with it."""

    def __init__(self, frame: Frame):
        grey = frame.grey()
        self.small, self._grey, self._work = thumbnail(grey), grey, None

    @property
    def shows_something(self) -> bool:
        return float(self.small.std()) >= CUTS.nothing_seen

    @property
    def light(self) -> float:
        """Mean brightness, of 255."""
        return float(self.small.mean())

    @property
    def work(self) -> np.ndarray:
        """Upright and grey, at the size in which motion is measured."""
        if self._work is None:
            self._work, _ = at_work_size(self._grey)
        return self._work


def _begins(before: _Shown, now: _Shown) -> bool:
    """Whether a shot begins with a frame: hardly a block is found again, and no motion of the camera tells why."""
    return is_cut(before.small, now.small) and not _went_with_the_camera(before, now)


def _is_as_before(before: _Shown, later: _Shown, flashed: bool) -> bool:
    """Whether a frame shows what another did, from wherever the camera has come to since. flashed: what lies between
    differs in its light; otherwise they have to be surely alike."""
    if flashed:
        return not _begins(before, later)
    return is_alike(before.small, later.small) or _went_with_the_camera(before, later)


def _went_with_the_camera(before: _Shown, now: _Shown) -> bool:
    return (
        before.work.shape == now.work.shape
        and share_moved(before.work, now.work, CUTS.moves * now.work.shape[1] / CUTS.thumbnail[0]) >= CUTS.moved_alike
    )


class _Ahead:
    """Frames, one after the other, of which the next few can be seen before it is their turn.

    An error in reading them is raised when it is its turn.
    """

    def __init__(self, frames: Iterable[Frame]):
        self._frames, self._seen, self._error = iter(frames), deque(), None

    def __iter__(self) -> Iterator[Frame]:
        while self.seen(1):
            yield self._seen.popleft()
        if self._error is not None:
            raise self._error

    def seen(self, count: int) -> list[Frame]:
        """The next so many frames, or as many as there are."""
        while len(self._seen) < count and self._error is None:
            try:
                self._seen.append(next(self._frames))
            except StopIteration:
                break
            except FrameNotDecoded as error:
                self._error = error
        return list(self._seen)[:count]


def with_ends(frames: Iterable[tuple[Frame, bool]]) -> Iterator[tuple[Frame, bool, bool]]:
    """Of frames as with_cuts gives them, each one, whether a shot begins with it, and whether one ends with it: with
    the next another begins, or cannot be decoded."""
    before: tuple[Frame, bool] | None = None
    try:
        for frame, cut in frames:
            if before is not None:
                yield *before, cut
            before = frame, cut
    except FrameNotDecoded:
        if before is not None:
            yield *before, True
        raise
    if before is not None:
        yield *before, True


def thumbnail(grey: np.ndarray) -> np.ndarray:
    """A small picture of an upright grey one, float32, for is_cut: of all its px, since a few of them alone are noise
    in the dark, and chance on gravel."""
    return shrunk(grey, CUTS.thumbnail).astype(np.float32)


def is_cut(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two thumbnails cannot be neighbours in one shot: hardly a block of one is found near its place in the
    other."""
    likeness = _likeness(before, after)
    return is_plain_cut(before, after) if likeness is None else likeness < CUTS.found_again


def is_alike(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two thumbnails show the same place: its blocks are surely found again. Less than that is found by
    chance between two parts of a wall of windows, past which a camera whips."""
    likeness = _likeness(before, after)
    return not is_plain_cut(before, after) if likeness is None else likeness >= CUTS.surely_again


def _likeness(before: np.ndarray, after: np.ndarray) -> float | None:
    """Of the blocks of two thumbnails and what is most like each near its place in the other, the median, -1..1; 1
    where hardly anything differs; None where too few blocks can be found again."""
    a, b = _overviews(before, after)
    if float(np.abs(a - b).mean()) < CUTS.cut_least or _correlation(a, b) >= CUTS.alike:
        return 1.0
    # Mostly all blocks moved alike, and those that are found where all went need not be looked for one by one.
    for compare in (_moved_alike, _found_again):
        found = compare(before, after)
        if len(found) >= CUTS.least_blocks and np.median(found) >= CUTS.surely_again:
            return float(np.median(found))
    found += _found_again(after, before)
    return float(np.median(found)) if len(found) >= CUTS.least_blocks else None


def _overviews(before: np.ndarray, after: np.ndarray) -> list[np.ndarray]:
    return [cv2.resize(picture, CUTS.overview, interpolation=cv2.INTER_AREA) for picture in (before, after)]


def is_plain_cut(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two thumbnails differ as a whole.

    Something that hides half the picture at once is no such cut, nor is one between places of like composition: for
    whoever follows one thing, and finds it again.
    """
    return _all_differs(*_overviews(before, after))


def _all_differs(a: np.ndarray, b: np.ndarray) -> bool:
    """Whether two overviews differ by much, and in what is light and dark in them."""
    brightness = min(1.0, float(a.mean() + b.mean()) / 2 / CUTS.lit)
    return (
        float(np.abs(a - b).mean()) >= max(CUTS.cut_least, CUTS.cut_difference * brightness)
        and _correlation(a, b) < CUTS.cut_correlation
    )


def _correlation(a: np.ndarray, b: np.ndarray) -> float:
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))


def _moved_alike(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """How alike each textured block of a thumbnail is to what lies as far from its place in another as the picture
    moved as a whole, -1..1."""
    (width, height), (across, down), reach = CUTS.block, CUTS.thumbnail, CUTS.moves
    (right, below), _ = cv2.phaseCorrelate(before, after)
    x, y = (int(np.clip(round(way), -reach, reach)) + reach for way in (right, below))
    there = _surrounded(after)[y : y + down, x : x + across]
    a, b = (
        picture.reshape(down // height, height, across // width, width)
        .transpose(0, 2, 1, 3)
        .reshape(-1, width * height)
        for picture in (before, there)
    )
    textured = a.std(axis=1) >= CUTS.textured
    a, b = (blocks[textured] - blocks[textured].mean(axis=1, keepdims=True) for blocks in (a, b))
    return (a * b).sum(axis=1) / np.maximum(np.sqrt((a * a).sum(axis=1) * (b * b).sum(axis=1)), 1e-6)


def _found_again(before: np.ndarray, after: np.ndarray) -> list[float]:
    """How alike each textured block of a thumbnail is to what is most like it near its place in another, -1..1."""
    (width, height), reach = CUTS.block, CUTS.moves
    around = _surrounded(after)
    likeness = []
    for y in range(0, before.shape[0] - height + 1, height):
        for x in range(0, before.shape[1] - width + 1, width):
            block = before[y : y + height, x : x + width]
            if block.std() >= CUTS.textured:
                likeness.append(
                    float(
                        cv2.matchTemplate(
                            around[y : y + height + 2 * reach, x : x + width + 2 * reach], block, cv2.TM_CCOEFF_NORMED
                        ).max()
                    )
                )
    return likeness


def _surrounded(small: np.ndarray) -> np.ndarray:
    """A thumbnail with as much of its mirror image around it as blocks may move."""
    return cv2.copyMakeBorder(small, *[CUTS.moves] * 4, cv2.BORDER_REFLECT)
