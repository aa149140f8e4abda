"""Heads in profile: their covers reach further where the face is.

The box of a face in profile ends at the tip of the nose, a side of the box ahead of the middle of its head
(track.heads); an ellipse around the head with the default margin ends after 0.94 sides, and sooner at the height of the
chin. Where somebody looks to the side, the box of the face lies on that side of the head, by which it is known. It is
added when all else is known, so that nobody is followed or told apart by it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from skiagraph.boxes import xyxy_to_cxcywh
from skiagraph.lazily import ndimage
from skiagraph.track.camera import Views
from skiagraph.track.heads import HEAD_BOX
from skiagraph.track.leaning import holding
from skiagraph.track.path import Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class ProfileSettings:
    """In sides of the face's box, or as shares of its size where they say so.

    By the geometry of track.heads a face in profile lies half a side ahead of its head's middle, one that is half
    turned less than a fifth. Held against benchmarks/quality.py and benchmarks/degraded.py (meetings, lamps: three
    leaks in no finding to none); what of it is for turned heads by benchmarks/quality.py (unseen: eleven to one,
    behind, club).
    """

    # how far a face lies ahead of the middle of its head: from the first of these it is turned, from the second it is
    # in profile; smaller: more covers are larger
    turned: tuple[float, float] = (0.2, 0.45)
    # score from which a face shows how large its whole head is; less sure ones are compared with those
    sure: float = 0.8
    # deviation, in sure faces, of the filter on their sizes
    steady: float = 2.0
    # seconds before and after within which a head was and is as large as it is taken to be; larger: longer turns are
    # known
    around_s: float = 2.0
    # share by which a face is found smaller than before and after: from the first its head may have turned, from the
    # second it has. Sizes of facing heads differ by a tenth now and then. smaller: more covers are wider (crowd, every
    # frame: twice the cover beyond 1.7 heads from 0.05 and 0.1)
    narrower: tuple[float, float] = (0.10, 0.14)
    # such shares for a face that is found higher as well, as hair is: by how much smaller and by how much higher
    # together. smaller: more covers are wider (unseen-4-alike, every frame: no leak up to 0.15 and 0.22; turned: one
    # frame more from 0.12 and 0.2)
    narrower_and_higher: tuple[float, float] = (0.10, 0.18)
    # share of its side by which a face is found higher than before and after: from the first of these it may be hair,
    # from the second it is; facing ones differ by 0.03. smaller: covers of who nods reach further down
    higher: tuple[float, float] = (0.12, 0.19)
    # share of its side higher from which the whole head went up, as of who stands up
    stands: float = 0.6
    # share by which a head in profile is wider than from the front: anthropometry has 1.25 for length against breadth
    # of the skull, and the nose stands before it; larger: wider covers
    wider: float = 0.3
    # share of its height by which the cover of a turned head reaches further down: what is found of a head from behind
    # is hair, too high
    chin: float = 0.2
    # sides of the face by which the cover of a face in profile reaches further ahead
    ahead: float = 0.12
    # sides of the face by which it reaches further down
    below: float = 0.08
    # frames before and after a found face in which the cover holds it too, in its place on the head: boxes of faces in
    # profile tremble by a tenth; larger: wider covers
    holds: int = 1
    # confidence at most of where a head is that has turned: what is found of it is hair, and covers of unsure ones are
    # larger (project.rows); smaller: wider covers (unseen-4-alike, every frame: 0.6 leaves four leaks of six, 0.5 none)
    turned_sure: float = 0.5


def reaching_ahead(stretches: Sequence[Stretch], settings: ProfileSettings = ProfileSettings()) -> list[Stretch]:
    """The same stretches, no row of them smaller."""
    return [replace(s, path=_reaching(s, settings)) if s.faces else s for s in stretches]


def wide_while_turned(
    stretches: Sequence[Stretch],
    rate: float,
    views: Views,
    coloured: Collection[int] = (),
    cuts: Collection[int] = (),
    settings: ProfileSettings = ProfileSettings(),
) -> list[Stretch]:
    """The same stretches, no row of them smaller: wider, and further down, where a face is found smaller for a while
    than before and after, or higher. That head did not go away and come back, nor jump; it has turned, and what is
    found of it from behind is hair.

    rate: frames a second; views: what the camera did, with which heads go up and down too; coloured: frames in whose
    light sizes and places say little, so that covers only reach further down in them; cuts: frames with which shots
    begin.
    """
    strange = np.array(sorted(coloured), int)
    return [
        replace(s, path=_wide(s, rate, views, strange, parted, settings))
        for s, parted in zip(stretches, _parted(stretches, frozenset(cuts)))
    ]


def _parted(stretches: Sequence[Stretch], cuts: Collection[int]) -> list[tuple[bool, bool]]:
    """Of each stretch, whether it was parted at its beginning, and at its end, from one that is at the same place a
    frame before or after: who went on as whom was not known (track.meetings)."""
    begins: dict[int, list[Path]] = {}
    ends: dict[int, list[Path]] = {}
    for s in stretches:
        begins.setdefault(s.path.first, []).append(s.path)
        ends.setdefault(s.path.last, []).append(s.path)

    def beside(path: Path, row: int, others: list[Path], theirs: int) -> bool:
        return any(
            np.hypot(other.cx[theirs] - path.cx[row], other.cy[theirs] - path.cy[row]) < path.width[row]
            for other in others
        )

    return [
        (
            s.path.first not in cuts and beside(s.path, 0, ends.get(s.path.first - 1, []), -1),
            s.path.last + 1 not in cuts and beside(s.path, -1, begins.get(s.path.last + 1, []), 0),
        )
        for s in stretches
    ]


def _before_and_after(values: np.ndarray, reach: int, parted: tuple[bool, bool]) -> np.ndarray:
    """Of each of (n,) values the largest of so many up to it, and of so many from it on: the smaller of both, which was
    reached before and is again. Where a path was parted, one of them is enough."""
    largest = sliding_window_view(np.pad(values, reach, constant_values=-np.inf), reach + 1).max(axis=1)
    before, after = largest[: len(values)], largest[reach:]
    known_before, known_after = np.full(len(values), not parted[0]), np.full(len(values), not parted[1])
    known_before[reach:] = known_after[:-reach] = True
    return np.where(
        known_before & known_after,
        np.minimum(before, after),
        np.where(known_before, before, np.where(known_after, after, np.maximum(before, after))),
    )


def _rising(amount: np.ndarray, bounds: tuple[float, float]) -> np.ndarray:
    """0 up to the first of two bounds, 1 from the second on."""
    return np.clip((amount - bounds[0]) / (bounds[1] - bounds[0]), 0, 1)


def _wide(
    stretch: Stretch,
    rate: float,
    views: Views,
    coloured: np.ndarray,
    parted: tuple[bool, bool],
    settings: ProfileSettings,
) -> Path:
    path = stretch.path
    found = sorted((face for face in stretch.faces if path.first <= face[0] <= path.last), key=lambda face: face[0])
    if sum(score >= settings.sure for _, _, score in found) < 2:
        return path
    frames, boxes = np.array([frame for frame, _, _ in found]), np.array([box for _, box, _ in found], float)
    low = views.down(frames, (boxes[:, :2] + boxes[:, 2:]) / 2, path.angle[frames - path.first])
    faces = np.column_stack([frames, boxes[:, 2] - boxes[:, 0], low])
    sure = faces[np.array([score for _, _, score in found]) >= settings.sure]
    every, reach = np.arange(path.first, path.last + 1), round(settings.around_s * rate)

    def steadied(found: np.ndarray, column: int) -> np.ndarray:
        return np.interp(
            every, found[:, 0], ndimage.gaussian_filter1d(found[:, column], settings.steady, mode="nearest")
        )

    now, high = steadied(faces, 1), steadied(faces, 2)
    # Where a path was parted, sizes of two people may follow on one another.
    whole = _before_and_after(steadied(sure, 1), reach, (False, False))
    raised = (_before_and_after(steadied(sure, 2), reach, parted) - high) * views.scale(every) / whole
    strange = np.isin(every, coloured)
    # Whoever is much higher has stood up.
    from_behind = _rising(raised, settings.higher) * (raised <= settings.stands)
    higher = np.where(raised <= settings.stands, np.maximum(raised, 0), 0)
    smaller = 1 - now / whole
    turned = (
        np.maximum.reduce(
            [_rising(smaller, settings.narrower), _rising(smaller + higher, settings.narrower_and_higher), from_behind]
        )
        * ~strange
    )
    if not turned.any() and not from_behind.any():
        return path
    rows = path.rows().astype(float)
    rows[:, 2] += turned * np.maximum(HEAD_BOX.width * (1 + settings.wider) * whole - rows[:, 2], 0)
    lower = np.maximum(
        turned * np.maximum(HEAD_BOX.height * (1 + settings.chin) * whole - rows[:, 3], 0),
        np.maximum(turned, from_behind) * higher * whole,
    )
    lean = np.radians(rows[:, 4])
    rows[:, :2] += (lower / 2)[:, None] * np.stack([-np.sin(lean), np.cos(lean)], axis=1)
    rows[:, 3] += lower
    rows[:, 5] = np.minimum(rows[:, 5], 1 - turned * (1 - settings.turned_sure))
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def _reaching(stretch: Stretch, settings: ProfileSettings) -> Path:
    path = stretch.path
    faces = sorted(
        ((frame, box) for frame, box, _ in stretch.faces if path.first <= frame <= path.last), key=lambda f: f[0]
    )
    if not faces:
        return path
    frames, boxes = np.array([frame for frame, _ in faces]), np.array([box for _, box in faces], float)
    rows = path.rows().astype(float)
    lean = np.radians(rows[:, 4])
    along, down = np.stack([np.cos(lean), np.sin(lean)], axis=1), np.stack([-np.sin(lean), np.cos(lean)], axis=1)
    at = frames - path.first
    side = np.maximum(boxes[:, 2] - boxes[:, 0], 1.0)
    aside = (((boxes[:, :2] + boxes[:, 2:]) / 2 - rows[at, :2]) * along[at]).sum(axis=1) / side
    turned = np.sign(aside) * np.clip(
        (np.abs(aside) - settings.turned[0]) / (settings.turned[1] - settings.turned[0]), 0, 1
    )
    # Between the frames in which a face was found, and beside them, it is as it was found there.
    every = np.arange(path.first, path.last + 1)
    further = np.interp(every, frames, turned * side)
    if not further.any():
        return path
    ahead, below = settings.ahead * further, settings.below * np.abs(further)
    rows[:, :2] += (ahead / 2)[:, None] * along + (below / 2)[:, None] * down
    rows[:, 2] += np.abs(ahead)
    rows[:, 3] += below
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def holding_faces(stretches: Sequence[Stretch], settings: ProfileSettings = ProfileSettings()) -> list[Stretch]:
    """The same stretches, no row of them smaller: each holds the faces found in it and just beside it, in their place
    on the head.

    When all else is known: a cover that is wider on one side has its middle elsewhere, and would not be on its way any
    more (both_places).
    """
    return [replace(s, path=_holding(s, settings.holds)) if s.faces else s for s in stretches]


def _holding(stretch: Stretch, around: int) -> Path:
    path, rows = stretch.path, stretch.path.rows().astype(float)
    faces = [(frame - path.first, box) for frame, box, _ in stretch.faces if path.first <= frame <= path.last]
    if not faces:
        return path
    at, boxes = np.array([row for row, _ in faces]), np.array([box for _, box in faces], float)
    held_by, held = [], []
    for step in range(-around, around + 1):
        to = at + step
        inside = (to >= 0) & (to < len(rows))
        # Boxes of faces are squares that lean as their heads do, and faces to their corners; in a frame beside theirs
        # they are in the same place on the head.
        faces = rows[to[inside]]
        faces[:, :2] += xyxy_to_cxcywh(boxes[inside])[:, :2] - rows[at[inside], :2]
        faces[:, 2:4] = xyxy_to_cxcywh(boxes[inside])[:, 2:]
        held_by.append(to[inside])
        held.append(faces)
    rows[:, :4] = holding(rows, np.concatenate(held_by), np.concatenate(held), corners=1.0)
    return Path.from_rows(path.first, rows, path.origin, path.lean)
