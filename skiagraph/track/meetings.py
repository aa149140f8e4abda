"""Who is who where people meet.

A follower may go over from one head to another where these come close; so identity is asked anew on both sides of every
meeting: from faces, clothes, size and ways of all who met, as one assignment. Who is surely the other goes on as the
other; who cannot be told apart is cut there and asked about.

Source: the marginals of all assignments, as in Fortmann, Bar-Shalom and Scheffe, Sonar tracking of multiple targets
using joint probabilistic data association, IEEE Journal of Oceanic Engineering 1983.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import combinations, product

import numpy as np

from skiagraph.boxes import iou, paired_iou
from skiagraph.track.appearance import likeness, unpacked
from skiagraph.track.identity import IDENTITY, Signature, face_distance, log_odds_of_faces, probability
from skiagraph.track.path import FOUND, Path
from skiagraph.track.stretch import Stretch


# Boxes that overlap so much are of one face; so many looks at most make up a mean.
SAME_FACE, MOST_LOOKS = 0.7, 12


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
    met = _of_rows(meetings)
    for n, path in enumerate(paths):
        found = path.first + np.flatnonzero(path.origin == FOUND)
        for k in np.flatnonzero(np.diff(found) > settings.gone_s * rate):
            first, last = int(found[k]) + 1, int(found[k + 1]) - 1
            if not any(m.first <= last and m.last >= first for m in met.get(n, ())):
                gone.append(Meeting(first, last, (n,), ((first + last) // 2,), 0.0))
    return gone


def _of_rows(meetings: Sequence[Meeting]) -> dict[int, list[Meeting]]:
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


@dataclass(frozen=True, slots=True)
class Join:
    """A path that was kept over a meeting, or taken up on another one. first, last: frames of the meeting; row: of the
    stretch it is in now; others: rows of who else was there; odds: log odds that it is one person.
    """

    first: int
    last: int
    row: int
    others: tuple[int, ...]
    odds: float


@dataclass(frozen=True, slots=True)
class Reconsidered:
    """stretches: exchanged and cut; joins: what was kept; asked: log odds for pairs of stretches on both sides of a
    meeting, of which nothing more is known."""

    stretches: list[Stretch]
    joins: list[Join]
    asked: dict[tuple[int, int], float]


# What was seen in a frame: boxes (n, 4) of faces, and the colours of each (track.appearance), or None.
Looks = Mapping[int, tuple[np.ndarray, Sequence[np.ndarray | None]]]


def frames_wanted(meetings: Sequence[Meeting], rate: float, settings: MeetingSettings = MeetingSettings()) -> set[int]:
    """The frames in which looks are gathered for meetings."""
    reach = round(settings.looks_s * rate)
    return {
        frame for m in meetings for frame in (*range(m.first - reach, m.first), *range(m.last + 1, m.last + reach + 1))
    }


def reconsidered(
    stretches: Sequence[Stretch],
    meetings: Sequence[Meeting],
    seen: Looks,
    rate: float,
    settings: MeetingSettings = MeetingSettings(),
) -> Reconsidered:
    """Ask anew who is who on both sides of each meeting.

    Rows of meetings are numbers of stretches, doubtful ones not among them.
    """
    return _Reconsidering(list(stretches), meetings, seen, rate, settings).result()


@dataclass(slots=True)
class _Piece:
    """A part of a path, frames first .. last. looks: as they were near its cut ends; after: the piece it goes on as, on
    another path; taken: it is the end of one on another path."""

    row: int
    first: int
    last: int
    looks: list[Signature]
    after: _Piece | None = None
    taken: bool = False


class _Reconsidering:
    """Goes through the meetings in order and settles each, cutting paths into pieces on the way. kept: meetings that a
    piece went on through, with who else was there and its log odds; open: pairs of pieces of which nobody knows whether
    they are one person.
    """

    def __init__(
        self, stretches: list[Stretch], meetings: Sequence[Meeting], seen: Looks, rate: float, settings: MeetingSettings
    ):
        self.stretches, self.meetings, self.seen, self.rate, self.settings = stretches, meetings, seen, rate, settings
        self.paths = [seen_of(s.path, rate, settings) for s in stretches]
        self.boxes = [s.path.boxes() for s in stretches]
        self.meetings_of_row = _of_rows(meetings)
        self.spans = np.array([(s.path.first, s.path.last) for s in stretches], int).reshape(-1, 2)
        self.pieces = {n: [_Piece(n, s.path.first, s.path.last, [])] for n, s in enumerate(stretches)}
        self.kept: list[tuple[Meeting, _Piece, list[_Piece], float]] = []
        self.open: list[tuple[_Piece, _Piece, float]] = []

    def result(self) -> Reconsidered:
        for meeting in self.meetings:
            self._settle(meeting)
        stretches, place = [], {}
        number = max((s.number for s in self.stretches), default=0)
        for pieces in self.pieces.values():
            for piece in pieces:
                if piece.taken:
                    continue
                chain = [piece]
                while chain[-1].after is not None:
                    chain.append(chain[-1].after)
                for part in chain:
                    place[id(part)] = len(stretches)
                whole = len(chain) == 1 and len(pieces) == 1
                if not whole and piece is not pieces[0]:
                    number += 1
                stretches.append(
                    self.stretches[piece.row]
                    if whole
                    else self._made(chain, self.stretches[piece.row].number if piece is pieces[0] else number)
                )
        joins = [
            Join(
                m.first,
                m.last,
                place[id(piece)],
                tuple(sorted({place[id(o)] for o in others} - {place[id(piece)]})),
                odds,
            )
            for m, piece, others, odds in self.kept
        ]
        asked: dict[tuple[int, int], float] = {}
        for a, b, odds in self.open:
            pair = tuple(sorted((place[id(a)], place[id(b)])))
            if pair[0] != pair[1]:
                asked[pair] = max(odds, asked.get(pair, -np.inf))
        return Reconsidered(stretches, joins, asked)

    def _settle(self, meeting: Meeting) -> None:
        settings = self.settings
        rows = meeting.rows
        before, after = (
            {n: self._side(meeting, n, True) for n in rows},
            {n: self._side(meeting, n, False) for n in rows},
        )
        come, go = [n for n in rows if before[n].there], [n for n in rows if after[n].there]
        if not come or not go:
            return
        odds = np.array(
            [
                [
                    log_odds_of_looks(before[i], after[j], settings)
                    + self._log_odds_of_going(meeting, i, j, before[i], after[j])
                    for j in go
                ]
                for i in come
            ]
        )
        share = marginals(odds) if max(odds.shape) <= settings.most else _by_pairs(odds)
        mine = {n: self._last_piece(n) for n in rows}
        through = [n for n in come if n in go]
        # Whoever goes on as another needs that other to go on elsewhere: exchanged all round, or not at all.
        moved = {
            n: go[int(share[come.index(n)].argmax())] for n in through if share[come.index(n)].max() >= settings.swap
        }
        moved = {n: to for n, to in moved.items() if n != to}
        moved = moved if moved and set(moved) == set(moved.values()) else {}
        at = {n: int(np.median([meeting.at_of(m) for m in moved])) if n in moved else meeting.at_of(n) for n in through}
        moved = moved if all(self._may_cut(mine[n], at[n]) for n in moved) else {}
        kept = {
            n
            for n in through
            if n not in moved
            and (share[come.index(n), go.index(n)] >= settings.keep or not self._may_cut(mine[n], at[n]))
        }
        for n in through:
            if n not in kept:
                self._cut(mine[n], at[n], before[n].looks, after[n].looks)
        on = {n: self._last_piece(n) for n in rows}
        for n, to in moved.items():
            mine[n].after, on[to].taken = on[to], True
        for n in sorted(kept | set(moved)):
            to = moved.get(n, n)
            self.kept.append(
                (
                    meeting,
                    on[to],
                    [on[m] for m in go if m != to] + [mine[m] for m in come if m not in go],
                    odds_of(float(share[come.index(n), go.index(to)])),
                )
            )
        for i in come:
            for j in go:
                if mine[i] is not on[j] and mine[i].after is not on[j]:
                    self.open.append((mine[i], on[j], odds_of(float(share[come.index(i), go.index(j)]))))

    def _log_odds_of_going(self, meeting: Meeting, i: int, j: int, before: Side, after: Side) -> float:
        """Log odds that whoever came on one path goes on the other: by how well a follower holds on where both are the
        same path, else by the way between them."""
        settings = self.settings
        if i == j:
            return settings.appears + going_on(
                found_share(self.stretches[i].path, meeting.first, meeting.last), meeting.closest, settings
            )
        return settings.appears + log_odds_of_way(before, after, meeting.last - meeting.first + 2, settings)

    def _last_piece(self, row: int) -> _Piece:
        return self.pieces[row][-1]

    def _may_cut(self, piece: _Piece, at: int) -> bool:
        """Only where a face was found on both sides: a part without one would be nobody."""
        path = self.stretches[piece.row].path
        found = path.origin == FOUND
        return bool(
            found[piece.first - path.first : at + 1 - path.first].any()
            and found[at + 1 - path.first : piece.last + 1 - path.first].any()
        )

    def _cut(self, piece: _Piece, at: int, before: Signature, after: Signature) -> None:
        rest = _Piece(piece.row, at + 1, piece.last, [after])
        piece.last = at
        piece.looks.append(before)
        self.pieces[piece.row].append(rest)

    def _made(self, chain: Sequence[_Piece], number: int) -> Stretch:
        """A stretch of parts of paths that follow one another."""
        parts = [(self.stretches[p.row], p) for p in chain]
        rows = np.concatenate([s.path.part(p.first, p.last).rows() for s, p in parts])
        origin = np.concatenate([s.path.part(p.first, p.last).origin for s, p in parts])
        faces = tuple(face for s, p in parts for face in s.faces if p.first <= face[0] <= p.last)
        described = tuple(entry for s, p in parts for entry in s.described if p.first <= entry[0] <= p.last)
        colours = Signature.joined([_without_faces(look) for p in chain for look in p.looks]).colours
        last = chain[-1] is self._last_piece(chain[-1].row)
        return replace(
            parts[0][0],
            path=Path.from_rows(chain[0].first, rows, origin),
            faces=faces,
            described=described,
            chains=parts[-1][0].chains if last else (),
            colours=colours,
            number=number,
        )

    def _side(self, meeting: Meeting, row: int, before: bool) -> Side:
        path, settings = self.paths[row], self.settings
        reach = round(settings.looks_s * self.rate)
        # No further than to the meeting before or after this one, where it may have been somebody else. Faces tell from
        # afar, clothes only from nearby.
        others = [m for m in self.meetings_of_row[row] if m is not meeting]
        if before:
            low, high = max([path.first, *(m.last + 1 for m in others if m.last < meeting.first)]), meeting.first - 1
            return side_of(
                path, self._looks(row, low, high, max(low, high - reach), high), high, True, round(0.4 * self.rate)
            )
        low, high = meeting.last + 1, min([path.last, *(m.first - 1 for m in others if m.first > meeting.last)])
        return side_of(
            path, self._looks(row, low, high, low, min(high, low + reach)), low, False, round(0.4 * self.rate)
        )

    def _looks(self, row: int, first: int, last: int, low: int, high: int) -> Signature:
        """How somebody looks: the face between two frames, clothes and hair between two others, of those the ones in
        which nobody is beside them, if there are any."""
        stretch, settings = self.stretches[row], self.settings
        near = [
            (self.stretches[n].path, self.boxes[n])
            for n in np.flatnonzero((self.spans[:, 0] <= high) & (self.spans[:, 1] >= low))
            if n != row
        ]
        clear, beset = [], []
        # Away from the meeting first, but no further than needed.
        for away, frame, face in sorted(
            (
                (min(frame - first, last - frame), frame, n)
                for n, (frame, _, _) in enumerate(stretch.faces)
                if low <= frame <= high and frame in self.seen
            ),
            key=lambda entry: (entry[0] < settings.clear_s * self.rate, entry[0]),
        ):
            if len(clear) == MOST_LOOKS or away < settings.clear_s * self.rate and clear:
                break
            colours = self._colours(frame, stretch.faces[face][1])
            if colours is not None:
                there = np.array(
                    [boxes[frame - path.first] for path, boxes in near if path.first <= frame <= path.last]
                ).reshape(-1, 4)
                beside = bool((iou(self.boxes[row][frame - stretch.path.first][None], there) >= settings.beside).any())
                (beset if beside else clear).append(colours)
        found = clear or beset[:MOST_LOOKS]
        mean = np.sqrt(np.mean(np.square(found), axis=0)).astype(np.float32) if found else None
        described = [d for frame, d in stretch.described if first <= frame <= last]
        return Signature(
            np.array([d.vector for d in described], np.float32).reshape(-1, 128),
            np.array([d.worth for d in described], np.float32),
            mean,
        )

    def _colours(self, frame: int, face: np.ndarray) -> np.ndarray | None:
        """What a face and its shoulders looked like in a frame, float32, or None where that is not known."""
        places, colours = self.seen[frame]
        overlap = iou(np.asarray(face)[None], places)[0] if len(places) else np.zeros(1)
        found = None if overlap.max() < SAME_FACE else colours[int(overlap.argmax())]
        return unpacked(found)


def held_apart(
    asked: Mapping[tuple[int, int], float], settings: MeetingSettings = MeetingSettings()
) -> dict[tuple[int, int], float]:
    """Log odds of pairs as grouping may take them: what was cut is put together again by nothing but more evidence, or
    a person."""
    return {
        pair: odds if probability(odds) >= settings.keep else min(odds, odds_of(IDENTITY.join) - 0.1)
        for pair, odds in asked.items()
    }


def _without_faces(looks: Signature) -> Signature:
    """The same without faces."""
    return Signature(np.zeros((0, 128), np.float32), np.zeros(0, np.float32), looks.colours)


def _by_pairs(scores: np.ndarray) -> np.ndarray:
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
