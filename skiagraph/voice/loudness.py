"""Loudness as people hear it: ITU-R BS.1770-5, annex 1.

K-weighting by its two filters for any rate, channels summed by their weights, gated in blocks of 400 ms.
"""

from __future__ import annotations

import numpy as np

from skiagraph.lazily import ndimage, signal

# Blocks, and how far one is from the next, s; gates, LUFS and LU under the mean.
BLOCK_S, STEP_S = 0.4, 0.1
ABSOLUTE, RELATIVE = -70.0, -10.0
# Highest peak that a limiter lets through, of full scale, and for how long around it, s.
CEILING, LIMIT_S = 0.97, 0.005
# Weights of channels by how many there are: those behind count more, the one for effects not at all.
_WEIGHTS = {
    5: (1, 1, 1, 1.41, 1.41),
    6: (1, 1, 1, 0, 1.41, 1.41),
    7: (1, 1, 1, 0, 1.41, 1.41, 1.41),
    8: (1, 1, 1, 0, 1.41, 1.41, 1.41, 1.41),
}


def k_weighted(samples: np.ndarray, rate: int) -> np.ndarray:
    """Samples (n, channels) as loudness weighs them: a shelf for the head, then a high pass.

    The coefficients are those of the recommendation at 48 kHz, made anew for other rates by the bilinear transform (as
    in its note on other rates).
    """
    shelf = _biquad(rate, 1681.974450955533, 0.7071752369554196, 3.999843853973347)
    cut = _biquad(rate, 38.13547087602444, 0.5003270373238773, None)
    return signal.lfilter(*cut, signal.lfilter(*shelf, samples, axis=0), axis=0)


def _biquad(rate: int, hz: float, q: float, gain_db: float | None) -> tuple[np.ndarray, np.ndarray]:
    k = np.tan(np.pi * hz / rate)
    bottom = 1 + k / q + k * k
    a = np.array([1.0, 2 * (k * k - 1) / bottom, (1 - k / q + k * k) / bottom])
    if gain_db is None:
        return np.array([1.0, -2.0, 1.0]), a
    high = 10 ** (gain_db / 20)
    band = high**0.4996667741545416
    return np.array(
        [(high + band * k / q + k * k) / bottom, 2 * (k * k - high) / bottom, (high - band * k / q + k * k) / bottom]
    ), a


def loudness(samples: np.ndarray, rate: int) -> float:
    """Gated loudness of samples (n, channels), LUFS; minus infinity for silence.

    What is shorter than a block is one block.
    """
    samples = np.atleast_2d(samples.T).T.astype(float)
    weights = np.array(_WEIGHTS.get(samples.shape[1], (1,) * samples.shape[1]), float)
    power = (k_weighted(samples, rate) ** 2) @ weights
    size, step = min(len(power), round(BLOCK_S * rate)), round(STEP_S * rate)
    if not size:
        return -np.inf
    total = np.concatenate([[0.0], np.cumsum(power)])
    begins = np.arange(0, len(power) - size + 1, step)
    blocks = (total[begins + size] - total[begins]) / size
    with np.errstate(divide="ignore"):
        levels = -0.691 + 10 * np.log10(np.maximum(blocks, 0.0))
        kept = blocks[levels > ABSOLUTE]
        if not len(kept):
            return -np.inf
        gate = -0.691 + 10 * np.log10(kept.mean()) + RELATIVE
        return float(-0.691 + 10 * np.log10(kept[-0.691 + 10 * np.log10(kept) > gate].mean()))


def as_loud_as(samples: np.ndarray, like: np.ndarray, rate: int, most_db: float = 40.0) -> np.ndarray:
    """Samples (n, channels) as loud as others.

    What is silent stays so; peaks that would pass full scale are held under it for LIMIT_S around them.
    """
    wanted, have = loudness(like, rate), loudness(samples, rate)
    if not np.isfinite(wanted) or not np.isfinite(have):
        return samples if not np.isfinite(have) else samples * 0.0
    made = limited(samples * 10 ** (np.clip(wanted - have, -most_db, most_db) / 20), rate)
    # Where peaks had to be held it became softer; what is missing is made up for once.
    missing = wanted - loudness(made, rate)
    return limited(made * 10 ** (missing / 20), rate) if 0.2 < missing < most_db else made


def limited(samples: np.ndarray, rate: int) -> np.ndarray:
    """Samples (n, channels) with peaks held at CEILING by a gain that begins before each and goes smoothly."""
    peaks = np.abs(samples).max(axis=1, initial=0.0)
    if peaks.max(initial=0.0) <= CEILING:
        return samples
    size = 2 * round(LIMIT_S * rate) + 1
    gain = ndimage.minimum_filter1d(np.minimum(1.0, CEILING / np.maximum(peaks, 1e-9)), 2 * size - 1, mode="nearest")
    return samples * ndimage.uniform_filter1d(gain, size, mode="nearest")[:, None]
