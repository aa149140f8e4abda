"""What is hardly a face: as few questions of it as there are places, and none where a head is known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.boxes import area, intersection
from skiagraph.track.path import FOUND
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class DoubtfulSettings:
    """inside: share of a face's box that lies in the box of a known head for it to be a part of that; most: share of its frames in which it has to be; sure: confidence from which a followed head counts as known.
    same_s: seconds after which something at the same place is something else; away: how far it may be from where it was, in heads; grown: how many times larger or smaller. Larger values of all but
    inside, most and sure ask less. Chosen by hand: what is left out lies under the cover of the known head, and what is put together stays covered."""

    inside: float = 0.7
    most: float = 0.5
    sure: float = 0.5
    same_s: float = 2.0
    away: float = 0.8
    grown: float = 1.6


def without_inside(stretches: Sequence[Stretch], settings: DoubtfulSettings = DoubtfulSettings()) -> list[Stretch]:
    """Stretches without doubtful ones that lie inside a known head for most of their time: parts of it, of which a follower knows where it is though no face was found."""
    known = [s.path for s in stretches if not s.doubtful]

    def is_part(stretch: Stretch) -> bool:
        inside = 0
        for frame, face, _ in stretch.faces:
            heads = np.array([p.boxes()[frame - p.first] for p in known if p.first <= frame <= p.last and (p.origin[frame - p.first] == FOUND or p.confidence[frame - p.first] >= settings.sure)]).reshape(-1, 4)
            inside += bool(len(heads) and (intersection(np.asarray(face)[None], heads)[0] >= settings.inside * area(face)[0]).any())
        return inside > settings.most * len(stretch.faces)

    return [s for s in stretches if not (s.doubtful and is_part(s))]


def at_one_place(stretches: Sequence[Stretch], rate: float, settings: DoubtfulSettings = DoubtfulSettings()) -> list[list[int]]:
    """Rows of doubtful stretches that are one thing, seen now and then at one place: groups of two or more."""
    groups: list[list[int]] = []
    for row in sorted((n for n, s in enumerate(stretches) if s.doubtful), key=lambda n: stretches[n].path.first):
        mine = next((g for g in groups if _goes_on(stretches[g[-1]], stretches[row], rate, settings)), None)
        if mine is None:
            groups.append([row])
        else:
            mine.append(row)
    return [g for g in groups if len(g) > 1]


def _goes_on(before: Stretch, after: Stretch, rate: float, settings: DoubtfulSettings) -> bool:
    if not 0 < after.path.first - before.path.last <= settings.same_s * rate:
        return False
    a, b = before.path.rows()[-1], after.path.rows()[0]
    size = max(float(a[2]), float(b[2]))
    return bool(np.hypot(*(a[:2] - b[:2])) <= settings.away * size and max(a[3], b[3]) <= settings.grown * min(a[3], b[3]))
