"""From step to step through frames, and the paths that come of it: from one start, between two, one after the other."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from skiagraph.follow.follower import OutlineFollower
from skiagraph.follow.step import Step, Why
from skiagraph.shape.place import Place
from skiagraph.track.cuts import is_plain_cut, thumbnail
from skiagraph.track.path import BRIDGED, FOLLOWED, PLACED, Path


@dataclass(frozen=True, slots=True)
class Followed:
    """What came of following one way. frames: int (n,), from the one after the start on, in the order they were gone
    to; rows: (n, 9) of places (Place.row) and confidence; known: bool (n,), where it was seen, the last one always.
    why, at: why and at which frame it stopped."""

    frames: np.ndarray
    rows: np.ndarray
    known: np.ndarray
    why: Why
    at: int


def follow(
    follower: OutlineFollower,
    start: int,
    grey: np.ndarray,
    frames: Iterable[tuple[int, np.ndarray]],
    told: Callable[[int, Step], None] = lambda frame, step: None,
    ignored: Callable[[int], np.ndarray | None] = lambda frame: None,
) -> Followed:
    """Follow from a frame through others, (number, uint8 grey) each, until it stops or they end.

    What lies between two frames in which it was seen is bridged by a straight line; what follows on the last of them is
    not kept. ignored: what lies in front in a frame, bool (rows, columns), or None.
    """
    numbers, rows, known = [start], [[*follower.place.row(), 1.0]], [True]
    before, why, at = thumbnail(grey), Why.END, start
    for number, picture in frames:
        now, at = thumbnail(picture), number
        if is_plain_cut(before, now):
            why = Why.CUT
            break
        before = now
        step = follower.step(picture, ignored(number))
        if isinstance(step, Why):
            why = step
            break
        numbers.append(number)
        rows.append([*step.place.row(), step.confidence])
        known.append(step.known)
        told(number, step)
    last = int(np.flatnonzero(known)[-1])
    table, seen = np.array(rows[: last + 1]), np.array(known[: last + 1])
    every = np.arange(last + 1)
    for column in range(8):
        table[~seen, column] = np.interp(every[~seen], every[seen], table[seen, column])
    return Followed(np.array(numbers[1 : last + 1], int), table[1:], seen[1:], why, at)


def joined(start: int, place: Place, ways: Iterable[Followed], again: float | None = None) -> Path:
    """One path of a start and what was followed from it, back and on.

    The start was placed by a person, or with `again` found again and so sure.
    """
    first = (
        [np.array([[*place.row(), 1.0 if again is None else again]])],
        [np.array([PLACED if again is None else FOLLOWED], np.uint8)],
    )
    frames, rows, origins = [np.array([start])], *first
    for way in ways:
        frames.append(way.frames)
        rows.append(way.rows.reshape(-1, 9))
        origins.append(np.where(way.known, FOLLOWED, BRIDGED).astype(np.uint8))
    number = np.concatenate(frames)
    order = np.argsort(number)
    return _path(int(number.min()), np.concatenate(rows)[order], np.concatenate(origins)[order])


def met(one: int, at_one: Place, on: Followed, two: int, at_two: Place, back: Followed) -> Path:
    """The path between two frames in which something was placed, followed on from the one and back from the other.

    Where both know, the one goes over into the other, the nearer counting more; where neither does, a straight line of
    which nobody is sure.
    """
    length = two - one + 1
    table, weight, known = np.zeros((length, 9)), np.zeros(length), np.zeros(length, bool)
    for start, place, way in ((one, at_one, on), (two, at_two, back)):
        rows, seen, there = np.array([[*place.row(), 1.0]]), np.array([True]), np.array([start])
        inside = (way.frames > one) & (way.frames < two) & way.known
        rows, there = (
            np.concatenate([rows, way.rows.reshape(-1, 9)[inside]]),
            np.concatenate([there, way.frames[inside]]),
        )
        seen = np.concatenate([seen, way.known[inside]])
        # Angles as near to each other as they can be.
        turn = 360.0 * np.round((table[there - one, 4] / np.maximum(weight[there - one], 1e-9) - rows[:, 4]) / 360.0)
        rows[:, 4] += np.where(known[there - one], turn, 0.0)
        share = 1 - np.abs(there - start) / length
        table[there - one] += rows * share[:, None]
        weight[there - one] += share
        known[there - one] |= seen
    table[known] /= weight[known, None]
    every = np.arange(length)
    for column in range(8):
        table[~known, column] = np.interp(every[~known], every[known], table[known, column])
    origin = np.where(known, FOLLOWED, BRIDGED).astype(np.uint8)
    origin[[0, -1]] = PLACED
    table[[0, -1]] = [*at_one.row(), 1.0], [*at_two.row(), 1.0]
    table[0, 4] += 360.0 * np.round((table[1, 4] - table[0, 4]) / 360.0)
    table[-1, 4] += 360.0 * np.round((table[-2, 4] - table[-1, 4]) / 360.0)
    return _path(one, table, origin)


def chained(paths: Iterable[Path]) -> Path:
    """Paths that follow each other, or share their ends, as one."""
    rows, leans, origins, first, reached = [], [], [], None, None
    for path in sorted(paths, key=lambda p: p.first):
        skip = 0 if reached is None else reached + 1 - path.first
        first = path.first if first is None else first
        rows.append(path.rows()[skip:])
        leans.append(path.leaning()[skip:])
        origins.append(path.origin[skip:])
        reached = path.last
    return Path.from_rows(first, np.concatenate(rows), np.concatenate(origins), np.concatenate(leans))


def _path(first: int, table: np.ndarray, origin: np.ndarray) -> Path:
    """A path of rows (n, 9) of places and confidence."""
    return Path.from_rows(first, np.column_stack([table[:, :5], table[:, 8]]), origin, table[:, 5:8])
