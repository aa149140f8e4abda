"""From followed chains to people: paths, how each looks, and who is who."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from skiagraph.boxes import area, cxcywh_to_xyxy, intersection, iou
from skiagraph.track.assembling import path_of
from skiagraph.track.bridging import BridgeSettings, Followed
from skiagraph.track.chaining import Chain
from skiagraph.track.describing import DESCRIBING, Description, is_of
from skiagraph.track.identity import Signature, face_distance, group, probability
from skiagraph.track.leaning import ANGLE, around_both, own_axes
from skiagraph.track.linking import Tracklet
from skiagraph.track.path import FOUND, Path
from skiagraph.track.reconsidering import Join, held_apart
from skiagraph.track.results import FoundJoin, FoundPerson
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class PeopleSettings:
    """From tracks to people.

    Distances are Euclidean, of descriptors: within one person profiles seldom reach 0.5 (the network's own training has
    0.6 as the bound); the rest set by benchmarks/quality.py.
    """

    # share of its size within which a head stays that is a picture of one; larger: more is doubtful
    still_share: float = 0.012
    # seconds for which it has to stay there
    still_s: float = 4.0
    # share of the smaller of both that a doubtful face and a head share where the face lies over the head
    shadow_over: float = 0.35
    # share of its frames in which a doubtful face lies over a head, or beside it, from which it is a part of that
    # person
    shadow_time: float = 0.5
    # head sizes from the middle of a head within which a doubtful face is beside it
    beside: float = 0.8
    # frames that a doubtful track needs at least to be taken for a part of the person it is beside
    beside_frames: int = 10
    # score under which a face only says where to look, and is no find
    hint: float = 0.5
    # distance from which two faces are surely two people's, where a track is cut between them; smaller: more is cut
    unlike: float = 0.5
    # worth of such a comparison at least (track.identity.face_distance)
    unlike_worth: float = 0.2
    # distance of a face from the one before and the one after it from which it was misread, where those two are nearer
    # to each other
    misread: float = 0.45
    # seconds within which nobody changes heads and back again, so that faces in between were misread
    back_s: float = 3.0
    # frames in which somebody has to be seen for their part of a track to be split off
    least_part: int = 4
    # frames before two paths meet in which the cover holds both; larger: wider covers
    both_frames: int = 25
    # share of the head that the two paths are apart at most for the cover to hold both
    near_both: float = 0.6
    # log odds that two paths of one chain are one person, though the gap between them was not bridged; larger: more is
    # joined
    one_chain: float = 1.5
    # share of the smaller that two heads share in a frame for them to be one
    one_head_over: float = 0.5
    # share of their common frames in which they do, for two paths to be one head
    one_head_time: float = 0.8
    # frames in which both have a face from which those faces tell that they are two heads; larger: more is taken for
    # one head
    two_faces: int = 3
    # share of the smaller of two faces, in the median, under which they are of two heads (three who walk side by side,
    # unseen-6: 0.0; one head tracked twice: 0.36 and more); larger: less is taken for one head
    two_faces_over: float = 0.25
    # overlap (IoU) from which one path goes on as the next where they touch
    touches: float = 0.3
    # log odds that two paths which lie on each other are one head, tracked twice
    one_place: float = 4.0


PEOPLE = PeopleSettings()


def without_shadows(tracklets: Sequence[Tracklet]) -> list[Tracklet]:
    """Tracklets without doubtful ones that lie over believed heads, or for long close beside one, for most of their
    time: another head at a wrong scale, bits of several, or the back of one."""
    believed: dict[int, list[np.ndarray]] = {}
    for tracklet in tracklets:
        if not tracklet.doubtful:
            frames = np.arange(tracklet.frames[0], tracklet.frames[-1] + 1)
            heads = np.stack(
                [np.interp(frames, tracklet.frames, column) for column in np.asarray(tracklet.heads).T[:4]], axis=1
            )
            for frame, head in zip(frames, heads):
                believed.setdefault(int(frame), []).append(head)

    def shadow(tracklet: Tracklet) -> bool:
        over, beside = 0, 0
        for frame, box in zip(tracklet.frames, np.asarray(tracklet.boxes, float)):
            others = believed.get(frame)
            if others:
                heads = np.array(others)
                boxes = cxcywh_to_xyxy(heads)
                over += bool(
                    (
                        intersection(box[None], boxes)[0]
                        > PEOPLE.shadow_over * np.minimum(area(boxes), area(box[None]))
                    ).any()
                )
                away = np.abs(heads[:, :2] - (box[:2] + box[2:]) / 2)
                beside += bool((away < PEOPLE.beside * heads[:, 2:4]).all(axis=1).any())
        enough = PEOPLE.shadow_time * len(tracklet.frames)
        return over > enough or tracklet.frames[-1] - tracklet.frames[0] + 1 >= PEOPLE.beside_frames and beside > enough

    return [t for t in tracklets if not (t.doubtful and shadow(t))]


def looks_of(tracklet: Tracklet, descriptions: dict[int, list[Description]], first: int, last: int) -> Signature:
    """What was described of a tracklet between two frames, both included; faces only."""
    return _signature([d for frame, d in _described(tracklet, descriptions) if first <= frame <= last])


def _described(tracklet: Tracklet, descriptions: dict[int, list[Description]]) -> list[tuple[int, Description]]:
    """The frames in which a tracklet's face was described, and how."""
    return [
        (frame, d)
        for frame, box in zip(tracklet.frames, tracklet.boxes)
        if frame in descriptions
        for d in descriptions[frame]
        if is_of(d, box)
    ]


