"""Where it is not known which of two places a head is at, its cover holds both.

Of a head that comes round from behind, the first that a detector finds is often its hair, a fifth of the head away from
its face; and followers drift where it is dark or out of focus. So both the place where it was found and where the
follower had it a frame before, or has it a frame after, are covered until the face has been found for a while. One that
is found elsewhere for a moment, as behind bars, is covered there and where it was before and after. And one that comes
to another and is no longer where its way leads may be the other's: where its way leads is covered too.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from skiagraph.track.crossings import rows_over_others
from skiagraph.track.leaning import ANGLE, holding, own_axes, standing_out
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class BothSettings:
    """Set by benchmarks/quality.py (club: five leaks in no finding to none; railings: two to none; what is said of
    ways: unseen and unseen-3-alike, every frame, six leaks to one)."""

    # seconds for which both places are covered after a follower met what was found; for as long again the cover comes
    # back to one; larger: wider covers
    holds_s: float = 0.24
    # share of its size by which a side of the head differs at least; smaller: more covers are wider
    differs: float = 0.08
    # share of its size by which it differs at most: what is further away is somebody else, or a follower that was lost
    at_most: float = 0.5
    # times the found size that a followed head counts as at most: a head is larger than its face in profile says, and
    # followers grow in the dark; larger: wider covers
    larger: float = 1.3
    # frames before and after a moment whose median is where the head was meanwhile; larger: longer strays count, and
    # more of quick turns
    around: int = 3
    # overlap (IoU) with another head from which a face may be the other's; smaller: more covers are wider
    meets: float = 0.1
    # frames ago, from and to, in which somebody went the way that they go on; larger: more is straight
    way: tuple[int, int] = (2, 11)
    # frames among those in which they were found, or followed, that tell a way
    way_least: int = 5
    # confidence of such a frame at least
    way_sure: float = 0.5
    # share of its size by which the head was off a straight line at most
    straight: float = 0.1
    # shares of its size by which it is off its way at least and at most; smaller, larger: more covers are wider
    off_way: tuple[float, float] = (0.2, 0.8)


def holding_both(stretches: Sequence[Stretch], rate: float, settings: BothSettings = BothSettings()) -> list[Stretch]:
    """The same stretches, each row as large as it was or larger. rate: frames a second."""
    frames = max(1, round(settings.holds_s * rate))
    return [
        replace(s, path=_holding(s.path, met, frames, settings))
        for s, met in zip(stretches, rows_over_others(stretches, settings.meets))
    ]


def _holding(path: Path, met: np.ndarray, frames: int, settings: BothSettings) -> Path:
    rows, found = path.rows().astype(float), path.origin == FOUND
    at, held = [], []
    for row, there, share in [
        *_strays(rows, found, settings),
        *_seams(rows, found, path.origin == FOLLOWED, frames, settings),
        *_off_their_way(rows, found, met, frames, settings),
    ]:
        at.append(row)
        held.append(np.append(rows[row, :4] + share * (there - rows[row, :4]), rows[row, ANGLE]))
    if held:
        rows[:, :4] = holding(rows, np.array(at), np.array(held))
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def _differ(rows: np.ndarray, there: np.ndarray, settings: BothSettings) -> np.ndarray:
    """Whether two places of a head are two, and not one or two heads, bool (n,): rows (n, ≥5), and where each may be as
    well, (n, 4), centre and size, if it leans as that does there."""
    beyond = standing_out(rows, np.concatenate([there, rows[:, ANGLE : ANGLE + 1]], axis=1)).reshape(-1, 2, 2)
    most = (beyond / rows[:, None, 2:4]).max(axis=(1, 2))
    return (settings.differs < most) & (most < settings.at_most)


def _strays(rows: np.ndarray, found: np.ndarray, settings: BothSettings):
    """Row, where the head was around that moment, and 1, for each found row that was elsewhere and has as many on both
    sides."""
    around = settings.around
    if len(rows) > 2 * around:
        meanwhile = np.median(
            np.delete(sliding_window_view(rows[:, :2], 2 * around + 1, axis=0), around, axis=-1), axis=-1
        )
        there = np.concatenate([meanwhile, rows[around : len(rows) - around, 2:4]], axis=1)
        for row in np.flatnonzero(found[around:-around] & _differ(rows[around : len(rows) - around], there, settings)):
            yield row + around, there[row], 1.0


def _seams(rows: np.ndarray, found: np.ndarray, followed: np.ndarray, frames: int, settings: BothSettings):
    """Row, the followed head as it would have gone on, and the share of it that is held, for found rows next to
    followed ones that were elsewhere."""
    seams = [(n + 1, n, 1) for n in np.flatnonzero(followed[:-1] & found[1:])] + [
        (n, n + 1, -1) for n in np.flatnonzero(found[:-1] & followed[1:])
    ]
    for seen, other, step in seams:
        # Somebody who runs is not where they were a frame before: whichever of the speeds on both sides explains more.
        away = min(
            (
                rows[other, :2] + speed - rows[seen, :2]
                for speed in (_speed(rows, seen, step), -_speed(rows, other, -step))
            ),
            key=lambda a: float(np.hypot(*a)),
        )
        size = np.minimum(rows[other, 2:4], settings.larger * rows[seen, 2:4])
        if not _differ(rows[seen][None], np.concatenate([rows[seen, :2] + away, size])[None], settings)[0]:
            continue
        for k in range(2 * frames):
            row = seen + k * step
            if not 0 <= row < len(rows) or not found[row]:
                break
            yield row, np.concatenate([rows[row, :2] + away, size]), min(1.0, (2 * frames - k) / frames)


def _off_their_way(rows: np.ndarray, found: np.ndarray, met: np.ndarray, frames: int, settings: BothSettings):
    """Row, where the head would be had it gone on straight, and the share of it that is held, for what comes to another
    head and is found off its way; seen from before and from after."""
    known = found | (rows[:, 5] >= settings.way_sure)
    since, until = settings.way
    for step in (1, -1):
        again = 0
        for n, row in enumerate(np.flatnonzero(met & found)[::step]):
            if n and step * (row - again) < 0:
                continue
            way = row - step * np.arange(since, until + 1)
            way = way[(way >= 0) & (way < len(rows))]
            way = way[known[way]]
            if len(way) < settings.way_least:
                continue
            line = np.polyfit(way - row, rows[way, :2], 1)
            off = np.abs(np.outer(way - row, line[0]) + line[1] - rows[way, :2]).max() / rows[row, 2]
            away = np.hypot(*(own_axes(rows[row][None], (line[1] - rows[row, :2])[None])[0] / rows[row, 2:4]))
            if off > settings.straight or not settings.off_way[0] < away < settings.off_way[1]:
                continue
            size = np.median(rows[way, 2:4], axis=0)
            for k in range(2 * frames):
                if 0 <= row + k * step < len(rows):
                    yield (
                        row + k * step,
                        np.concatenate([line[1] + k * step * line[0], size]),
                        min(1.0, (2 * frames - k) / frames),
                    )
            again = row + 2 * frames * step


def _speed(rows: np.ndarray, begin: int, step: int) -> np.ndarray:
    """px a frame, (2,), at which a head goes on from a row in one direction, over up to three frames."""
    end = min(max(begin + 3 * step, 0), len(rows) - 1)
    return (rows[end, :2] - rows[begin, :2]) / max(1, abs(end - begin))
