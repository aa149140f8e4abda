"""How likely one sight of a head is followed by another one, by the way between them, sizes and looks, and with what
certainty among all who were near.

Sources: a heavy-tailed (t) distribution of what a constant velocity leaves over, as in Lange, Little and Taylor, Robust
statistical modeling using the t distribution, JASA 1989; the marginals of all assignments, as in track.meetings.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.track.appearance import likeness, unpacked
from skiagraph.track.camera import Views
from skiagraph.track.meetings import marginals

# Of a head: cx, cy, width, height, px of the clip.
CX, CY, WIDTH, HEIGHT = range(4)


@dataclass(frozen=True, slots=True)
class WaySettings:
    """Measured on 207 pairs of sights in a recording of a car park between which nobody else was near, half a second
    and a second apart (docs/measured/mended.md); spreads are of the t distribution, in widths of the head."""

    # of where somebody is after no time, whose speed is known; larger: less is sure
    spread: float = 0.1
    # more of that spread for each second between two sights
    spread_a_second: float = 1.05
    # spread after no time of somebody whose speed is not known
    unknown_spread: float = 0.3
    # more of that for each second between two sights
    unknown_a_second: float = 2.9
    # degrees of freedom: people stop and turn round; smaller: more often
    freedom: float = 4.0
    # seconds that two sights are apart at most to tell a speed; larger: older ones
    speed_s: float = 1.3
    # seconds that they are apart at least, so that the tremble of boxes is no speed
    speed_least_s: float = 0.3
    # people who appear or vanish, for each square of a head's width and look; larger: less is sure
    strangers: float = 0.0008
    # deviation of the logarithm of a head's size from sight to sight: of ninety-nine in a hundred it changes by less
    # than 0.21
    size_spread: float = 0.12
    # log odds that size takes away at most
    size_most: float = 8.0
    # likeness that says nothing; on that recording 0.7 to 0.8 is seven times likelier of one than of two, 0.4 to 0.5
    # five times less
    look_even: float = 0.62
    # log odds for each unit more alike
    look_steep: float = 8.0
    # log odds that looks take away and give at most: many wear the same
    look_most: tuple[float, float] = (-3.0, 1.5)
    # seconds within which somebody who is not seen may be one of those who are
    gap_s: float = 2.5
    # log odds from which somebody else may be meant
    plausible: float = -4.0
    # of those who may be meant so many are weighed, the likeliest
    rivals: int = 3
    # log odds of the next of them from which nothing is sure; smaller: less is
    neglected: float = 2.0
    # shares of their speed with which people go on, and log odds for that, while only the way before is known
    slower: tuple[tuple[float, float], ...] = ((1.0, 0.0), (0.5, -0.7), (0.0, -1.4))
    # log odds from which one sight is taken to follow another at all, to be covered in between; larger: more chains
    linked: float = -3.0
    # log odds from which a weak sight is taken to follow another: more likely theirs than not
    linked_weak: float = 0.0
    # probability from which two sights are surely of one person
    sure: float = 0.99
    # probability from which they are taken for one's, and that is told (what was said to be 0.5 to 0.9 was so in 0.5 to
    # 1.0, docs/measured/mended.md); larger: more subjects, fewer joins that are looked at
    keep: float = 0.7


WAYS = WaySettings()


@dataclass(frozen=True, slots=True, eq=False)
class Heads:
    """Heads, (n, 4), in frames, (n,), as they are seen, and as they would be had the camera stood since the first frame
    of their shot."""

    frames: np.ndarray
    heads: np.ndarray
    steady: np.ndarray

    @classmethod
    def of(cls, frames: Sequence[int], heads: Sequence[np.ndarray], views: Views) -> Heads:
        frames, heads = np.asarray(frames, int), np.array([head[:4] for head in heads], float).reshape(-1, 4)
        return cls(
            frames,
            heads,
            np.hstack([views.at_first(frames, heads[:, :WIDTH]), heads[:, WIDTH:] / views.scale(frames)[:, None]]),
        )


class Ways:
    """All sights of all who are there, each with the way that leads to it and on from it. heads, looks: of each sight;
    track: numbers of whose it is; shots: of those it is in."""

    def __init__(
        self,
        heads: Heads,
        looks: Sequence[np.ndarray | None],
        track: np.ndarray,
        shots: np.ndarray,
        rate: float,
        settings: WaySettings = WAYS,
    ):
        self._rate, self.settings, self._looks, self._shots = rate, settings, looks, shots
        order = np.lexsort((heads.frames, track))
        self._frames, self._heads, self._track = heads.frames, heads.steady, np.asarray(track)
        # Rows of the neighbours in the track of each, -1 for none.
        self._before, self._after = np.full(len(track), -1), np.full(len(track), -1)
        same = self._track[order][1:] == self._track[order][:-1]
        self._after[order[:-1][same]], self._before[order[1:][same]] = order[1:][same], order[:-1][same]
        self._speed_before, self._speed_after = self._speeds(self._before), self._speeds(self._after)
        # By time, to find who is there at once.
        self._by_time = np.argsort(self._frames, kind="stable")
        self._times = self._frames[self._by_time]

    def is_sure(self, a: int, b: int, later: bool = True) -> bool:
        """Whether two sights, one after the other, are one person's, whoever else was near; later as in probability."""
        return self.probability(a, b, later) >= self.settings.sure

    def probability(self, a: int, b: int, later: bool = True) -> float:
        """That a sight goes on as another, of all ways in which those who were near may have gone on. 0 where too many
        were. later: also as who is seen for the first time only after the other."""
        s = self.settings
        rivals, meant = self._rivals(a, b, later)
        if len(meant) > s.rivals and meant[s.rivals] > s.neglected:
            return 0.0
        befores, afters = (
            np.array([own, *(row for row in rows[: s.rivals].tolist() if row >= 0)])
            for own, rows in zip((a, b), rivals.T)
        )
        return float(marginals(self._log_odds(befores[:, None], afters[None]))[0, 0])

    def beside(self, first: int, last: int) -> Iterator[tuple[int, int]]:
        """Pairs of sights of which one is the first or last of a track, and the other that of another track nearest in
        time before or after it; only of tracks of which nobody was seen from the first to the last."""
        frames, gap = self._frames, round(self.settings.gap_s * self._rate)
        window = self._by_time[
            np.searchsorted(self._times, frames[first] - gap) : np.searchsorted(
                self._times, frames[last] + gap, side="right"
            )
        ]
        window = window[(self._shots[window] == self._shots[first]) & (self._track[window] != self._track[first])]
        before, after = frames[window] < frames[first], frames[window] > frames[last]
        for track in np.setdiff1d(self._track[window], self._track[window[~before & ~after]]):
            its = self._track[window] == track
            yield from ((int(row), first) for row in window[its & before][-1:])
            yield from ((last, int(row)) for row in window[its & after][:1])

    def _rivals(self, a: int, b: int, later: bool) -> tuple[np.ndarray, np.ndarray]:
        """Who else may have come to b or gone on from a, the likeliest first: of each the last sight before b, and one
        that it or a may have gone on as, -1 for none, (n, 2); and the log odds that it is meant, (n,)."""
        s, began, ended, frames = self.settings, self._frames[a], self._frames[b], self._frames
        gap = round(s.gap_s * self._rate)
        window = self._by_time[
            np.searchsorted(self._times, began - gap) : np.searchsorted(self._times, ended + gap, side="right")
        ]
        own = (self._track[window] == self._track[a]) | (self._track[window] == self._track[b])
        window = window[(self._shots[window] == self._shots[a]) & ~own]
        after, first = self._after[window], self._before[window] < 0
        soon = np.where((after >= 0) & (frames[after] <= ended + gap), after, -1)
        before = frames[window] < ended
        last = before & ((after < 0) | (frames[after] >= ended))
        # Of each who was there before: where they went on. Who is first seen later; and in between, which may be whom a
        # went on as.
        new, between = first & ~before, first & before & (frames[window] > began)
        new &= later | (frames[window] == ended)
        rows = np.concatenate(
            [
                np.column_stack([window[last], soon[last]]),
                np.column_stack([np.full(new.sum(), -1), window[new]]),
                np.column_stack([np.full(between.sum(), -1), window[between]]),
            ]
        )
        odds = np.maximum(
            np.where(rows[:, 0] >= 0, self._log_odds(rows[:, 0], np.array(b)), -np.inf),
            np.where(rows[:, 1] >= 0, self._log_odds(np.array(a), rows[:, 1]), -np.inf),
        )
        order = np.argsort(-odds, kind="stable")[: int((odds > s.plausible).sum())]
        return rows[order], odds[order]

    def _log_odds(self, i: np.ndarray, j: np.ndarray) -> np.ndarray:
        """Log odds that sights are followed by others, (…,), against somebody vanishing and somebody else appearing."""
        s = self.settings
        i, j = np.broadcast_arrays(i, j)
        seconds = (self._frames[j] - self._frames[i]) / self._rate
        fits = (seconds > 0) & (seconds <= s.gap_s)
        seconds = np.where(fits, seconds, 1.0)
        before, after = self._heads[i], self._heads[j]
        odds = (
            _of_way(before, after, self._speed_before[i], seconds, s)
            + _of_way(before, after, self._speed_after[j], seconds, s)
        ) / 2 + _of_size(before, after, s)
        looks = np.array(
            [
                _of_looks(self._looks[m], self._looks[n], s) if ok and way > s.plausible - s.look_most[1] else 0.0
                for m, n, ok, way in zip(i.ravel(), j.ravel(), fits.ravel(), odds.ravel())
            ]
        )
        return np.where(fits, odds + looks.reshape(i.shape), -30.0)

    def _speeds(self, towards: np.ndarray) -> np.ndarray:
        """px a second around each sight, (n, 2), by the nearest of its track on one side that is far enough away; NaN
        where nothing tells it."""
        s, frames = self.settings, self._frames
        other, rows = towards.copy(), np.arange(len(towards))
        while (near := (other >= 0) & (np.abs(frames[rows] - frames[other]) < s.speed_least_s * self._rate)).any():
            other[near] = towards[other[near]]
        seconds = np.where(other >= 0, (frames[rows] - frames[other]) / self._rate, np.inf)
        known = np.abs(seconds) <= s.speed_s
        speeds = (self._heads[rows, :WIDTH] - self._heads[other, :WIDTH]) / np.where(known, seconds, 1.0)[:, None]
        return np.where(known[:, None], speeds, np.nan)


