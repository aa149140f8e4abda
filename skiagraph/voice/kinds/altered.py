"""Altered: another speaker, drawn by lot, says the same words."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.values import Value, described
from skiagraph.voice.consonants import levelled
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.draws import DRAWS
from skiagraph.voice.lpc import MIDDLE_TRACT_HZ, neutral_hz
from skiagraph.voice.pitch import PITCH
from skiagraph.voice.speech import Speech, with_long_spectrum


@Disguise.register
class Altered(Disguise, Value, frozen=True, tag_field="kind", tag="altered"):
    """Everything that tells speakers apart is first brought to where speakers are in general (pitch and how far it
    moves, formants, long-term spectrum, how loud consonants are), then drawn anew; the folds are replaced."""

    word: ClassVar[str] = "Altered"
    tip: ClassVar[str] = (
        "Another voice says the same words: pitch, formants and timbre are drawn by lot, anew for each stretch"
    )
    resists: ClassVar[str] = (
        "Raising or lowering it again, and a machine that compares voices; less surely one that knows how it was made. "
        "It keeps the words, the accent, the tempo and the pauses, by which somebody may be known who is known well."
    )

    strength: Annotated[
        float,
        msgspec.Meta(gt=0, le=1.5),
        described(
            "Strength",
            "How far from speakers in general the voice may be drawn; less is clearer and easier to compare.",
            low=40,
            high=130,
            unit=" %",
            scale=100,
            rare=True,
        ),
    ] = 1.0
    anew: Annotated[
        float,
        msgspec.Meta(ge=4, le=120),
        described(
            "Drawn anew each",
            "After so long, at the next pause, another voice is drawn: shorter stretches tell less together.",
            low=5,
            high=60,
            unit=" s",
            rare=True,
        ),
    ] = 20.0

    @property
    def anew_s(self) -> float:
        return self.anew

    def said(self, speech: Speech, lots: np.random.Generator) -> np.ndarray:
        track, d, far = speech.track, DRAWS, self.strength
        pitch, formants = _far_from(speech, lots, far)
        spread = lots.uniform(d.least_spread, d.most_spread)
        turn = np.clip((np.log(np.maximum(track.hz, 1)) - np.log(track.middle_hz)) / max(track.spread, 0.03), -3, 3)
        hz = pitch * np.exp(spread * turn + _wandering(lots, len(track.hz), track.hop_s, d.wander_pitch))
        # Nobody speaks beyond what pitch is looked for in.
        hz = np.where(track.hz > 0, np.clip(hz, PITCH.lowest, PITCH.highest), 0)
        hop_s = float(speech.times[1] - speech.times[0])
        coefficient = 1 + far * lots.uniform(-d.mcadams, d.mcadams)
        pieces = len(speech.times)
        folds = speech.of_nobody(hz, lots, lots.uniform(*d.breath_hz))
        made = speech.said(
            folds,
            mcadams=coefficient * np.exp(_wandering(lots, pieces, hop_s, d.wander_tract / 3)),
            scale=np.exp(_wandering(lots, pieces, hop_s, d.wander_tract)),
            bent=speech.bent_to(formants),
        )
        colour = np.interp(np.arange(22), np.arange(0, 24, 3), far * d.colour_db * lots.standard_normal(8))
        made = with_long_spectrum(
            made,
            speech.rate,
            share=speech.spectrum_known,
            tilt_db=far * lots.uniform(-d.tilt_db, d.tilt_db),
            bumps_db=colour,
        )
        return levelled(made, speech.rate, speech.voicing, far * lots.uniform(-d.consonants_db, d.consonants_db))


def _far_from(speech: Speech, lots: np.random.Generator, far: float) -> tuple[float, np.ndarray]:
    """A pitch, Hz, and where four formants lie, Hz, that are not the speaker's own by chance."""
    d = DRAWS
    for _ in range(8):
        pitch = float(np.exp(lots.uniform(np.log(d.lowest_hz), np.log(d.highest_hz))))
        formants = neutral_hz(MIDDLE_TRACT_HZ) * np.exp(
            far * (lots.uniform(-d.tract, d.tract) + d.formant * lots.standard_normal(4))
        )
        if (
            abs(np.log(pitch / speech.track.middle_hz)) > d.own_pitch
            or abs(float(np.mean(np.log(formants / speech.throat_hz)))) > d.own_tract
        ):
            break
    return pitch, formants


def _wandering(lots: np.random.Generator, count: int, hop_s: float, width: float) -> np.ndarray:
    """(count,) values that go slowly from one drawn to the next."""
    step = DRAWS.wander_s / hop_s
    knots = int(count / step) + 2
    return width * np.interp(np.arange(count), np.arange(knots) * step, lots.standard_normal(knots))
