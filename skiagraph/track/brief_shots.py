"""Shots of a frame or two, which are none: a photographer's flash in the first or the last frame of a shot.

Nobody is surely found in such a frame, so who is there just before or just after is covered in it, too.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from skiagraph.track.cuts import CUTS
from skiagraph.track.path import Path


@dataclass(frozen=True, slots=True)
class BriefShotSettings:
    """Set by benchmarks/degraded.py (flashes at cuts)."""

    # frames of shots in a row that are too short to be any, beyond which they are a whip pan; larger: covers are held
    # for longer where nothing can be recognised
    most: int = 3
    # confidence of a cover that is held there: as little as asks nothing by itself
    sure: float = 0.36


BRIEF = BriefShotSettings()


def brief_shots(cuts: Sequence[int], frames: int) -> list[tuple[int, int]]:
    """First and last frame of each row of shots too short to be any (CutSettings.least_shot) that is no whip pan. cuts:
    frames with which shots begin; frames: of the clip."""
    bounds, rows = [0, *cuts, frames], []
    for first, after in zip(bounds, bounds[1:]):
        if after - first < CUTS.least_shot:
            if rows and rows[-1][1] == first - 1:
                first = rows.pop()[0]
            rows.append((first, after - 1))
    return [(first, last) for first, last in rows if last - first < BRIEF.most]


def held_in_brief(path: Path, brief: Sequence[tuple[int, int]]) -> Path:
    """A path that goes on through the brief shots it ends before, and begins with those it begins after."""
    before = next((last - first + 1 for first, last in brief if last + 1 == path.first), 0)
    after = next((last - first + 1 for first, last in brief if first - 1 == path.last), 0)
    return path.held(before, after, BRIEF.sure)
