"""What the camera did between two frames, and whether it was the same shot at all.

Sources: sparse optical flow and a robust similarity, as in Aharon et al., BoT-SORT, 2022; shot boundaries by block matching, as in Shahraray, Scene change detection and content-based sampling of video
sequences, SPIE 2419, 1995, here with normalised correlation, which light does not change.
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


@dataclass(frozen=True, slots=True)
class CameraSettings:
    """The camera's motion, and cuts. Set on the films of benchmarks/scenes.py and benchmarks/degraded.py."""

    work_width: int = 320  # px that pictures are made smaller to; larger: finer motion, more work
    points: int = 100  # parts of a picture in which a point is followed; larger: steadier motion, more work
    corner: float = 0.01  # quality of a corner against the best one; larger: fewer, better points
    least_points: int = 12  # fewer tell nothing
    agree: float = 0.35  # share of the points that one motion explains at least, and 10 of them
    zoom: tuple[float, float] = (0.8, 1.25)  # change of size in one step beyond which it is a mistake
    enough: int = 40  # points left below which they are looked for anew
    renew: int = 6  # and after so many steps
    thumbnail: tuple[int, int] = (160, 90)  # px, width and height, of the pictures that are compared for cuts
    overview: tuple[int, int] = (64, 36)  # and of those that are compared first
    alike: float = 0.985  # correlation of overviews from which there is no cut; smaller: fewer pictures are compared by their blocks
    cut_least: float = 2.0  # mean difference of overviews, of 255, below which there is none: noise, however dark; larger: fewer cuts at night
    block: tuple[int, int] = (20, 18)  # px, width and height, of a block of a thumbnail
    moves: int = 8  # px by which a block may have moved, each way; larger: faster pans are one shot
    textured: float = 4.0  # deviation, of 255, from which a block can be found again
    least_blocks: int = 6  # fewer such tell nothing, and overviews decide alone
    found_again: float = 0.8  # median likeness of blocks and their best match below which a shot begins. 4,900 pairs of neighbours of forty films have 0.91 and more, but for whip pans and light that goes out; 1,069 pairs from two places have 0.79 at most. larger: more cuts
    surely_again: float = 0.88  # median likeness of the blocks of one of both from which the others are not looked for; of 4,950 pairs from two places none has more than 0.81. smaller: quicker
    cut_difference: float = 22.0  # where overviews decide: mean difference, of 255, from which there is a cut in a picture that is as bright as `lit`; smaller: more cuts
    lit: float = 110.0  # mean brightness, of 255, below which less is needed by so much as it is darker; larger: more cuts in the dark
    cut_correlation: float = 0.55  # and correlation below which it is one; larger: more cuts
    flash: int = 3  # frames, of those that are decoded, within which all is as before a flash; larger: longer flashes are known, and shorter shots overlooked
    least_shot: int = 3  # frames between two cuts that make a shot; in fewer, as in a whip pan, nothing can be recognised; larger: more is taken for that
    nothing_seen: float = 2.0  # deviation, of 255, in a small picture below which nothing is seen in it, as when the light is out; larger: fewer cuts. Dim lamps leave 5 and more, darkness 0.8 (club)


CAMERA = CameraSettings()
STILL = np.array([[1.0, 0, 0], [0, 1, 0]])


def composed(first: np.ndarray, then: np.ndarray) -> np.ndarray:
    """What one similarity (2, 3) and then another do together, (2, 3)."""
    return then @ np.vstack([first, (0.0, 0.0, 1.0)])


def motion_between(earlier: np.ndarray, later: np.ndarray) -> np.ndarray:
    """The similarity (2, 3) from px of one frame to px of another of the same shot, of which both are known (Picture.view)."""
    return composed(cv2.invertAffineTransform(earlier), later)


