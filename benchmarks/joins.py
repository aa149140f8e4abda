"""How far the probabilities hold that a scan states where people meet: of what it says is sure by so much, so much
should be true.

benchmarks.quality prints it beneath its table: a reliability table as in docs/measured/people.md (DeGroot and Fienberg,
The comparison and evaluation of forecasters, The Statistician 1983), of every pair of somebody who went into a meeting
and
somebody who came out of it, and whether by the truth they are one person. Who it is, is taken from the ten frames
before and after it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from unittest import mock

import numpy as np

from skiagraph.boxes import iou
from skiagraph.demo.truth import HeadTruth
from skiagraph.track.identity import probability
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.reconsidering import Reconsidered, reconsidered

BINS = (0.0, 0.01, 0.05, 0.3, 0.7, 0.9, 0.95, 0.99, 1.0)
# Frames beside a meeting by which it is told who somebody is; heads that overlap by so much (IoU) are one, and are seen
# where this share of them is.
BESIDE, SAME, VISIBLE = 10, 0.3, 0.25


@contextmanager
def recorded() -> Iterator[list[Reconsidered]]:
    """A list to which each scan within adds what it made of its meetings."""
    held: list[Reconsidered] = []

    def told(*arguments):
        held.append(reconsidered(*arguments))
        return held[-1]

    with mock.patch("skiagraph.track.scan.reconsidered", told):
        yield held


def stated(held: Sequence[Reconsidered], heads: Sequence[Sequence[HeadTruth]]) -> list[tuple[float, bool]]:
    """(probability, whether it is true) of each pair in the meetings of a film. heads: the truth, of each frame."""
    pairs = []
    for result in held:
        paths = [s.path for s in result.stretches]
        pairs += [
            (
                j.odds,
                _who(paths[j.row], heads, j.first - BESIDE, j.first - 1),
                _who(paths[j.row], heads, j.last + 1, j.last + BESIDE),
            )
            for j in result.joins
        ]
        for (a, b), odds in result.asked.items():
            first, after = sorted((paths[a], paths[b]), key=lambda p: p.first)
            pairs.append(
                (
                    odds,
                    _who(first, heads, first.last - BESIDE, first.last),
                    _who(after, heads, after.first, after.first + BESIDE),
                )
                if first.last < after.first
                else (odds, None, None)
            )
    return [(probability(odds), before == after) for odds, before, after in pairs if before and after]


def table(pairs: Sequence[tuple[float, bool]]) -> str:
    """The reliability table of what was stated."""
    rows = ["| said | pairs | mean of what was said | true |", "|---|---|---|---|"]
    for low, high in zip(BINS, BINS[1:]):
        inside = [(p, true) for p, true in pairs if low <= p < high or p == high == 1.0]
        if inside:
            rows.append(
                f"| {low:.2f} to {high:.2f} | {len(inside)} | {np.mean([p for p, _ in inside]):.3f} |"
                f" {np.mean([true for _, true in inside]):.3f} ({sum(true for _, true in inside)}) |"
            )
    return "\n".join(rows)


def _who(path: HeadPath, heads: Sequence[Sequence[HeadTruth]], first: int, last: int) -> str | None:
    """Whom a path lies on in most of some frames."""
    votes: Counter[str] = Counter()
    for frame in range(max(first, path.first, 0), min(last, path.last, len(heads) - 1) + 1):
        seen = [h for h in heads[frame] if h.head_visible >= VISIBLE]
        if seen:
            boxes = np.array(
                [(h.cx - h.width / 2, h.cy - h.height / 2, h.cx + h.width / 2, h.cy + h.height / 2) for h in seen]
            )
            overlap = iou(path.boxes()[frame - path.first][None], boxes)[0]
            if overlap.max() > SAME:
                votes[seen[int(overlap.argmax())].actor] += 1
    return votes.most_common(1)[0][0] if votes else None
