"""People whose faces nobody finds, though their whole bodies are seen: who runs off, is far away, or looks down all the
time. They are followed and covered as everybody is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy
from skiagraph.detect.bodies import HEAD_X, HIGH, HIPS_X, SCORE
from skiagraph.detect.squared import Squared
from skiagraph.lazily import optimize
from skiagraph.track.appearance import head_colours, packed
from skiagraph.track.body import HEAD_ON_WAY, BodyLandmarks
from skiagraph.track.camera import Views
from skiagraph.track.chaining import Chain
from skiagraph.track.heads import HEAD_BOX
from skiagraph.track.linking import Tracklet
from skiagraph.track.observations import Observation, SeenHeads
from skiagraph.track.path import Path
from skiagraph.track.picture import Picture
from skiagraph.track.runs import Runs, key_of
from skiagraph.track.stretch import Stretch
from skiagraph.track.ways import CX, CY, HEIGHT, WAYS, WIDTH, Heads, Ways, log_odds_of_following


@dataclass(frozen=True, slots=True)
class UnfacedSettings:
    """When bodies are looked for, and which heads that they give away are nobody's yet.

    Set by hand, with wide margins, on recordings of real people and held against drawn ones (docs/measured/mended.md).
    """

    # seconds from one look for bodies to the next; larger: later found, less work (docs/measured/mended.md)
    every_s: float = 0.5
    # score of a body from which its head is surely somebody's; larger: fewer are found. Of forty from 0.5 on, on
    # recordings, that the landmark network did not confirm, all were somebody's; later a wheel was not
    sure_alone: float = 0.6
    # confidence of the landmark network from which one with a smaller score is; larger: fewer are found
    sure: float = 0.8
    # heads between two places of one head at most: where both networks see it, or where it is seen twice; larger: more
    # is confirmed, and who stands close beside somebody is missed
    same_head: float = 0.7
    # heads from a face that was found in the same picture within which a head is whose that is; larger: fewer are found
    # in crowds
    near_face: float = 1.0
    # widths of a head, by its body, that are followed; larger: followers hold more of what is around it
    width: float = 1.1
    # heights of a head, by its body, that are followed, since bodies tell nine tenths; larger: followers hold more
    height: float = 1.1
    # times that its cover is as wide: of twenty heads one lies an eighth of its width further to a side than its ears,
    # and some are half as large again as their body tells; larger: wider covers
    wider: float = 1.4
    # times that its cover is as high, for hair and hats
    higher: float = 1.35
    # by so much of its height the middle of a head lies above its ears
    rise: float = 0.06
    # seconds before the first face of somebody and after the last for which they are near that; larger: fewer are new
    known_s: float = 2.0
    # seconds before and after what is doubtful for which that is near, since it is covered for hardly longer than it is
    # seen
    doubted_s: float = 0.3
    # heads from a face that was found in that frame within which a body is theirs; larger: fewer are new
    seen_away: float = 1.2
    # heads from where somebody known should be within which a body is theirs; larger: fewer are new, and who passes
    # somebody whose face is not found just then may be taken for them, and bare (docs/measured/mended.md)
    known_away: float = 1.2
    # heads further for each second from the nearest face
    known_a_second: float = 1.5
    # heads around two signs within which there is nobody else between them, so that they are one person's though nobody
    # could follow them from one to the other; larger: more subjects
    alone: float = 6.5
    # confidence of where such a head is, by which its cover grows (project.rows)
    score: float = 0.6
    # the same confidence of one that only the way of somebody makes believed
    weak_score: float = 0.45

    def each(self, rate: float) -> int:
        """Frames from one look for bodies to the next, at a rate of frames a second."""
        return max(1, round(self.every_s * rate))


UNFACED = UnfacedSettings()
# Costs more than any distance that fits.
_NEVER = 1e6


@dataclass(frozen=True, slots=True, eq=False)
class BodySign:
    """A head that a body gives away. head: (4,) cx, cy, width, height, px of the clip; colours: how it and its
    shoulders look (track.appearance), None where that is not known; sure: False where it is believed only of somebody
    whom a sure one gives away, before it or after it."""

    frame: int
    head: np.ndarray
    colours: np.ndarray | None = None
    sure: bool = True


def signs_of(observations: Iterable[Observation]) -> list[BodySign]:
    return [
        BodySign(o.frame, head, colours, bool(sure))
        for o in observations
        if o.bodies is not None
        for head, colours, sure in zip(o.bodies.heads, o.bodies.colours, o.bodies.sure)
    ]


def looks_in(observation: Observation) -> tuple[np.ndarray, tuple[np.ndarray | None, ...]]:
    """Where the faces of a frame are, those by bodies too, (n, 4) x0, y0, x1, y1 px, and how each looks, in a quarter
    of the memory (track.appearance.packed)."""
    seen, bodies = observation.seen, observation.bodies
    if bodies is None:
        return seen.found.boxes, tuple(map(packed, seen.colours))
    return np.concatenate([seen.found.boxes, faces_in(bodies.heads)]), tuple(
        map(packed, (*seen.colours, *bodies.colours))
    )


def heads_of(
    bodies: np.ndarray, rgb: np.ndarray, landmarks: BodyLandmarks, squared: Squared, settings: UnfacedSettings = UNFACED
) -> tuple[np.ndarray, np.ndarray]:
    """Heads, (n, 4) cx, cy, width, height, px of the clip, of bodies, (n, 6) as detect.bodies finds them in an RGB
    picture with square pixels, and which of them are surely somebody's, bool (n,)."""
    head, hips, high = bodies[:, HEAD_X:HIPS_X], bodies[:, HIPS_X:HIGH], bodies[:, HIGH]
    sure = [
        row[SCORE] >= settings.sure_alone or _is_confirmed(*places, rgb, landmarks, settings)
        for row, *places in zip(bodies, head, hips, high)
    ]
    found = np.column_stack(
        [
            head - np.outer(settings.rise * high, (0, 1)),
            settings.width * high * HEAD_BOX.width / HEAD_BOX.height,
            settings.height * high,
        ]
    )
    return found / (squared.aspect, 1, squared.aspect, 1), np.array(sure, bool)