def _signature(found: Sequence[Description]) -> Signature:
    return Signature(
        np.array([d.vector for d in found]).reshape(-1, 128), np.array([d.worth for d in found], np.float32)
    )


def are_unlike(a: Signature, b: Signature) -> bool:
    """True when two faces are surely two people's."""
    face = face_distance(a, b)
    return face is not None and face[1] >= PEOPLE.unlike_worth and face[0] > PEOPLE.unlike


def without_misread(
    tracklets: Sequence[Tracklet], descriptions: dict[int, list[Description]], rate: float
) -> dict[int, list[Description]]:
    """The descriptions without those of faces that were misread: unlike the one before and the one after of their
    track, while these two are alike."""
    misread = set()
    for tracklet in tracklets:
        described = _described(tracklet, descriptions)
        for (begin, a), (_, b), (end, c) in zip(described, described[1:], described[2:]):
            there, back, apart = (float(np.linalg.norm(p.vector - q.vector)) for p, q in ((a, b), (b, c), (a, c)))
            if min(there, back) > PEOPLE.misread > apart and end - begin <= PEOPLE.back_s * rate:
                misread.add(id(b))
    return {
        frame: kept for frame, found in descriptions.items() if (kept := [d for d in found if id(d) not in misread])
    }


def split_where_unlike(
    tracklets: Sequence[Tracklet], descriptions: dict[int, list[Description]], lost: int = DESCRIBING.lost_frames
) -> list[Tracklet]:
    """Tracklets cut where the face became somebody else's: they changed heads in a crossing. lost: frames without a
    face that are a loss."""
    result, number = [], max((t.number for t in tracklets), default=0)
    waiting = list(tracklets)
    while waiting:
        tracklet = waiting.pop()
        n = _change(tracklet, descriptions, lost)
        if n is None:
            result.append(tracklet)
            continue
        number += 1
        waiting += [_rows(tracklet, slice(0, n), tracklet.number), _rows(tracklet, slice(n, None), number)]
    return sorted(result, key=lambda t: (t.frames[0], t.number))


def _change(tracklet: Tracklet, descriptions, lost: int) -> int | None:
    """The row from which a tracklet is somebody else, or None: between the two described faces whose sides differ most,
    at a loss or where the detector was least sure."""
    described = _described(tracklet, descriptions)
    known = sorted({frame for frame, _ in described})
    best, place = 0.0, None
    for a, b in zip(known, known[1:]):
        before, after = (
            _signature([d for frame, d in described if frame <= a]),
            _signature([d for frame, d in described if frame >= b]),
        )
        face = face_distance(before, after)
        if are_unlike(before, after) and face[0] > best:
            best, place = face[0], (a, b)
    if place is None:
        return None
    low, high = tracklet.frames.index(place[0]), tracklet.frames.index(place[1])
    losses = [tracklet.frames[n] - tracklet.frames[n - 1] for n in range(low + 1, high + 1)]
    row = low + 1 + int(np.argmax(losses) if max(losses) > lost else np.argmin(tracklet.scores[low + 1 : high + 1]))
    # In a crossing a face may be half another's for a moment.
    return row if PEOPLE.least_part <= row <= len(tracklet.frames) - PEOPLE.least_part else None


def _rows(t: Tracklet, rows: slice, number: int) -> Tracklet:
    return Tracklet(number, t.frames[rows], t.heads[rows], t.boxes[rows], t.scores[rows], None, t.shot, t.doubtful)


