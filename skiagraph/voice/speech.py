"""Speech taken apart into the pitch, the folds and the tract, and put together otherwise, sample for sample as long as
it was."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from skiagraph.lazily import ndimage, signal
from skiagraph.voice import lpc
from skiagraph.voice.consonants import sonorant
from skiagraph.voice.excitation import at_pitch, folds_of_nobody
from skiagraph.voice.pitch import PitchTrack, pitch_track

# Length of the pieces that are taken to be steady, and how far one is from the next, s.
PIECE_S = 0.025
# Loudness is taken over so long, s: bursts of consonants are no longer.
LEVEL_S = 0.012
# Formants are looked for in sound whose upper half is raised, as the lips lower it.
PREEMPHASIS = 0.95
# Spectrum of speech over a long time, of all languages and both sexes, dB at the middles of thirds of an octave, Hz:
# Byrne et al., An international comparison of long-term average speech spectra, 1994.
# fmt: off
_LONG_HZ = np.array([
    63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000,
    6300, 8000
], float)
_LONG_DB = np.array([
    38.6, 43.5, 54.4, 57.7, 56.8, 60.2, 60.3, 59.0, 62.1, 62.1, 60.5, 56.8, 53.7, 53.0, 52.0, 48.7, 48.1, 46.8,
    45.6, 44.5, 44.3, 43.7
])
# fmt: on
# A long-term spectrum is brought at most so far towards another, dB: what was not said cannot be raised out of noise.
_MOST_DB = 18.0
_TAPS = 1023
# A formant is moved at most so far, times: beyond, vowels become others.
LEAST_BENT, MOST_BENT = 0.7, 1.45
# Voiced speech of which the length of a throat is known half, where each of its formants lies, and its long-term
# spectrum, s.
LENGTH_S, EACH_S, SPECTRUM_S = 0.2, 0.8, 0.3


@dataclass(frozen=True)
class Speech:
    """One channel of speech, taken apart. samples: (n,) float; rate: Hz, at most 16 kHz is best."""

    samples: np.ndarray
    rate: int

    @property
    def _size(self) -> int:
        return 2 * int(PIECE_S * self.rate / 2)

    @property
    def _hop(self) -> int:
        return self._size // 2

    @cached_property
    def track(self) -> PitchTrack:
        return pitch_track(self.samples, self.rate)

    @cached_property
    def times(self) -> np.ndarray:
        """Middles of the pieces, s."""
        return np.arange(len(self._a)) * self._hop / self.rate

    def _pieces(self, samples: np.ndarray) -> np.ndarray:
        """(pieces, size), the n-th around sample n * hop."""
        size, hop = self._size, self._hop
        count = len(self.samples) // hop + 2
        padded = np.pad(samples, (hop, count * hop + size - len(samples)))
        return np.lib.stride_tricks.sliding_window_view(padded, size)[::hop][:count]

    @cached_property
    def _window(self) -> np.ndarray:
        # Periodic: two of them that overlap by half make one.
        return signal.get_window("hann", self._size)

    @cached_property
    def _a(self) -> np.ndarray:
        raised = np.append(self.samples[:1], self.samples[1:] - PREEMPHASIS * self.samples[:-1])
        return lpc.predictors(self._pieces(raised) * self._window, lpc.order_for(self.rate))

    @cached_property
    def poles(self) -> np.ndarray:
        return lpc.poles(self._a)

    @cached_property
    def residual(self) -> np.ndarray:
        """What is left of the samples when the tract is taken out."""
        return self._through(self.samples, self._a, inverse=True)

    @cached_property
    def formants_hz(self) -> np.ndarray:
        """(4,) where the formants lie in the middle."""
        return lpc.formants_hz(self.poles[self.track.at(self.times) > 0], self.rate)

    @property
    def voiced_s(self) -> float:
        """How long something is voiced, s."""
        return float((self.track.hz > 0).sum()) * self.track.hop_s

    @property
    def spectrum_known(self) -> float:
        """How far the long-term spectrum of so much speech is the speaker's, 0..1."""
        return self.voiced_s / (self.voiced_s + SPECTRUM_S)

    @cached_property
    def throat_hz(self) -> np.ndarray:
        """(4,) where the formants of the speaker lie, as far as so much speech tells: in a single word they are those
        of its vowels, which are not the speaker's. What is not known is taken to be a neutral throat's."""
        apart = np.log(self.formants_hz / lpc.neutral_hz(lpc.MIDDLE_TRACT_HZ))
        length, each = (self.voiced_s / (self.voiced_s + needed) for needed in (LENGTH_S, EACH_S))
        return lpc.neutral_hz(lpc.MIDDLE_TRACT_HZ) * np.exp(length * apart.mean() + each * (apart - apart.mean()))

    def bent_to(self, wanted_hz: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """How angles of poles are brought so that the formants lie at other places in the middle, for `said`.

        What is more than LEAST_BENT and MOST_BENT is held there.
        """
        have = self.throat_hz
        to = have * np.clip(wanted_hz / have, LEAST_BENT, MOST_BENT)
        turn = 2 * np.pi / self.rate
        beyond = np.clip(to[-1] / have[-1], LEAST_BENT, MOST_BENT)
        last = min(0.9 * np.pi, have[-1] * turn * 1.6)
        return np.array([0, *(have * turn), last, np.pi]), np.array(
            [0, *(np.maximum.accumulate(to) * turn), last * beyond, max(np.pi, last * beyond * 1.1)]
        )

    def _through(self, samples: np.ndarray, a: np.ndarray, *, inverse: bool) -> np.ndarray:
        """Samples through 1 / A of each piece, or through A."""
        size = self._size
        n = 1 << int(np.ceil(np.log2(2.5 * size)))
        filters = np.fft.rfft(a, n, axis=1)
        spectra = np.fft.rfft(self._pieces(samples) * self._window, n, axis=1)
        return self._laid(np.fft.irfft(spectra * filters if inverse else spectra / filters, n, axis=1))

    def _laid(self, pieces: np.ndarray) -> np.ndarray:
        hop, (count, n) = self._hop, pieces.shape
        over = -(-n // hop)
        pieces = np.pad(pieces, ((0, 0), (0, over * hop - n))).reshape(count, over, hop)
        out = np.zeros((count + over, hop))
        for k in range(over):
            out[k : k + count] += pieces[:, k]
        return out.reshape(-1)[hop : hop + len(self.samples)]

    @cached_property
    def level(self) -> np.ndarray:
        """How loud the residual is, of each sample."""
        size = max(1, round(LEVEL_S * self.rate))
        return np.sqrt(np.maximum(ndimage.uniform_filter1d(self.residual**2, size), 0.0))

    @cached_property
    def voicing(self) -> np.ndarray:
        """How far the throat sounds in each sample, 0..1, with a clear pitch or without: a creaky vowel is no
        consonant."""
        at = np.arange(len(self.samples)) / self.rate
        return ndimage.uniform_filter1d(
            ((self.track.at(at) > 0) | sonorant(self.samples, self.rate)).astype(float),
            max(1, round(LEVEL_S / 2 * self.rate)),
        )

    def at_pitch(self, hz: np.ndarray) -> np.ndarray:
        """The folds themselves at another pitch. hz: at each value of the track."""
        return at_pitch(self.residual, self.rate, self.track, hz)

    def of_nobody(self, hz: np.ndarray, lots: np.random.Generator, breath_hz: float) -> np.ndarray:
        """Folds that are nobody's, at a pitch.

        Where nothing is voiced the residual stays: noise in its place takes half of the consonants away
        (benchmarks/voice.py: words wrong 16 instead of 8 %).
        """
        made = folds_of_nobody(self.level, self.rate, self.track, hz, lots, min(breath_hz, 0.4 * self.rate))
        return self.voicing * made + (1 - self.voicing) * self.residual

    def whispered(self, lots: np.random.Generator) -> np.ndarray:
        """Noise instead of folds: white noise has no voice in it. Where nothing is voiced the residual stays."""
        return self.voicing * self.level * lots.standard_normal(len(self.samples)) + (1 - self.voicing) * self.residual

    def said(
        self,
        excitation: np.ndarray,
        mcadams: float | np.ndarray = 1.0,
        scale: float | np.ndarray = 1.0,
        bent: tuple[np.ndarray, np.ndarray] | None = None,
    ) -> np.ndarray:
        """The same words of the tract, excited otherwise: as many samples. mcadams, scale: of the poles, one or one a
        piece; bent: as lpc.moved."""
        a = self._a
        if bent is not None or np.any(np.asarray(mcadams) != 1) or np.any(np.asarray(scale) != 1):
            mcadams, scale = (np.asarray(v)[..., None] if np.ndim(v) else v for v in (mcadams, scale))
            a = _of_poles(lpc.moved(self.poles, mcadams, scale, bent))
        return self._through(excitation, a, inverse=False)


def _of_poles(found: np.ndarray) -> np.ndarray:
    """A of poles that come in pairs: (n, order + 1)."""
    a = np.zeros((len(found), found.shape[1] + 1), complex)
    a[:, 0] = 1.0
    for k in range(found.shape[1]):
        a[:, 1 : k + 2] -= found[:, k, None] * a[:, : k + 1]
    return a.real


def long_spectrum(samples: np.ndarray, rate: int) -> np.ndarray:
    """Mean power of the louder pieces in thirds of an octave, dB, at those of Byrne 1994 below rate / 2."""
    size = 1 << int(np.ceil(np.log2(0.03 * rate)))
    if len(samples) < size:
        samples = np.pad(samples, (0, size - len(samples)))
    pieces = np.lib.stride_tricks.sliding_window_view(samples, size)[:: size // 2]
    power = np.abs(np.fft.rfft(pieces * signal.get_window("hann", size), axis=1)) ** 2
    total = power.sum(axis=1)
    mean = power[total > 0.01 * total.max()].mean(axis=0) if total.max() > 0 else power.mean(axis=0)
    hz = np.fft.rfftfreq(size, 1 / rate)
    found = []
    for middle in _LONG_HZ[_LONG_HZ < 0.45 * rate]:
        inside = (hz >= middle / 2 ** (1 / 6)) & (hz < middle * 2 ** (1 / 6))
        found.append(mean[inside].sum() if inside.any() else np.interp(middle, hz, mean) * middle * 0.23 / (hz[1]))
    return 10 * np.log10(np.maximum(found, 1e-12))


def with_long_spectrum(
    samples: np.ndarray, rate: int, tilt_db: float = 0.0, share: float = 1.0, bumps_db: np.ndarray | None = None
) -> np.ndarray:
    """Speech with the long-term spectrum of speakers in general instead of its own, which tells speakers apart.

    tilt_db: more of it an octave upwards; share: how far it is brought there; bumps_db: added at the thirds of an
    octave.
    """
    have = long_spectrum(samples, rate)
    hz = _LONG_HZ[: len(have)]
    wanted = _LONG_DB[: len(have)] + tilt_db * np.log2(hz / 1000)
    gain = share * (wanted - have)
    heard = hz >= 100
    gain -= gain[heard].mean()
    if bumps_db is not None:
        gain += bumps_db[: len(gain)]
    gain = np.clip(gain, -_MOST_DB, _MOST_DB)
    # Under every voice there is only the rumble of the place, which nothing here would change.
    gain[~heard] = -40.0
    at = np.concatenate([[0], hz, [rate / 2]])
    taps = signal.firwin2(_TAPS, at / (rate / 2), 10 ** (np.concatenate([gain[:1], gain, gain[-1:]]) / 20))
    return signal.fftconvolve(samples, taps, mode="full")[_TAPS // 2 : _TAPS // 2 + len(samples)]


def shifted(speech: Speech, pitch: float, formants: float) -> np.ndarray:
    """Speech higher by semitones: pitch and formants, each by itself."""
    hz = speech.track.hz * 2 ** (pitch / 12)
    return speech.said(speech.at_pitch(hz) if pitch else speech.residual, scale=2 ** (formants / 12))
