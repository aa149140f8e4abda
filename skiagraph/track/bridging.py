"""From tracklets with holes to paths without: bridges from both ends, leads and tails, and a steadying that never lags.

The pictures come from a second pass over the clip, a stretch at a time, so memory does not grow with its length.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter1d, maximum_filter1d

from skiagraph.track.appearance import likeness
from skiagraph.track.following import follow
from skiagraph.track.linking import Tracklet
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND, Path


@dataclass(frozen=True, slots=True)
class BridgeSettings:
    """bridge_s: longest gap closed for certain; reunite_s: longest gap closed if both ends meet in the pictures;
    beyond_s: how far a head is followed before its first and after its last sight; hold_s: how long the cover stays put
    after that."""

    bridge_s: float = 1.0
    reunite_s: float = 2.6
    beyond_s: float = 1.2
    hold_s: float = 0.24
    steady_frames: float = 1.6
    steady_size_frames: float = 4.0


@dataclass(frozen=True, slots=True)
class Task:
    """Pictures that following needs: grey crops of frames first..last (both included) inside box x0, y0, x1, y1.

    solve takes them, in order, and returns what path_of wants under key.
    """

    key: tuple[str, int]
    first: int
    last: int
    box: tuple[int, int, int, int]
    solve: Callable[[list[np.ndarray]], object]


@dataclass(frozen=True, slots=True)
class Chain:
    """Tracklets that are one head, in order."""

    parts: tuple[Tracklet, ...]

    @property
    def frames(self) -> np.ndarray:
        return np.concatenate([t.frames for t in self.parts])

    @property
    def heads(self) -> np.ndarray:
        return np.concatenate([np.asarray(t.heads, np.float32).reshape(-1, 5) for t in self.parts])

    @property
    def scores(self) -> np.ndarray:
        return np.concatenate([np.asarray(t.scores, np.float32) for t in self.parts])


def chains(tracklets: list[Tracklet], rate: float, settings: BridgeSettings = BridgeSettings()) -> list[Chain]:
    """Join tracklets that are the same head after a short loss: near, of like size and looks, and in the same shot."""
    left = sorted(tracklets, key=lambda t: t.frames[0])
    parts: list[list[Tracklet]] = []
    for tracklet in left:
        best, best_cost = None, 1.0
        for chain in parts:
            end = chain[-1]
            gap = tracklet.frames[0] - end.frames[-1]
            if end.shot != tracklet.shot or gap <= 0 or gap > settings.reunite_s * rate:
                continue
            a, b = end.heads[-1], tracklet.heads[0]
            away = np.hypot(*(b[:2] - a[:2] - _speed(end, backward=False) * min(gap, rate * 0.5))) / max(a[2], b[2])
            away = min(away, np.hypot(*(b[:2] - a[:2])) / max(a[2], b[2]))
            change = abs(np.log(b[2] / a[2]))
            like = likeness(end.colours, tracklet.colours)
            if away > 0.8 + 0.4 * gap / rate or change > 0.5 or like < 0.62:
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
    return _end_speed(frames, heads, backward)


def _end_speed(frames, heads, backward):
    rows = slice(0, 8) if backward else slice(-8, None)
    t, p = frames[rows].astype(float), heads[rows, :2].astype(float)
    if len(t) < 3:
        return np.zeros(2)
    slope = np.polyfit(t - t[0], p, 1)[0]
    return -slope if backward else slope


def tasks_of(chain: Chain, size: tuple[int, int], limits: tuple[int, int], rate: float,
             settings: BridgeSettings = BridgeSettings()) -> list[Task]:
    """What has to be followed for a chain: every gap, and what lies before and after everything that may be an end.

    size: of the frame, px; limits: first and last frame of the shot.
    """
    frames, heads = chain.frames, chain.heads
    gaps = [int(n) for n in np.flatnonzero(np.diff(frames) > 1)]
    tasks = [_bridge_task(n, frames, heads, size) for n in gaps]
    breaks = [n for n in gaps if frames[n + 1] - frames[n] > settings.bridge_s * rate]
    longest = round(settings.beyond_s * rate)
    for row in [0] + [n + 1 for n in breaks]:
        room = int(frames[row]) - (limits[0] if row == 0 else int(frames[row - 1]) + 1)
        tasks += _beyond_task("lead", row, frames, heads, size, min(room, longest), rate, settings)
    for row in breaks + [len(frames) - 1]:
        room = (limits[1] if row == len(frames) - 1 else int(frames[row + 1]) - 1) - int(frames[row])
        tasks += _beyond_task("tail", row, frames, heads, size, min(room, longest), rate, settings)
    return tasks


def path_of(chain: Chain, solved: dict[tuple[str, int], object], rate: float, settings: BridgeSettings = BridgeSettings()) -> list[Path]:
    """The head's paths: one, or several where a gap could not be bridged. solved: the results of tasks_of by their keys."""
    frames, heads, scores = chain.frames, chain.heads, chain.scores
    stretches, begin = [], 0
    for n in np.flatnonzero(np.diff(frames) > 1):
        _, agreed = solved["gap", int(n)]
        if frames[n + 1] - frames[n] > settings.bridge_s * rate and not agreed:
            stretches.append((begin, int(n)))
            begin = int(n) + 1
    stretches.append((begin, len(frames) - 1))
    paths = []
    for a, b in stretches:
        bridges = {n - a: solved["gap", n][0] for n in range(a, b) if ("gap", n) in solved}
        lead, tail = solved.get(("lead", a), np.zeros((0, 6))), solved.get(("tail", b), np.zeros((0, 6)))
        if paths and int(frames[a]) - len(lead) <= paths[-1].last:
            lead = lead[:max(0, int(frames[a]) - paths[-1].last - 1)]
        paths.append(_assemble(frames[a:b + 1], heads[a:b + 1], scores[a:b + 1], bridges, lead, tail, settings))
    return paths


