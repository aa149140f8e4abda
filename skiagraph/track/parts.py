"""Scans of several parts of a clip as one: who was found in a later part is the same person as in an earlier one where
that is sure, and asked about where it is likely."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from skiagraph.track.identity import IDENTITY, log_odds, probability
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult


def merged(results: Sequence[ScanResult]) -> ScanResult:
    """One result of several, each of a part of the same clip, in order and apart from each other.

    What lies between them was not looked at.
    """
    first, *others = results
    people, likely = list(first.people), list(first.likely)
    for result in others:
        people, likely = _joined(people, likely, result)
    faces = FaceTable(
        *(np.concatenate([getattr(r.faces, name) for r in results]) for name in ("frames", "boxes", "scores"))
    )
    gaps = tuple((before.end, after.begun - 1) for before, after in zip(results, others))
    last = results[-1]
    return replace(
        first,
        people=tuple(sorted(people, key=lambda p: (p.paths[0].first, p.key))),
        faces=faces,
        cuts=tuple(c for r in results for c in r.cuts),
        frames=last.frames,
        damage=last.damage,
        likely=tuple(likely),
        reached=last.reached,
        gaps=gaps,
    )


def _joined(
    people: list[FoundPerson], likely: list[tuple[int, int, float]], result: ScanResult
) -> tuple[list[FoundPerson], list[tuple[int, int, float]]]:
    """People so far and those of a later part. Nobody takes in two of the same part."""
    by = max((p.key for p in people), default=0)
    fresh = [
        replace(p, key=p.key + by, joins=tuple(replace(j, others=tuple(o + by for o in j.others)) for j in p.joins))
        for p in result.people
    ]
    likely = likely + [(a + by, b + by, p) for a, b, p in result.likely]
    chances = {
        (old.key, new.key): probability(log_odds(old.signature, new.signature, same_clip=True))
        for old in people
        for new in fresh
        if not old.doubtful and not new.doubtful and old.signature.tells and new.signature.tells
    }
    found = {p.key: p for p in [*people, *fresh]}
    gone: dict[int, int] = {}
    for (old, new), chance in sorted(chances.items(), key=lambda entry: -entry[1]):
        rivals = [c for (o, n), c in chances.items() if (o == old) != (n == new)]
        if (
            chance >= IDENTITY.join
            and max(rivals, default=0.0) < IDENTITY.join
            and old not in gone.values()
            and new not in gone
        ):
            gone[new] = old
            found[old] = _one(found[old], found.pop(new), chance)
        elif chance >= IDENTITY.propose and old not in gone.values() and new not in gone:
            likely.append((old, new, chance))
    likely = [(gone.get(a, a), gone.get(b, b), p) for a, b, p in likely]
    return list(found.values()), [entry for entry in likely if entry[0] != entry[1]]


def _one(old: FoundPerson, new: FoundPerson, chance: float) -> FoundPerson:
    """Two who are one person: keeps the earlier one's best face."""
    return replace(
        old,
        paths=(*old.paths, *new.paths),
        sure=min(old.sure, new.sure, chance),
        joins=(*old.joins, *new.joins),
        signature=type(old.signature).joined([old.signature, new.signature]),
    )
