"""Where people meet, and what tells who is who there.

A follower may go over from one head to another where these come close. Faces, clothes, size and ways of all who met are
weighed as one assignment; what follows from it for paths is in track/reconsidering.py.

Source: the marginals of all assignments, as in Fortmann, Bar-Shalom and Scheffe, Sonar tracking of multiple targets
using joint probabilistic data association, IEEE Journal of Oceanic Engineering 1983.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations, product

import numpy as np

from skiagraph.boxes import paired_iou
from skiagraph.track.appearance import likeness
from skiagraph.track.identity import Signature, face_distance, log_odds_of_faces
from skiagraph.track.path import FOUND, Path


@dataclass(frozen=True, slots=True)
class MeetingSettings:
    """Where people meet, and what tells them apart.

    Faces say what they say elsewhere (track.identity). Likeness of clothes and hair was measured on made-up people who
    meet (benchmarks/meetings.py): 0.75 to 0.97 for one, 0.1 to 0.6 for two in unlike clothes. The rest set by hand and
    held against benchmarks/joins.py, by which what is said to be sure is.
    """

    # overlap (IoU) from which heads meet; larger: fewer meetings
    touches: float = 0.12
    # overlap under which heads are apart, and their looks their own
    beside: float = 0.02
    # seconds within which who touches again is still in the same meeting
    again_s: float = 0.5
    # seconds between a path that ends at somebody's head and one that begins there for them to be in one meeting
    hidden_s: float = 1.6
    # seconds after which a face that is found again is asked about, whoever is near; larger: fewer questions
    gone_s: float = 1.0
    # seconds from a meeting within which clothes and hair are looked at
    looks_s: float = 4.0
    # seconds nearer than which they may be of both
    clear_s: float = 0.2
    # people at one place for whom all assignments are weighed; of more each pair is held against each other one, which
    # is surer of nothing
    most: int = 4
    # likeness that says nothing; larger: less is one person
    look_even: float = 0.72
    # log odds for each unit more alike
    look_steep: float = 11.0
    # log odds that clothes and hair give at most
    look_most: float = 3.0
    # deviation of the logarithm of a head's size over a meeting; larger: size says less
    size_spread: float = 0.22
    # log odds that size takes away at most
    size_most: float = 2.0
    # heads from there that say nothing
    way_free: float = 0.5
    # deviation, in heads, of where somebody is after it from where their way before leads; larger: ways say less
    way_spread: float = 1.0
    # log odds that ways take away at most
    way_least: float = -3.0
    # log odds that a path stays on its head where it was not found at all and lay quite on another; larger: trackers
    # are believed more
    going_on: float = 0.3
    # more where it was found in all frames
    going_found: float = 1.5
    # more where the heads hardly touched
    going_clear: float = 3.0
    # overlap (IoU) from which one head hides the other, and following says no more than for any
    covered: float = 0.6
    # log odds, negated, that somebody vanishes in a meeting and somebody else comes out of it; larger: fewer strangers
    appears: float = 2.5
    # probability from which a path is kept over a meeting; smaller: fewer questions, more mistakes
    keep: float = 0.95
    # probability from which paths are exchanged; between the two they are cut
    swap: float = 0.95


@dataclass(frozen=True, slots=True)
class Meeting:
    """first, last: frames in which heads touch; rows: numbers of the paths that take part; at: where each of them is
    closest to another, and would be parted; closest: how far heads overlap at most (IoU).
    """

    first: int
    last: int
    rows: tuple[int, ...]
    at: tuple[int, ...]
    closest: float

    def at_of(self, row: int) -> int:
        return self.at[self.rows.index(row)]


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """One path on one side of a meeting. looks: of its faces; head: cx, cy, width, height px nearest to the meeting;
    speed: px a frame; there: that it reaches so far at all."""

    looks: Signature
    head: np.ndarray
    speed: np.ndarray
    there: bool


def meetings_of(paths: Sequence[Path], rate: float, settings: MeetingSettings = MeetingSettings()) -> list[Meeting]:
    """All meetings of paths, in order, and times in which a face was not found for long, whoever is near."""
    touching = []
    paths = [seen_of(path, rate, settings) for path in paths]
    boxes = [path.boxes() for path in paths]
    order = sorted(range(len(paths)), key=lambda n: paths[n].first)
    open_rows: list[int] = []
    for n in order:
        open_rows = [m for m in open_rows if paths[m].last >= paths[n].first]
        for m in open_rows:
            first, last = paths[n].first, min(paths[n].last, paths[m].last)
            overlap = paired_iou(
                boxes[n][: last - first + 1], boxes[m][first - paths[m].first : last - paths[m].first + 1]
            )
            frames = np.flatnonzero(overlap >= settings.touches)
            if not len(frames):
                continue
            parts = np.split(frames, np.flatnonzero(np.diff(frames) > settings.again_s * rate) + 1)
            touching += [
                _Touch(
                    first + int(p[0]),
                    first + int(p[-1]),
                    {row: (float(overlap[p].max()), first + int(p[np.argmax(overlap[p])])) for row in (n, m)},
                )
                for p in parts
            ]
        open_rows.append(n)
    merged: list[_Touch] = []
    merged_of: dict[int, set[int]] = {}
    for touch in sorted(touching, key=lambda t: t.first):
        for place in sorted(set().union(*(merged_of.get(row, ()) for row in touch.closest))):
            known = merged[place]
            # One vanishes at somebody's head, and one comes out there: it may be the same one.
            vanished = any(
                paths[m].last <= known.last + settings.again_s * rate
                for m in known.closest.keys() - touch.closest.keys()
            ) and any(
                paths[m].first >= touch.first - settings.again_s * rate
                for m in touch.closest.keys() - known.closest.keys()
            )
            if touch.first - known.last <= (settings.hidden_s if vanished else settings.again_s) * rate:
                known.take(touch)
                break
        else:
            place = len(merged)
            merged.append(touch)
        for row in touch.closest:
            merged_of.setdefault(row, set()).add(place)
    meetings = [
        Meeting(
            t.first,
            t.last,
            tuple(sorted(t.closest)),
            tuple(t.closest[n][1] for n in sorted(t.closest)),
            max(c for c, _ in t.closest.values()),
        )
        for t in merged
    ]
    return sorted([*meetings, *_gone(paths, meetings, rate, settings)], key=lambda m: m.first)


@dataclass(slots=True)
class _Touch:
    """Heads that touch: frames first .. last; closest: for each path how far it overlaps another at most, and when."""

    first: int
    last: int
    closest: dict[int, tuple[float, int]]

    def take(self, other: _Touch) -> None:
        self.first, self.last = min(self.first, other.first), max(self.last, other.last)
        for row, close in other.closest.items():
            self.closest[row] = max(close, self.closest.get(row, (0.0, 0)))


def seen_of(path: Path, rate: float, settings: MeetingSettings) -> Path:
    """A path from a little before its face was first found to a little after it was last: further on it was followed,
    and may lie on whoever is there."""
    found, more = path.first + np.flatnonzero(path.origin == FOUND), round(settings.again_s * rate)
    return path.part(int(found[0]) - more, int(found[-1]) + more) if len(found) else path


def _gone(paths: Sequence[Path], meetings: Sequence[Meeting], rate: float, settings: MeetingSettings) -> list[Meeting]:
    """Times in which the face of a path was not found, outside of its meetings."""
    gone = []
    met = of_rows(meetings)
    for n, path in enumerate(paths):
        found = path.first + np.flatnonzero(path.origin == FOUND)
        for k in np.flatnonzero(np.diff(found) > settings.gone_s * rate):
            first, last = int(found[k]) + 1, int(found[k + 1]) - 1
            if not any(m.first <= last and m.last >= first for m in met.get(n, ())):
                gone.append(Meeting(first, last, (n,), ((first + last) // 2,), 0.0))
    return gone


def of_rows(meetings: Sequence[Meeting]) -> dict[int, list[Meeting]]:
    """The meetings that each path takes part in."""
    found: dict[int, list[Meeting]] = {}
    for meeting in meetings:
        for row in meeting.rows:
            found.setdefault(row, []).append(meeting)
    return found


def log_odds_of_looks(a: Side, b: Side, settings: MeetingSettings = MeetingSettings()) -> float:
    """Log odds that two sides are one person, by what they look like."""
    odds, face = 0.0, face_distance(a.looks, b.looks)
    if face is not None:
        odds += float(log_odds_of_faces(*face))
    if a.looks.colours is not None and b.looks.colours is not None:
        odds += float(
            np.clip(
                settings.look_steep * (likeness(a.looks.colours, b.looks.colours) - settings.look_even),
                -settings.look_most,
                settings.look_most,
            )
        )
    if a.there and b.there:
        odds -= float(min(settings.size_most, 0.5 * (np.log(b.head[3] / a.head[3]) / settings.size_spread) ** 2))
    return odds


def log_odds_of_way(a: Side, b: Side, frames: int, settings: MeetingSettings = MeetingSettings()) -> float:
    """Log odds, 0 or less, that whoever went one way goes on the other, so many frames later.

    People stop and turn back, so staying is a way too.
    """
    if not (a.there and b.there):
        return 0.0
    size = max(float(a.head[2]), float(b.head[2]), 1.0)
    away = (
        min(float(np.hypot(*(b.head[:2] - a.head[:2] - share * frames * a.speed))) for share in (0.0, 0.5, 1.0)) / size
    )
    return float(max(settings.way_least, -0.5 * (max(0.0, away - settings.way_free) / settings.way_spread) ** 2))


def going_on(found: float, closest: float, settings: MeetingSettings = MeetingSettings()) -> float:
    """Log odds that a follower stayed on its head over a meeting. found: share of its frames in which the face was
    found; closest: how far heads overlapped at most."""
    clear = float(np.clip((settings.covered - closest) / (settings.covered - settings.touches), 0, 1))
    return settings.going_on + settings.going_found * found + settings.going_clear * clear * (0.5 + 0.5 * found)


def marginals(scores: np.ndarray) -> np.ndarray:
    """The probability of each pair (befores, afters) over all assignments of them, by the log odds of each pair; who
    stays without a partner counts nothing."""
    rows, columns = scores.shape
    wide = scores if rows <= columns else scores.T
    places = _assignments(*wide.shape)
    logs = np.column_stack([wide, np.zeros(len(wide))])[np.arange(len(wide)), places].sum(axis=1)
    shares = np.exp(logs - logs.max())
    weights = (
        np.array([np.bincount(place, shares, wide.shape[1] + 1)[:-1] for place in places.T]).reshape(wide.shape)
        / shares.sum()
    )
    return weights if rows <= columns else weights.T


def marginals_by_pairs(scores: np.ndarray) -> np.ndarray:
    """Where many meet, each pair against each other one alone, and against either of them without the other: the least
    that is left of its probability."""
    rows, columns = scores.shape
    share = np.ones_like(scores)
    for i in range(rows):
        for j in range(columns):
            for other in (None, *(n for n in range(rows) if n != i)):
                for elsewhere in (None, *(n for n in range(columns) if n != j)):
                    few = scores[
                        np.ix_([i] if other is None else [i, other], [j] if elsewhere is None else [j, elsewhere])
                    ]
                    share[i, j] = min(share[i, j], marginals(few)[0, 0])
    return share


@lru_cache(maxsize=64)
def _assignments(few: int, many: int) -> np.ndarray:
    """All ways to give each of few one of many, or none, which is the one after the last: (n, few)."""
    ways = np.array(list(product(range(many + 1), repeat=few))).reshape(-1, few)
    twice = np.zeros(len(ways), bool)
    for i, j in combinations(range(few), 2):
        twice |= (ways[:, i] == ways[:, j]) & (ways[:, i] < many)
    return ways[~twice]


def found_share(path, first: int, last: int) -> float:
    """In which share of some frames the face of a path was found."""
    rows = path.origin[max(0, first - path.first) : max(0, last - path.first + 1)]
    return float((rows == FOUND).mean()) if len(rows) else 0.0


def side_of(path, looks: Signature, at: int, before: bool, reach: int) -> Side:
    """A side of a meeting: the head nearest to a frame, on its way before or after it. reach: frames its speed is taken
    from."""
    low, high = (at - reach, at) if before else (at, at + reach)
    low, high = max(low, path.first), min(high, path.last)
    if low > high:
        return Side(looks, np.zeros(4), np.zeros(2), False)
    rows = path.rows()[low - path.first : high - path.first + 1, :4].astype(float)
    near = rows[-1] if before else rows[0]
    speed = (rows[-1, :2] - rows[0, :2]) / max(1, len(rows) - 1)
    return Side(looks, near, speed, True)


def odds_of(share: float) -> float:
    """Log odds of a probability."""
    share = min(max(share, 1e-6), 1 - 1e-6)
    return float(np.log(share / (1 - share)))
