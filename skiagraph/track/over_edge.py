"""Whoever comes in over the edge of the picture, or leaves over it, is covered as far inside it as they were found
last.

Of a head that is half in the picture no detector finds the face, and a follower has little to go by; where the camera
is moved just then, it may be half a head off, which is all that is seen of it. What is covered for nothing is little,
as most of it lies outside the picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.track.leaning import around_both, sides_beyond
from skiagraph.track.path import FOUND, Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class OverEdgeSettings:
    """Set by benchmarks/quality.py (handheld, stepping: two leaks to none)."""

    # widths, or heights, from the edge within which a found head has just come in, or is about to leave; larger: more
    # covers are wider
    near: float = 0.3
    # seconds before it was found first, and after it was last, in which its place inside the picture is covered;
    # larger: wider covers for longer
    holds_s: float = 0.2
    # confidence of where it was followed to from which that is known; larger: more covers are wider
    sure: float = 0.7


def held_over_edge(
    stretches: Sequence[Stretch], size: tuple[int, int], rate: float, settings: OverEdgeSettings = OverEdgeSettings()
) -> list[Stretch]:
    """The same stretches, no row of them smaller. size: of the picture, px; rate: frames a second."""
    return [
        replace(s, path=_held(s.path, size, round(settings.holds_s * rate), settings)) if s.faces else s
        for s in stretches
    ]


def _held(path: Path, size: tuple[int, int], frames: int, settings: OverEdgeSettings) -> Path:
    found = np.flatnonzero(path.origin == FOUND)
    if not len(found):
        return path
    rows = path.rows().astype(float)
    for inside, at in (
        (int(found[0]), slice(max(0, int(found[0]) - frames), int(found[0]))),
        (int(found[-1]), slice(int(found[-1]) + 1, int(found[-1]) + 1 + frames)),
    ):
        beyond = sides_beyond(rows[at], size) & sides_beyond(rows[inside], size, 1 + 2 * settings.near)
        held = beyond.any(axis=1) & (rows[at, 5] < settings.sure)
        if held.any():
            wider = around_both(rows[at], np.repeat(rows[inside][None], len(held), axis=0))
            rows[at, :4] = np.where(held[:, None], wider, rows[at, :4])
    return Path.from_rows(path.first, rows, path.origin, path.lean)
