"""What of speech is sung by the throat and what is hissed by the mouth, and how loud the one is beside the other: both
tell speakers apart, and both stayed as they were when only pitch and throat were drawn.

A creaky or breathy vowel has no clear pitch, so a pitch track calls it unvoiced, and whoever keeps what is unvoiced
keeps the speaker's own voice there. What is loudest below 1 kHz is a vowel, nasal or liquid all the same (sonorants;
Ladefoged and Johnson, A Course in Phonetics, chapter 8).
"""

from __future__ import annotations

import numpy as np

from skiagraph.lazily import ndimage, signal
from skiagraph.values import Value


class ConsonantSettings(Value, frozen=True):
    """Set by benchmarks/voice.py with the attacker who knows the style (altered, five sets of lots): sonorants replaced
    and consonants levelled together raised the equal error from 38.8 to 40.6 %.

    low_hz, high_hz: band that sonorants are loudest in; share: of the power over low_hz that lies in the band from
    which something is sonorant; larger: creaky vowels keep more of their own. soft: of the loudest level, under which
    nothing is looked at. over_s: levels are taken over so long. level: of consonants beside sonorants (RMS), of
    speakers in general, measured on the benchmark's 24; known_s: seconds of consonants of which half of that is the
    speaker's; levelled: how far it is brought there, 0..1; larger takes words. most: times it is changed at most.
    raised_db: louder than speakers have them, for the words (17.3 % wrong without, 16.2 with).
    """

    low_hz: float = 100.0
    high_hz: float = 1000.0
    share: float = 0.5
    soft: float = 0.03
    over_s: float = 0.02
    level: float = 0.35
    known_s: float = 0.3
    levelled: float = 0.6
    most: float = 1.7
    raised_db: float = 3.0


CONSONANTS = ConsonantSettings()


def sonorant(samples: np.ndarray, rate: int, settings: ConsonantSettings = CONSONANTS) -> np.ndarray:
    """bool (n,), where the throat sounds, with a clear pitch or without."""
    half, size = rate / 2, max(1, round(settings.over_s * rate))
    if len(samples) < 2 * size:
        return np.zeros(len(samples), bool)
    heard = signal.sosfiltfilt(signal.butter(2, settings.low_hz / half, "high", output="sos"), samples)
    band = signal.sosfiltfilt(
        signal.butter(3, [settings.low_hz / half, settings.high_hz / half], "band", output="sos"), samples
    )
    low, all_of_it = ndimage.uniform_filter1d(band**2, size), ndimage.uniform_filter1d(heard**2, size)
    # Running sums go a little below zero.
    level = np.sqrt(np.maximum(all_of_it, 0.0))
    return (low > settings.share * all_of_it) & (level > settings.soft * level.max(initial=0.0))


def levelled(
    samples: np.ndarray, rate: int, voicing: np.ndarray, drawn_db: float, settings: ConsonantSettings = CONSONANTS
) -> np.ndarray:
    """Speech whose consonants are about as loud beside its vowels as speakers have them. voicing: 0..1 of each sample;
    drawn_db: louder than that."""
    level = np.sqrt(np.maximum(ndimage.uniform_filter1d(samples**2, max(1, round(settings.over_s * rate))), 0.0))
    loud = level > settings.soft * level.max(initial=0.0)
    hissed, sung = (voicing < 0.5) & loud, (voicing >= 0.5) & loud
    gain = 10 ** (drawn_db / 20)
    if hissed.any() and sung.any():
        seconds = hissed.sum() / rate
        known = seconds / (seconds + settings.known_s)
        have = np.sqrt(
            np.mean((samples[hissed] * (1 - voicing[hissed])) ** 2)
            / max(np.mean((samples[sung] * voicing[sung]) ** 2), 1e-12)
        )
        gain *= (settings.level / max(have, 1e-3)) ** (settings.levelled * known)
    gain = np.clip(gain, 1 / settings.most, settings.most) * 10 ** (settings.raised_db / 20)
    return samples * (voicing + gain * (1 - voicing))
