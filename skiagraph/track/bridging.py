"""From tracklets with holes to paths without: bridges from both ends, leads and tails, and a steadying that never lags.

What has to be followed is said as tasks; the pictures come from a second pass over the clip (see second_pass.py).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from skiagraph.boxes import around_both
from skiagraph.detect.shrink import shrunk
from skiagraph.lazily import ndimage
from skiagraph.track.appearance import likeness
from skiagraph.track.following import follow
from skiagraph.track.linking import Tracklet
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND, Path
from skiagraph.track.silhouette import Silhouette


@dataclass(frozen=True, slots=True)
class FollowingSettings:
    """What followers get to see, and how covers grow where nothing was found. Set by benchmarks/quality.py (aside, starts, crowd), bounds of memory by the scan of 8K in docs/measured.md."""

    spread: float = 1.7  # room around a head that its shape is judged by, in head sizes; larger: more work
    enough_px: float = 80.0  # width of a head, px, above which it is looked at smaller
    standing: int = 3  # times longer that somebody who stands still is followed back at once
    lead_bytes: float = 48e6  # bytes that the pictures for that may take
    still_speed: float = 0.01  # share of its width a frame below which a head is not on its way out of the picture
    line_grows: float = 0.025  # share of its size by which a head grows for each frame from the nearest in which it was found, in a blink; larger: wider covers
    bent_frames: int = 3  # missing frames up to which a blink may be bent; what is longer lies between two planned looks, and was compared with a straight line; larger: wider covers
    bend_most: float = 0.25  # share of its size by which a head grows at most where it does not move straight through a blink; larger: wider covers
    unseen: float = 0.1  # confidence between the end of one path and the beginning of the next of one chain; smaller: wider covers
    known: float = 0.37  # confidence from which a lead knows better where a head is than the tail before it that is less sure; smaller: more tails end early
    both_apart: float = 2.0  # heads up to which a cover holds where its tail and its lead have it; larger: wider covers
    sure_size: float = 0.8  # score from which a face shows how large its head is


FOLLOWING = FollowingSettings()


@dataclass(frozen=True, slots=True)
class BridgeSettings:
    """bridge_s: longest gap closed for certain; reunite_s: longest gap closed if both ends meet in the pictures;
    line_frames: so many missing frames are no gap but a blink; lead_s: how far a head is followed back at a time, and lead_most_s
    in all; tail_s: how far it is followed on after its last sight; hold_s: how long the cover stays put after that."""

    bridge_s: float = 1.0
    reunite_s: float = 2.6
    line_frames: int = 3
    lead_s: float = 1.2
    lead_most_s: float = 6.0
    tail_s: float = 12.0
    hold_s: float = 0.24
    steady_frames: float = 1.6
    steady_size_frames: float = 4.0


@dataclass(frozen=True, slots=True)
class Window:
    """A part of the frame, x0, y0, x1, y1 px, that is looked at scaled by `scale`. Followers see only what is in it."""

    box: tuple[int, int, int, int]
    scale: float

    @staticmethod
    def around(heads: np.ndarray, size: tuple[int, int], spread: float = FOLLOWING.spread, scale: float | None = None) -> Window:
        """Around heads (n, ≥4) with room for `spread` head sizes on every side, cut to the frame of `size`."""
        reach = heads[:, 2:4].max(axis=0) * (0.5 + spread)
        low, high = heads[:, :2].min(axis=0) - reach, heads[:, :2].max(axis=0) + reach
        x0, y0 = int(np.clip(low[0], 0, size[0] - 2)), int(np.clip(low[1], 0, size[1] - 2))
        box = x0, y0, int(np.clip(high[0] + 1, x0 + 2, size[0])), int(np.clip(high[1] + 1, y0 + 2, size[1]))
        return Window(box, scale or min(1.0, FOLLOWING.enough_px / max(float(heads[:, 2].max()), 1.0)))

    @property
    def origin(self) -> tuple[float, float]:
        return self.box[0] * self.scale, self.box[1] * self.scale

    def cut(self, frame_rgb: np.ndarray) -> np.ndarray:
        x0, y0, x1, y1 = self.box
        part = frame_rgb[y0:y1, x0:x1]
        if self.scale == 1.0:
            return part.copy()
        return shrunk(part, (max(2, round((x1 - x0) * self.scale)), max(2, round((y1 - y0) * self.scale))))

    def inward(self, rows: np.ndarray) -> np.ndarray:
        """Heads of the frame, (…, ≥4), in scaled px."""
        rows = np.array(rows, float)
        rows[..., :4] *= self.scale
        return rows

    def outward(self, rows: np.ndarray) -> np.ndarray:
        rows = np.array(rows, float)
        rows[..., :4] /= self.scale
        return rows


@dataclass(frozen=True, slots=True, eq=False)
class Bridge:
    """rows: (n, 6) between two found heads; agreed: followers from both ends came to the same place."""

    rows: np.ndarray
    agreed: bool


@dataclass(frozen=True, slots=True, eq=False)
class Lead:
    """rows: (n, 6) before a found head, nearest first; goes_on: it may be followed back further."""

    rows: np.ndarray
    goes_on: bool


@dataclass(slots=True)
class Followed:
    """What followers made of one chain, by numbers of its found heads: bridges to the next one, leads before it, tails after it, (n, 6) nearest first; left: those whose tail came to the edge of the picture."""

    bridges: dict[int, Bridge] = field(default_factory=dict)
    leads: dict[int, Lead] = field(default_factory=dict)
    tails: dict[int, np.ndarray] = field(default_factory=dict)
    left: set[int] = field(default_factory=set)


class Task(Protocol):
    """Pictures that following needs: what the window cuts from frames first .. last, both included."""

    first: int
    last: int
    window: Window

    def solve(self, numbers: Sequence[int], pictures: list[np.ndarray]) -> Bridge | Lead:
        """numbers: of those frames, of which some between may be left out; pictures: of them, in order."""

    def keep(self, result: Bridge | Lead, followed: Followed) -> None:
        """Put a result where it belongs."""


@dataclass(frozen=True, slots=True)
class Chain:
    """Tracklets that are one head, in order."""

    parts: tuple[Tracklet, ...]

    @property
    def doubtful(self) -> bool:
        return all(t.doubtful for t in self.parts)

    @property
    def frames(self) -> np.ndarray:
        return np.concatenate([t.frames for t in self.parts])

    @property
    def heads(self) -> np.ndarray:
        return np.concatenate([np.asarray(t.heads, np.float32).reshape(-1, 5) for t in self.parts])

    @property
    def scores(self) -> np.ndarray:
        return np.concatenate([np.asarray(t.scores, np.float32) for t in self.parts])


def chains(tracklets: list[Tracklet], rate: float, settings: BridgeSettings = BridgeSettings(),
           unlike: Callable[[Tracklet, Tracklet], bool] = lambda a, b: False) -> list[Chain]:
    """Join tracklets that are the same head after a short loss: near, of like size and looks, and in the same shot.

    unlike: whether their faces say that they are two people.
    """
    left = sorted(tracklets, key=lambda t: t.frames[0])
    parts: list[list[Tracklet]] = []
    for tracklet in left:
        best, best_cost = None, 1.2
        for chain in parts:
            end = chain[-1]
            gap = tracklet.frames[0] - end.frames[-1]
            if end.shot != tracklet.shot or end.doubtful != tracklet.doubtful or gap <= 0 or gap > settings.reunite_s * rate:
                continue
            a, b = end.heads[-1], tracklet.heads[0]
            speed = _speed(end, backward=False)
            away = np.hypot(*(b[:2] - a[:2] - speed * min(gap, rate * 0.8))) / max(a[2], b[2])
            away = min(away, np.hypot(*(b[:2] - a[:2])) / max(a[2], b[2]))
            change = abs(np.log(b[2] / a[2]))
            # Where nothing is known of how one looked, looks decide nothing.
            like = 0.8 if end.colours is None or tracklet.colours is None else likeness(end.colours, tracklet.colours)
            travelled = np.hypot(*speed) * gap / max(a[2], 1)
            if away > 0.8 + 0.4 * gap / rate + 0.2 * travelled or change > 0.5 or like < 0.62 or unlike(end, tracklet):
                continue
            cost = 0.5 * away + change + (1 - like)
            if cost < best_cost:
                best, best_cost = chain, cost
        if best is None:
            parts.append([tracklet])
        else:
            best.append(tracklet)
    return [Chain(tuple(chain)) for chain in parts]


def _speed(tracklet: Tracklet, *, backward: bool) -> np.ndarray:
    """px per frame (x, y) at an end, from up to eight rows; backward: leaving the first row towards the past."""
    heads, frames = np.asarray(tracklet.heads), np.asarray(tracklet.frames)
    return end_speed(frames, heads, backward)


def end_speed(frames, heads, backward):
    rows = slice(0, 8) if backward else slice(-8, None)
    t, p = frames[rows].astype(float), heads[rows, :2].astype(float)
    if len(t) < 3:
        return np.zeros(2)
    slope = np.polyfit(t - t[0], p, 1)[0]
    return -slope if backward else slope


def gap_tasks(chain: Chain, size: tuple[int, int], silhouette: Silhouette | None, settings: BridgeSettings = BridgeSettings()) -> list[GapTask]:
    """What has to be followed between the faces of a chain. size: of the frame, px."""
    frames, heads = chain.frames, chain.heads
    return [GapTask(int(n), frames, heads, Window.around(heads[n:n + 2].astype(float), size), size, silhouette) for n in np.flatnonzero(np.diff(frames) > settings.line_frames + 1)]


def loose_ends(chain: Chain, rate: float, settings: BridgeSettings = BridgeSettings()) -> tuple[list[int], list[int]]:
    """Rows of a chain before which, and after which, it may be that nobody sees the face: its ends, and those of long gaps."""
    breaks = [int(n) for n in np.flatnonzero(np.diff(chain.frames) > settings.bridge_s * rate)]
    return [0] + [n + 1 for n in breaks], breaks + [len(chain.frames) - 1]


def path_of(chain: Chain, followed: Followed, rate: float, settings: BridgeSettings = BridgeSettings()) -> list[Path]:
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
        bridges |= {n - a: _line(n, frames, heads, scores) for n in range(a, b) if 1 < frames[n + 1] - frames[n] <= settings.line_frames + 1}
        lead, tail = _lead_of(followed, a), followed.tails.get(b, np.zeros((0, 6)))
        if b + 1 < len(frames) and b not in followed.left:
            tail = _until_again(tail, _lead_of(followed, b + 1), np.append(heads[b], scores[b]), np.append(heads[b + 1], scores[b + 1]), int(frames[b + 1] - frames[b]) - 1)
        if b + 1 < len(frames):
            tail = _yielding(tail, _lead_of(followed, b + 1), int(frames[b + 1] - frames[b]) - 1, max(1, round(settings.hold_s * rate)))
        if paths and int(frames[a]) - len(lead) <= paths[-1].last:
            lead = lead[:max(0, int(frames[a]) - paths[-1].last - 1)]
        paths.append(_assemble(frames[a:b + 1], heads[a:b + 1], scores[a:b + 1], bridges, lead, tail, settings))
    return paths


def _lead_of(followed: Followed, row: int) -> np.ndarray:
    return followed.leads[row].rows if row in followed.leads else np.zeros((0, 6))


def _until_again(tail: np.ndarray, lead: np.ndarray, before: np.ndarray, after: np.ndarray, count: int) -> np.ndarray:
    """A tail (n, 6) that goes on, straight and of which nobody is sure, until the lead of where its head is found again: in a gap of one chain somebody was lost from sight, and hardly from the picture, unless it was at its edge.

    before, after: (6,), the found heads around the gap of so many frames.
    """
    missing = count - len(tail) - len(lead)
    if missing <= 0:
        return tail
    ends = tail[-1] if len(tail) else before, lead[-1] if len(lead) else after
    t = (np.arange(1, missing + 1) / (missing + 1))[:, None]
    rows = ends[0] * (1 - t) + ends[1] * t
    rows[:, 2:4] = np.maximum(ends[0][2:4], ends[1][2:4])
    rows[:, 5] = FOLLOWING.unseen
    return np.concatenate([tail, rows])


def _yielding(tail: np.ndarray, lead: np.ndarray, count: int, hold: int) -> np.ndarray:
    """A tail (n, 6) that ends where the lead (m, 6), nearest first, of the next head of the same chain knows better where the head is, after a gap of so many frames.

    Around the frame in which it does, up to `hold` frames to either side hold both, where the two are not far apart.
    """
    begin = max(count - len(lead), 0)
    if len(tail) <= begin:
        return tail
    theirs = lead[:count][::-1]
    mine = tail[begin:]
    worse = np.flatnonzero(theirs[:len(mine), 5] <= np.maximum(mine[:, 5], FOLLOWING.known))
    end = begin + (int(worse[-1]) + 1 if len(worse) else 0)
    tail = tail[:end + hold].copy()
    shared = np.arange(max(begin, end - hold), len(tail))
    away = np.abs(tail[shared, :2] - theirs[shared - begin, :2]) / np.maximum(tail[shared, 2:4], 1)
    shared = shared[(away <= FOLLOWING.both_apart).all(axis=1)]
    tail[shared, :4] = around_both(tail[shared], theirs[shared - begin])
    return tail


def _line(n, frames, heads, scores) -> np.ndarray:
    """Rows of a blink: straight between its ends."""
    count = int(frames[n + 1] - frames[n]) - 1
    t = (np.arange(1, count + 1) / (count + 1))[:, None]
    rows = heads[n].astype(float) * (1 - t) + heads[n + 1].astype(float) * t
    # Nobody moves quite straight: the further from what was found, the more the cover holds.
    rows[:, 2:4] *= 1 + FOLLOWING.line_grows * (count + 1) * np.minimum(t, 1 - t)
    return np.concatenate([rows, np.full((count, 1), 0.95 * min(scores[n], scores[n + 1]))], axis=1)


def _bends(frames, heads) -> np.ndarray:
    """By how many px the head may be wider and higher than it was found, (n, 2), in each frame from the first to the last, so that its cover holds all that a curve could be
    off by from the straight line through a blink: t * (1 - t) / 2 of the second derivative times the square of its length, to either side (error of linear interpolation)."""
    wider = np.zeros((int(frames[-1] - frames[0]) + 1, 2))
    if len(frames) < 3:
        return wider
    lengths = np.diff(frames).astype(float)
    speeds = np.diff(heads[:, :2].astype(float), axis=0) / lengths[:, None]
    bent = np.abs(np.diff(speeds, axis=0)) * 2 / (lengths[1:] + lengths[:-1])[:, None]
    # At both ends of each blink; the outermost heads have none of their own.
    bent = np.concatenate([bent[:1], bent, bent[-1:]])
    for n in np.flatnonzero((lengths > 1) & (lengths <= FOLLOWING.bent_frames + 1)):
        t = np.arange(1, lengths[n])[:, None] / lengths[n]
        wider[frames[n] - frames[0] + 1:frames[n + 1] - frames[0]] = t * (1 - t) * bent[n:n + 2].max(axis=0) * lengths[n] ** 2
    return wider


@dataclass(frozen=True, slots=True, eq=False)
class GapTask:
    """Follow from both ends of a gap. row: of the head before it; frames, heads: of all found heads of the chain; size: of the frame, px."""

    row: int
    frames: np.ndarray
    heads: np.ndarray
    window: Window
    size: tuple[int, int]
    silhouette: Silhouette | None

    @property
    def first(self) -> int:
        return int(self.frames[self.row])

    @property
    def last(self) -> int:
        return int(self.frames[self.row + 1])

    def solve(self, numbers: Sequence[int], pictures: list[np.ndarray]) -> Bridge:
        return _bridge(numbers, pictures, self.row, self.frames, self.heads, self.window, self.size, self.silhouette)

    def keep(self, result: Bridge, followed: Followed) -> None:
        followed.bridges[self.row] = result


def _bridge(numbers, pictures, n, frames, heads, window, size, silhouette) -> Bridge:
    """Between found heads n and n + 1, followed from both ends and blended where they agree."""
    count = int(frames[n + 1] - frames[n]) - 1
    ends = heads[n:n + 2].astype(float)
    t = (np.arange(1, count + 1) / (count + 1))[:, None]
    line = ends[0] * (1 - t) + ends[1] * t
    ahead = followed_through(numbers, pictures, heads[n], end_speed(frames[:n + 1], heads[:n + 1], False), window, size, silhouette)[0][:count]
    back = followed_through(numbers[::-1], pictures[::-1], heads[n + 1], end_speed(frames[n + 1:], heads[n + 1:], True), window, size, silhouette)[0][:count]
    from_start, known_start = _padded(ahead, line, count)
    from_end, known_end = _padded(back[::-1], line, count, at_end=True)
    # What was followed counts by how sure the follower was; where neither is, the straight line between the ends.
    weight_start = (1 - t[:, 0]) * np.where(known_start, from_start[:, 5] ** 2, 0)
    weight_end = t[:, 0] * np.where(known_end, from_end[:, 5] ** 2, 0)
    weight_line = 0.03 * (1 - np.maximum(from_start[:, 5] * known_start, from_end[:, 5] * known_end))
    total = weight_start + weight_end + weight_line
    share = (weight_end / np.maximum(weight_start + weight_end, 1e-9))[:, None]
    blended = (from_start[:, :5] * weight_start[:, None] + from_end[:, :5] * weight_end[:, None] + line * weight_line[:, None]) / total[:, None]
    away = np.hypot(*(from_start[:, :2] - from_end[:, :2]).T) / np.maximum(blended[:, 2], 1)
    sure = from_start[:, 5] * (1 - share[:, 0]) + from_end[:, 5] * share[:, 0]
    confidence = np.clip(sure * np.clip(1.25 - away, 0.2, 1), 0.1, 0.9)
    both = known_start & known_end
    agreed = bool(both.any() and away[both].min() < 0.35) or bool((known_start | known_end).all() and away.max() < 0.6)
    # Where the two ends disagree the cover must hold both.
    blended[:, 2:4] *= (1 + np.minimum(away, 0.8) * 0.5)[:, None]
    return Bridge(np.concatenate([blended, confidence[:, None]], axis=1), agreed)


def followed_through(numbers, pictures, head, speed, window: Window, size, silhouette) -> tuple[np.ndarray, str]:
    """Rows (n, 6), one for each frame, in px of the frame, of a head followed through what a window cut, and why it stopped."""
    scaled = size[0] * window.scale, size[1] * window.scale
    result = follow(pictures, window.inward(head), np.asarray(speed, float) * window.scale, window.origin, scaled, silhouette, numbers)
    return window.outward(result.rows), result.reason


def _padded(rows, line, count, at_end=False):
    """Followed rows brought to count rows; where the follower stopped, its last offset from the line fades out."""
    known = np.zeros(count, bool)
    out = np.concatenate([line, np.full((count, 1), 0.15)], axis=1)
    n = len(rows)
    if n:
        where = slice(count - n, count) if at_end else slice(0, n)
        known[where] = True
        out[where] = rows
        offset = (rows[0] if at_end else rows[-1])[:5] - line[count - n if at_end else n - 1]
        rest = np.arange(1, count - n + 1)
        fade = (1 - rest / (count - n + 1))[:, None]
        if at_end:
            out[:count - n, :5] += offset * fade[::-1]
        else:
            out[n:, :5] += offset * fade
    return out, known


def _assemble(frames, heads, scores, bridges, lead, tail, settings) -> Path:
    """One path from found rows, bridges, lead and tail, steadied."""
    rows, origins = [], []
    for n in range(len(frames)):
        rows.append(np.append(heads[n], scores[n])[None])
        origins.append([FOUND])
        if n in bridges:
            rows.append(bridges[n])
            origins.append([BRIDGED] * len(bridges[n]))
    body, origin = np.concatenate(rows).astype(float), np.concatenate(origins)
    body = _steady(_not_shrunk(body, origin), origin, settings)
    body[:, 2:4] += np.minimum(_bends(frames, heads), FOLLOWING.bend_most * body[:, 2:4])
    lead, tail = _attached(lead, body[0], heads[0])[::-1], _attached(tail, body[-1], heads[-1])
    every = np.concatenate([lead, body, tail])
    kinds = np.concatenate([np.full(len(lead), FOLLOWED), origin, np.full(len(tail), FOLLOWED)])
    return Path.from_rows(int(frames[0]) - len(lead), every, kinds)


def _not_shrunk(body, origin) -> np.ndarray:
    """A face that turns away is found ever smaller, but its head does not shrink: where the detector is less sure, size is at least
    what sure faces around that moment had."""
    sure = np.flatnonzero((origin == FOUND) & (body[:, 5] >= FOLLOWING.sure_size))
    if not len(sure):
        return body
    body, every = body.copy(), np.arange(len(body))
    for column in (2, 3):
        known = np.interp(every, sure, ndimage.gaussian_filter1d(body[sure, column], 2.0, mode="nearest"))
        doubt = np.clip((FOLLOWING.sure_size - body[:, 5]) / 0.1, 0, 1)
        body[:, column] = np.maximum(body[:, column], known * (0.90 + 0.08 * doubt) * (doubt > 0))
    return body


def _attached(rows, steadied, raw):
    """Followed rows began at the raw head; let them begin at the steadied one, so that the cover does not jump."""
    if len(rows):
        rows = rows.copy()
        rows[:, :2] += (steadied[:2] - raw[:2]) * np.exp(-np.arange(len(rows)) / 6)[:, None]
        rows[:, 2:4] *= steadied[2:4] / raw[2:4]
    return rows


def lead_task(row: int, chain: Chain, size: tuple[int, int], earliest: int, rate: float, silhouette: Silhouette | None, known: np.ndarray | None = None,
              settings: BridgeSettings = BridgeSettings(), needed: np.ndarray | None = None) -> LeadTask | None:
    """Follow a head back from a row of its chain, a stretch at a time. known: rows (n, 6) that were followed already, nearest first.
    needed: bool (frames,), whose pictures are decoded; a stretch ends at one of them.

    None where there is no room, which is before the frame earliest.
    """
    frames, heads = chain.frames, chain.heads
    head, at = heads[row].astype(float), int(frames[row])
    speed = end_speed(frames[row:], heads[row:], True)
    if known is not None and len(known):
        head, at = known[-1, :5].astype(float), at - len(known)
        speed = (known[-1, :2] - known[max(0, len(known) - 6), :2]) / max(1, min(5, len(known) - 1))
    stretch = settings.lead_s * rate
    if np.hypot(*speed) * stretch < 0.5 * head[2] and not touches_edge(head, size, speed):
        # Somebody who stands inside the picture has been there for a while, and one look at those frames costs less than several.
        scale = min(1.0, FOLLOWING.enough_px / max(float(head[2]), 1.0))
        picture = 3 * (1 + 2 * FOLLOWING.spread) ** 2 * head[2] * head[3] * scale ** 2
        stretch *= np.clip(FOLLOWING.lead_bytes / picture / stretch, 1, FOLLOWING.standing)
    longest = min(at - earliest, round(stretch))
    while longest > 0 and needed is not None and not needed[at - longest]:
        longest -= 1
    if longest <= 0:
        return None
    reach = np.stack([head[:4], head[:4]])
    reach[1, :2] += speed * longest * 0.8
    window = Window.around(reach, size)
    return LeadTask(row, at - longest, at, window, head, speed, np.zeros((0, 6)) if known is None else known, settings.lead_most_s * rate, size, rate, silhouette, settings)


@dataclass(frozen=True, slots=True, eq=False)
class LeadTask:
    """Follow a head back. row: of the chain; head: (5,) in frame last, where it begins, and its speed, px a frame; begun: rows that were followed already; most: frames in all."""

    row: int
    first: int
    last: int
    window: Window
    head: np.ndarray
    speed: np.ndarray
    begun: np.ndarray
    most: float
    size: tuple[int, int]
    rate: float
    silhouette: Silhouette | None
    settings: BridgeSettings

    def solve(self, numbers: Sequence[int], pictures: list[np.ndarray]) -> Lead:
        longest = self.last - self.first
        rows, reason = followed_through(numbers[::-1], pictures[::-1], self.head, self.speed, self.window, self.size, self.silhouette)
        # No surer than what it goes on from.
        rows[:, 5] = np.minimum(rows[:, 5], max(float(self.begun[-1, 5]) if len(self.begun) else 1.0, 0.6))
        goes_on = not reason and len(rows) == longest
        if not goes_on:
            rows = held(rows, np.append(self.head, 0.3), self.speed, reason, longest, self.size, self.rate, self.settings)
        return Lead(np.concatenate([self.begun, rows]), goes_on and len(self.begun) + len(rows) < self.most)

    def keep(self, result: Lead, followed: Followed) -> None:
        followed.leads[self.row] = result


def held(rows, start, speed, reason: str, longest: int, size, rate: float, settings: BridgeSettings = BridgeSettings()) -> np.ndarray:
    """Followed rows, nearest first, and after them the cover held for a little, or led out of the picture at its edge."""
    state = rows[-1].copy() if len(rows) else start.copy()
    if reason == "left" or len(rows) >= longest:
        return rows
    if len(rows) >= 4:
        t = np.arange(min(8, len(rows)))
        speed = 0.5 * speed + 0.5 * np.polyfit(t, rows[-len(t):, :2], 1)[0]
    leaving = touches_edge(state, size, speed) and np.hypot(*speed) > FOLLOWING.still_speed * state[2]
    hold = max(1, round(settings.hold_s * rate))
    further = []
    for k in range(min(longest - len(rows), round(1.2 * rate) if leaving else hold)):
        state = state.copy()
        state[:2] += speed * (1.0 if leaving else 0.85 ** k)
        state[5] = max(0.1, state[5] * 0.92)
        further.append(state)
        cx, cy, width, height = state[:4]
        if cx + width / 2 < 0 or cy + height / 2 < 0 or cx - width / 2 > size[0] or cy - height / 2 > size[1]:
            break
    return np.concatenate([rows, np.array(further).reshape(-1, 6)])


def touches_edge(state, size, speed) -> bool:
    """True when a head is at an edge of the picture or will be within a few frames."""
    cx, cy = state[:2] + speed * 4
    return cx - state[2] * 0.6 < 0 or cx + state[2] * 0.6 > size[0] or cy - state[3] * 0.6 < 0 or cy + state[3] * 0.6 > size[1]


def _steady(body, origin, settings) -> np.ndarray:
    """Take the tremble out without lagging: a symmetric (zero-phase) filter, then never further from a found head than a
    small share of its size, and never smaller than the heads around it."""
    if len(body) < 3:
        return body
    steady = body.copy()
    sigma = settings.steady_frames
    steady[:, :2] = ndimage.gaussian_filter1d(body[:, :2], sigma, axis=0, mode="nearest")
    for column in (2, 3):
        grown = ndimage.maximum_filter1d(ndimage.gaussian_filter1d(body[:, column], 1.2, mode="nearest"), 5, mode="nearest")
        steady[:, column] = ndimage.gaussian_filter1d(np.maximum(grown * 0.5 + body[:, column] * 0.5, body[:, column] * 0.97), settings.steady_size_frames, mode="nearest")
        steady[:, column] = np.maximum(steady[:, column], body[:, column] * 0.97)
    steady[:, 4] = ndimage.gaussian_filter1d(body[:, 4], 4.0, mode="nearest")
    off = body[:, :2] - steady[:, :2]
    allowed = 0.04 * body[:, 2:4]
    excess = off - np.clip(off, -allowed, allowed)
    steady[:, :2] += np.where((origin == FOUND)[:, None], excess, 0)
    return steady
