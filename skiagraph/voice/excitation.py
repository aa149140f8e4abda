"""What the vocal folds do, at another pitch: grains of two periods laid anew, so that the tempo stays.

Source: Moulines and Charpentier, Pitch-synchronous waveform processing techniques, 1990 (TD-PSOLA), on the residual of
linear prediction.
"""

from __future__ import annotations

import numpy as np

from skiagraph.lazily import signal
from skiagraph.voice.pitch import PitchTrack

# Distance of grains where nothing is voiced, s.
UNVOICED_S = 0.005


def marks(residual: np.ndarray, rate: int, track: PitchTrack) -> tuple[np.ndarray, np.ndarray]:
    """Where each period of the folds is, and its length, in samples: at the largest swing of the residual where
    something is voiced, evenly spread elsewhere."""
    size = len(residual)
    loud = np.abs(residual)
    every, lengths = [], []
    at, plain = 0.0, UNVOICED_S * rate
    hz = track.at(np.arange(0, size, max(1, int(track.hop_s * rate / 2))) / rate)
    step = max(1, int(track.hop_s * rate / 2))
    while at < size:
        now = hz[min(int(at) // step, len(hz) - 1)]
        period = rate / now if now > 0 else plain
        place = int(at)
        if now > 0:
            reach = int(0.25 * period)
            low = max(0, place - reach, every[-1] + int(0.6 * period) if every else 0)
            high = min(size, max(low + 1, place + reach + 1))
            place = low + int(loud[low:high].argmax()) if high > low else place
        if place >= size:
            break
        every.append(place)
        lengths.append(period)
        at = place + period
    return np.array(every, int), np.array(lengths)


def at_pitch(residual: np.ndarray, rate: int, track: PitchTrack, wanted_hz: np.ndarray) -> np.ndarray:
    """The residual with its voiced parts at another pitch. wanted_hz: for each value of the track."""
    every, lengths = marks(residual, rate, track)
    out = np.zeros(len(residual))
    if not len(every):
        return out
    voiced = track.at(every / rate) > 0
    wanted = PitchTrack(np.asarray(wanted_hz, float), track.hop_s)
    # Time between two grains at each mark.
    hz = wanted.at(every / rate)
    next_length = np.where(voiced & (hz > 0), rate / np.maximum(hz, 1.0), lengths)
    at, n = float(every[0]), 0
    while at < len(residual):
        while n + 1 < len(every) and abs(every[n + 1] - at) <= abs(every[n] - at):
            n += 1
        # A grain reaches from one mark to the next; where pitch rises it is shortened, so that what is left does not
        # echo.
        half = int(min(lengths[n], max(next_length[n], 0.5 * lengths[n])) if voiced[n] else lengths[n])
        _lay(out, residual, int(at), int(every[n]), half)
        at += next_length[n]
    return out


_WINDOWS: dict[int, np.ndarray] = {}


def _lay(out: np.ndarray, source: np.ndarray, to: int, of: int, half: int) -> None:
    window = _WINDOWS.get(half)
    if window is None:
        window = _WINDOWS[half] = np.hanning(2 * half + 1)
    before = min(half, to, of)
    after = min(half, len(out) - 1 - to, len(source) - 1 - of)
    if after > -before:
        out[to - before : to + after + 1] += (
            source[of - before : of + after + 1] * window[half - before : half + after + 1]
        )


def folds_of_nobody(
    level: np.ndarray, rate: int, track: PitchTrack, wanted_hz: np.ndarray, lots: np.random.Generator, breath_hz: float
) -> np.ndarray:
    """Excitation that no one's folds made: pulses at the wanted pitch, and noise above breath_hz. level: (n,) how loud,
    of each sample.

    Pulses are smeared by an all-pass of drawn phases within 3 ms, without which they buzz (Kawahara et al.,
    Restructuring speech representations, 1999, section on group delay).
    """
    size = len(level)
    at = np.arange(size) / rate
    known = np.asarray(wanted_hz, float)
    steps = np.arange(len(known)) * track.hop_s
    hz = np.interp(at, steps[known > 0], known[known > 0]) if (known > 0).any() else np.full(size, 120.0)
    turns = np.cumsum(hz) / rate
    beats = np.flatnonzero(np.diff(np.floor(turns)) > 0)
    train = np.zeros(size + 1)
    # A pulse between two samples is shared by both.
    share = np.clip(
        (np.floor(turns[beats + 1]) - turns[beats]) / np.maximum(turns[beats + 1] - turns[beats], 1e-12), 0, 1
    )
    np.add.at(train, beats, 1 - share)
    np.add.at(train, beats + 1, share)
    # One pulse a period has the power of one sample in each.
    train = train[:size] * np.sqrt(rate / hz)
    noise = lots.standard_normal(size)
    taps = 129
    low = signal.firwin(taps, breath_hz, fs=rate)
    high = -low
    high[taps // 2] += 1
    tone = signal.fftconvolve(
        signal.fftconvolve(train, smear(rate, lots), mode="same"), low, mode="same"
    ) + 0.6 * signal.fftconvolve(noise, high, mode="same")
    return level * tone


def smear(rate: int, lots: np.random.Generator) -> np.ndarray:
    """An all-pass of drawn, smooth group delay: (odd,) taps.

    What passes it has the same spectrum, and loudness over time but for some milliseconds.
    """
    n = 1 << int(np.ceil(np.log2(0.032 * rate)))
    bins = n // 2 + 1
    knots = np.linspace(0, bins - 1, 24)
    delay = np.interp(np.arange(bins), knots, lots.uniform(-0.0015, 0.0015, 24)) * rate
    phase = -np.cumsum(delay) * 2 * np.pi / n
    taps = np.fft.irfft(np.exp(1j * phase), n)
    return np.roll(taps, n // 2)[1:]