def _bridge_task(n, frames, heads, size) -> Task:
    box = _around(heads[n:n + 2].astype(float), size, spread=0.9)
    return Task(("gap", n), int(frames[n]), int(frames[n + 1]), box,
                lambda pictures: _bridge(pictures, n, frames, heads, box, size))


def _bridge(pictures, n, frames, heads, box, size):
    """Rows (gap, 6) between found rows n and n + 1, followed from both ends and blended where they agree, and whether they do."""
    count = int(frames[n + 1] - frames[n]) - 1
    ends = heads[n:n + 2].astype(float)
    t = (np.arange(1, count + 1) / (count + 1))[:, None]
    line = ends[0] * (1 - t) + ends[1] * t
    ahead = follow(pictures, heads[n], _end_speed(frames[:n + 1], heads[:n + 1], False), box[:2], size).rows[:count]
    back = follow(pictures[::-1], heads[n + 1], _end_speed(frames[n + 1:], heads[n + 1:], True), box[:2], size).rows[:count]
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
    return np.concatenate([blended, confidence[:, None]], axis=1), agreed


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


def _around(heads, size, spread):
    """A box around heads (n, ≥4) with room for `spread` head sizes on every side, cut to the frame."""
    reach = heads[:, 2:4].max(axis=0) * (0.5 + spread)
    low, high = heads[:, :2].min(axis=0) - reach, heads[:, :2].max(axis=0) + reach
    x0, y0 = int(np.clip(low[0], 0, size[0] - 2)), int(np.clip(low[1], 0, size[1] - 2))
    return x0, y0, int(np.clip(high[0] + 1, x0 + 2, size[0])), int(np.clip(high[1] + 1, y0 + 2, size[1]))


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
    body = _steady(body, origin, settings)
    lead, tail = _attached(lead, body[0], heads[0])[::-1], _attached(tail, body[-1], heads[-1])
    every = np.concatenate([lead, body, tail])
    kinds = np.concatenate([np.full(len(lead), FOLLOWED), origin, np.full(len(tail), FOLLOWED)])
    return Path.from_rows(int(frames[0]) - len(lead), every, kinds)


def _attached(rows, steadied, raw):
    """Followed rows began at the raw head; let them begin at the steadied one, so that the cover does not jump."""
    if len(rows):
        rows = rows.copy()
        rows[:, :2] += (steadied[:2] - raw[:2]) * np.exp(-np.arange(len(rows)) / 6)[:, None]
        rows[:, 2:4] *= steadied[2:4] / raw[2:4]
    return rows


def _beyond_task(kind, row, frames, heads, size, longest, rate, settings) -> list[Task]:
    if longest <= 0:
        return []
    backward = kind == "lead"
    known = slice(row, None) if backward else slice(None, row + 1)
    head, speed = heads[row].astype(float), _end_speed(frames[known], heads[known], backward)
    reach = np.stack([head[:4], head[:4]])
    reach[1, :2] += speed * longest * 0.8
    box, at = _around(reach, size, spread=0.8), int(frames[row])
    first, last = (at - longest, at) if backward else (at, at + longest)
    hold = max(1, round(settings.hold_s * rate))
    return [Task((kind, row), first, last, box,
                 lambda pictures: _beyond(pictures[::-1] if backward else pictures, head, speed, box, size, longest, hold))]


def _beyond(pictures, head, speed, box, size, longest, hold) -> np.ndarray:
    """Rows (n, 6) past an end of what was found, nearest first: followed, then held, and out of the picture at its edge."""
    followed = follow(pictures, head, speed, box[:2], size)
    rows = followed.rows.astype(float)
    state = rows[-1].copy() if len(rows) else np.append(head, 0.3)
    if followed.reason == "left" or len(rows) >= longest:
        return rows
    if len(rows) >= 4:
        t = np.arange(min(8, len(rows)))
        speed = 0.5 * speed + 0.5 * np.polyfit(t, rows[-len(t):, :2], 1)[0]
    leaving = _touches_edge(state, size, speed)
    held = []
    for k in range(longest - len(rows) if leaving else min(longest - len(rows), hold)):
        state = state.copy()
        state[:2] += speed * (1.0 if leaving else 0.85 ** k)
        state[5] = max(0.1, state[5] * 0.92)
        held.append(state)
        cx, cy, width, height = state[:4]
        if cx + width / 2 < 0 or cy + height / 2 < 0 or cx - width / 2 > size[0] or cy - height / 2 > size[1]:
            break
    return np.concatenate([rows, np.array(held).reshape(-1, 6)])


def _touches_edge(state, size, speed) -> bool:
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
    steady[:, :2] = gaussian_filter1d(body[:, :2], sigma, axis=0, mode="nearest")
    for column in (2, 3):
        grown = maximum_filter1d(gaussian_filter1d(body[:, column], 1.2, mode="nearest"), 5, mode="nearest")
        steady[:, column] = gaussian_filter1d(np.maximum(grown * 0.5 + body[:, column] * 0.5, body[:, column] * 0.97), settings.steady_size_frames, mode="nearest")
        steady[:, column] = np.maximum(steady[:, column], body[:, column] * 0.97)
    steady[:, 4] = gaussian_filter1d(body[:, 4], 4.0, mode="nearest")
    off = body[:, :2] - steady[:, :2]
    allowed = 0.04 * body[:, 2:4]
    excess = off - np.clip(off, -allowed, allowed)
    steady[:, :2] += np.where((origin == FOUND)[:, None], excess, 0)
    return steady
