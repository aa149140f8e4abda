"""Judging found faces: whose each is, and how much of it lies under complete covers. Three kinds of findings ask.

Kept for each sighting by itself, so that an edit costs what it changed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.project.model import Clip, Scan, Sighting, Subject
from skiagraph.project.overlap import POINTS, within
from skiagraph.project.rows import GROW
from skiagraph.remembering import Remembered
from skiagraph.review.finding import Scene

# Share of a found face that must be inside its cover. Of a profile, a detector's box holds up to a seventh of air.
INSIDE = 0.88
# A box this much wider than the head it is on was drawn at a wrong scale and says nothing of what is exposed.
TOO_LARGE = 1.2
# A face belongs to a subject when this much of it lies in the subject's head.
BELONGS = 0.5
# A face is where a head's face should be when their middles are no further apart than this share of the face, and the head is no
# smaller and no larger than these, in faces.
NEAR, NEAR_LEAST, NEAR_MOST = 0.6, 0.5, 2.4

_JUDGED = Remembered(128 << 20, size=lambda made: made.size)
_SEEN = Remembered(64 << 20)
_ONES = np.array([bin(n).count("1") for n in range(256)], np.uint8)


@dataclass(frozen=True, slots=True)
class Judged:
    """faces: rows of the scan's table; owner: index of the subject each belongs to, -1 nobody; inside: share of it under complete covers."""

    owner: np.ndarray
    inside: np.ndarray


@dataclass(frozen=True, slots=True)
class _Part:
    """One sighting and the faces near it: rows of the table; share of each in the head, bits of the points inside the cover; near; head's width."""

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
    return (boxes[:, None, :2] + boxes[:, None, 2:]) / 2 + POINTS[None] * (boxes[:, None, 2:] - boxes[:, None, :2]) / 2


def in_picture(points: np.ndarray, clip: Clip) -> np.ndarray:
    """Which points (n, m, 2) are inside the picture; of a face that is wholly outside, all."""
    seen = (points[..., 0] >= 0) & (points[..., 1] >= 0) & (points[..., 0] < clip.width) & (points[..., 1] < clip.height)
    return seen | ~seen.any(axis=1, keepdims=True)


def judged(scene: Scene) -> Judged:
    """Every face of the scan's table judged. A face belongs to the subject whose head holds most of it; of a subject that is shown all of
    it counts as inside."""
    table, subjects = scene.scan.faces, scene.project.subjects
    seen = _SEEN.get((scene.clip, scene.scan), "seen", lambda: np.packbits(in_picture(points_of(table.boxes), scene.clip), axis=1))
    parts = [(n, subject, _part(scene, subject, sighting, seen)) for n, subject in enumerate(subjects) for sighting in scene.sightings(subject)]
    owner, inside = np.full(len(table), -1, np.int32), np.zeros(len(table), np.float32)
    parts = [entry for entry in parts if len(entry[2].rows)]
    if not parts:
        return Judged(owner, inside)
    rows = np.concatenate([p.rows for _, _, p in parts])
    who = np.concatenate([np.full(len(p.rows), n, np.int32) for n, _, p in parts])
    covered = np.concatenate([np.full(len(p.rows), s.is_covered) for _, s, p in parts])
    in_head, near = np.concatenate([p.in_head for _, _, p in parts]), np.concatenate([p.near for _, _, p in parts])
    width = np.concatenate([p.width for _, _, p in parts])
    claim = np.where(in_head > BELONGS, in_head, np.where(near, BELONGS, -1.0))
    order = np.lexsort((np.arange(len(rows)), -claim, rows))
    first = np.flatnonzero(np.diff(rows[order], prepend=-1))
    best = order[first]
    claimed = claim[best] > 0
    owner[rows[best[claimed]]] = who[best[claimed]]
    # What is hidden by any cover is hidden.
    bits = np.concatenate([p.in_cover for _, _, p in parts])
    bits = np.where(covered[:, None], bits, 0)[order]
    hidden = np.bitwise_or.reduceat(bits, first, axis=0)
    there = rows[order][first]
    inside[there] = _ONES[hidden & seen[there]].sum(axis=1) / _ONES[seen[there]].sum(axis=1)
    boxes = table.boxes[rows[best]].astype(float)
    free = claimed & (~covered[best] | (boxes[:, 2] - boxes[:, 0] > TOO_LARGE * width[best]))
    inside[rows[best[free]]] = 1.0
    return Judged(owner, inside)


def _part(scene: Scene, subject: Subject, sighting: Sighting, seen: np.ndarray) -> _Part:
    margin = scene.project.style_of(subject).margin
    return _JUDGED.get((scene.scan, sighting), ("part", round(margin, 4), scene.clip.frames), lambda: _judge(scene, scene.scan, sighting, margin, seen))


def _judge(scene: Scene, scan: Scan, sighting: Sighting, margin: float, seen: np.ndarray) -> _Part:
    table, rows = scan.faces, scene.rows(sighting)
    span = slice(int(np.searchsorted(table.frames, sighting.first)), int(np.searchsorted(table.frames, sighting.first + len(rows))))
    boxes, heads = table.boxes[span].astype(float), rows[table.frames[span] - sighting.first]
    side = boxes[:, 2] - boxes[:, 0]
    away = np.abs((boxes[:, :2] + boxes[:, 2:]) / 2 - heads[:, :2])
    reach = np.maximum(heads[:, 2], heads[:, 3]) * (1 + margin + heads[:, GROW]) / 2 + np.maximum(side, boxes[:, 3] - boxes[:, 1])
    close = np.flatnonzero((away < reach[:, None]).all(axis=1))
    boxes, heads, side = boxes[close], heads[close], side[close]
    points, visible = points_of(boxes), seen[span][close]
    in_head = np.packbits(within(points, heads, sighting.shape), axis=1) & visible
    middle = np.hypot((boxes[:, 0] + boxes[:, 2]) / 2 - heads[:, 0], (boxes[:, 1] + boxes[:, 3]) / 2 - (heads[:, 1] + 0.1 * heads[:, 3]))
    size = heads[:, 2] / np.maximum(side, 1)
    return _Part(span.start + close, (_ONES[in_head].sum(axis=1) / np.maximum(_ONES[visible].sum(axis=1), 1)).astype(np.float32),
                 np.packbits(within(points, heads, sighting.shape, margin + heads[:, GROW]), axis=1),
                 (middle < NEAR * side) & (size > NEAR_LEAST) & (size < NEAR_MOST), heads[:, 2].astype(np.float32))


def judged_once(scene: Scene) -> Judged:
    """The same, made once for the kinds that ask one after another."""
    styles = tuple((s.is_covered, round(scene.project.style_of(s).margin, 4)) for s in scene.project.subjects)
    return _LATEST.get((scene.clip, scene.scan, scene.project.decisions), styles, lambda: judged(scene))


_LATEST = Remembered(4096, size=lambda made: 1)
