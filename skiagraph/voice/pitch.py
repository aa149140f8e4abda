"""How high a voice speaks, moment by moment: by normalised autocorrelation, and the likeliest way through it.

Sources: Boersma, Accurate Short-term Analysis of the Fundamental Frequency, 1993 (autocorrelation divided by the
window's, voiced against unvoiced candidates, cost of jumps).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.lazily import signal
from skiagraph.values import Value


class PitchSettings(Value, frozen=True):
    """lowest, highest: Hz that voices speak at; a wider range takes octaves for the voice more often. hop_s: between
    two values; window_s: that one is taken from, three periods of the lowest voice. voiced: height of the
    autocorrelation's peak from which a moment is voiced; less calls noise a voice; low: share of power under NARROW / 2
    that a voice has at least, which hisses have not. octave, jump, change: costs of low candidates, of an octave
    between two values, and of voicing that begins or ends, as in Boersma 1993, where voiced is 0.45 and octave 0.01:
    higher here, since noise in a narrow band is more like itself, and windows are shorter."""

    lowest: float = 60.0
    highest: float = 420.0
    hop_s: float = 0.01
    window_s: float = 0.05
    voiced: float = 0.6
    low: float = 0.08
    octave: float = 0.03
    jump: float = 0.35
    change: float = 0.14


PITCH = PitchSettings()
# Rate that pitch is looked for at, Hz, and rate before, which leaves nothing above half of it: so peaks are wide beside
# the distance of lags, and a lag of two periods is not taken for one.
RATE, NARROW = 8000, 2400
# Candidates a moment.
_CANDIDATES = 6


@dataclass(frozen=True, slots=True)
class PitchTrack:
    """hz: (n,) the pitch each hop_s, 0 where nothing is voiced; the value n is at n * hop_s."""

    hz: np.ndarray
    hop_s: float

    def at(self, seconds: np.ndarray) -> np.ndarray:
        """The pitch at times, 0 where unvoiced."""
        return self.hz[np.clip(np.round(np.asarray(seconds) / self.hop_s).astype(int), 0, len(self.hz) - 1)]

    @property
    def voiced(self) -> np.ndarray:
        return self.hz[self.hz > 0]

    @property
    def middle_hz(self) -> float:
        """The middle of the voiced values on a logarithmic scale; that of people's voices where there is none."""
        return float(np.exp(np.mean(np.log(self.voiced)))) if len(self.voiced) else 150.0

    @property
    def spread(self) -> float:
        """How far the pitch moves: standard deviation of its logarithm."""
        return float(np.std(np.log(self.voiced))) if len(self.voiced) > 2 else 0.15


def pitch_track(samples: np.ndarray, rate: int, settings: PitchSettings = PITCH) -> PitchTrack:
    """The pitch of a voice. samples: (n,) of one channel."""
    few = signal.resample_poly(
        signal.resample_poly(np.asarray(samples, float), NARROW, rate), RATE // 800, NARROW // 800
    )
    size, hop = int(settings.window_s * RATE), int(settings.hop_s * RATE)
    count = max(1, int(round(len(samples) / rate / settings.hop_s)) + 1)
    padded = np.pad(few, (size // 2, size + count * hop - len(few) if size + count * hop > len(few) else size))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop][:count]
    strengths, lags = _autocorrelated(frames - frames.mean(axis=1, keepdims=True), settings)
    quiet = np.abs(frames).max(axis=1) < 0.02 * max(float(np.abs(few).max(initial=0.0)), 1e-9)
    quiet |= (frames**2).mean(axis=1) < settings.low * _power(samples, rate, settings, count)
    return PitchTrack(_likeliest(*_candidates(strengths, lags, settings), quiet, settings), settings.hop_s)


def _power(samples: np.ndarray, rate: int, settings: PitchSettings, count: int) -> np.ndarray:
    """Mean power of the samples around each value."""
    total = np.concatenate([[0.0], np.cumsum(np.asarray(samples, float) ** 2)])
    middle = np.arange(count) * settings.hop_s * rate
    first, after = (
        np.clip(middle + side * settings.window_s / 2 * rate, 0, len(samples)).astype(int) for side in (-1, 1)
    )
    return (total[after] - total[first]) / np.maximum(after - first, 1)


def _autocorrelated(frames: np.ndarray, settings: PitchSettings) -> tuple[np.ndarray, np.ndarray]:
    """Normalised autocorrelation of each frame at the lags of voices (n, lags), and the lags in samples."""
    size = frames.shape[1]
    window = np.hanning(size)
    n = 1 << int(np.ceil(np.log2(2 * size)))

    def correlated(values):
        return np.fft.irfft(np.abs(np.fft.rfft(values, n, axis=-1)) ** 2, n, axis=-1)[..., : size // 2 + 2]

    own = correlated(window)
    found = correlated(frames * window)
    found = found / np.maximum(found[:, :1], 1e-12) / (own / own[0])
    lags = np.arange(int(RATE / settings.highest), int(RATE / settings.lowest) + 1)
    lags = lags[lags < found.shape[1] - 1]
    return found[:, lags[0] - 1 : lags[-1] + 2], lags


def _candidates(around: np.ndarray, lags: np.ndarray, settings: PitchSettings) -> tuple[np.ndarray, np.ndarray]:
    """Hz and strength of the best peaks of each frame (n, candidates), strength −1 where there are fewer."""
    middle, left, right = around[:, 1:-1], around[:, :-2], around[:, 2:]
    peak = np.where((middle >= left) & (middle > right), middle - settings.octave * np.log2(lags / lags[0]), -1.0)
    best = np.argsort(-peak, axis=1)[:, :_CANDIDATES]
    rows = np.arange(len(peak))[:, None]
    a, b, c = left[rows, best], middle[rows, best], right[rows, best]
    shift = np.clip(0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9), -0.5, 0.5)
    # The height of the peak between samples, without which a lag of two periods may be taken for one.
    higher = np.where(peak[rows, best] > -1, -0.25 * (a - c) * shift, 0.0)
    return RATE / (lags[best] + shift), np.minimum(peak[rows, best] + higher, 1.0)


def _likeliest(hz: np.ndarray, strength: np.ndarray, quiet: np.ndarray, settings: PitchSettings) -> np.ndarray:
    """The way through the candidates that is worth most (Viterbi); 0 where it goes by unvoiced."""
    count = len(hz)
    states = np.concatenate([np.log2(hz), np.zeros((count, 1))], axis=1)
    worth = np.concatenate([np.where(quiet[:, None], -1.0, strength), np.full((count, 1), settings.voiced)], axis=1)
    total, came = worth[0].copy(), np.zeros((count, states.shape[1]), int)
    for n in range(1, count):
        cost = settings.jump * np.abs(states[n][None] - states[n - 1][:, None])
        cost[-1, :-1] = cost[:-1, -1] = settings.change
        cost[-1, -1] = 0.0
        ways = total[:, None] - cost
        came[n] = ways.argmax(axis=0)
        total = ways.max(axis=0) + worth[n]
    at = int(total.argmax())
    found = np.zeros(count)
    for n in range(count - 1, -1, -1):
        found[n] = hz[n, at] if at < hz.shape[1] else 0.0
        at = came[n, at]
    return found
