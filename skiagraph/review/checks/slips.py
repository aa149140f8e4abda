"""A cover that leaves its way for some frames and comes back: whoever is under it is where they would be, and not where
the cover is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from skiagraph.lazily import ndimage
from skiagraph.project.overlap import head_points, within
from skiagraph.project.rows import CX, CY, GROW, HEIGHT, WIDTH, shapes_of
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@dataclass(frozen=True, slots=True)
class SlipSettings:
    """step: widths of the head that a cover moves in one frame, beyond what it moves in the frames around, from which
    that is a step; size: share by which it grows or shrinks in one frame; window: frames, odd, that count as around;
    longest: frames after which it has to be back; covered: share of the head, where it would be on a straight line,
    that has to be under covers. Larger values of the first two, and smaller of the last, find less. Heads move by a
    third of their width in a frame only at a run (measured on walks and runs of the films in benchmarks/scenes.py:
    under 0.12 beyond those around)."""

    step: float = 0.25
    size: float = 0.2
    window: int = 9
    longest: int = 12
    covered: float = 0.85


SLIPS = SlipSettings()


@finding_kind
class Slips(FindingKind):
    reason, word, exposing = Reason.SLIPS, "Slips", True

    def among(self, scene, subject, sightings, others):
        margin = scene.project.style_of(subject).margin
        for sighting in sightings:
            rows = scene.rows(sighting)
            for first, last in slips(rows):
                share = np.linspace(0, 1, last - first + 3)[1:-1, None]
                straight = rows[first - 1] + (rows[last + 1] - rows[first - 1]) * share
                points, frames = head_points(straight), np.arange(first, last + 1) + sighting.first
                here = rows[first : last + 1]
                inside = within(points, here, shapes_of(sighting, frames), margin + here[:, GROW])
                inside |= _under(scene, others, frames, points)
                covered = inside.mean(axis=1)
                if covered.min() < SLIPS.covered:
                    at = int(np.argmin(covered))
                    yield Finding(
                        scene.clip.key,
                        subject.key,
                        self.reason,
                        int(frames[0]),
                        int(frames[-1]),
                        round(float(covered[at]), 3),
                        int(frames[at]),
                    )

    def sentence(self, project, finding, told):
        return (
            f"The cover of {told.name} leaves its way at {told.where} for {told.count} and comes back:"
            f" {1 - finding.worst:.0%} of the head may be bare. Look, and move the outline if it slipped."
        )


def _under(scene, others, frames: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Which of the points (n, m, 2) lie under the covers of others in their frames: bool (n, m)."""
    under = np.zeros(points.shape[:2], bool)
    for other, theirs in others:
        over = scene.rows(theirs)
        there = np.flatnonzero((frames >= theirs.first) & (frames < theirs.first + len(over)))
        if len(there):
            rows = over[frames[there] - theirs.first]
            under[there] |= within(
                points[there],
                rows,
                shapes_of(theirs, frames[there]),
                scene.project.style_of(other).margin + rows[:, GROW],
            )
    return under


def slips(rows: np.ndarray) -> Iterator[tuple[int, int]]:
    """Stretches of rows (n, 5 or more) between a step and the one that takes it back: first and last, both included."""
    if len(rows) < 3:
        return
    width = np.maximum(rows[:, WIDTH], 1.0)
    moved = np.diff(rows[:, [CX, CY]], axis=0) / width[:-1, None]
    usual = ndimage.median_filter(moved, size=(min(SLIPS.window, 2 * (len(moved) // 2) + 1), 1), mode="nearest")
    size = np.diff(np.log(np.maximum(rows[:, [WIDTH, HEIGHT]], 1.0)), axis=0)
    beyond = np.hypot(*(moved - usual).T)
    steps = np.flatnonzero((beyond > SLIPS.step) | (np.abs(size).max(axis=1) > SLIPS.size)) + 1
    done = -1
    for n, begin in enumerate(steps):
        if begin <= done:
            continue
        for end in steps[n + 1 :]:
            if end - begin > SLIPS.longest:
                break
            # Back on the line that it left.
            away = np.abs(rows[end] - rows[begin - 1])
            gone = np.abs(rows[begin] - rows[begin - 1])
            steady = np.abs(usual[begin - 1]) * (end - begin + 1)
            back = np.hypot(*away[[CX, CY]]) / width[begin - 1] - np.hypot(*steady)
            if (
                back < SLIPS.step + 0.5 * np.hypot(*gone[[CX, CY]]) / width[begin - 1]
                and abs(np.log(rows[end, WIDTH] / rows[begin - 1, WIDTH])) < SLIPS.size
            ):
                yield int(begin), int(end - 1)
                done = end
                break