@dataclass(frozen=True, slots=True, eq=False)
class Views:
    """What the camera did, in frames that were looked at. frames: (n,), in order; similarities: (n, 2, 3), of each from px of the first frame of its shot to px of it (Picture.view)."""

    frames: np.ndarray
    similarities: np.ndarray

    @classmethod
    def still(cls) -> Views:
        """A camera that never moved."""
        return cls(np.zeros(1, int), STILL[None])

    def _at(self, frames: np.ndarray) -> np.ndarray:
        """Of each of (m,) frames the similarity of the last one before it that was looked at, (m, 2, 3)."""
        return self.similarities[np.maximum(np.searchsorted(self.frames, frames, side="right") - 1, 0)]

    def scale(self, frames: np.ndarray) -> np.ndarray:
        """How many px of each of (m,) frames are one of the first frame of its shot."""
        at = self._at(frames)
        return np.hypot(at[:, 0, 0], at[:, 1, 0])

    def down(self, frames: np.ndarray, points: np.ndarray, angles: np.ndarray) -> np.ndarray:
        """How far down some heads are, (n,) px of the first frame of their shot, whatever the camera did since: along the lean that they mostly have there. points: (n, 2) px of each frame; angles: of heads, degrees clockwise."""
        at = self._at(frames)
        turns, moved = at[:, :, :2], points - at[:, :, 2]
        # Back by the inverse of a similarity: turned the other way, and made as large as before.
        there = np.einsum("nji,nj->ni", turns, moved) / (self.scale(frames) ** 2)[:, None]
        # Mean direction: degrees of who is upside down go from 180 to -180.
        leans = np.radians(angles) - np.arctan2(turns[:, 1, 0], turns[:, 0, 0])
        lean = np.arctan2(np.sin(leans).sum(), np.cos(leans).sum())
        return there @ (-np.sin(lean), np.cos(lean))


def newly_seen(earlier: np.ndarray, later: np.ndarray, size: tuple[int, int]) -> float:
    """Share of a frame, 0..1, that was outside an earlier one of its shot. earlier, later: views of both (Picture.view); size: of frames, px."""
    corners = np.float32([(0, 0), (size[0], 0), size, (0, size[1])])
    there = cv2.transform(corners[None], motion_between(earlier, later))[0]
    return 1.0 - cv2.intersectConvexConvex(there, corners)[0] / (size[0] * size[1])


def newly_seen_parts(earlier: np.ndarray, later: np.ndarray, size: tuple[int, int], around: float) -> np.ndarray:
    """Parts of a frame, x0, y0, x1, y1 (n, 4), along those of its edges over which more has come into it since an earlier one of its shot; around: px by which they reach further in. Others as in newly_seen."""
    width, height = size
    corners = np.float32([(0, 0), (width, 0), (width, height), (0, height)])
    (ax, ay), (bx, by), (cx, cy), (dx, dy) = cv2.transform(corners[None], motion_between(earlier, later))[0].tolist()
    left, top, right, bottom = max(ax, dx), max(ay, by), width - min(bx, cx), height - min(cy, dy)
    parts = [(0, 0, left + around, height), (0, 0, width, top + around), (width - right - around, 0, width, height), (0, height - bottom - around, width, height)]
    return np.array([part for part, depth in zip(parts, (left, top, right, bottom)) if depth >= 1.0], float).reshape(-1, 4).clip(0, [width, height, width, height])


class CameraMotion:
    """Fed one upright grey frame after another, not necessarily each; tells what the camera did since the shot began.

    Points are followed from frame to frame, and their motion is measured over several, in which whoever walks goes further than a point may be off. Where it cannot be told, as in a flash, the next frames are
    held against the one before that, for as long as a flash lasts.
    """

    def __init__(self):
        self._before: np.ndarray | None = None
        self._restarted(STILL)

    def _restarted(self, view: np.ndarray) -> None:
        # The frame in which points were looked for: what the camera had done until then, and where they were, at work size; and where they are now.
        self._known = self._view = view
        self._begun: np.ndarray | None = None
        self._points: np.ndarray | None = None
        self._steps = self._failed = 0

    def restart(self, grey: np.ndarray, view: np.ndarray = STILL) -> np.ndarray:
        """Begin anew with this frame: the first of a shot, or one of which it is known what the camera had done."""
        self._before = None
        self._restarted(view)
        return self.step(grey)

    def step(self, grey: np.ndarray) -> np.ndarray:
        """Similarity, float64 (2, 3), from px of the first frame of the shot to px of this one."""
        scale = min(1.0, CAMERA.work_width / grey.shape[1])
        size = max(16, round(grey.shape[1] * scale)), max(16, round(grey.shape[0] * scale))
        small = shrunk(grey, size)
        before, self._before = self._before, small
        if before is None or self._points is None or before.shape != small.shape:
            self._look_for_points()
            return self._view
        moved, good, _ = cv2.calcOpticalFlowPyrLK(before, small, self._points, None, winSize=(13, 13), maxLevel=3)
        good = good.ravel() == 1
        # Over several frames, or where that cannot be told any more, from one to the next.
        since, found = self._known, _motion(self._begun[good], moved[good])
        if found is None:
            since, found = self._view, _motion(self._points[good], moved[good])
        if found is None and self._failed < CAMERA.flash:
            self._before, self._failed = before, self._failed + 1
            return self._view
        if found is not None:
            found[:, 2] /= scale
            self._view = composed(since, found)
        renewed = found is None or since is not self._known or good.sum() < CAMERA.enough or self._steps + 1 >= CAMERA.renew
        self._begun, self._points, self._steps, self._failed = self._begun[good], moved[good], self._steps + 1, 0
        if renewed:
            self._look_for_points()
        return self._view

    def _look_for_points(self) -> None:
        points = spread_corners(self._before)
        self._begun = self._points = points if len(points) >= CAMERA.least_points else None
        self._known, self._steps, self._failed = self._view, 0, 0


