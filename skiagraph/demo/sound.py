"""The sound of the harbour, from numbers: water, wind, gulls, a bell, a hall full of voices that say nothing; and an
interview that a machine speaks (tools/demo_speech.py)."""

from __future__ import annotations

from fractions import Fraction
from importlib import resources
from pathlib import Path

import numpy as np
from scipy.signal import butter, lfilter, resample_poly, sosfilt

from skiagraph.media.audio import placed_blocks

SAMPLE_RATE = 48000


def soundtrack(kind: str, seconds: float, seed: int) -> np.ndarray:
    """float32 (2, samples) at SAMPLE_RATE, within -1..1. kind: quay, hall or voice."""
    n = round(seconds * SAMPLE_RATE)
    rng = np.random.default_rng(seed)
    t = np.arange(n) / SAMPLE_RATE
    water = [
        _band(rng.standard_normal(n), 120, 900) * (0.6 + 0.4 * np.sin(2 * np.pi * 0.23 * t + phase))
        for phase in (0, 1.1)
    ]
    mix = np.stack(water) * (0.05 if kind != "hall" else 0.015)
    if kind in ("quay", "voice"):
        for _ in range(int(seconds * 0.7)):
            _add(
                mix,
                _gull(rng),
                int(rng.uniform(0, max(1, n - SAMPLE_RATE))),
                rng.uniform(-0.8, 0.8),
                0.05 if kind == "quay" else 0.02,
            )
    if kind == "quay":
        bell = sum(np.exp(-t * d) * np.sin(2 * np.pi * f * t) for f, d in ((523, 2.2), (1180, 3.1), (1890, 5))) * 0.04
        mix += bell
    if kind == "hall":
        for k in range(5):
            _add(mix, _speech(rng, seconds, 95 + 28 * k, 1.5 + k * 0.3), 0, -0.8 + 0.4 * k, 0.03)
    if kind == "voice":
        said = _interview()
        # Of a microphone near by, with a little of the wall behind.
        _add(mix, said, 0, 0, 0.62)
        for late, level in ((0.013, 0.10), (0.021, 0.07), (0.034, 0.05)):
            _add(mix, said, int(late * SAMPLE_RATE), rng.uniform(-0.7, 0.7), level)
    return np.clip(mix, -1, 1).astype(np.float32)


def _interview():
    """What is said in the clip, spoken by a machine: it ships, since not every machine can speak."""
    path = Path(str(resources.files("skiagraph.assets").joinpath("demo", "voice.speech.flac")))
    blocks = list(placed_blocks(path, 0, Fraction(0)))
    return resample_poly(
        np.concatenate([block[:, 0] for _, _, block in blocks]) / 32768, SAMPLE_RATE, blocks[0][0].rate
    )


def _band(x, low, high):
    y = sosfilt(butter(2, [low, high], "band", fs=SAMPLE_RATE, output="sos"), x)
    return y / max(np.abs(y).max(), 1e-9)


def _add(mix, mono, at, pan, level):
    end = min(mix.shape[1], at + len(mono))
    for channel, gain in enumerate(((1 - pan) / 2, (1 + pan) / 2)):
        mix[channel, at:end] += mono[: end - at] * gain * level * 1.4


def _gull(rng):
    n = int(SAMPLE_RATE * rng.uniform(0.35, 0.8))
    t = np.linspace(0, 1, n)
    pitch = 1500 + 900 * np.sin(np.pi * t) ** 0.7 + 60 * np.sin(2 * np.pi * 9 * t)
    phase = 2 * np.pi * np.cumsum(pitch) / SAMPLE_RATE
    return (np.sin(phase) + 0.4 * np.sin(2 * phase)) * np.sin(np.pi * t) ** 0.6


def _speech(rng, seconds, pitch, pace):
    """Voiced babble: a pulse train through wandering formants, in syllables. Source-filter model (Fant 1960)."""
    n = round(seconds * SAMPLE_RATE)
    t = np.arange(n) / SAMPLE_RATE
    f0 = pitch * (1 + 0.08 * np.sin(2 * np.pi * 0.6 * t / pace) + 0.03 * np.sin(2 * np.pi * 4.7 * t))
    pulses = np.diff(np.floor(np.cumsum(f0) / SAMPLE_RATE), prepend=0)
    source = lfilter([1], [1, -0.97], pulses) + 0.02 * rng.standard_normal(n)
    out = np.zeros(n)
    begin = 0
    while begin < n:
        length = int(SAMPLE_RATE * rng.uniform(0.11, 0.26) * pace)
        part = source[begin : begin + length]
        vowel = np.zeros(len(part))
        first, second = rng.uniform(300, 750), rng.uniform(900, 2200)
        for centre, wide, gain in ((first, 80, 1), (second, 110, 0.6), (2600, 160, 0.25)):
            r = np.exp(-np.pi * wide / SAMPLE_RATE)
            vowel += gain * lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * centre / SAMPLE_RATE), r * r], part)
        out[begin : begin + len(part)] = vowel * np.hanning(len(part)) * rng.choice([1, 1, 1, 0.8, 0.05])
        begin += max(1, int(length * 0.86))
    return out / max(np.abs(out).max(), 1e-9)
