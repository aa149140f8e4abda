"""Judging found faces: whose each is, and how much of it lies under complete covers. Three kinds of findings ask.

Kept for each sighting by itself, so that an edit costs what it changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from skiagraph.project.model import Clip, Scan, Sighting, Subject
from skiagraph.project.overlap import POINTS, distances, within
from skiagraph.project.rows import GROW, shapes_of
from skiagraph.remembering import Remembered
from skiagraph.review.finding import Scene

# Share of a found face that must be inside its cover. Of a profile, a detector's box holds up to a seventh of air.
INSIDE = 0.88
# A box this much wider than the head it is on was drawn at a wrong scale and says nothing of what is exposed.
TOO_LARGE = 1.2
# A face belongs to a subject when this much of it lies in the subject's head.
BELONGS = 0.5
# A face is where a head's face should be when their middles are no further apart than this share of the face, and the
# head is no smaller and no larger than these, in faces.
NEAR, NEAR_LEAST, NEAR_MOST = 0.6, 0.5, 2.4

# Faces are judged in pieces of so many frames.
PIECE_FRAMES = 1500

_JUDGED = Remembered(128 << 20, size=lambda made: made.size)
_SEEN, _PIECES = Remembered(64 << 20), Remembered(64 << 20)
_ONES = np.array([bin(n).count("1") for n in range(256)], np.uint8)


@dataclass(frozen=True, slots=True, eq=False)
class Judged:
    """faces: rows of the scan's table; owner: index of the subject each belongs to, -1 nobody; inside: share of it
    under complete covers."""

    owner: np.ndarray
    inside: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.owner.nbytes + self.inside.nbytes


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class _Part:
    """One sighting and the faces near it: rows of the table; share of each in the head, bits of the points inside the
    cover; near; head's width."""

    rows: np.ndarray
    in_head: np.ndarray
    in_cover: np.ndarray
    near: np.ndarray
    width: np.ndarray

    @property
    def size(self) -> int:
        return sum(a.nbytes for a in (self.rows, self.in_head, self.in_cover, self.near, self.width))


def points_of(boxes: np.ndarray) -> np.ndarray:
    """Points of the faces themselves, the ellipses inside the detector's boxes (n, 4): (n, m, 2) px."""
    boxes = np.asarray(boxes, float)
    half = (boxes[:, 2:] - boxes[:, :2]) / 2
    points = np.empty((len(boxes), len(POINTS), 2))
    for axis in range(2):
        np.multiply(half[:, axis, None], POINTS[:, axis], out=points[..., axis])
        points[..., axis] += (boxes[:, axis] + half[:, axis])[:, None]
    return points


def within_heads(
    scene: Scene,
    subjects: Iterable[Subject],
    frames: np.ndarray,
    boxes: np.ndarray,
    grown: Callable[[Subject, np.ndarray], np.ndarray | float],
) -> np.ndarray:
    """Which points of faces, in some frames, lie within the heads of some subjects there: bool (n, m). grown: by how
    much these reach further, in their unit frame, of a subject and its rows, as project.rows has them."""
    points = points_of(boxes)
    inside = np.zeros(points.shape[:2], bool)
    for subject in subjects:
        for sighting in scene.sightings(subject):
            rows = scene.rows(sighting)
            here = np.flatnonzero((frames >= sighting.first) & (frames < sighting.first + len(rows)))
            rows = rows[frames[here] - sighting.first]
            inside[here] |= within(points[here], rows, shapes_of(sighting, frames[here]), grown(subject, rows))
    return inside


def in_picture(points: np.ndarray, clip: Clip) -> np.ndarray:
    """Which points (n, m, 2) are inside the picture; of a face that is wholly outside, all."""
    seen = (
        (points[..., 0] >= 0) & (points[..., 1] >= 0) & (points[..., 0] < clip.width) & (points[..., 1] < clip.height)
    )
    return seen | ~seen.any(axis=1, keepdims=True)


def judged(scene: Scene) -> Judged:
    """Every face of the scan's table judged.

    A face belongs to the subject whose head holds most of it; of a subject that is shown all of it counts as inside.
    """
    table, subjects = scene.scan.faces, scene.project.subjects
    seen = _SEEN.get((scene.clip, scene.scan), "seen", lambda: _seen(table.boxes, scene.clip))
    parts = [
        (n, subject.is_covered, part)
        for n, subject in enumerate(subjects)
        if subject.of.hides
        for sighting in scene.sightings(subject)
        if len((part := _part(scene, subject, sighting, seen)).rows)
    ]
    owner, inside = np.full(len(table), -1, np.int32), np.zeros(len(table), np.float32)
    # A part of the clip in which nobody changed is not judged again.
    for begin in range(0, scene.clip.frames, PIECE_FRAMES):
        low, high = np.searchsorted(table.frames, (begin, begin + PIECE_FRAMES))
        here = [(n, covered, part) for n, covered, part in parts if part.rows[0] < high and part.rows[-1] >= low]
        if low < high and here:
            who = tuple((n, covered) for n, covered, _ in here)
            made = _PIECES.get(
                (scene.scan, *(part for *_, part in here)),
                (begin, who),
                lambda: _judge_piece(table.boxes, seen, here, int(low), int(high)),
            )
            owner[low:high], inside[low:high] = made.owner, made.inside
    return Judged(owner, inside)


