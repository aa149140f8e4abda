"""Flat: one pitch, without melody."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.values import Value, described
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.speech import Speech


@Disguise.register
class Flat(Disguise, Value, frozen=True, tag_field="kind", tag="flat"):
    word: ClassVar[str] = "Flat"
    tip: ClassVar[str] = "Everything at one pitch; the throat stays as it is unless formants are moved"
    resists: ClassVar[str] = (
        "Who knows somebody by the melody of their speech. The throat still tells who it is, to people and to machines."
    )
    weak: ClassVar[bool] = True

    hz: Annotated[
        float,
        msgspec.Meta(ge=60, le=300),
        described("Pitch", "The one pitch of all of it.", low=70, high=250, unit=" Hz", step=5),
    ] = 130.0
    formants: Annotated[
        float,
        msgspec.Meta(ge=-8, le=8),
        described("Formants", "Semitones higher or lower.", low=-6, high=6, unit=" semitones", step=0.5, decimals=1),
    ] = 0.0

    def said(self, speech: Speech, lots: np.random.Generator) -> np.ndarray:
        hz = np.where(speech.track.hz > 0, self.hz, 0.0)
        return speech.said(speech.at_pitch(hz), scale=2 ** (self.formants / 12))

    def state(self) -> str:
        return f"{self.word}, {self.hz:.0f} Hz"
