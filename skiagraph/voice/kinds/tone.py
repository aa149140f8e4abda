"""Tone: a steady tone over what was said."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.values import Value, described
from skiagraph.voice.disguise import Disguise, Heard


@Disguise.register
class Tone(Disguise, Value, frozen=True, tag_field="kind", tag="tone"):
    word: ClassVar[str] = "Tone"
    tip: ClassVar[str] = "A steady tone instead of what was said"
    resists: ClassVar[str] = "Everything: nothing of the voice is left. Lips can still be read where the mouth is seen."
    speaks: ClassVar[bool] = False

    hz: Annotated[
        float,
        msgspec.Meta(ge=50, le=4000),
        described("Tone", "How high it is.", low=200, high=2000, unit=" Hz", step=50),
    ] = 1000.0
    level: Annotated[
        float,
        msgspec.Meta(ge=-60, le=-3),
        described("Level", "Of full scale: how loud it is.", low=-50, high=-6, unit=" dB"),
    ] = -20.0

    def instead(self, heard: Heard) -> np.ndarray:
        wave = np.sin(2 * np.pi * self.hz * np.arange(len(heard.samples)) / heard.rate) * 10 ** (self.level / 20)
        return np.repeat(wave[:, None], heard.samples.shape[1], axis=1)

    def state(self) -> str:
        return f"{self.word}, {self.hz:.0f} Hz"
