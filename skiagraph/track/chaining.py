"""Joining tracklets that are the same head after a short loss into chains: near where it should be, of like size and
looks, and in the same shot."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from skiagraph.track.appearance import likeness
from skiagraph.track.leaning import ANGLE
from skiagraph.track.linking import Tracklet


@dataclass(frozen=True, slots=True)
class ChainSettings:
    """Which tracklets are one head after a short loss.

    Distances are in widths of the larger of both heads. Set by benchmarks/quality.py (jackets, hall); larger values
    join more.
    """

    # seconds of the longest loss
    reunite_s: float = 2.6
    # head widths from where it should be at which a head is found again at most
    away: float = 0.8
    # head widths further for each second of the loss
    away_a_second: float = 0.4
    # head widths further for each width that it went meanwhile at its last speed
    away_travelled: float = 0.2
    # seconds for which a lost head is expected to keep its speed
    goes_on_s: float = 0.8
    # change of the logarithm of its width at most
    size: float = 0.5
    # likeness of head and shoulders at least (track.appearance); larger joins less
    like: float = 0.62
    # likeness that counts where one of both looks is not known
    like_unknown: float = 0.8
    # cost of a distance of one head, beside 1 for a size that differs by a factor of e and 1 for looks that have
    # nothing in common
    away_costs: float = 0.5
    # cost of place, size and looks together at most
    most_cost: float = 1.2


CHAINS = ChainSettings()


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
        """(n, 5) as track.heads has them, but for angles, which go on from one to the next by less than half a turn."""
        heads = np.concatenate([np.asarray(t.heads, np.float32).reshape(-1, 5) for t in self.parts])
        heads[:, ANGLE] = np.unwrap(heads[:, ANGLE], period=360)
        return heads

    @property
    def scores(self) -> np.ndarray:
        return np.concatenate([np.asarray(t.scores, np.float32) for t in self.parts])


def chains(
    tracklets: list[Tracklet],
    rate: float,
    settings: ChainSettings = CHAINS,
    unlike: Callable[[Tracklet, Tracklet], bool] = lambda a, b: False,
) -> list[Chain]:
    """Join tracklets that are the same head after a short loss: near, of like size and looks, and in the same shot.

    unlike: whether their faces say that they are two people.
    """
    left = sorted(tracklets, key=lambda t: t.frames[0])
    parts: list[list[Tracklet]] = []
    for tracklet in left:
        best, best_cost = None, settings.most_cost
        for chain in parts:
            end = chain[-1]
            gap = tracklet.frames[0] - end.frames[-1]
            if (
                end.shot != tracklet.shot
                or end.doubtful != tracklet.doubtful
                or gap <= 0
                or gap > settings.reunite_s * rate
            ):
                continue
            a, b = end.heads[-1], tracklet.heads[0]
            speed = end_speed(np.asarray(end.frames), np.asarray(end.heads), False)
            away = np.hypot(*(b[:2] - a[:2] - speed * min(gap, rate * settings.goes_on_s))) / max(a[2], b[2])
            away = min(away, np.hypot(*(b[:2] - a[:2])) / max(a[2], b[2]))
            change = abs(np.log(b[2] / a[2]))
            # Where nothing is known of how one looked, looks decide nothing.
            like = (
                settings.like_unknown
                if end.colours is None or tracklet.colours is None
                else likeness(end.colours, tracklet.colours)
            )
            travelled = np.hypot(*speed) * gap / max(a[2], 1)
            allowed = settings.away + settings.away_a_second * gap / rate + settings.away_travelled * travelled
            if away > allowed or change > settings.size or like < settings.like or unlike(end, tracklet):
                continue
            cost = settings.away_costs * away + change + (1 - like)
            if cost < best_cost:
                best, best_cost = chain, cost
        if best is None:
            parts.append([tracklet])
        else:
            best.append(tracklet)
    return [Chain(tuple(chain)) for chain in parts]


# Rows from which the speed at the end of a path is known.
SPEED_ROWS = 3


def end_speed(frames: np.ndarray, heads: np.ndarray, backward: bool) -> np.ndarray:
    """px per frame (x, y) at the end of heads (n, ≥2), or leaving the first one towards the past; 0 where too few are
    known."""
    rows = slice(0, 8) if backward else slice(-8, None)
    t, p = frames[rows].astype(float), heads[rows, :2].astype(float)
    if len(t) < SPEED_ROWS:
        return np.zeros(2)
    slope = np.polyfit(t - t[0], p, 1)[0]
    return -slope if backward else slope
