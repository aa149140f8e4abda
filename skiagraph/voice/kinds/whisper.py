"""Whisper: breath instead of the vocal folds."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.values import Value, described
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.draws import DRAWS
from skiagraph.voice.lpc import MIDDLE_TRACT_HZ, neutral_hz
from skiagraph.voice.speech import Speech, with_long_spectrum


@Disguise.register
class Whisper(Disguise, Value, frozen=True, tag_field="kind", tag="whisper"):
    word: ClassVar[str] = "Whisper"
    tip: ClassVar[str] = (
        "Whispered: noise in place of the folds; formants and timbre are drawn by lot around a throat of middle size"
    )
    resists: ClassVar[str] = (
        "Everything that lies in pitch, which is gone, and most of what lies in the throat. It keeps the words, the"
        " accent, the tempo and the pauses."
    )

    formants: Annotated[
        float,
        msgspec.Meta(ge=-6, le=6),
        described(
            "Formants",
            "Semitones away from a throat of middle size.",
            low=-5,
            high=5,
            unit=" semitones",
            step=0.5,
            decimals=1,
        ),
    ] = 0.0

    def said(self, speech: Speech, lots: np.random.Generator) -> np.ndarray:
        d = DRAWS
        formants = (
            neutral_hz(MIDDLE_TRACT_HZ)
            * 2 ** (self.formants / 12)
            * np.exp(lots.uniform(-d.tract, d.tract) + d.formant * lots.standard_normal(4))
        )
        made = speech.said(
            speech.whispered(lots), mcadams=1 + lots.uniform(-d.mcadams, d.mcadams), bent=speech.bent_to(formants)
        )
        colour = np.interp(np.arange(22), np.arange(0, 24, 3), d.colour_db * lots.standard_normal(8))
        return with_long_spectrum(
            made,
            speech.rate,
            share=speech.spectrum_known,
            tilt_db=2.0 + lots.uniform(-d.tilt_db, d.tilt_db),
            bumps_db=colour,
        )
