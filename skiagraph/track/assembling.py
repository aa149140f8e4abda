"""From what was found and followed of a head to its paths, one row in each frame: blinks are lines, bridges fill gaps,
leads and tails go before and after, and a steadying that never lags.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.lazily import ndimage
from skiagraph.track.bridging import BridgeSettings, Followed
from skiagraph.track.chaining import Chain
from skiagraph.track.leaning import around_both, own_axes
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND, Path


@dataclass(frozen=True, slots=True)
class PathSettings:
    """How covers grow where nothing was found, and where one path goes over into the next.

    Set by benchmarks/quality.py (starts, meetings, railings).
    """

    # share of its size by which a head grows for each frame from the nearest in which it was found, in a blink; larger:
    # wider covers
    line_grows: float = 0.025
    # share of the less sure of both faces that a blink between them is given
    line_sure: float = 0.95
    # missing frames up to which a blink may be bent; what is longer lies between two planned looks, and was compared
    # with a straight line; larger: wider covers
    bent_frames: int = 3
    # share of its size by which a head grows at most where it does not move straight through a blink; larger: wider
    # covers
    bend_most: float = 0.25
    # confidence between the end of one path and the beginning of the next of one chain; smaller: wider covers
    unseen: float = 0.1
    # confidence from which a lead knows better where a head is than the tail before it that is less sure; smaller: more
    # tails end early
    known: float = 0.37
    # heads up to which a cover holds where its tail and its lead have it; larger: wider covers
    both_apart: float = 2.0
    # score from which a face shows how large its head is
    sure_size: float = 0.8


PATHS = PathSettings()


@dataclass(frozen=True, slots=True)
class SteadySettings:
    """Steadying, and sizes that do not shrink. Set by benchmarks/quality.py (quay, crowd)."""

    frames: float = 1.6  # deviation of the filter that takes the tremble out of places; larger: calmer covers
    size_frames: float = 4.0  # the same deviation for widths and heights
    size_first: float = 1.2  # deviation, frames, of the filter on sizes before the largest nearby is taken
    size_around: int = 5  # frames among which that is the largest
    least_size: float = 0.97  # share of a found size that a steadied one keeps at least
    angle_frames: float = 4.0  # deviation, frames, of the filter on angles
    off: float = 0.04  # share of a found head's size by which its steadied place may be off at most
    known_frames: float = 2.0  # deviation, in sure faces, of the filter on what their sizes were
    unsure: float = 0.1  # score below that of a sure face over which sizes of sure ones come to count in full
    known_share: float = 0.90  # share of the size of sure faces around it that a less sure one has at least
    known_more: float = 0.08  # share more where it is not sure at all
    joins_frames: float = 6.0  # frames over which followed rows go over to the steadied place they begin at


STEADY = SteadySettings()


def path_of(
    chain: Chain,
    followed: Followed,
    rate: float,
    settings: BridgeSettings = BridgeSettings(),
    steadying: SteadySettings = STEADY,
) -> list[Path]:
    """The head's paths: one, or several where a gap could not be bridged."""
    frames, heads, scores = chain.frames, chain.heads, chain.scores
    stretches, begin = [], 0
    for n in np.flatnonzero(np.diff(frames) > settings.line_frames + 1):
        if frames[n + 1] - frames[n] > settings.bridge_s * rate and not followed.bridges[int(n)].agreed:
            stretches.append((begin, int(n)))
            begin = int(n) + 1
    stretches.append((begin, len(frames) - 1))
    paths = []
    for a, b in stretches:
        bridges = {n - a: followed.bridges[n].rows for n in range(a, b) if n in followed.bridges}
        bridges |= {
            n - a: _straight_through(n, frames, heads, scores)
            for n in range(a, b)
            if 1 < frames[n + 1] - frames[n] <= settings.line_frames + 1
        }
        lead, tail = _lead_of(followed, a), followed.tails.get(b, np.zeros((0, 6)))
        if b + 1 < len(frames) and b not in followed.left:
            tail = _held_until_the_lead(
                tail,
                _lead_of(followed, b + 1),
                np.append(heads[b], scores[b]),
                np.append(heads[b + 1], scores[b + 1]),
                int(frames[b + 1] - frames[b]) - 1,
            )
        if b + 1 < len(frames):
            tail = _ending_where_the_lead_is_surer(
                tail,
                _lead_of(followed, b + 1),
                int(frames[b + 1] - frames[b]) - 1,
                max(1, round(settings.hold_s * rate)),
            )
        if paths and int(frames[a]) - len(lead) <= paths[-1].last:
            lead = lead[: max(0, int(frames[a]) - paths[-1].last - 1)]
        paths.append(_assemble(frames[a : b + 1], heads[a : b + 1], scores[a : b + 1], bridges, lead, tail, steadying))
    return paths