def log_odds_of_following(
    heads: Heads,
    looks: Sequence[np.ndarray | None],
    run: Sequence[int],
    row: int,
    rate: float,
    settings: WaySettings = WAYS,
) -> float:
    """Log odds that a sight is the next of a run of them, by their rows of heads; whether the camera stood or went
    along, as is likelier."""
    last, seconds = run[-1], (heads.frames[row] - heads.frames[run[-1]]) / rate
    ways = []
    for places in (heads.heads, heads.steady):
        speed = _speed_of(places, heads.frames, run, rate, settings)
        ways += [
            float(_of_way(places[last], places[row], share * speed, seconds, settings)) + odds
            for share, odds in (settings.slower if np.isfinite(speed).all() else settings.slower[:1])
        ]
    return (
        max(ways)
        + float(_of_size(heads.steady[last], heads.steady[row], settings))
        + _of_looks(looks[last], looks[row], settings)
    )


def _speed_of(
    places: np.ndarray, frames: np.ndarray, run: Sequence[int], rate: float, settings: WaySettings
) -> np.ndarray:
    """px a second at the end of a run, (2,), NaN where nothing tells it."""
    for row in reversed(run[:-1]):
        seconds = (frames[run[-1]] - frames[row]) / rate
        if seconds > settings.speed_s:
            break
        if seconds >= settings.speed_least_s:
            return (places[run[-1], :WIDTH] - places[row, :WIDTH]) / seconds
    return np.full(2, np.nan)


