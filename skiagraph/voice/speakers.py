"""Whose voice it is: 256 numbers for a piece of speech, near each other for one speaker.

They live in memory only: never in a project, a cache or a log.

Network: Wan et al., Generalized End-to-End Loss for Speaker Verification, 2018, as trained by C. Jemine for Resemblyzer
(Apache-2.0; see tools/convert_speaker.py). Its spectrogram is that of librosa: power in 40 Slaney mel bands, 25 ms each
10 ms, 160 of them at once, normalised to -30 dB.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.cluster.hierarchy import fcluster, linkage

from skiagraph.detect.networks import onnx_network
from skiagraph.values import Value

RATE, SIZE, STEP, BANDS, FRAMES = 16000, 400, 160, 40, 160
# Windows of speech overlap by half.
_HOP = FRAMES // 2
_LEVEL = 10 ** (-30 / 20)


class SpeakerSettings(Value, frozen=True):
    """same: likeness (cosine) from which two pieces of speech are taken for one speaker when groups are made; more
    makes more groups, which costs a question instead of a confusion. least_s: a shorter piece is too little to make
    groups by (the network was trained with 1.6 s at once); it goes to the group it is most like. short: likeness that
    such a piece has at least to its group, or it is one of its own. turn: likeness of the 1.6 s before and after a
    moment under which another may have begun to speak; parting too often costs little, since groups put pieces of one
    voice together again. turn_step_s: such moments are so far apart. Set by benchmarks/voice.py (conversations)."""

    same: float = 0.80
    least_s: float = 3.0
    short: float = 0.62
    turn: float = 0.76
    turn_step_s: float = 0.4


SPEAKERS = SpeakerSettings()


class SpeakerEncoder:
    """Describes voices. May be shared between threads."""

    def __init__(self):
        self._network = onnx_network("speaker_encoder.onnx")

    def describe(self, samples: np.ndarray) -> np.ndarray:
        """float32 (256,) of length one, for speech at RATE, one channel; all zeros for silence."""
        level = float(np.sqrt(np.mean(np.square(samples, dtype=float)))) if len(samples) else 0.0
        if level < 1e-6:
            return np.zeros(256, np.float32)
        mel = mel_power(samples * max(1.0, _LEVEL / level))
        if len(mel) < FRAMES:
            # Speech again from its beginning, rather than silence, which the network was not trained with.
            mel = np.resize(mel, (FRAMES, BANDS))
        pieces = np.stack([mel[n : n + FRAMES] for n in range(0, len(mel) - FRAMES + 1, _HOP)])
        every = np.concatenate(
            [self._network.run(None, {"mel": pieces[n : n + 64]})[0] for n in range(0, len(pieces), 64)]
        )
        mean = every.mean(axis=0)
        return (mean / np.linalg.norm(mean)).astype(np.float32)

    def turns(self, samples: np.ndarray, settings: SpeakerSettings = SPEAKERS) -> list[tuple[int, int]]:
        """Speech at RATE in pieces of which each is one speaker's, as far as can be told: (first, after) samples each.

        Another begins where what is said before is least like what is said after.
        """
        size, step = FRAMES * STEP, round(settings.turn_step_s * RATE)
        moments = np.arange(size, len(samples) - size + 1, step)
        if not len(moments):
            return [(0, len(samples))]
        before, after = (
            [self.describe(samples[m - size : m]) for m in moments],
            [self.describe(samples[m : m + size]) for m in moments],
        )
        alike = np.array([likeness(a, b) for a, b in zip(before, after)])
        around = np.pad(alike, 1, constant_values=1.0)
        least = (alike < settings.turn) & (alike <= around[:-2]) & (alike < around[2:])
        cuts = [0, *(self._pause(samples, int(m), step) for m in moments[least]), len(samples)]
        return [(a, b) for a, b in zip(cuts, cuts[1:]) if b > a]

    @staticmethod
    def _pause(samples: np.ndarray, moment: int, reach: int) -> int:
        """The quietest place near a moment."""
        near = samples[moment - reach : moment + reach] ** 2
        calm = np.convolve(near, np.ones(RATE // 50), mode="same")
        return moment - reach + int(calm.argmin())


def likeness(one: np.ndarray, other: np.ndarray) -> float:
    """Of two descriptions: 1 the same, 0 nothing in common."""
    return float(np.dot(one, other))


def mel_power(samples: np.ndarray) -> np.ndarray:
    """Power in the bands of the network, float32 (frames, BANDS)."""
    padded = np.pad(np.asarray(samples, np.float32), SIZE // 2)
    if len(padded) < SIZE:
        padded = np.pad(padded, (0, SIZE - len(padded)))
    frames = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[::STEP] * np.hanning(SIZE + 1)[:-1].astype(
        np.float32
    )
    return (np.abs(np.fft.rfft(frames, axis=1)) ** 2 @ _filters().T).astype(np.float32)


_KEPT: list[np.ndarray] = []


def _filters() -> np.ndarray:
    """Triangles of equal area at even distances on Slaney's mel scale (Auditory Toolbox, 1998): (BANDS, SIZE // 2 +
    1)."""
    if not _KEPT:

        def to_mel(hz):
            return np.where(hz < 1000, hz / (200 / 3), 15 + np.log(np.maximum(hz, 1.0) / 1000) / (np.log(6.4) / 27))

        def to_hz(mel):
            return np.where(mel < 15, mel * 200 / 3, 1000 * np.exp(np.log(6.4) / 27 * (mel - 15)))

        edges = to_hz(np.linspace(0, float(to_mel(np.float64(RATE / 2))), BANDS + 2))
        away = edges[:, None] - np.linspace(0, RATE / 2, SIZE // 2 + 1)
        width = np.diff(edges)[:, None]
        triangles = np.maximum(0, np.minimum(-away[:-2] / width[:-1], away[2:] / width[1:]))
        _KEPT.append((triangles * (2 / (edges[2:] - edges[:-2]))[:, None]).astype(np.float32))
    return _KEPT[0]


def groups(
    described: Sequence[np.ndarray], seconds: Sequence[float], settings: SpeakerSettings = SPEAKERS
) -> list[int]:
    """The speaker of each piece of speech, from 0 in the order in which they are first heard. seconds: how long each
    piece is.

    Agglomerative clustering by mean likeness (average linkage), of the longer pieces first; short pieces, of which the
    network knows little, join the group they are most like.
    """
    if not described:
        return []
    every = np.stack(described)
    long = [n for n, s in enumerate(seconds) if s >= settings.least_s and every[n].any()]
    labels = np.zeros(len(every), int)
    labels[long] = _clustered(every[long], settings.same)
    means = {label: every[[n for n in long if labels[n] == label]].mean(axis=0) for label in set(labels[long])}
    alone = []
    for n in sorted(set(range(len(every))) - set(long)):
        best = max(means, key=lambda label: float(every[n] @ means[label]), default=None)
        if best is not None and likeness(every[n], means[best] / np.linalg.norm(means[best])) >= settings.short:
            labels[n] = best
        else:
            alone.append(n)
    labels[alone] = _clustered(every[alone], settings.short) + labels.max(initial=0)
    order: dict[int, int] = {}
    return [order.setdefault(int(label), len(order)) for label in labels]


def _clustered(described: np.ndarray, same: float) -> np.ndarray:
    """Labels from 1 of descriptions (n, 256)."""
    if len(described) < 2:
        return np.ones(len(described), int)
    return fcluster(linkage(described, "average", metric="cosine"), 1 - same, "distance")
