"""Deeper: what houses have always asked for."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.values import Value, described
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.speech import Speech, shifted


@Disguise.register
class Deeper(Disguise, Value, frozen=True, tag_field="kind", tag="deeper"):
    word: ClassVar[str] = "Deeper"
    tip: ClassVar[str] = "Pitch and formants lowered by some semitones"
    resists: ClassVar[str] = (
        "A stranger who hears it once. It is undone by raising it again, and who knows the speaker knows the voice."
    )
    weak: ClassVar[bool] = True

    pitch: Annotated[
        float,
        msgspec.Meta(ge=0, le=12),
        described("Pitch", "Semitones lower.", low=0, high=12, unit=" semitones", step=0.5, decimals=1),
    ] = 4.0
    formants: Annotated[
        float,
        msgspec.Meta(ge=0, le=12),
        described(
            "Formants", "Semitones lower: the larger throat.", low=0, high=8, unit=" semitones", step=0.5, decimals=1
        ),
    ] = 4.0

    def said(self, speech: Speech, lots: np.random.Generator) -> np.ndarray:
        return shifted(speech, -self.pitch, -self.formants)

    def state(self) -> str:
        return f"{self.word}, {self.pitch:g} semitones"
