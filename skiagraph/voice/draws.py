"""How far a voice may be drawn away from speakers in general."""

from __future__ import annotations

from skiagraph.values import Value


class Draws(Value, frozen=True):
    """What is drawn, how far.

    All were set by benchmarks/voice.py with the attacker who knows the style: wider draws tell less and are harder to
    understand.

    lowest_hz, highest_hz: the pitch in the middle. least_spread, most_spread: how far it moves, of its logarithm; that
    of the speaker is brought to it. tract: formants together, plus or minus this of their logarithm; formant: each by
    itself, standard deviation. mcadams: coefficient, 1 plus or minus. tilt_db: brightness, dB an octave; colour_db: of
    the long-term spectrum, standard deviation. consonants_db: how much louder or softer consonants are.
    own_pitch, own_tract: a draw that is nearer to the speaker than both, of their logarithms, is drawn again, since
    people would know it; it happens to one in fifty, which tells an attacker next to nothing. breath_hz: from here on
    up there is breath instead of tone. wander_pitch, wander_tract: slow variation within, standard deviation, a new
    value each wander_s.
    """

    lowest_hz: float = 70.0
    highest_hz: float = 350.0
    least_spread: float = 0.06
    most_spread: float = 0.28
    tract: float = 0.30
    formant: float = 0.04
    mcadams: float = 0.05
    tilt_db: float = 6.0
    colour_db: float = 12.0
    consonants_db: float = 3.0
    own_pitch: float = 0.17
    own_tract: float = 0.07
    breath_hz: tuple[float, float] = (1800.0, 6000.0)
    wander_pitch: float = 0.04
    wander_tract: float = 0.03
    wander_s: float = 0.3


DRAWS = Draws()
