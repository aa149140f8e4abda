"""Linear prediction: what the vocal tract does to the sound of the vocal folds, as an all-pole filter for each moment.

Sources: Makhoul, Linear Prediction: A Tutorial Review, 1975; poles moved by the McAdams coefficient: Patino et al.,
Speaker Anonymisation Using the McAdams Coefficient, 2021.
"""

from __future__ import annotations

import numpy as np

# Share of the energy at once that is added to the autocorrelation, so that silence and pure tones have a filter: 40 dB
# below.
_FLOOR = 1e-4
# Poles are kept from the unit circle by this much, so that none rings.
_MOST_RADIUS = 0.985
# Distance of the formants of a tract of middle length, Hz: about 1000 is a long one, 1200 a short one.
MIDDLE_TRACT_HZ = 1080.0


def order_for(rate: int) -> int:
    """Two poles for each formant, one in every thousand hertz, and two for the folds and the lips (Makhoul 1975)."""
    return rate // 1000 + 2


def predictors(frames: np.ndarray, order: int) -> np.ndarray:
    """Of each windowed frame (n, size) the filter A that predicts it: (n, order + 1), the first 1.

    By the autocorrelation method and Levinson's recursion, all frames at once.
    """
    size = frames.shape[1]
    n = 1 << int(np.ceil(np.log2(size + order + 1)))
    r = np.fft.irfft(np.abs(np.fft.rfft(frames, n, axis=1)) ** 2, n, axis=1)[:, : order + 1]
    r[:, 0] = r[:, 0] * (1 + _FLOOR) + 1e-12
    a = np.zeros((len(frames), order + 1))
    a[:, 0] = 1.0
    error = r[:, 0].copy()
    for k in range(1, order + 1):
        reflected = -(a[:, :k] * r[:, k:0:-1]).sum(axis=1) / error
        a[:, 1 : k + 1] += reflected[:, None] * a[:, k - 1 :: -1][:, :k]
        error *= 1 - reflected**2
    return a


def poles(a: np.ndarray) -> np.ndarray:
    """The poles of 1 / A of each frame: complex (n, order)."""
    order = a.shape[1] - 1
    companion = np.zeros((len(a), order, order))
    companion[:, 0] = -a[:, 1:]
    companion[:, np.arange(1, order), np.arange(order - 1)] = 1.0
    return np.linalg.eigvals(companion)


def moved(
    found: np.ndarray,
    mcadams: np.ndarray | float,
    scale: np.ndarray | float,
    bent: tuple[np.ndarray, np.ndarray] | None = None,
) -> np.ndarray:
    """Poles with their angle φ (0..π) at scale · φ ^ mcadams.

    A coefficient under 1 brings formants together around 1 rad, one over 1 apart; scale moves all of them, as another
    length of the vocal tract does. Poles on the real axis stay. mcadams, scale: one for all, or (n, 1). bent: angles,
    rising from 0 to π, and where each is brought before that; between them in straight lines.
    """
    angle, radius = np.angle(found), np.minimum(np.abs(found), _MOST_RADIUS)
    there = np.abs(angle)
    to = np.interp(there, *bent) if bent is not None else there
    turned = np.where((there > 1e-6) & (there < np.pi - 1e-6), scale * to**mcadams, there)
    # What would lie beyond half of the rate is no resonance any more: several that were held there would whistle.
    beyond = np.clip((turned / np.pi - 0.85) / 0.15, 0, 1)
    radius = np.where(there < np.pi - 1e-6, radius * (1 - beyond), radius)
    turned = np.minimum(turned, np.pi)
    return radius * np.exp(1j * np.sign(angle) * turned)


def responses(found: np.ndarray, size: int) -> np.ndarray:
    """Log amplitude of 1 / A at the size // 2 + 1 frequencies of a transform: (n, bins) of poles (n, order)."""
    z = np.exp(-1j * 2 * np.pi * np.arange(size // 2 + 1) / size)
    total = np.zeros((len(found), len(z)))
    for k in range(found.shape[1]):
        total -= np.log(np.maximum(np.abs(1 - found[:, k, None] * z[None]), 1e-6))
    return total


def response_of(a: np.ndarray, size: int) -> np.ndarray:
    """Log amplitude of 1 / A of each frame, as responses, from A itself."""
    return -np.log(np.maximum(np.abs(np.fft.rfft(a, size, axis=1)), 1e-6))


def formants_hz(found: np.ndarray, rate: int) -> np.ndarray:
    """Where the first four formants of a voice lie in the middle, Hz, by the poles (n, order) of its voiced pieces;
    those of a neutral tract of middle length where too little is known."""
    hz = np.angle(found) * rate / (2 * np.pi)
    width = -np.log(np.maximum(np.abs(found), 1e-6)) * rate / np.pi
    hz = np.sort(np.where((hz > 200) & (hz < 5200) & (width < 500), hz, np.inf), axis=1)[:, :4]
    whole = np.isfinite(hz).all(axis=1)
    return np.median(hz[whole], axis=0) if whole.sum() >= 5 else neutral_hz(MIDDLE_TRACT_HZ)


def neutral_hz(tract_hz: float) -> np.ndarray:
    """The first four formants of an even tube, whose formants are tract_hz apart: F_n = (n - 1/2) dF (Reby and McComb,
    Anatomical constraints generate honesty, 2003)."""
    return (np.arange(4) + 0.5) * tract_hz