def spread_corners(grey: np.ndarray) -> np.ndarray:
    """The best corner (Shi and Tomasi, CVPR 1994) of each part of a picture that has one, float32 (n, 1, 2).

    So people before a calm sea or sky, who have the best corners, are not taken for what does not move.
    """
    strength = cv2.cornerMinEigenVal(grey, 5)
    side = max(8, round(np.sqrt(grey.size / CAMERA.points)))
    down, across = grey.shape[0] // side, grey.shape[1] // side
    parts = strength[:down * side, :across * side].reshape(down, side, across, side).transpose(0, 2, 1, 3).reshape(down, across, -1)
    best = parts.argmax(axis=2)
    row, column = np.nonzero(parts.max(axis=2) >= CAMERA.corner * strength.max(initial=1e-12))
    y, x = np.divmod(best[row, column], side)
    return np.stack([column * side + x, row * side + y], axis=1).astype(np.float32)[:, None]


def _motion(points: np.ndarray, moved: np.ndarray) -> np.ndarray | None:
    """The similarity (2, 3) that most of the points (n, 1, 2) made, if most made one."""
    if len(points) < CAMERA.least_points:
        return None
    found, inliers = cv2.estimateAffinePartial2D(points, moved, method=cv2.RANSAC, ransacReprojThreshold=1.0)
    if found is None or inliers.sum() < max(10, CAMERA.agree * len(points)) or not CAMERA.zoom[0] < np.hypot(found[0, 0], found[1, 0]) < CAMERA.zoom[1]:
        return None
    return found.copy()


def with_cuts(frames: Iterable[Frame], left_out: Callable[[int], Frame]) -> Iterator[tuple[Frame, bool]]:
    """Each frame, in order, and whether a shot begins with it.

    Frames in which nothing is seen, black or white all over, begin no shot: what comes after them is held against what was before. Nor do those that a flash lights: a few frames later all is as before.
    left_out: reads a frame that is not among the frames. Where one lies between two that differ it is brought in, and tells with which of them the shot begins; more than one in a row is never left out.
    """
    number, before, ahead = -1, None, _Ahead(frames)
    for frame in ahead:
        now = _thumbnail_of(frame)
        cut = before is not None and _shows_something(now) and is_cut(before, now)
        lit = cut and any(not is_cut(before, later) for later in map(_thumbnail_of, ahead.seen(CAMERA.flash)) if _shows_something(later))
        if lit:
            cut = False
        elif cut and number + 1 < frame.number:
            between = left_out(number + 1)
            middle = _thumbnail_of(between)
            earlier = _shows_something(middle) and is_cut(before, middle)
            yield between, earlier
            cut = is_cut(middle if _shows_something(middle) else before, now)
        yield frame, cut
        number = frame.number
        if before is None or _shows_something(now) and not lit:
            before = now


class _Ahead:
    """Frames, one after the other, of which the next few can be seen before it is their turn. An error in reading them is raised when it is its turn."""

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
    """Of frames as with_cuts gives them, each one, whether a shot begins with it, and whether one ends with it: with the next another begins, or cannot be decoded."""
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


