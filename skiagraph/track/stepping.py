"""Which frames of a clip a scan searches, looks at, and needs at all, and how small faces it searches for: settled
before it begins, so that it comes out the same each time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

# When stepping, people who are known are looked at again after at most so long.
LOOK_EVERY_S = 0.24
# However few frames a second there are, a clip is searched at least each so many seconds: at 8 frames/s each tenth left
# somebody bare for a second (benchmarks/degraded.py).
SEARCH_EVERY_S = 0.5


@dataclass(frozen=True, slots=True)
class Plan:
    """searched: bool (n,), frames that are searched as a whole; looked: those in which all who are known are looked at,
    with them; needed: those whose pictures are wanted, with them. Of two neighbours at least one is needed. interval:
    the most frames from one look to the next."""

    searched: np.ndarray
    looked: np.ndarray
    needed: np.ndarray
    interval: int


def smallest_face(size: tuple[int, int]) -> int:
    """px of the smallest face that a scan of pictures of a size, width and height, searches for: 36 px in HD; 24 px, as
    far as is affordable, in 4K and small formats."""
    return 36 if 600 <= min(size) <= 1200 else 24


def step_of(every: int, rate: float) -> int:
    """Each so many frames are searched where each n-th was asked for, at a rate of frames a second."""
    return min(every, max(1, round(SEARCH_EVERY_S * rate)))


def without_non_reference(non_reference: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """Frames to decode, bool (n,): of the non-reference ones, which no other is made from, those that are kept, and
    never two in a row left out."""
    needed = ~non_reference | kept
    for n in range(1, len(needed)):
        needed[n] |= not needed[n - 1]
    return needed


def interval(every: int, rate: float) -> int:
    """The most frames from one look at people who are known to the next."""
    return min(every, max(2, round(LOOK_EVERY_S * rate)))


def plan_of(non_reference: np.ndarray, every: int, rate: float) -> Plan:
    """non_reference: bool (n,), frames that no other is made from; they are left out where they are not searched.
    every: search each n-th frame, and the last. rate: frames a second."""
    most = interval(every, rate)
    searched = np.arange(len(non_reference)) % every == 0
    searched[-1:] = True
    needed = without_non_reference(non_reference, searched)
    looked, last, numbers = searched.copy(), 0, np.flatnonzero(needed)
    for n, following in zip(numbers, numbers[1:]):
        looked[n] |= following - last > most
        last = n if looked[n] else last
    return Plan(searched, looked, needed, most)