def heads_seen(bodies: np.ndarray, picture: Picture, landmarks: BodyLandmarks, squared: Squared) -> SeenHeads:
    """The heads of bodies that were found in a picture, and how they and their shoulders look, which nobody knows in
    coloured light."""
    heads, sure = heads_of(bodies, picture.rgb, landmarks, squared)
    return SeenHeads(
        heads,
        tuple(None if picture.coloured else head_colours(picture.rgb, box) for box in squared.boxes(faces_in(heads))),
        sure,
    )


def without_faces(bodies: np.ndarray, faces: np.ndarray, settings: UnfacedSettings = UNFACED) -> np.ndarray:
    """Bodies, (n, 6), but for those of faces that were found, (k, 4) x0, y0, x1, y1, in the same px."""
    apart = np.hypot(*np.moveaxis(bodies[:, None, HEAD_X:HIPS_X] - (faces[:, :2] + faces[:, 2:])[None] / 2, 2, 0))
    return bodies[(apart > settings.near_face * bodies[:, HIGH, None]).all(1)]


def _is_confirmed(
    head: np.ndarray,
    hips: np.ndarray,
    height: float,
    rgb: np.ndarray,
    landmarks: BodyLandmarks,
    settings: UnfacedSettings,
) -> bool:
    """Whether the landmark network sees the same head from these hips."""
    body = landmarks.around(rgb, hips, hips + (head - hips) / HEAD_ON_WAY)
    return body.sure >= settings.sure and np.hypot(body.cx - head[0], body.cy - head[1]) <= settings.same_head * height