def _shows_something(small: np.ndarray) -> bool:
    return float(small.std()) >= CAMERA.nothing_seen


def _thumbnail_of(frame: Frame) -> np.ndarray:
    return thumbnail(frame.grey())


def thumbnail(grey: np.ndarray) -> np.ndarray:
    """A small picture of an upright grey one, float32, for is_cut."""
    thin = max(1, grey.shape[1] // (2 * CAMERA.thumbnail[0]))
    return cv2.resize(grey[::thin, ::thin], CAMERA.thumbnail, interpolation=cv2.INTER_AREA).astype(np.float32)


def is_cut(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two thumbnails cannot be neighbours in one shot: hardly a block of one is found near its place in the other."""
    a, b = (cv2.resize(picture, CAMERA.overview, interpolation=cv2.INTER_AREA) for picture in (before, after))
    difference, likeness = float(np.abs(a - b).mean()), _correlation(a, b)
    if difference < CAMERA.cut_least or likeness >= CAMERA.alike:
        return False
    # Mostly all blocks moved alike, and those that are found where all went need not be looked for one by one.
    for compare in (_moved_alike, _found_again):
        found = compare(before, after)
        if len(found) >= CAMERA.least_blocks and np.median(found) >= CAMERA.surely_again:
            return False
    found += _found_again(after, before)
    if len(found) >= CAMERA.least_blocks:
        return float(np.median(found)) < CAMERA.found_again
    return _all_differs(a, b)


def is_plain_cut(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two thumbnails differ as a whole. Something that hides half the picture at once is no such cut, nor is one between places of like composition: for whoever follows one thing, and finds it again."""
    return _all_differs(*(cv2.resize(picture, CAMERA.overview, interpolation=cv2.INTER_AREA) for picture in (before, after)))


def _all_differs(a: np.ndarray, b: np.ndarray) -> bool:
    """Whether two overviews differ by much, and in what is light and dark in them."""
    brightness = min(1.0, float(a.mean() + b.mean()) / 2 / CAMERA.lit)
    return float(np.abs(a - b).mean()) >= max(CAMERA.cut_least, CAMERA.cut_difference * brightness) and _correlation(a, b) < CAMERA.cut_correlation


def _correlation(a: np.ndarray, b: np.ndarray) -> float:
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))


def _moved_alike(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """How alike each textured block of a thumbnail is to what lies as far from its place in another as the picture moved as a whole, -1..1."""
    (width, height), (across, down), reach = CAMERA.block, CAMERA.thumbnail, CAMERA.moves
    (right, below), _ = cv2.phaseCorrelate(before, after)
    x, y = (int(np.clip(round(way), -reach, reach)) + reach for way in (right, below))
    there = _surrounded(after)[y:y + down, x:x + across]
    a, b = (picture.reshape(down // height, height, across // width, width).transpose(0, 2, 1, 3).reshape(-1, width * height) for picture in (before, there))
    textured = a.std(axis=1) >= CAMERA.textured
    a, b = (blocks[textured] - blocks[textured].mean(axis=1, keepdims=True) for blocks in (a, b))
    return (a * b).sum(axis=1) / np.maximum(np.sqrt((a * a).sum(axis=1) * (b * b).sum(axis=1)), 1e-6)


def _found_again(before: np.ndarray, after: np.ndarray) -> list[float]:
    """How alike each textured block of a thumbnail is to what is most like it near its place in another, -1..1."""
    (width, height), reach = CAMERA.block, CAMERA.moves
    around = _surrounded(after)
    likeness = []
    for y in range(0, before.shape[0] - height + 1, height):
        for x in range(0, before.shape[1] - width + 1, width):
            block = before[y:y + height, x:x + width]
            if block.std() >= CAMERA.textured:
                likeness.append(float(cv2.matchTemplate(around[y:y + height + 2 * reach, x:x + width + 2 * reach], block, cv2.TM_CCOEFF_NORMED).max()))
    return likeness


def _surrounded(small: np.ndarray) -> np.ndarray:
    """A thumbnail with as much of its mirror image around it as blocks may move."""
    return cv2.copyMakeBorder(small, *[CAMERA.moves] * 4, cv2.BORDER_REFLECT)
