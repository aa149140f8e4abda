"""One head before another: whoever is not found there is followed by what is seen, which may be the other's, so nobody is sure of the place and the cover is wider."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import paired_iou
from skiagraph.track.path import FOUND, Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class CrossingSettings:
    """Set by benchmarks/quality.py (meetings, railings, stepping): leaks that no finding names 2 to 0 and 2 to 1, no more findings."""

    over: float = 0.45  # overlap (IoU) from which one head is before the other; smaller: wider covers where people only pass
    at_most: float = 0.36  # confidence there: as little as asks nothing of a person (review.finding.UNSURE), since most of such a head is hidden


def less_sure(stretches: Sequence[Stretch], settings: CrossingSettings = CrossingSettings()) -> list[Stretch]:
    """The same stretches, less sure in frames in which a head lies on another's and was not found itself."""
    order = sorted(range(len(stretches)), key=lambda n: stretches[n].path.first)
    boxes = [s.path.boxes() for s in stretches]
    over = [np.zeros(len(s.path), bool) for s in stretches]
    open_rows: list[int] = []
    for n in order:
        mine = stretches[n].path
        open_rows = [m for m in open_rows if stretches[m].path.last >= mine.first]
        for m in open_rows:
            other = stretches[m].path
            last = min(mine.last, other.last)
            here, there = slice(0, last - mine.first + 1), slice(mine.first - other.first, last - other.first + 1)
            meets = paired_iou(boxes[n][here], boxes[m][there]) >= settings.over
            over[n][here] |= meets
            over[m][there] |= meets
        open_rows.append(n)
    return [replace(s, path=_lowered(s.path, hidden & (s.path.origin != FOUND), settings.at_most)) for s, hidden in zip(stretches, over)]


def _lowered(path: Path, where: np.ndarray, at_most: float) -> Path:
    if not (where & (path.confidence > at_most)).any():
        return path
    rows = path.rows()
    rows[where, 5] = np.minimum(rows[where, 5], at_most)
    return Path.from_rows(path.first, rows, path.origin, path.lean)