@dataclass(frozen=True, slots=True, eq=False)
class Unfaced:
    """chains: of whoever is nobody of those who are known; first: how many chains are known, which stand before them;
    runs: of their signs, and who is who in them."""

    chains: list[Chain]
    first: int
    runs: Runs

    def widened(self, stretches: Sequence[Stretch], settings: UnfacedSettings = UNFACED) -> list[Stretch]:
        """Stretches whose covers are as wide as a body leaves open where the head is, in the frames that are nearer to
        such a look than to a face."""
        return [self._widened(s, settings) if any(chain >= self.first for chain in s.chains) else s for s in stretches]

    def _widened(self, stretch: Stretch, settings: UnfacedSettings) -> Stretch:
        path, found = stretch.path, np.unique([frame for frame, _, _ in stretch.faces]).astype(int)
        if not len(found):
            return stretch
        signs = [
            frame
            for chain in stretch.chains
            if chain >= self.first
            for frame in self.chains[chain - self.first].frames.tolist()
        ]
        every = np.arange(path.first, path.last + 1)
        after = np.clip(np.searchsorted(found, every), 0, len(found) - 1)
        before = np.maximum(after - 1, 0)
        nearest = np.where(np.abs(every - found[before]) <= np.abs(found[after] - every), found[before], found[after])
        by_body = np.isin(nearest, signs)
        rows = path.rows()
        rows[by_body, WIDTH] *= settings.wider
        rows[by_body, HEIGHT] *= settings.higher
        return replace(stretch, path=Path.from_rows(path.first, rows, path.origin, path.lean))


def unfaced(
    signs: Sequence[BodySign],
    known: Sequence[Chain],
    shot: Callable[[int], tuple[int, int]],
    rate: float,
    views: Views | None = None,
    settings: UnfacedSettings = UNFACED,
) -> Unfaced:
    """Who is given away by signs, in order of frames. shot: first and last frame of the shot that a frame is in; views:
    what the camera did."""
    views = views or Views.still()
    heads = [
        (
            Heads.of(chain.frames, chain.heads, views),
            (settings.doubted_s if chain.doubtful else settings.known_s) * rate,
        )
        for chain in known
    ]
    number = max((t.number for chain in known for t in chain.parts), default=0)
    signs, runs, track = _with_sure_ones(signs, *_linked(signs, views, heads, shot, rate, settings))
    every = [
        *signs,
        *(BodySign(int(frame), row) for those, _ in heads for frame, row in zip(those.frames, those.heads)),
    ]
    frames = np.array([sign.frame for sign in every], int)
    times, back = np.unique(frames, return_inverse=True)
    shots = np.array([shot(int(frame))[0] for frame in times], int)[back]
    track = np.concatenate([track, *(np.full(len(those.frames), n) for n, (those, _) in enumerate(heads))])
    here, looks = Heads.of(frames, [sign.head for sign in every], views), [sign.colours for sign in every]
    for ends in (False, True):
        track = _as_known(Ways(here, looks, track, shots, rate), runs, track, frames, len(known), ends)
    ways = Ways(here, looks, track, shots, rate)
    keys = [
        key_of(sign.frame, box)
        for sign, box in zip(signs, faces_in(np.array([sign.head for sign in signs]).reshape(-1, 4)))
    ]
    return Unfaced(
        [Chain((_tracklet(number + 1 + n, [signs[row] for row in run], settings),)) for n, run in enumerate(runs)],
        len(known),
        Runs(keys, runs, frozenset(_alone(runs, every, settings)), ways),
    )


def _linked(
    signs: Sequence[BodySign],
    views: Views,
    known: Sequence[tuple[Heads, float]],
    shot,
    rate: float,
    settings: UnfacedSettings,
) -> tuple[list[list[int]], np.ndarray]:
    """Runs of rows of signs that are of nobody known, and whose each sign is, (n,): the number of somebody known, or of
    a run, which come after those. known: as in _of_nobody. In each frame sure signs first, and then weak ones with who
    is left (Zhang and others, ByteTrack, ECCV 2022)."""
    here, looks = (
        Heads.of([sign.frame for sign in signs], [sign.head for sign in signs], views),
        [sign.colours for sign in signs],
    )
    runs: list[list[int]] = []
    open_: list[list[int]] = []
    track = np.zeros(len(signs), int)
    for frame, group in groupby(range(len(signs)), key=lambda row: signs[row].frame):
        every = list(group)
        open_ = [
            run
            for run in open_
            if frame - signs[run[-1]].frame <= WAYS.gap_s * rate and shot(signs[run[-1]].frame) == shot(frame)
        ]
        waiting, begun = open_, []
        for sure, least in ((True, WAYS.linked), (False, WAYS.linked_weak)):
            rows = [row for row in every if signs[row].sure is sure]
            if not rows:
                continue
            free, track[rows] = _of_nobody(here, rows, known, shot, rate, settings)
            following = _following(here, looks, waiting, free, rate, least)
            for run, row in following.items():
                waiting[run].append(row)
            waiting = [run for n, run in enumerate(waiting) if n not in following]
            begun += [[row] for row in free if row not in following.values()]
        runs, open_ = runs + begun, open_ + begun
    for n, run in enumerate(runs):
        track[run] = len(known) + n
    return runs, track


