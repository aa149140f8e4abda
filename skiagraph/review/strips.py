"""How Hand over arranges pictures of the result below each clip: which frames, and so many and so large as there is
room for.

Plain values: a test without a window can hold it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

from skiagraph.project.model import Clip
from skiagraph.review.sheet import Crop


@dataclass(frozen=True, slots=True)
class StripSettings:
    """Measures of the page, px of the interface, looked at in a window of 1280 x 800 with one, three and many clips."""

    # height of a picture from which it tells something; larger: fewer clips have pictures
    least: int = 56
    # height of a picture at most; larger: fewer pictures of one clip
    most: int = 156
    # between two pictures, and below them
    gap: int = 8
    below: int = 12
    # a row that is fuller than it can be by so much of a picture has one less, each a little larger
    spare: float = 0.1
    # height of a clip's line, with what parts it from the next
    line: int = 36
    # height of the queue while it is empty, and of each job in it
    queue: int = 96
    job: int = 74
    # share of the page's height that clips may take however long the queue is; larger: more of it has to be scrolled
    share: float = 0.4


SETTINGS = StripSettings()


@dataclass(frozen=True, slots=True)
class Strip:
    """Pictures of one clip: how many stand side by side, in how many rows, and how large each is, px."""

    across: int
    rows: int
    width: int
    height: int

    @property
    def count(self) -> int:
        return self.across * self.rows

    @property
    def tall(self) -> int:
        """Px of all rows, with what lies below them."""
        return self.rows * (self.height + SETTINGS.gap) - SETTINGS.gap + SETTINGS.below


def strip_within(picture: tuple[int, int], width: int, height: int) -> Strip | None:
    """How pictures of a size fill so many px; None where not even the least of them fits."""
    tall = min(height - SETTINGS.below, SETTINGS.most)
    if tall < SETTINGS.least:
        return None
    # The width is filled, so that pictures may be a little lower than there is room for.
    gap = SETTINGS.gap
    across = max(1, ceil((width + gap) / (tall * picture[0] / picture[1] + gap) - SETTINGS.spare))
    wide = (width + gap) // across - gap
    high = max(1, round(wide * picture[1] / picture[0]))
    return Strip(across, max(1, (height - SETTINGS.below + gap) // (high + gap)), wide, high)


def room_for_clips(height: int, jobs: int) -> int:
    """Px that clips may take of a page's height, with so many jobs in the queue."""
    return max(round(SETTINGS.share * height), height - SETTINGS.queue - SETTINGS.job * jobs)


def strips_within(pictures: Sequence[tuple[int, int] | None], width: int, height: int) -> list[Strip | None]:
    """The pictures below each clip, in lines that fill so many px together. pictures: size of each clip's picture, None
    for a clip that has none to show."""
    shown = sum(size is not None for size in pictures)
    each = (height - SETTINGS.line * len(pictures)) // max(1, shown)
    return [strip_within(size, width, each) if size is not None else None for size in pictures]


def samples(clip: Clip, parts: Sequence[tuple[int, int]], count: int) -> list[Crop]:
    """At most so many whole pictures of the result, spread evenly over the parts of a clip (first and last frames, both
    included) that are handed over: each from the middle of an equal share of their frames."""
    total = sum(last - first + 1 for first, last in parts)
    count = min(count, total)
    crops = []
    for n in range(count):
        at = (2 * n + 1) * total // (2 * count)
        for first, last in parts:
            if at <= last - first:
                break
            at -= last - first + 1
        crops.append(Crop(clip.key, "", first + at, first + at, first + at, (0, 0, *clip.picture_size), 0.0, ""))
    return crops