def without_hints(tracklets: Sequence[Tracklet]) -> None:
    """Leave out rows of which the detector was hardly sure: they told where to look, but the picture tells better where
    the head is."""
    for t in tracklets:
        kept = [n for n, score in enumerate(t.scores) if score >= PEOPLE.hint]
        if not t.doubtful and len(kept) >= 2 and len(kept) < len(t.frames):
            t.frames, t.heads = [t.frames[n] for n in kept], [t.heads[n] for n in kept]
            t.boxes, t.scores = [t.boxes[n] for n in kept], [t.scores[n] for n in kept]


def stretches_of(
    chains: Sequence[Chain],
    results: Sequence[Followed],
    meetings: Sequence[tuple[int, int]],
    descriptions: dict[int, list[Description]],
    rate: float,
    settings: BridgeSettings = BridgeSettings(),
) -> list[Stretch]:
    """All paths, each with its faces and descriptions; a tail that came to the beginning of a chain goes on in it."""
    paths = [path_of(chain, solved, rate, settings) for chain, solved in zip(chains, results)]
    follows, joined = dict(meetings), set()
    stretches = []
    for number in sorted(range(len(chains)), key=lambda n: int(chains[n].frames[0])):
        if number in joined:
            continue
        mine = [number]
        pieces = list(paths[number])
        while mine[-1] in follows and follows[mine[-1]] not in joined and follows[mine[-1]] != number:
            after = follows[mine[-1]]
            joined.add(after)
            mine.append(after)
            pieces[-1:] = [_linked(pieces[-1], paths[after][0]), *paths[after][1:]]
        for path in pieces:
            stretches.append(_stretch(path, tuple(mine), [chains[n] for n in mine], descriptions))
    return stretches


def _linked(before: Path, after: Path) -> Path:
    """One path from two, the second from its first found face on, which the first had come to."""
    begins = after.first + int(np.argmax(after.origin == FOUND))
    if begins <= before.first:
        return after
    before = _holding_both(before.part(before.first, begins - 1), after, begins)
    after = after.part(before.last + 1, after.last) if after.first <= before.last + 1 else after
    rows = [p.rows() for p in (before, after)]
    gap = after.first - before.last - 1
    if gap > 0:
        # By the shorter way round.
        rows[1][:, ANGLE] += 360 * np.round((rows[0][-1, ANGLE] - rows[1][0, ANGLE]) / 360)
        t = (np.arange(1, gap + 1) / (gap + 1))[:, None]
        rows.insert(1, rows[0][-1] * (1 - t) + rows[1][0] * t)
    middle = np.full(max(0, gap), 2, np.uint8)
    return Path.from_rows(before.first, np.concatenate(rows), np.concatenate([before.origin, middle, after.origin]))


def _holding_both(before: Path, after: Path, begins: int) -> Path:
    """Where a head was followed forward from one path and back from the next, and the two lie a little apart, the cover
    holds both.

    Backward counts only as far as it stays near: it, too, may have slipped.
    """
    return _holding(before, after, range(before.last, begins - PEOPLE.both_frames - 1, -1))


def _holding(path: Path, other: Path, frames: Iterable[int]) -> Path:
    """A path whose rows hold another's place too, frame by frame for as long as both have one and those are near each
    other."""
    rows, others = path.rows(), other.rows()
    for frame in frames:
        if not max(path.first, other.first) <= frame <= min(path.last, other.last):
            break
        n, m = frame - path.first, frame - other.first
        apart = np.abs(own_axes(rows[n : n + 1], (others[m, :2] - rows[n, :2])[None])[0])
        if (apart > PEOPLE.near_both * rows[n, 2:4]).any():
            break
        rows[n, :4] = around_both(rows[n : n + 1], others[m : m + 1])[0]
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def _stretch(path: Path, numbers, chains: Sequence[Chain], descriptions) -> Stretch:
    faces, described, colours, tracklets = [], [], [], []
    for chain in chains:
        for tracklet in chain.parts:
            inside = [n for n, frame in enumerate(tracklet.frames) if path.first <= frame <= path.last]
            if not inside:
                continue
            tracklets.append(tracklet)
            if tracklet.colours is not None:
                colours.append((tracklet.colours, len(inside)))
            for n in inside:
                frame, box = tracklet.frames[n], tracklet.boxes[n]
                faces.append((frame, box, tracklet.scores[n]))
                for description in descriptions.get(frame, ()):
                    if is_of(description, box):
                        described.append((frame, description))
    mean = None
    if colours:
        weights = np.array([count for _, count in colours], float)
        mean = np.sqrt(np.average(np.square([c for c, _ in colours]), axis=0, weights=weights)).astype(np.float32)
    return Stretch(
        path,
        tuple(numbers),
        tuple(faces),
        tuple(described),
        mean,
        all(t.doubtful for t in tracklets),
        tracklets[0].number,
    )