def _following(
    here: Heads,
    looks: Sequence[np.ndarray | None],
    runs: Sequence[list[int]],
    rows: Sequence[int],
    rate: float,
    least: float,
) -> dict[int, int]:
    """Which of rows of signs follows on which run, by its number: an assignment of all, each by more than the least log
    odds."""
    odds = np.array([[log_odds_of_following(here, looks, run, row, rate) for row in rows] for run in runs]).reshape(
        len(runs), len(rows)
    )
    # Who does not follow counts as much as who hardly does.
    return {
        int(run): rows[row]
        for run, row in zip(*optimize.linear_sum_assignment(-np.maximum(odds, least)))
        if odds[run, row] > least
    }


def _with_sure_ones(
    signs: Sequence[BodySign], runs: list[list[int]], track: np.ndarray
) -> tuple[list[BodySign], list[list[int]], np.ndarray]:
    """Signs, runs and whose each sign is, without runs that have no sure sign, and without weak signs that are in no
    run."""
    runs = [run for run in runs if any(signs[row].sure for row in run)]
    stays = np.array([sign.sure for sign in signs], bool)
    for run in runs:
        stays[run] = True
    place = np.cumsum(stays) - 1
    return [sign for sign, kept in zip(signs, stays) if kept], [place[run].tolist() for run in runs], track[stays]


def _as_known(
    ways: Ways, runs: Sequence[Sequence[int]], track: np.ndarray, frames: np.ndarray, known: int, ends: bool
) -> np.ndarray:
    """Whose each sight is, (n,), with a run as somebody known's where it surely begins where they were seen last, or
    ends where they are seen next: what is seen of one person is no rival of itself. frames: of the sights; known: how
    many are."""
    track = track.copy()
    for run in runs:
        for before, after in ways.beside(run[0], run[-1]):
            if (before == run[-1]) != ends:
                continue
            own, theirs = track[run[0]], track[after if ends else before]
            if theirs >= known or theirs == own or not ways.is_sure(before, after, later=False):
                continue
            # Who was there at once with somebody known, to whom the run is taken already, is another person.
            spans = [(frames[track == one].min(), frames[track == one].max()) for one in (theirs, own)]
            if own >= known or min(last for _, last in spans) < max(first for first, _ in spans):
                track[track == own] = theirs
    return track


def _alone(
    runs: Sequence[Sequence[int]], every: Sequence[BodySign], settings: UnfacedSettings
) -> Iterator[tuple[int, int]]:
    """Signs of runs, each with the next one of its run, between which nobody else of every sign is near."""
    order = np.array(sorted(range(len(every)), key=lambda n: every[n].frame), int)
    frames, heads = np.array([every[n].frame for n in order]), np.array([every[n].head for n in order])
    for run in runs:
        mine, own = np.array([every[n].frame for n in run]), np.array([every[n].head for n in run])
        meanwhile = np.arange(np.searchsorted(frames, mine[0]), np.searchsorted(frames, mine[-1], side="right"))
        others = meanwhile[~np.isin(order[meanwhile], run)]
        # Who is there in the very frame of a sign is so before it and after it.
        before, after = (
            np.searchsorted(mine, frames[others], side="left") - 1,
            np.searchsorted(mine, frames[others], side="right"),
        )
        near = np.any(
            [
                _apart(own[np.clip(row, 0, len(run) - 1)], heads[others]) <= settings.alone
                for row in (before, before + 1, after - 1, after)
            ],
            axis=0,
        )
        beset = {int(gap) for row in (before, after - 1) for gap in row[near]}
        yield from ((run[n], run[n + 1]) for n in range(len(run) - 1) if n not in beset)


