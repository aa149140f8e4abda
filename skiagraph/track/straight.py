"""Whether somebody went straight from one look to the next: the pictures between are cheap to compare, though nobody
was looked for in them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

import numpy as np

from skiagraph.track.appearance import correlation, head_patch
from skiagraph.track.linking import Tracklet

# Where a head is off by a fifth of its width, its picture is less like it than this (correlation; measured on six
# films), and hardly ever where it is not off by more than a tenth.
ALIKE = 0.85


class GreyPicture(Protocol):
    """A frame's number and its brightness, uint8 (rows, columns)."""

    number: int
    grey: np.ndarray


class Straight:
    """Fed the tracks that were given a face in one frame after another."""

    def __init__(self):
        # Of each track: the frame it was last seen in, and what its head looked like there.
        self._last: dict[int, tuple[int, np.ndarray]] = {}

    def went(self, tracklet: Tracklet, grey: np.ndarray, pictures: Iterable[GreyPicture]) -> bool:
        """True unless in a picture between its last two frames the head is not where a straight line has it.

        Remembers how it looks now.

        grey: the last of those frames, uint8 (rows, columns); pictures: of frames before it, in any order, of which
        those between are looked at.
        """
        frame, head = tracklet.frames[-1], tracklet.heads[-1].astype(float)
        now = head_patch(grey, head)
        since, before = self._last.get(tracklet.number, (None, None))
        self._last[tracklet.number] = frame, now
        if since is None or since != tracklet.frames[-2]:
            return True
        start = tracklet.heads[-2].astype(float)
        for picture in pictures:
            if since < picture.number < frame:
                place = start + (head - start) * ((picture.number - since) / (frame - since))
                there = head_patch(picture.grey, place)
                if max(correlation(before, there), correlation(now, there)) < ALIKE:
                    return False
        return True

    def forget(self, frame: int) -> None:
        """Whoever was not seen since a frame is no longer of interest."""
        self._last = {number: entry for number, entry in self._last.items() if entry[0] >= frame}