def people_of(
    stretches: Sequence[Stretch],
    still: Sequence[bool] | None = None,
    report: Callable[[int, int], None] = lambda done, total: None,
    joins: Sequence[Join] = (),
    asked: Mapping[tuple[int, int], float] = MappingProxyType({}),
    fixed: Sequence[Sequence[int]] = (),
) -> tuple[list[FoundPerson], list[tuple[int, int, float]]]:
    """Group stretches into people; returns them and which may be one: (key, key, probability). report, fixed: as in
    identity.group; joins, asked: as track.meetings gives them."""
    cannot_link, extra = _pairs(stretches)
    grouping = group([s.signature for s in stretches], cannot_link, fixed, extra, report, held_apart(asked))
    met_in: dict[int, list[Join]] = {}
    for join in joins:
        met_in.setdefault(join.row, []).append(join)
    people = []
    keys = {
        row: min((stretches[r] for r in rows), key=lambda s: s.path.first).number
        for rows in grouping.groups
        for row in rows
    }
    for rows, sure in zip(grouping.groups, grouping.sure):
        parts = sorted((stretches[row] for row in rows), key=lambda s: s.path.first)
        met = sorted(
            (
                FoundJoin(
                    j.first, j.last, tuple(sorted({keys[o] for o in j.others} - {keys[j.row]})), probability(j.odds)
                )
                for row in rows
                for j in met_in.get(row, ())
            ),
            key=lambda j: j.first,
        )
        frame, box = _best_face(parts)
        # In the order in which they were found: a lead may go further back than whoever was found before.
        paths = _untangled(sorted(parts, key=lambda part: part.found))
        if sure < 1:
            # Of several sightings that are taken for one person no two are surer than the least sure of them.
            met = sorted(
                [*met, *(FoundJoin(before.last, after.first, (), sure) for before, after in zip(paths, paths[1:]))],
                key=lambda j: j.first,
            )
        people.append(
            FoundPerson(
                parts[0].number,
                tuple(paths),
                frame,
                box,
                all(p.doubtful for p in parts) or (still is not None and all(still[row] for row in rows)),
                min([sure, *(j.same for j in met)]),
                tuple(met),
                Signature.joined([p.signature for p in parts]),
            )
        )
    likely = [(people[a].key, people[b].key, p) for a, b, p in grouping.likely]
    return sorted(people, key=lambda person: (person.paths[0].first, person.key)), likely


def _pairs(stretches: Sequence[Stretch]) -> tuple[np.ndarray, np.ndarray]:
    """For each pair of stretches whether they cannot be one person, bool (n, n), and log odds from where they are, (n,
    n): one chain whose gap was not bridged is still likely one head, and two tracks at one place surely are.
    """
    spans = np.array([s.found for s in stretches], int).reshape(-1, 2)
    doubtful = np.array([s.doubtful for s in stretches], bool)
    first, last = spans.T
    # Somebody who was found but once while somebody else was there is there at once, too.
    within = (first[:, None] >= first) & (last[:, None] <= last)
    at_once = (np.minimum.outer(last, last) - np.maximum.outer(first, first) >= 2) | within | within.T
    cannot_link, extra = doubtful[:, None] | doubtful[None] | at_once, np.zeros((len(stretches),) * 2)
    chains: dict[int, list[int]] = {}
    for row, stretch in enumerate(stretches):
        for chain in stretch.chains:
            chains.setdefault(chain, []).append(row)
    for rows in chains.values():
        extra[np.ix_(rows, rows)] = PEOPLE.one_chain
    for i, j in np.argwhere(np.tril(at_once, -1)):
        if _one_head(stretches[i], stretches[j]):
            extra[i, j] = extra[j, i] = PEOPLE.one_place
            cannot_link[i, j] = cannot_link[j, i] = doubtful[i] or doubtful[j]
    return cannot_link, extra


