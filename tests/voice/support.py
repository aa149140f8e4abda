"""Speech for tests: the made-up voices that ship, spoken by a machine."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.signal import resample_poly

from skiagraph.review.file_voices import made_up_voices
from skiagraph.voice.speakers import SpeakerEncoder
from skiagraph.voice.speech import Speech, shifted

RATE = 16000


@lru_cache(maxsize=1)
def voices() -> tuple[np.ndarray, ...]:
    """Twenty-four speakers, five seconds of the same words each, float at RATE."""
    return tuple(made_up_voices())


@lru_cache(maxsize=1)
def stranger() -> np.ndarray:
    """Speech of somebody who is not among the voices that ship: one of them with another pitch and another throat."""
    return shifted(Speech(voices()[0], RATE), 7, 2)


@lru_cache(maxsize=1)
def encoder() -> SpeakerEncoder:
    return SpeakerEncoder()


def at_rate(speech: np.ndarray, rate: int) -> np.ndarray:
    common = np.gcd(rate, RATE)
    return resample_poly(speech, rate // common, RATE // common)


def buzz(hz: float, seconds: float, rate: int = RATE, formants=(500, 1500, 2500, 3500)) -> np.ndarray:
    """A vowel of known pitch and formants: pulses through resonances."""
    from scipy.signal import lfilter

    n = int(seconds * rate)
    sound = np.diff(np.floor(np.arange(n + 1) * hz / rate))
    for centre in formants:
        r = np.exp(-np.pi * 80 / rate)
        sound = lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * centre / rate), r * r], sound)
    return sound / np.abs(sound).max() * 0.5
