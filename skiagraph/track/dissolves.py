"""Where one shot melts into the next.

A cut counts in its middle, and covers of either side are held over all of it, since both pictures are seen there.

Source: a picture within a dissolve is a mixture of one before it and one after it, which it is in no pan and no zoom:
Yu, Bozdagi and Harrington, Feature-based hierarchical video segmentation, ICIP 1997 (double chromatic difference); here
mixed by least squares.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.track.cuts import CUTS, is_cut
from skiagraph.track.path import FOUND, Path


@dataclass(frozen=True, slots=True)
class DissolveSettings:
    """Set on forty films of benchmarks/scenes.py and benchmarks/degraded.py, in which there is none, and on mixtures of
    their pictures: of places that differ nine in ten of half a second are found, and half of those of a second and
    more."""

    # seconds from a picture before to one after it that are tried
    spans_s: tuple[float, ...] = (0.32, 0.48, 0.64, 0.96, 1.44, 2.0)
    # mean difference of the pictures before and after, of 255, at least
    different: float = 4.0
    # share that each of them has in the picture between them, from and to
    share: tuple[float, float] = (0.3, 0.7)
    # sum of both shares, from and to
    whole: tuple[float, float] = (0.75, 1.25)
    # deviation that a mixture leaves, in those that either of both alone leaves, below which it is one; larger: more
    left: float = 0.5
    # seconds without a better one after which a dissolve is known
    settled_s: float = 0.4
    # frames near the middle in which a path that goes through it is on its way from one place to the other
    smooth: int = 3
    # confidence of a cover that is held over it: as little as asks nothing by itself
    sure: float = 0.36


DISSOLVE = DissolveSettings()


@dataclass(frozen=True, slots=True)
class Dissolve:
    """first, last: frames that are of the shot before and of the one after alone; middle: the frame with which the one
    after begins."""

    first: int
    middle: int
    last: int


class Dissolves:
    """Fed thumbnails (track.camera.thumbnail) of one frame after another, not necessarily each; tells of a dissolve
    some frames after it is over."""

    def __init__(self, rate: float, settings: DissolveSettings = DISSOLVE):
        self._settings, self._rate = settings, rate
        # Number, thumbnail, and the overview about its mean.
        self._seen: deque[tuple[int, np.ndarray, np.ndarray]] = deque()
        self._best: tuple[float, int, Dissolve] | None = None

    @property
    def reaches(self) -> int:
        """Frames that may lie between the first of a dissolve and the one in which it is told."""
        return round((self._settings.spans_s[-1] + self._settings.settled_s) * self._rate) + 1

    def restart(self) -> Dissolve | None:
        """A shot ends; the dissolve that nothing was told of yet, if there is one."""
        found, self._best = self._best, None
        self._seen.clear()
        return found[2] if found else None

    def step(self, number: int, picture: np.ndarray) -> Dissolve | None:
        """A dissolve, once it is known."""
        small = cv2.resize(picture, CUTS.overview, interpolation=cv2.INTER_AREA).ravel()
        self._seen.append((number, picture, small - small.mean()))
        while self._seen[0][0] < number - self._settings.spans_s[-1] * self._rate - 1:
            self._seen.popleft()
        for span in self._settings.spans_s:
            likeness, found = self._mixed(number, round(span * self._rate))
            # The less alike its ends, the less is left of one in the other.
            if found is not None and (self._best is None or likeness < self._best[0]):
                self._best = likeness, number, found
        if self._best is not None and number - self._best[1] > self._settings.settled_s * self._rate:
            found, self._best = self._best[2], None
            self._seen.clear()
            return found
        return None

    def _mixed(self, number: int, span: int) -> tuple[float, Dissolve | None]:
        """How alike the ends of a span of frames are, and the dissolve between them if there is one."""
        settings = self._settings
        if self._seen[0][0] > number - span:
            return 1.0, None
        (first, whole_before, before), (middle, _, between) = (
            min(self._seen, key=lambda entry: abs(entry[0] - (number - back))) for back in (span, span // 2)
        )
        _, whole_after, after = self._seen[-1]
        own, other, both = float(before @ before), float(after @ after), float(before @ after)
        likeness = both / max(np.sqrt(own * other), 1e-6)
        if (
            not first < middle < number
            or likeness >= CUTS.alike
            or np.abs(whole_before - whole_after).mean() < settings.different
        ):
            return 1.0, None
        # Least squares with two columns; what is left of the middle by both, and by either alone.
        with_before, with_after, all_of_it = float(before @ between), float(after @ between), float(between @ between)
        divisor = max(own * other - both * both, 1e-6)
        a, b = (with_before * other - with_after * both) / divisor, (with_after * own - with_before * both) / divisor
        left = max(0.0, all_of_it - a * with_before - b * with_after)
        alone = min(all_of_it - with_before**2 / max(own, 1e-6), all_of_it - with_after**2 / max(other, 1e-6))
        mixed = (
            all(settings.share[0] <= share <= settings.share[1] for share in (a, b))
            and settings.whole[0] <= a + b <= settings.whole[1]
            and left <= settings.left**2 * alone
        )
        # What moves a little is nearly the mean of where it was and where it will be, too; it is found again.
        return (
            (likeness, Dissolve(first, middle, number)) if mixed and is_cut(whole_before, whole_after) else (1.0, None)
        )


def with_middles(cuts: Sequence[int], dissolves: Collection[Dissolve]) -> list[int]:
    """Frames with which shots begin: cuts, and the middles of dissolves."""
    return sorted({*cuts, *(d.middle for d in dissolves)})


def held_over(path: Path, dissolves: Collection[Dissolve]) -> tuple[Path, ...]:
    """A path parted where it goes through the middle of a dissolve: whoever is in both shots is seen at both places
    meanwhile. What begins or ends in the middle is held where it was over all of it."""
    for d in dissolves:
        if path.first < d.middle <= path.last:
            # Near the middle a path that was made smooth lies on its way from one place to the other. Whoever is found
            # only when it is over was followed, and stays where they were followed to.
            found = _found_since(path, d.middle)
            last, first = (
                max(path.first, d.middle - 1 - DISSOLVE.smooth),
                min(path.last, found + DISSOLVE.smooth) if found <= d.last else d.middle,
            )
            others = [other for other in dissolves if other is not d]
            return (
                *held_over(path.part(path.first, last).held(0, max(0, d.last - last), DISSOLVE.sure), others),
                *held_over(path.part(first, path.last).held(max(0, first - d.first), 0, DISSOLVE.sure), others),
            )
    before = next((path.first - d.first for d in dissolves if d.middle == path.first), 0)
    after = next((d.last - path.last for d in dissolves if d.middle == path.last + 1), 0)
    return (path.held(before, after, DISSOLVE.sure),)


def _found_since(path: Path, frame: int) -> float:
    """The first frame from one on in which somebody was found; endless where there is none."""
    found = np.flatnonzero(path.origin[frame - path.first :] == FOUND)
    return frame + int(found[0]) if len(found) else np.inf