def _one_head(a: Stretch, b: Stretch) -> bool:
    """True when two paths lie on each other wherever both have a found face near: one head, tracked twice.

    But not where both have faces that lie apart in the same frames: a cover that holds two places of its head may hold
    another head as well.
    """
    faces = {frame: box for frame, box, _ in b.faces}
    both = [(box, faces[frame]) for frame, box, _ in a.faces if frame in faces]
    if (
        len(both) >= PEOPLE.two_faces
        and np.median(_share_of_smaller(*(np.array(boxes, float) for boxes in zip(*both)))) < PEOPLE.two_faces_over
    ):
        return False
    (a0, a1), (b0, b1) = a.found, b.found
    frames = np.arange(max(a0, b0), min(a1, b1) + 1)
    shares = _share_of_smaller(*(p.boxes()[frames - p.first].astype(float) for p in (a.path, b.path)))
    return bool((shares > PEOPLE.one_head_over).mean() > PEOPLE.one_head_time)


def _share_of_smaller(boxes: np.ndarray, others: np.ndarray) -> np.ndarray:
    """The share of the smaller of two boxes of each row that lies in the other: (n, 4) and (n, 4) give (n,)."""
    low, high = np.maximum(boxes[:, :2], others[:, :2]), np.minimum(boxes[:, 2:], others[:, 2:])
    return np.prod(np.clip(high - low, 0, None), axis=1) / np.maximum(np.minimum(area(boxes), area(others)), 1e-9)


def _best_face(parts: Sequence[Stretch]) -> tuple[int, tuple[float, float, float, float]]:
    """The face to know somebody by: large, sharp, facing and in the open, else the surest."""
    described = [(d.worth, frame, d.box) for part in parts for frame, d in part.described]
    if described:
        _, frame, box = max(described, key=lambda entry: entry[0])
    else:
        _, frame, box = max(
            (
                (score**3 * np.sqrt(max(box[2] - box[0], 1)), frame, box)
                for part in parts
                for frame, box, score in part.faces
            ),
            key=lambda entry: entry[0],
        )
    return int(frame), tuple(float(v) for v in box)


def _meet(before: Path, after: Path, last_found: int, first_found: int) -> int:
    """The frame from which a path goes on as the next one, of those after the last face of the first up to the first
    face of the second: so that of all frames between the surest is known.
    """
    frames = np.arange(last_found + 1, first_found)
    sure = [
        np.where((frames >= p.first) & (frames <= p.last), p.confidence[np.clip(frames - p.first, 0, len(p) - 1)], 0.0)
        for p in (before, after)
    ]
    total = np.append(0.0, np.cumsum(sure[0])) + np.append(np.cumsum(sure[1][::-1])[::-1], 0.0)
    return last_found + 1 + int(np.argmax(total))


def _untangled(parts: Sequence[Stretch]) -> list[Path]:
    """The paths of one person without overlaps, of parts in the order in which they were found: where two reach into
    each other, what was found counts more than what was followed, and of that what is surer.

    Paths that touch become one where they are at the same place.
    """
    paths: list[Path] = []
    for part in parts:
        path = part.path
        if not paths or path.first > paths[-1].last + 1:
            paths.append(path)
            continue
        before = paths[-1]
        found_before = before.first + int(np.flatnonzero(before.origin == FOUND)[-1])
        found_after = path.first + int(np.argmax(path.origin == FOUND))
        meet = _meet(before, path, found_before, max(found_before + 1, found_after))
        if meet > path.last or path.first + int(np.flatnonzero(path.origin == FOUND)[-1]) <= found_before:
            # All that was found of it lies within the one before: the same head, tracked twice.
            continue
        at_end, at_begin = before.row(meet - 1), path.row(meet)
        near = (
            float(
                iou(
                    cxcywh_to_xyxy(
                        np.array([[before.cx[at_end], before.cy[at_end], before.width[at_end], before.height[at_end]]])
                    ),
                    cxcywh_to_xyxy(
                        np.array([[path.cx[at_begin], path.cy[at_begin], path.width[at_begin], path.height[at_begin]]])
                    ),
                )[0, 0]
            )
            > PEOPLE.touches
        )
        # Neither of the two is known to be right where one goes over into the other.
        until, since = (
            range(meet - 1, max(found_before, meet - 1 - PEOPLE.both_frames), -1),
            range(meet, min(found_after, meet + PEOPLE.both_frames)),
        )
        held_before, held_after = _holding(before, path, until), _holding(path, before, since)
        before, path = (
            held_before.part(before.first, min(before.last, meet - 1)),
            held_after.part(max(path.first, meet), path.last),
        )
        if near and path.first == before.last + 1:
            paths[-1] = _linked(before, path) if (path.origin == FOUND).any() else before
        else:
            paths[-1] = before
            paths.append(path)
    return paths