def _seen(boxes: np.ndarray, clip: Clip) -> np.ndarray:
    """Which points of each face are inside the picture, as bits."""
    seen = np.tile(np.packbits(np.ones((1, len(POINTS)), bool), axis=1), (len(boxes), 1))
    out = (boxes[:, :2] < 0).any(axis=1) | (boxes[:, 2] > clip.width) | (boxes[:, 3] > clip.height)
    seen[out] = np.packbits(in_picture(points_of(boxes[out]), clip), axis=1)
    return seen


def _judge_piece(
    boxes: np.ndarray, seen: np.ndarray, parts: list[tuple[int, bool, _Part]], low: int, high: int
) -> Judged:
    """Rows low .. high of the table judged by the sightings near them: (subject's index, covered, its part) each."""
    owner, inside = np.full(high - low, -1, np.int32), np.zeros(high - low, np.float32)
    spans = [slice(*np.searchsorted(p.rows, (low, high))) for *_, p in parts]
    rows = np.concatenate([p.rows[span] for (*_, p), span in zip(parts, spans)])
    if not len(rows):
        return Judged(owner, inside)
    counts = [span.stop - span.start for span in spans]
    who, covered = np.repeat([n for n, *_ in parts], counts), np.repeat([c for _, c, _ in parts], counts)
    in_head, near, width, bits = (
        np.concatenate([getattr(p, name)[span] for (*_, p), span in zip(parts, spans)])
        for name in ("in_head", "near", "width", "in_cover")
    )
    claim = np.where(in_head > BELONGS, in_head, np.where(near, BELONGS, -1.0))
    order = np.lexsort((np.arange(len(rows)), -claim, rows))
    first = np.flatnonzero(np.diff(rows[order], prepend=-1))
    best = order[first]
    claimed = claim[best] > 0
    owner[rows[best[claimed]] - low] = who[best[claimed]]
    # What is hidden by any cover is hidden.
    hidden = np.bitwise_or.reduceat(np.where(covered[:, None], bits, 0).astype(np.uint8)[order], first, axis=0)
    there = rows[order][first]
    inside[there - low] = _ONES[hidden & seen[there]].sum(axis=1) / _ONES[seen[there]].sum(axis=1)
    side = boxes[rows[best], 2].astype(float) - boxes[rows[best], 0]
    free = claimed & (~covered[best] | (side > TOO_LARGE * width[best]))
    inside[rows[best[free]] - low] = 1.0
    return Judged(owner, inside)


def _part(scene: Scene, subject: Subject, sighting: Sighting, seen: np.ndarray) -> _Part:
    margin = scene.project.style_of(subject).margin
    return _JUDGED.get(
        (scene.scan, sighting),
        ("part", round(margin, 4), scene.clip.frames),
        lambda: _judge(scene, scene.scan, sighting, margin, seen),
    )


def _judge(scene: Scene, scan: Scan, sighting: Sighting, margin: float, seen: np.ndarray) -> _Part:
    table, rows = scan.faces, scene.rows(sighting)
    span = slice(
        int(np.searchsorted(table.frames, sighting.first)),
        int(np.searchsorted(table.frames, sighting.first + len(rows))),
    )
    boxes, heads = table.boxes[span].astype(float), rows[table.frames[span] - sighting.first]
    side = boxes[:, 2] - boxes[:, 0]
    away = np.abs((boxes[:, :2] + boxes[:, 2:]) / 2 - heads[:, :2])
    reach = np.maximum(heads[:, 2], heads[:, 3]) * (1 + margin + heads[:, GROW]) / 2 + np.maximum(
        side, boxes[:, 3] - boxes[:, 1]
    )
    close = np.flatnonzero((away < reach[:, None]).all(axis=1))
    boxes, heads, side = boxes[close], heads[close], side[close]
    points, visible = points_of(boxes), seen[span][close]
    away = distances(points, heads, shapes_of(sighting, table.frames[span][close]))
    in_head = np.packbits(away <= 1e-6, axis=1) & visible
    middle = np.hypot(
        (boxes[:, 0] + boxes[:, 2]) / 2 - heads[:, 0],
        (boxes[:, 1] + boxes[:, 3]) / 2 - (heads[:, 1] + 0.1 * heads[:, 3]),
    )
    size = heads[:, 2] / np.maximum(side, 1)
    return _Part(
        span.start + close,
        (_ONES[in_head].sum(axis=1) / np.maximum(_ONES[visible].sum(axis=1), 1)).astype(np.float32),
        np.packbits(away <= margin + heads[:, GROW, None] + 1e-6, axis=1),
        (middle < NEAR * side) & (size > NEAR_LEAST) & (size < NEAR_MOST),
        heads[:, 2].astype(np.float32),
    )


def judged_once(scene: Scene) -> Judged:
    """The same, made once for the kinds that ask one after another."""
    styles = tuple((s.is_covered, round(scene.project.style_of(s).margin, 4)) for s in scene.project.subjects)
    return _LATEST.get((scene.clip, scene.scan, scene.project.decisions), styles, lambda: judged(scene))


_LATEST = Remembered(4096, size=lambda made: 1)
