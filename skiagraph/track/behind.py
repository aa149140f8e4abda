"""Whoever was lost behind the head of somebody else is somewhere behind it: their cover reaches around that head, and
stays with it for a while. And whoever comes out from behind somebody who has just come into the picture came in behind
them: their cover reaches around that head from there on.

A detector finds a face of which more than about half shows; less than that may stand out from behind another head for
seconds, where two walk side by side. Where it stands out is not known, so the cover is wider than the head in front on
all sides. It is a cover of whoever was lost, and not of the one in front, so that it stays when that one is shown.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.track.leaning import around_both, holding, own_axes, sides_beyond
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class BehindSettings:
    """Set by benchmarks/quality.py (unseen-4: 24 leaks stepping, 19 of them in no finding, and 15 every frame)."""

    # confidence under which who was not found just there may be lost (review.checks.hidden_beside says the same);
    # larger: more covers are wider
    lost: float = 0.6
    # confidence from which a head hides others
    front: float = 0.5
    # shares of their widths, and of their heights, that the middles of two heads are apart at most for one to be behind
    # the other; larger: more covers are wider
    near: float = 0.8
    # share of its own width by which the cover reaches beyond the head in front on each side, and as much again since
    # covers of unsure heads are larger (project.rows): a third of a face that is not found, and the nose; larger: wider
    # covers
    beside: float = 0.2
    # share of its own height by which it reaches beyond that head above and below
    above: float = 0.1
    # seconds for which somebody is in the picture, at most, whom others may have come in behind (unseen-2: five
    # needless findings fewer every frame, and stepping a leak); larger: longer covers that may be nobody's
    came_s: float = 1.2
    # share of a head that reaches over the edge where it came in (review.ends says the same); larger: more came in
    edge: float = 0.75
    # seconds for which a cover stays with the head that somebody was lost behind; larger: longer covers that may be
    # nobody's
    waits_s: float = 2.0
    # widths from that head within which somebody new is whoever was behind it
    comes_out: float = 1.5
    # confidence of a cover that waits: as little as asks nothing by itself, and belongs to the finding that somebody
    # was lost (review.finding.HARDLY)
    sure: float = 0.36


def around_others(
    stretches: Sequence[Stretch],
    shot_of: Callable[[int], tuple[int, int]],
    size: tuple[int, int],
    rate: float,
    settings: BehindSettings = BehindSettings(),
) -> list[Stretch]:
    """The same stretches, none of them shorter and no row smaller. shot_of: first and last frame of the shot of a
    frame; size: of the picture, px; rate: frames a second."""
    return _came_in_behind(_waiting_behind(stretches, shot_of, rate, settings), shot_of, size, rate, settings)


def _came_in_behind(
    stretches: Sequence[Stretch],
    shot_of: Callable[[int], tuple[int, int]],
    size: tuple[int, int],
    rate: float,
    settings: BehindSettings,
) -> list[Stretch]:
    """The same, of which those that begin at the head of somebody who has just come in begin where that one does."""
    made = list(stretches)
    spans = np.array([(s.path.first, s.path.last) for s in stretches], int).reshape(-1, 2)
    longest = round(settings.came_s * rate)
    # One may have come in behind somebody who came in behind somebody.
    for n in np.argsort(spans[:, 0], kind="stable"):
        path, begins = stretches[n].path, int(spans[n, 0])
        found, shot = np.flatnonzero(path.origin == FOUND), shot_of(begins)[0]
        row = path.rows()[:1].astype(float)
        if (
            stretches[n].doubtful
            or begins == shot
            or not len(found)
            or row[0, 5] >= settings.lost
            or sides_beyond(row[0], size, settings.edge).any()
        ):
            continue
        near = []
        for m in np.flatnonzero((spans[:, 0] < begins) & (spans[:, 0] >= begins - longest) & (spans[:, 1] >= begins)):
            front, theirs = made[m].path, stretches[m].path.rows()[begins - spans[m, 0]][None].astype(float)
            away = float(_away(row, theirs, settings)[0])
            if (
                not stretches[m].doubtful
                and theirs[0, 5] >= settings.front
                and away < 1
                and (front.first == shot or sides_beyond(front.rows()[0], size, settings.edge).any())
            ):
                near.append((away, int(m)))
        if near:
            front = min(near)[1]
            made[n] = replace(
                stretches[n], path=_begun_behind(path, int(found[0]), made[front].path, int(spans[front, 0]), settings)
            )
    return made


def _begun_behind(path: Path, found: int, front: Path, since: int, settings: BehindSettings) -> Path:
    """A path that begins with the head in front of it. found: its first row in which it was found; since: from which
    frame on the front is a head, and before that a cover around one that it came in behind itself."""
    rows = front.rows()[: path.first + found - front.first].astype(float)
    own = path.rows().astype(float)
    rows[since - front.first :] = _around_front(rows[since - front.first :], own[found], settings)
    rows[:, 5] = settings.sure
    before = rows[: path.first - front.first]
    # Where it was followed back to that head, it may be at either place.
    beside, there = rows[len(before) :], own[: len(rows) - len(before)]
    at = np.flatnonzero((there[:, 5] < settings.lost) & (_away(there, beside, settings) < 1))
    own[at, :4] = around_both(there[at], beside[at])
    lean = None if path.lean is None else np.concatenate([np.repeat(path.lean[:1], len(before), axis=0), path.lean])
    return Path.from_rows(
        front.first, np.concatenate([before, own]), np.concatenate([np.full(len(before), FOLLOWED), path.origin]), lean
    )


def _waiting_behind(
    stretches: Sequence[Stretch], shot_of: Callable[[int], tuple[int, int]], rate: float, settings: BehindSettings
) -> list[Stretch]:
    """The same, of which those that were lost at the head of somebody else reach around it, and stay with it."""
    spans = np.array([(s.path.first, s.path.last) for s in stretches], int).reshape(-1, 2)
    known = np.array([not s.doubtful for s in stretches], bool)
    longest = round(settings.waits_s * rate)
    made = []
    for n, stretch in enumerate(stretches):
        path = stretch.path
        found = np.flatnonzero(path.origin == FOUND)
        lost = path.first + (int(found[-1]) + 1 if len(found) else 0)
        if not stretch.doubtful and lost <= path.last:
            there = known & (spans[:, 0] <= path.last) & (spans[:, 1] >= lost)
            came = [
                stretches[m].path
                for m in np.flatnonzero((spans[:, 0] >= lost) & (spans[:, 0] <= path.last + longest))
                if m != n
            ]
            fronts = [
                (stretches[m].path, _until(stretches[m].path, lost, came, settings))
                for m in np.flatnonzero(there)
                if m != n
            ]
            known_as = path.rows()[found[-1] if len(found) else 0]
            path = _around(path, lost, known_as, fronts, settings)
            path = _waiting(path, stretch.path.rows()[-1], known_as, fronts, shot_of(path.last)[1], longest, settings)
        made.append(replace(stretch, path=path) if path is not stretch.path else stretch)
    return made


def together(stretches: Sequence[Stretch], before: Sequence[Stretch], around: Sequence[Stretch]) -> list[Stretch]:
    """The same stretches, as large in each row as they are or as around_others made them, and as long. before: what it
    was given; around: what it made of that.

    So whatever else makes covers wider goes by where somebody was followed to, and not by where they may be.
    """
    return [
        stretch if old is wide else replace(stretch, path=_together(stretch.path, wide.path))
        for stretch, old, wide in zip(stretches, before, around, strict=True)
    ]


def _together(path: Path, wider: Path) -> Path:
    rows, origin = wider.rows().astype(float), wider.origin.copy()
    same = slice(path.first - wider.first, path.last - wider.first + 1)
    rows[same, 4:], origin[same] = path.rows()[:, 4:], path.origin
    rows[same, :4] = around_both(path.rows(), wider.rows()[same])
    return Path.from_rows(wider.first, rows, origin, wider.lean if len(wider) > len(path) else path.lean)


def _until(front: Path, lost: int, came: Sequence[Path], settings: BehindSettings) -> int:
    """The last frame in which whoever was lost in a frame may still be behind a head: before somebody comes out there,
    or that head is gone itself."""
    until = front.last
    for new in came:
        if (
            max(lost, front.first) <= new.first <= until
            and np.hypot(*(new.rows()[0, :2] - front.rows()[new.first - front.first, :2]))
            < settings.comes_out * front.width[new.first - front.first]
        ):
            until = new.first - 1
    return until


def _away(mine: np.ndarray, theirs: np.ndarray, settings: BehindSettings) -> np.ndarray:
    """How far heads, (n, ≥5), are from others, (n,): below 1 they are at the same place."""
    return (
        np.abs(own_axes(mine, theirs[:, :2] - mine[:, :2])) / (settings.near * np.maximum(mine[:, 2:4], theirs[:, 2:4]))
    ).max(axis=1)


def _around_front(front: np.ndarray, behind: np.ndarray, settings: BehindSettings) -> np.ndarray:
    """Covers around heads in front, (n, 6), for a head behind them as it was found, (≥4,): what stands out is of that
    one."""
    around = front.copy()
    around[:, 2:4] += 2 * np.array([settings.beside, settings.above]) * np.minimum(behind[2:4], front[:, 2:4])
    return around


def _around(
    path: Path, lost: int, known_as: np.ndarray, fronts: Sequence[tuple[Path, int]], settings: BehindSettings
) -> Path:
    """The rows in which a head was lost at another, as large as both and the room around that. lost: the first frame in
    which it was not found any more; known_as: the row (6,) in which it was found last; fronts: heads, and the last
    frame in which it may be behind them."""
    rows = path.rows().astype(float)
    held_by, held = [], []
    for other, until in fronts:
        first, last = max(lost, other.first), min(path.last, until)
        if first > last:
            continue
        mine, front = (
            rows[first - path.first : last - path.first + 1],
            other.rows()[first - other.first : last - other.first + 1].astype(float),
        )
        behind = (mine[:, 5] < settings.lost) & (front[:, 5] >= settings.front) & (_away(mine, front, settings) < 1)
        held_by.append(np.flatnonzero(behind) + first - path.first)
        held.append(_around_front(front[behind], known_as, settings))
    if not sum(map(len, held)):
        return path
    rows[:, :4] = holding(rows, np.concatenate(held_by), np.concatenate(held))
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def _waiting(
    path: Path,
    last: np.ndarray,
    known_as: np.ndarray,
    fronts: Sequence[tuple[Path, int]],
    end: int,
    longest: int,
    settings: BehindSettings,
) -> Path:
    """A path that ends at the head of somebody else, and goes on around the nearest one until the shot ends, somebody
    comes out, or it has waited for long enough.

    last: the row (6,) in which it was followed last; known_as: the one in which it was found last; end: last frame of
    the shot; longest: frames.
    """
    if last[5] >= settings.lost:
        return path
    near = []
    for other, until in fronts:
        count = min(until, end, path.last + longest) - path.last
        if other.first <= path.last and count > 0:
            begin = path.last - other.first
            front = other.rows()[begin : begin + 1 + count].astype(float)
            away = float(_away(last[None].astype(float), front[:1], settings)[0])
            if front[0, 5] >= settings.front and away < 1:
                near.append((away, len(near), front[1:]))
    if not near:
        return path
    waiting = _around_front(min(near)[2], known_as, settings)
    waiting[:, 5] = settings.sure
    origin = np.concatenate([path.origin, np.full(len(waiting), FOLLOWED)])
    lean = None if path.lean is None else np.concatenate([path.lean, np.repeat(path.lean[-1:], len(waiting), axis=0)])
    return Path.from_rows(path.first, np.concatenate([path.rows().astype(float), waiting]), origin, lean)
