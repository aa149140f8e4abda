"""What has to be followed where no face was found: gaps between two sights of one head, from both ends, and leads
before the first sight of it; and how a cover is held where a follower stops.

Each is said as a task; the pictures come from a second pass over the clip (second_pass.py), which also follows heads on
after their last sight.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from skiagraph.detect.shrink import shrunk
from skiagraph.track.chaining import SPEED_ROWS, Chain, end_speed
from skiagraph.track.following import follow
from skiagraph.track.silhouette import Silhouette


@dataclass(frozen=True, slots=True)
class FollowingSettings:
    """What followers get to see.

    Set by benchmarks/quality.py (aside, starts, crowd), bounds of memory by the scan of 8K in docs/measured/speed.md.
    """

    # room around a head that its shape is judged by, in head sizes; larger: more work
    spread: float = 1.7
    # width of a head, px, above which it is followed in a smaller picture
    enough_px: float = 80.0
    # somebody who stands still is followed back so many times longer at once
    standing: int = 3
    # head widths that somebody who stands would go at most in the time of one lead
    stands: float = 0.5
    # share of its way at its present speed that a head is looked for along; larger: more work
    way_seen: float = 0.8
    # bytes that the pictures of one lead may take
    lead_bytes: float = 48e6
    # frames that somebody whose speed is not known is followed back at first, so that they stay within what is looked
    # at; larger: whoever walks fast leaves it
    unknown_frames: int = 3
    # share of its width a frame below which a head is not on its way out of the picture
    still_speed: float = 0.01
    # confidence that a lead may have, however unsure the face is that it goes back from
    lead_sure: float = 0.6


FOLLOWING = FollowingSettings()


@dataclass(frozen=True, slots=True)
class BridgeSettings:
    """How long somebody is followed where no face is found. Set by benchmarks/quality.py (aside, jackets, hall)."""

    # seconds of the longest gap that is closed for certain; larger: more is one sighting
    bridge_s: float = 1.0
    # frames without a face up to which that is a blink, over which the path is straight, and no gap
    line_frames: int = 3
    # seconds that a head is followed back from its first sight at a time; larger: more memory
    lead_s: float = 1.2
    # seconds that it is followed back in all; larger: covers begin earlier, more of them on nobody
    lead_most_s: float = 6.0
    # seconds that it is followed on after its last sight; larger: covers end later, more of them on nobody
    tail_s: float = 12.0
    # seconds that the cover stays in its place once nobody could follow any further
    hold_s: float = 0.24


@dataclass(frozen=True, slots=True)
class BlendSettings:
    """A gap that was followed from both ends. Set by benchmarks/quality.py (aside, jackets)."""

    # weight of the straight line between the ends where no follower is sure; larger: straighter bridges
    line_counts: float = 0.03
    # confidence where both followers stopped
    unknown: float = 0.15
    # heads that both followers may be apart before the place between them is less sure
    falls_from: float = 0.25
    # share of its confidence that such a place keeps at least, however far they are apart
    falls_to: float = 0.2
    # confidence of a bridge at least
    least: float = 0.1
    # confidence of a bridge at most: nobody was found there
    most: float = 0.9
    # heads apart at which both came to the same place; larger: more gaps are one sighting
    meets: float = 0.35
    # the same where one of them at least followed in each frame
    all_meets: float = 0.6
    # share of the distance between both by which the cover is larger, in heads
    holds_both: float = 0.5
    # heads apart beyond which the cover does not grow further
    holds_most: float = 0.8


BLEND = BlendSettings()


@dataclass(frozen=True, slots=True)
class HoldSettings:
    """The cover after a follower has stopped.

    Larger values cover for longer, and further from where anybody was seen. Set by benchmarks/quality.py (edge, aside).
    """

    # last frames of the follower from which the speed of the head is taken
    speed_frames: int = 8
    # seconds at most for which it is led out of the picture by its speed, or stays where somebody stands half in the
    # picture (turned: 12 leaks of 16)
    leaving_s: float = 1.2
    # share of its speed that the head keeps in each frame inside the picture
    slows: float = 0.85
    # share of its confidence that the cover keeps in each frame
    fades: float = 0.92
    # confidence of the cover at least
    least: float = 0.1
    # confidence of the cover where nothing was followed at all
    begins: float = 0.3
    # frames from now at which a head that reaches the edge counts as there
    edge_frames: int = 4
    # widths and heights from its middle to the edge that count as reaching it
    edge: float = 0.6


HOLD = HoldSettings()


@dataclass(frozen=True, slots=True)
class Window:
    """A part of the frame, x0, y0, x1, y1 px, that is looked at scaled by `scale`. Followers see only what is in it."""

    box: tuple[int, int, int, int]
    scale: float

    @staticmethod
    def around(
        heads: np.ndarray, size: tuple[int, int], spread: float = FOLLOWING.spread, scale: float | None = None
    ) -> Window:
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
    """What followers made of one chain, by numbers of its found heads: bridges to the next one, leads before it, tails
    after it, (n, 6) nearest first; left: those whose tail came to the edge of the picture.
    """

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


def gap_tasks(
    chain: Chain, size: tuple[int, int], silhouette: Silhouette | None, settings: BridgeSettings = BridgeSettings()
) -> list[GapTask]:
    """What has to be followed between the faces of a chain. size: of the frame, px."""
    frames, heads = chain.frames, chain.heads
    return [
        GapTask(int(n), frames, heads, Window.around(heads[n : n + 2].astype(float), size), size, silhouette)
        for n in np.flatnonzero(np.diff(frames) > settings.line_frames + 1)
    ]


def loose_ends(chain: Chain, rate: float, settings: BridgeSettings = BridgeSettings()) -> tuple[list[int], list[int]]:
    """Rows of a chain before which, and after which, it may be that nobody sees the face: its ends, and those of long
    gaps."""
    breaks = [int(n) for n in np.flatnonzero(np.diff(chain.frames) > settings.bridge_s * rate)]
    return [0] + [n + 1 for n in breaks], breaks + [len(chain.frames) - 1]


@dataclass(frozen=True, slots=True, eq=False)
class GapTask:
    """Follow from both ends of a gap. row: of the head before it; frames, heads: of all found heads of the chain; size:
    of the frame, px."""

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
    ends = heads[n : n + 2].astype(float)
    t = (np.arange(1, count + 1) / (count + 1))[:, None]
    line = ends[0] * (1 - t) + ends[1] * t
    ahead = followed_through(
        numbers, pictures, heads[n], end_speed(frames[: n + 1], heads[: n + 1], False), window, size, silhouette
    )[0][:count]
    back = followed_through(
        numbers[::-1],
        pictures[::-1],
        heads[n + 1],
        end_speed(frames[n + 1 :], heads[n + 1 :], True),
        window,
        size,
        silhouette,
    )[0][:count]
    from_start, known_start = _padded(ahead, line, count)
    from_end, known_end = _padded(back[::-1], line, count, at_end=True)
    # What was followed counts by how sure the follower was; where neither is, the straight line between the ends.
    weight_start = (1 - t[:, 0]) * np.where(known_start, from_start[:, 5] ** 2, 0)
    weight_end = t[:, 0] * np.where(known_end, from_end[:, 5] ** 2, 0)
    weight_line = BLEND.line_counts * (1 - np.maximum(from_start[:, 5] * known_start, from_end[:, 5] * known_end))
    total = weight_start + weight_end + weight_line
    share = (weight_end / np.maximum(weight_start + weight_end, 1e-9))[:, None]
    blended = (
        from_start[:, :5] * weight_start[:, None] + from_end[:, :5] * weight_end[:, None] + line * weight_line[:, None]
    ) / total[:, None]
    away = np.hypot(*(from_start[:, :2] - from_end[:, :2]).T) / np.maximum(blended[:, 2], 1)
    sure = from_start[:, 5] * (1 - share[:, 0]) + from_end[:, 5] * share[:, 0]
    confidence = np.clip(sure * np.clip(1 + BLEND.falls_from - away, BLEND.falls_to, 1), BLEND.least, BLEND.most)
    both = known_start & known_end
    agreed = bool(both.any() and away[both].min() < BLEND.meets) or bool(
        (known_start | known_end).all() and away.max() < BLEND.all_meets
    )
    # Where the two ends disagree the cover must hold both.
    blended[:, 2:4] *= (1 + np.minimum(away, BLEND.holds_most) * BLEND.holds_both)[:, None]
    return Bridge(np.concatenate([blended, confidence[:, None]], axis=1), agreed)


def followed_through(
    numbers,
    pictures,
    head,
    speed,
    window: Window,
    size,
    silhouette,
    hidden: Callable[[int, np.ndarray], bool] | None = None,
) -> tuple[np.ndarray, str]:
    """Rows (n, 6), one for each frame, in px of the frame, of a head followed through what a window cut, and why it
    stopped. hidden: whether somebody else is in front of a head (5,) in a frame."""
    scaled = size[0] * window.scale, size[1] * window.scale

    def is_hidden(frame: int, inside: np.ndarray) -> bool:
        return hidden is not None and hidden(frame, window.outward(np.append(inside, 0.0))[:5])

    result = follow(
        pictures,
        window.inward(head),
        None if speed is None else np.asarray(speed, float) * window.scale,
        window.origin,
        scaled,
        silhouette,
        numbers,
        is_hidden,
    )
    return window.outward(result.rows), result.reason


def _padded(rows, line, count, at_end=False):
    """Followed rows brought to count rows; where the follower stopped, its last offset from the line fades out."""
    known = np.zeros(count, bool)
    out = np.concatenate([line, np.full((count, 1), BLEND.unknown)], axis=1)
    n = len(rows)
    if n:
        where = slice(count - n, count) if at_end else slice(0, n)
        known[where] = True
        out[where] = rows
        offset = (rows[0] if at_end else rows[-1])[:5] - line[count - n if at_end else n - 1]
        rest = np.arange(1, count - n + 1)
        fade = (1 - rest / (count - n + 1))[:, None]
        if at_end:
            out[: count - n, :5] += offset * fade[::-1]
        else:
            out[n:, :5] += offset * fade
    return out, known


def lead_task(
    row: int,
    chain: Chain,
    size: tuple[int, int],
    earliest: int,
    rate: float,
    silhouette: Silhouette | None,
    known: np.ndarray | None = None,
    settings: BridgeSettings = BridgeSettings(),
    needed: np.ndarray | None = None,
    hidden: Callable[[int, np.ndarray], bool] | None = None,
) -> LeadTask | None:
    """Follow a head back from a row of its chain, a stretch at a time. known: rows (n, 6) that were followed already,
    nearest first. needed: bool (frames,), whose pictures are decoded; a stretch ends at one of them.

    None where there is no room, which is before the frame earliest.
    """
    frames, heads = chain.frames, chain.heads
    head, at = heads[row].astype(float), int(frames[row])
    speed = end_speed(frames[row:], heads[row:], True)
    # Somebody who was seen once or twice stands still, for all that is known.
    seen_to_move = len(frames) - row >= SPEED_ROWS
    if known is not None and len(known):
        way = np.vstack([head[:2], known[:, :2]])[-6:]
        head, at = known[-1, :5].astype(float), at - len(known)
        speed, seen_to_move = (way[-1] - way[0]) / (len(way) - 1), True
    stretch = settings.lead_s * rate if seen_to_move else FOLLOWING.unknown_frames
    if seen_to_move and np.hypot(*speed) * stretch < FOLLOWING.stands * head[2] and not touches_edge(head, size, speed):
        # Somebody who stands inside the picture has been there for a while, and one look at those frames costs less
        # than several.
        scale = min(1.0, FOLLOWING.enough_px / max(float(head[2]), 1.0))
        picture = 3 * (1 + 2 * FOLLOWING.spread) ** 2 * head[2] * head[3] * scale**2
        stretch *= np.clip(FOLLOWING.lead_bytes / picture / stretch, 1, FOLLOWING.standing)
    longest = min(at - earliest, round(stretch))
    while not seen_to_move and needed is not None and 0 < longest < at - earliest and not needed[at - longest]:
        longest += 1
    while longest > 0 and needed is not None and not needed[at - longest]:
        longest -= 1
    if longest <= 0:
        return None
    reach = np.stack([head[:4], head[:4]])
    reach[1, :2] += speed * longest * FOLLOWING.way_seen
    window = Window.around(reach, size)
    return LeadTask(
        row,
        earliest,
        at - longest,
        at,
        window,
        head,
        speed if seen_to_move else None,
        np.zeros((0, 6)) if known is None else known,
        settings.lead_most_s * rate,
        size,
        rate,
        silhouette,
        settings,
        hidden,
    )


@dataclass(frozen=True, slots=True, eq=False)
class LeadTask:
    """Follow a head back. row: of the chain; earliest: frame from which there is room for it; head: (5,) in frame last,
    where it begins, and its speed, px a frame, or None where that is not known; begun: rows that were followed already;
    most: frames in all."""

    row: int
    earliest: int
    first: int
    last: int
    window: Window
    head: np.ndarray
    speed: np.ndarray | None
    begun: np.ndarray
    most: float
    size: tuple[int, int]
    rate: float
    silhouette: Silhouette | None
    settings: BridgeSettings
    hidden: Callable[[int, np.ndarray], bool] | None = None

    def solve(self, numbers: Sequence[int], pictures: list[np.ndarray]) -> Lead:
        longest = self.last - self.first
        rows, reason = followed_through(
            numbers[::-1], pictures[::-1], self.head, self.speed, self.window, self.size, self.silhouette, self.hidden
        )
        # No surer than what it goes on from.
        rows[:, 5] = np.minimum(
            rows[:, 5], max(float(self.begun[-1, 5]) if len(self.begun) else 1.0, FOLLOWING.lead_sure)
        )
        goes_on = not reason and len(rows) == longest
        if not goes_on:
            # The cover needs no pictures, and is held beyond those that were asked for.
            rows = held(
                rows,
                np.append(self.head, HOLD.begins),
                np.zeros(2) if self.speed is None else self.speed,
                reason,
                self.last - self.earliest,
                self.size,
                self.rate,
                self.settings,
            )
        return Lead(np.concatenate([self.begun, rows]), goes_on and len(self.begun) + len(rows) < self.most)

    def keep(self, result: Lead, followed: Followed) -> None:
        followed.leads[self.row] = result


def held(
    rows, start, speed, reason: str, longest: int, size, rate: float, settings: BridgeSettings = BridgeSettings()
) -> np.ndarray:
    """Followed rows, nearest first, and after them the cover held for a little, or led out of the picture at its
    edge."""
    state = rows[-1].copy() if len(rows) else start.copy()
    if reason == "left" or len(rows) >= longest:
        return rows
    if len(rows) >= 4:
        t = np.arange(min(HOLD.speed_frames, len(rows)))
        speed = 0.5 * speed + 0.5 * np.polyfit(t, rows[-len(t) :, :2], 1)[0]
    edge = touches_edge(state, size, speed)
    leaving = edge and np.hypot(*speed) > FOLLOWING.still_speed * state[2]
    hold = max(1, round(settings.hold_s * rate))
    further = []
    for k in range(min(longest - len(rows), round(HOLD.leaving_s * rate) if edge else hold)):
        state = state.copy()
        state[:2] += speed * (1.0 if leaving else HOLD.slows**k)
        state[5] = max(HOLD.least, state[5] * HOLD.fades)
        further.append(state)
        cx, cy, width, height = state[:4]
        if cx + width / 2 < 0 or cy + height / 2 < 0 or cx - width / 2 > size[0] or cy - height / 2 > size[1]:
            break
    return np.concatenate([rows, np.array(further).reshape(-1, 6)])


def touches_edge(state, size, speed) -> bool:
    """True when a head is at an edge of the picture or will be within a few frames."""
    (cx, cy), (across, down) = state[:2] + speed * HOLD.edge_frames, state[2:4] * HOLD.edge
    return cx - across < 0 or cx + across > size[0] or cy - down < 0 or cy + down > size[1]
