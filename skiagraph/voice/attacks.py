"""What a machine still knows of a disguised voice: three attackers with a suspect, who compare the suspect's plain
speech, and that of others, with what they hear.

Protocol after the VoicePrivacy challenge (Tomashenko et al., The VoicePrivacy 2022 Challenge, evaluation plan): an
ignorant attacker compares as it is, another undoes shifts of pitch, and an informed one disguises the speech of all
suspects in the same way, with lots of their own, before comparing.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.values import Value
from skiagraph.voice.disguise import Disguise, Heard
from skiagraph.voice.drawing import lots
from skiagraph.voice.speakers import RATE, SpeakerEncoder, likeness
from skiagraph.voice.speech import Speech, shifted


class AttackSettings(Value, frozen=True):
    """semitones: by which pitch and formants are moved back; draws: how often an informed attacker disguises each
    suspect; longest_s: of speech that is looked at. known_by: by how many of the three attackers a speaker has to be
    told from all others for the voice to count as known; one of them alone is luck once in as many voices as there are
    others, for each. near: likeness with plain speech from which one is enough: that of one speaker with another
    recording of the same."""

    semitones: tuple[float, ...] = (-8, -6, -5, -4, -3, -2, 2, 3, 4, 5, 6, 8)
    draws: int = 3
    longest_s: float = 12.0
    known_by: int = 2
    near: float = 0.75


ATTACK = AttackSettings()


@dataclass(frozen=True, slots=True)
class Told:
    """What one attacker made of a voice. like: likeness of the disguised voice and its speaker; others: share of other
    speakers who are at least as like, 0.5 is luck, 0 is known. by: words; plain: compared with plain speech."""

    by: str
    like: float
    others: float
    plain: bool = True

    @property
    def knows(self) -> bool:
        return self.others == 0.0


class Others:
    """Speakers that a voice is compared with, as they are and, remembered by disguise, as an informed attacker
    disguises them. speech: one channel at RATE each."""

    def __init__(self, speech: Sequence[np.ndarray], encoder: SpeakerEncoder, check: Callable[[], None] = lambda: None):
        self._speech, self._encoder, self.check = speech, encoder, check
        self.described = [encoder.describe(one) for one in speech]
        self._disguised: dict[Disguise, list[np.ndarray]] = {}

    def disguised(self, disguise: Disguise) -> list[np.ndarray]:
        if disguise not in self._disguised:
            self._disguised[disguise] = [self.drawn(one, disguise, n + 1) for n, one in enumerate(self._speech)]
        return self._disguised[disguise]

    def drawn(self, speech: np.ndarray, disguise: Disguise, n: int) -> np.ndarray:
        """What describes a speaker whose speech is disguised some times, by lots of the attacker's own."""
        every = []
        for k in range(ATTACK.draws):
            self.check()
            every.append(
                self._encoder.describe(
                    disguise.instead(Heard(np.asarray(speech, float)[:, None], RATE, lots(b"an attacker", n, k)))[:, 0]
                )
            )
        mean = np.mean(every, axis=0)
        return mean / max(float(np.linalg.norm(mean)), 1e-9)


def attacked(
    plain: np.ndarray, heard: np.ndarray, others: Others, disguise: Disguise, encoder: SpeakerEncoder
) -> list[Told]:
    """What three attackers make of a voice. plain: the speaker's own speech, heard: disguised, one channel at RATE
    each. disguise: of which the informed attacker knows."""
    plain, heard = (samples[: round(ATTACK.longest_s * RATE)] for samples in (plain, heard))
    suspects = [encoder.describe(plain), *others.described]
    back = [encoder.describe(heard)]
    found = [_told("comparing it as it is", suspects, back)]
    speech = Speech(np.asarray(heard, float), RATE)
    for semitones in ATTACK.semitones:
        others.check()
        back.append(encoder.describe(shifted(speech, semitones, semitones)))
    found.append(_told("shifting it back", suspects, back))
    informed = [others.drawn(plain, disguise, 0), *others.disguised(disguise)]
    found.append(replace(_told("knowing the disguise", informed, back[:1]), plain=False))
    return found


def _told(by: str, suspects: Sequence[np.ndarray], heard: Sequence[np.ndarray]) -> Told:
    """suspects: the speaker first; heard: versions of the voice, of which the likest counts."""
    like = [max(likeness(suspect, one) for one in heard) for suspect in suspects]
    return Told(by, round(like[0], 3), float(np.mean([other >= like[0] for other in like[1:]])))


def is_known(told: Sequence[Told]) -> bool:
    return sum(one.knows for one in told) >= ATTACK.known_by or any(
        one.knows and one.plain and one.like >= ATTACK.near for one in told
    )
