"""Who is who on both sides of every meeting, asked anew (track/meetings.py): whoever is surely the other goes on as the
other, and who cannot be told apart is cut there and asked about.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import iou
from skiagraph.track.appearance import unpacked
from skiagraph.track.identity import IDENTITY, Signature, probability
from skiagraph.track.meetings import (
    Meeting,
    MeetingSettings,
    Side,
    found_share,
    going_on,
    log_odds_of_looks,
    log_odds_of_way,
    marginals,
    marginals_by_pairs,
    odds_of,
    of_rows,
    seen_of,
    side_of,
)
from skiagraph.track.path import FOUND, Path
from skiagraph.track.stretch import Stretch

# Boxes that overlap so much are of one face; so many looks at most make up a mean.
SAME_FACE, MOST_LOOKS = 0.7, 12


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
        self.meetings_of_row = of_rows(meetings)
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
        share = marginals(odds) if max(odds.shape) <= settings.most else marginals_by_pairs(odds)
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