def _of_way(
    before: np.ndarray, after: np.ndarray, speed: np.ndarray, seconds: np.ndarray | float, s: WaySettings
) -> np.ndarray:
    """The log of how much denser people are there who went on than others, (…,), of heads (…, 4) and speeds (…, 2), NaN
    where not known."""
    known = np.isfinite(speed[..., 0])
    spread = np.where(known, s.spread + s.spread_a_second * seconds, s.unknown_spread + s.unknown_a_second * seconds)
    way = after[..., :WIDTH] - before[..., :WIDTH] - np.nan_to_num(speed) * np.asarray(seconds)[..., None]
    off = np.hypot(way[..., 0], way[..., 1]) / np.maximum(before[..., WIDTH], after[..., WIDTH])
    return -(s.freedom + 2) / 2 * np.log1p((off / spread) ** 2 / s.freedom) - np.log(
        2 * np.pi * spread**2 * s.strangers
    )


def _of_size(before: np.ndarray, after: np.ndarray, s: WaySettings) -> np.ndarray:
    return -np.minimum(s.size_most, 0.5 * (np.log(after[..., HEIGHT] / before[..., HEIGHT]) / s.size_spread) ** 2)


def _of_looks(before: np.ndarray | None, after: np.ndarray | None, s: WaySettings) -> float:
    if before is None or after is None:
        return 0.0
    return float(np.clip(s.look_steep * (likeness(unpacked(before), unpacked(after)) - s.look_even), *s.look_most))