def _lead_of(followed: Followed, row: int) -> np.ndarray:
    return followed.leads[row].rows if row in followed.leads else np.zeros((0, 6))


def _held_until_the_lead(
    tail: np.ndarray, lead: np.ndarray, before: np.ndarray, after: np.ndarray, count: int
) -> np.ndarray:
    """A tail (n, 6) with further rows up to where the lead begins that was followed back from the next sight of the
    same head.

    In a gap of one chain somebody was lost from sight, but hardly left the picture unless they were at its edge; so the
    cover goes straight from the one to the other, and its confidence says that nobody knows. before, after: (6,), the
    found heads around the gap; count: frames between them.
    """
    missing = count - len(tail) - len(lead)
    if missing <= 0:
        return tail
    ends = tail[-1] if len(tail) else before, lead[-1] if len(lead) else after
    t = (np.arange(1, missing + 1) / (missing + 1))[:, None]
    rows = ends[0] * (1 - t) + ends[1] * t
    rows[:, 2:4] = np.maximum(ends[0][2:4], ends[1][2:4])
    rows[:, 5] = PATHS.unseen
    return np.concatenate([tail, rows])


def _ending_where_the_lead_is_surer(tail: np.ndarray, lead: np.ndarray, count: int, hold: int) -> np.ndarray:
    """A tail (n, 6) that ends where the lead (m, 6), nearest first, of the next head of the same chain knows better
    where the head is, after a gap of so many frames.

    Around the frame in which it does, up to `hold` frames to either side hold both, where the two are not far apart.
    """
    begin = max(count - len(lead), 0)
    if len(tail) <= begin:
        return tail
    theirs = lead[:count][::-1]
    mine = tail[begin:]
    worse = np.flatnonzero(theirs[: len(mine), 5] <= np.maximum(mine[:, 5], PATHS.known))
    end = begin + (int(worse[-1]) + 1 if len(worse) else 0)
    tail = tail[: end + hold].copy()
    shared = np.arange(max(begin, end - hold), len(tail))
    away = np.abs(own_axes(tail[shared], theirs[shared - begin, :2] - tail[shared, :2])) / np.maximum(
        tail[shared, 2:4], 1
    )
    shared = shared[(away <= PATHS.both_apart).all(axis=1)]
    tail[shared, :4] = around_both(tail[shared], theirs[shared - begin])
    return tail


def _straight_through(n, frames, heads, scores) -> np.ndarray:
    """Rows of a blink: straight between its ends."""
    count = int(frames[n + 1] - frames[n]) - 1
    t = (np.arange(1, count + 1) / (count + 1))[:, None]
    rows = heads[n].astype(float) * (1 - t) + heads[n + 1].astype(float) * t
    # Nobody moves quite straight: the further from what was found, the more the cover holds.
    rows[:, 2:4] *= 1 + PATHS.line_grows * (count + 1) * np.minimum(t, 1 - t)
    return np.concatenate([rows, np.full((count, 1), PATHS.line_sure * min(scores[n], scores[n + 1]))], axis=1)


def _room_for_curves(frames, heads) -> np.ndarray:
    """By how many px the head may be wider and higher than it was found, (n, 2), in each frame from the first to the
    last, so that its cover holds all that a curve could be off by from the straight line through a blink: t * (1 - t) /
    2 of the second derivative times the square of its length, to either side (error of linear interpolation)."""
    wider = np.zeros((int(frames[-1] - frames[0]) + 1, 2))
    if len(frames) < 3:
        return wider
    lengths = np.diff(frames).astype(float)
    speeds = np.diff(heads[:, :2].astype(float), axis=0) / lengths[:, None]
    bent = np.abs(own_axes(heads[1:-1], np.diff(speeds, axis=0))) * 2 / (lengths[1:] + lengths[:-1])[:, None]
    # At both ends of each blink; the outermost heads have none of their own.
    bent = np.concatenate([bent[:1], bent, bent[-1:]])
    for n in np.flatnonzero((lengths > 1) & (lengths <= PATHS.bent_frames + 1)):
        t = np.arange(1, lengths[n])[:, None] / lengths[n]
        wider[frames[n] - frames[0] + 1 : frames[n + 1] - frames[0]] = (
            t * (1 - t) * bent[n : n + 2].max(axis=0) * lengths[n] ** 2
        )
    return wider


