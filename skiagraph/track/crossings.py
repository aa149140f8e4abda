"""Where a place is less sure than is said of it, and the cover wider.

One head before another: whoever is not found there is followed by what is seen, which may be the other's. Coloured
light: detectors place faces less well in it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import paired_iou
from skiagraph.track.path import FOUND
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class CrossingSettings:
    """Set by benchmarks/quality.py (meetings, railings, stepping): leaks that no finding names 2 to 0 and 2 to 1, no
    more findings."""

    # overlap (IoU) from which one head is before the other; smaller: wider covers where people only pass
    over: float = 0.45
    # confidence in coloured light: covers that are about a sixth wider (club, whose film it was set on: 2 leaks of a
    # turned head fewer)
    coloured_at_most: float = 0.4
    # confidence there: as little as asks nothing of a person (review.finding.UNSURE), since most of such a head is
    # hidden
    at_most: float = 0.36


def rows_over_others(stretches: Sequence[Stretch], over: float) -> list[np.ndarray]:
    """Of each stretch, in which of its rows the head overlaps that of another by so much (IoU), bool (n,)."""
    order = sorted(range(len(stretches)), key=lambda n: stretches[n].path.first)
    boxes = [s.path.boxes() for s in stretches]
    met = [np.zeros(len(s.path), bool) for s in stretches]
    open_rows: list[int] = []
    for n in order:
        mine = stretches[n].path
        open_rows = [m for m in open_rows if stretches[m].path.last >= mine.first]
        for m in open_rows:
            other = stretches[m].path
            last = min(mine.last, other.last)
            here, there = slice(0, last - mine.first + 1), slice(mine.first - other.first, last - other.first + 1)
            meets = paired_iou(boxes[n][here], boxes[m][there]) >= over
            met[n][here] |= meets
            met[m][there] |= meets
        open_rows.append(n)
    return met


def less_sure(
    stretches: Sequence[Stretch], coloured: Collection[int] = (), settings: CrossingSettings = CrossingSettings()
) -> list[Stretch]:
    """The same stretches, less sure in frames in which a head lies on another's and was not found itself, and in frames
    whose light is coloured."""
    strange = np.array(sorted(coloured), int)
    made = []
    for stretch, hidden in zip(stretches, rows_over_others(stretches, settings.over)):
        path = stretch.path
        most = np.where(hidden & (path.origin != FOUND), settings.at_most, 1.0)
        most[np.isin(path.first + np.arange(len(path)), strange) & (most > settings.coloured_at_most)] = (
            settings.coloured_at_most
        )
        made.append(replace(stretch, path=path.no_surer(most)))
    return made
