"""What becomes of a voice: the family of disguises, and how one is put on a stretch of samples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from skiagraph.lazily import signal
from skiagraph.values import Family
from skiagraph.voice.loudness import as_loud_as
from skiagraph.voice.speech import Speech

# Rate at which speech is taken apart, Hz: all that words need lies under half of it (ITU-T G.722), and what lies above
# tells speakers apart.
SPEECH_RATE = 16000
# Channels that are as alike as this hold the same voice (correlation); below, each may hold another's.
ALIKE = 0.8
# Softer than this is silence, of full scale.
SILENT = 1e-5


@dataclass(frozen=True, slots=True)
class Heard:
    """A stretch of sound that is disguised. samples: float64 (n, channels), full scale 1; rate: Hz; lots: what is drawn
    is drawn from here; room: sound of the clip in which nobody speaks, (m, channels), None where none is known."""

    samples: np.ndarray
    rate: int
    lots: np.random.Generator
    room: np.ndarray | None = None


class Disguise(Family):
    """A way to hide a voice.

    word and tip: how people call it; resists: what it resists, honestly, in a sentence; weak: it is undone or seen
    through easily; speaks: words are still to be understood. A kind overrides `instead`, or `said` where it speaks
    otherwise.
    """

    __slots__ = ()
    word: ClassVar[str] = ""
    tip: ClassVar[str] = ""
    resists: ClassVar[str] = ""
    weak: ClassVar[bool] = False
    speaks: ClassVar[bool] = True

    def instead(self, heard: Heard) -> np.ndarray:
        """What is heard instead: float64, as many samples and channels."""
        return as_loud_as(_spoken(heard, lambda speech: self.said(speech, heard.lots)), heard.samples, heard.rate)

    def said(self, speech: Speech, lots: np.random.Generator) -> np.ndarray:
        """The speech, said otherwise: as many samples."""
        raise NotImplementedError

    @property
    def anew_s(self) -> float:
        """How long one draw is kept at most, s."""
        return 60.0

    def state(self) -> str:
        """What it is in a few words, for a line."""
        return self.word


def _spoken(heard: Heard, said: Callable[[Speech], np.ndarray]) -> np.ndarray:
    """Each voice in some channels said otherwise.

    Channels that hold the same sound are taken together, so that the voice stays one, as loud in each as it was.
    """
    out = np.zeros_like(heard.samples)
    for group in _alike(heard.samples):
        levels = np.sqrt((heard.samples[:, group] ** 2).mean(axis=0))
        if levels.max() < SILENT:
            continue
        together = heard.samples[:, group].mean(axis=1)
        if np.sqrt((together**2).mean()) < 0.3 * levels.max():
            # Of opposite phase.
            together = heard.samples[:, group[int(levels.argmax())]]
        made = at_speech_rate(together, heard.rate, said)
        out[:, group] = made[:, None] * (levels / max(np.sqrt((made**2).mean()), 1e-9))
    return out


def _alike(samples: np.ndarray) -> list[list[int]]:
    groups: list[list[int]] = []
    for n in range(samples.shape[1]):
        for group in groups:
            one, other = samples[:, group[0]], samples[:, n]
            both = float(np.sqrt((one**2).mean() * (other**2).mean()))
            if both > SILENT**2 and abs(float((one * other).mean())) / both > ALIKE:
                group.append(n)
                break
        else:
            groups.append([n])
    return groups


def at_speech_rate(samples: np.ndarray, rate: int, said: Callable[[Speech], np.ndarray]) -> np.ndarray:
    """One channel at the rate speech is taken apart at, and back: exactly as many samples."""
    common = np.gcd(rate, SPEECH_RATE)
    up, down = SPEECH_RATE // common, rate // common
    if rate <= SPEECH_RATE:
        return said(Speech(samples, rate))
    few = signal.resample_poly(samples, up, down)
    back = signal.resample_poly(said(Speech(few, SPEECH_RATE)), down, up)
    return back[: len(samples)] if len(back) >= len(samples) else np.pad(back, (0, len(samples) - len(back)))