def _assemble(frames, heads, scores, bridges, lead, tail, settings: SteadySettings) -> Path:
    """One path from found rows, bridges, lead and tail, steadied."""
    rows, origins = [], []
    for n in range(len(frames)):
        rows.append(np.append(heads[n], scores[n])[None])
        origins.append([FOUND])
        if n in bridges:
            rows.append(bridges[n])
            origins.append([BRIDGED] * len(bridges[n]))
    body, origin = np.concatenate(rows).astype(float), np.concatenate(origins)
    body = _steady(_not_shrunk(body, origin, settings), origin, settings)
    body[:, 2:4] += np.minimum(_room_for_curves(frames, heads), PATHS.bend_most * body[:, 2:4])
    lead, tail = _begun_at(lead, body[0], heads[0], settings)[::-1], _begun_at(tail, body[-1], heads[-1], settings)
    every = np.concatenate([lead, body, tail])
    kinds = np.concatenate([np.full(len(lead), FOLLOWED), origin, np.full(len(tail), FOLLOWED)])
    return Path.from_rows(int(frames[0]) - len(lead), every, kinds)


def _not_shrunk(body, origin, settings: SteadySettings) -> np.ndarray:
    """A face that turns away is found ever smaller, but its head does not shrink: where the detector is less sure, size
    is at least what sure faces around that moment had."""
    sure = np.flatnonzero((origin == FOUND) & (body[:, 5] >= PATHS.sure_size))
    if not len(sure):
        return body
    body, every = body.copy(), np.arange(len(body))
    for column in (2, 3):
        known = np.interp(
            every, sure, ndimage.gaussian_filter1d(body[sure, column], settings.known_frames, mode="nearest")
        )
        doubt = np.clip((PATHS.sure_size - body[:, 5]) / settings.unsure, 0, 1)
        body[:, column] = np.maximum(
            body[:, column], known * (settings.known_share + settings.known_more * doubt) * (doubt > 0)
        )
    return body


def _begun_at(rows, steadied, raw, settings: SteadySettings) -> np.ndarray:
    """Followed rows began at the raw head; let them begin at the steadied one, so that the cover does not jump."""
    if len(rows):
        rows = rows.copy()
        rows[:, :2] += (steadied[:2] - raw[:2]) * np.exp(-np.arange(len(rows)) / settings.joins_frames)[:, None]
        rows[:, 2:4] *= steadied[2:4] / raw[2:4]
    return rows


def _steady(body, origin, settings: SteadySettings) -> np.ndarray:
    """Take the tremble out without lagging: a symmetric (zero-phase) filter, then never further from a found head than
    a small share of its size, and never smaller than the heads around it."""
    if len(body) < 3:
        return body
    steady = body.copy()
    sigma = settings.frames
    steady[:, :2] = ndimage.gaussian_filter1d(body[:, :2], sigma, axis=0, mode="nearest")
    for column in (2, 3):
        least = body[:, column] * settings.least_size
        grown = ndimage.maximum_filter1d(
            ndimage.gaussian_filter1d(body[:, column], settings.size_first, mode="nearest"),
            settings.size_around,
            mode="nearest",
        )
        steady[:, column] = ndimage.gaussian_filter1d(
            np.maximum((grown + body[:, column]) * 0.5, least), settings.size_frames, mode="nearest"
        )
        steady[:, column] = np.maximum(steady[:, column], least)
    steady[:, 4] = ndimage.gaussian_filter1d(body[:, 4], settings.angle_frames, mode="nearest")
    off = body[:, :2] - steady[:, :2]
    allowed = settings.off * body[:, 2:4]
    excess = off - np.clip(off, -allowed, allowed)
    steady[:, :2] += np.where((origin == FOUND)[:, None], excess, 0)
    return steady
