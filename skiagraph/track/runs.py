"""Runs of sights of heads one after the other, and who is who in them: which of two neighbours are surely one person's,
which are likely so, and which may be of two, where a path is cut and asked about."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.track.meetings import odds_of
from skiagraph.track.reconsidering import Join, Reconsidered
from skiagraph.track.stretch import Stretch, seen_at_once
from skiagraph.track.ways import Ways


def key_of(frame: int, box: np.ndarray) -> tuple[int, ...]:
    """What a sight is known by on a path, as one of its faces: its frame and box."""
    return (int(frame), *np.round(box).astype(int).tolist())


@dataclass(frozen=True, slots=True, eq=False)
class Runs:
    """keys: of all sights (key_of); runs: numbers of those of each run, in order; alone: pairs of neighbours between
    which nobody else was near; ways: on which everybody went, by the same numbers."""

    keys: Sequence[tuple[int, ...]]
    runs: Sequence[Sequence[int]]
    alone: frozenset[tuple[int, int]]
    ways: Ways

    def parted(self, met: Reconsidered) -> Reconsidered:
        """What was told of meetings, and stretches cut where two neighbours may be of two people, which is asked about;
        where they are likely of one, or it cannot be cut, that is a join. Pieces that were cut off come last.

        Of pieces with nothing but such sights only neighbours are asked about: clothes of a few px tell no more.
        """
        stretches, joins, asked = list(met.stretches), [], {}
        parts = [[row] for row in range(len(stretches))]
        number = max((s.number for s in stretches), default=0)
        following = {self.keys[a]: (a, b) for a, b in self._neighbours()}
        for mine in parts:
            for before, after, likely in self._unsure_in(stretches[mine[0]], following):
                first, last = self._frame(before) + 1, self._frame(after) - 1
                if likely >= self.ways.settings.keep or not _may_cut(stretches[mine[-1]], (first + last) // 2):
                    joins.append(Join(first, last, mine[-1], (), odds_of(likely)))
                    continue
                number += 1
                stretches[mine[-1]], rest = _cut(stretches[mine[-1]], (first + last) // 2, number)
                asked[mine[-1], len(stretches)] = odds_of(likely)
                mine.append(len(stretches))
                stretches.append(rest)
        joins += [_of_parts(join, parts, stretches) for join in met.joins]
        for (a, b), odds in met.asked.items():
            # Of two that met, the end of one and the beginning of the other.
            a, b = sorted((a, b), key=lambda row: met.stretches[row].path.first)
            asked[tuple(sorted((parts[a][-1], parts[b][0])))] = odds
        rows, sights = self._rows(stretches), set(self.keys)
        for pair in self._neighbours():
            ends = tuple(sorted(rows.get(self.keys[sight], -1) for sight in pair))
            if -1 not in ends and ends[0] != ends[1] and ends not in asked:
                asked[ends] = odds_of(self.ways.probability(*pair))
        return Reconsidered(
            [
                replace(s, chains=(), colours=None)
                if all(key_of(frame, box) in sights for frame, box, _ in s.faces)
                else s
                for s in stretches
            ],
            joins,
            asked,
        )

    def fixed(self, stretches: Sequence[Stretch]) -> list[list[int]]:
        """Rows of stretches that are one person's, in groups: of neighbours between which nobody else was near, or
        could be meant. Never of two who were found at once."""
        rows = self._rows(stretches)
        group = {row: [row] for row in range(len(stretches))}
        for before, after in self._neighbours():
            ends = rows.get(self.keys[before]), rows.get(self.keys[after])
            if (
                None in ends
                or group[ends[0]] is group[ends[1]]
                or any(seen_at_once(stretches[i], stretches[j]) for i in group[ends[0]] for j in group[ends[1]])
            ):
                continue
            if (before, after) in self.alone or self.ways.is_sure(before, after):
                joined = group[ends[0]] + group[ends[1]]
                group.update((row, joined) for row in joined)
        return sorted(sorted(rows) for rows in {id(rows): rows for rows in group.values() if len(rows) > 1}.values())

    def _unsure_in(
        self, stretch: Stretch, following: Mapping[tuple[int, ...], tuple[int, int]]
    ) -> Iterator[tuple[int, int, float]]:
        """Neighbours on a stretch that are not surely of one person, in order, and the probability that they are.
        following: each sight and the next one, by the first one's key."""
        mine = {key_of(frame, box) for frame, box, _ in stretch.faces}
        for pair in sorted((following[key] for key in mine & following.keys()), key=lambda pair: self._frame(pair[0])):
            if (
                self.keys[pair[1]] in mine
                and pair not in self.alone
                and (likely := self.ways.probability(*pair)) < self.ways.settings.sure
            ):
                yield *pair, likely

    def _neighbours(self) -> Iterator[tuple[int, int]]:
        return (pair for run in self.runs for pair in zip(run, run[1:]))

    @staticmethod
    def _rows(stretches: Sequence[Stretch]) -> dict[tuple[int, ...], int]:
        """The stretch that each sight is on."""
        return {key_of(frame, box): row for row, stretch in enumerate(stretches) for frame, box, _ in stretch.faces}

    def _frame(self, sight: int) -> int:
        return self.keys[sight][0]


def _may_cut(stretch: Stretch, at: int) -> bool:
    """Only where somebody was found on both sides: a part without that would be nobody."""
    first, last = stretch.found
    return first <= at < last


def _cut(stretch: Stretch, at: int, number: int) -> tuple[Stretch, Stretch]:
    """A stretch up to a frame, and from the next on as another one."""
    path = stretch.path
    before, after = (
        replace(
            stretch,
            path=path.part(first, last),
            faces=tuple(face for face in stretch.faces if first <= face[0] <= last),
            described=tuple(entry for entry in stretch.described if first <= entry[0] <= last),
        )
        for first, last in ((path.first, at), (at + 1, path.last))
    )
    return replace(before, chains=()), replace(after, number=number)


def _of_parts(join: Join, parts: Sequence[Sequence[int]], stretches: Sequence[Stretch]) -> Join:
    """A join of stretches that were cut since: of the part that goes on from it, and of those who were there then."""
    there = lambda row: stretches[row].path.first <= join.last and stretches[row].path.last >= join.first
    row = next((n for n in parts[join.row] if stretches[n].path.last > join.last), parts[join.row][-1])
    return replace(join, row=row, others=tuple(sorted(n for other in join.others for n in parts[other] if there(n))))