def _of_nobody(
    signs: Heads, rows: list[int], known: Sequence[tuple[Heads, float]], shot, rate: float, settings: UnfacedSettings
) -> tuple[list[int], np.ndarray]:
    """Rows of signs, all of one frame, that are of nobody known, and of each row the number of who is, -1 for nobody;
    at most one is theirs of each but for what lies on it. known: heads of each, and so many frames before and after
    those are near."""
    frame = int(signs.frames[rows[0]])
    near = [n for n, (heads, reach) in enumerate(known) if heads.frames[0] - reach <= frame <= heads.frames[-1] + reach]
    found = [
        (n, apart)
        for n in near
        if (apart := _apart_from_known(signs, rows, known[n][0], shot(frame), rate, settings)) is not None
    ]
    whose = np.full(len(rows), -1)
    if not found:
        return rows, whose
    apart, fits = (np.array([pair[n] for _, pair in found]) for n in (0, 1))
    on = apart.min(0) <= settings.same_head
    whose[on] = np.array([n for n, _ in found])[apart.argmin(0)[on]]
    for one, row in zip(*optimize.linear_sum_assignment(np.where(fits, apart, _NEVER))):
        if fits[one, row]:
            whose[row] = found[one][0]
    return [row for row, one in zip(rows, whose) if one < 0], whose


def _apart_from_known(
    signs: Heads, rows: list[int], known: Heads, shot: tuple[int, int], rate: float, settings: UnfacedSettings
) -> tuple[np.ndarray, np.ndarray] | None:
    """How far rows of signs, all of one frame, are from where somebody known is or should be, (n,), and whether they
    may be theirs, (n,); None in another shot. Going with the camera or not, as is nearer."""
    frame, frames = int(signs.frames[rows[0]]), known.frames
    after = int(np.searchsorted(frames, frame, side="right"))
    ends = [row for row in (after - 1, after) if 0 <= row < len(frames) and shot[0] <= frames[row] <= shot[1]]
    if not ends:
        return None
    seconds = min(abs(int(frames[row]) - frame) for row in ends) / rate
    share = (frame - frames[ends[0]]) / (frames[ends[1]] - frames[ends[0]]) if len(ends) == 2 else 0.0
    apart = np.minimum(
        *(
            _apart(heads[ends[0]] * (1 - share) + heads[ends[-1]] * share, those[rows])
            for heads, those in ((known.heads, signs.heads), (known.steady, signs.steady))
        )
    )
    return apart, apart <= (settings.known_away + settings.known_a_second * seconds if seconds else settings.seen_away)


def _apart(head: np.ndarray, other: np.ndarray) -> np.ndarray:
    """How far heads, (…, 4), are from each other, in widths of the larger."""
    return np.hypot(head[..., CX] - other[..., CX], head[..., CY] - other[..., CY]) / np.maximum(
        head[..., WIDTH], other[..., WIDTH]
    )


def _tracklet(number: int, run: list[BodySign], settings: UnfacedSettings) -> Tracklet:
    heads = np.array([sign.head for sign in run], np.float32)
    return Tracklet(
        number,
        [sign.frame for sign in run],
        list(np.column_stack([heads, np.zeros(len(run), np.float32)])),
        list(faces_in(heads, settings)),
        [settings.score if sign.sure else settings.weak_score for sign in run],
    )


def faces_in(heads: np.ndarray, settings: UnfacedSettings = UNFACED) -> np.ndarray:
    """Where the faces of heads as heads_of gives them, (n, 4), would be: x0, y0, x1, y1 px, float32 (n, 4)."""
    side = heads[:, HEIGHT] / settings.height / HEAD_BOX.height
    return cxcywh_to_xyxy(np.column_stack([heads[:, CX], heads[:, CY], side, side])).astype(np.float32)
