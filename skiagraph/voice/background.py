"""The background of a clip: found where nobody speaks, and made as long as one wants of it."""

from __future__ import annotations

import numpy as np


def of_room(room: np.ndarray, count: int, lots: np.random.Generator) -> np.ndarray:
    """Background as long as wanted, (count, channels), with the spectrum and the level of a stretch of it, (m,
    channels).

    The phases of its transform are drawn for each piece, so that nothing repeats and no word that might have been in it
    is heard (Galerne et al., Random phase textures, 2011). Channels keep how far they are alike.
    """
    size = min(len(room) // 2 * 2, 1 << 14)
    starts = np.arange(0, len(room) - size + 1, max(1, size // 2))
    window = np.sqrt(np.hanning(size + 1)[:-1])[:, None]
    # The middle of the power over pieces: a knock in one of them does not come again and again.
    power = np.median([np.abs(np.fft.rfft(room[s : s + size] * window, axis=0)) ** 2 for s in starts], axis=0) / np.log(
        2 if len(starts) > 2 else np.e
    )
    phase_of = np.fft.rfft(room[starts[0] : starts[0] + size] * window, axis=0)
    between = np.angle(phase_of) - np.angle(phase_of[:, :1])
    out = np.zeros((count + 2 * size, room.shape[1]))
    for at in range(0, count + size, size // 2):
        drawn = lots.uniform(-np.pi, np.pi, (power.shape[0], 1))
        piece = np.fft.irfft(np.sqrt(power) * np.exp(1j * (drawn + between)), size, axis=0)
        out[at : at + size] += piece * window
    made = out[size // 2 : size // 2 + count]
    return made * (np.sqrt((room**2).mean()) / max(np.sqrt((made**2).mean()), 1e-9)) if room.any() else made * 0
