"""What was decided about voices: which stretches of sound are disguised and how, and who was said to speak."""

from __future__ import annotations

from typing import Annotated

import msgspec

from skiagraph.project.clip import Key
from skiagraph.values import Value
from skiagraph.voice.disguise import Disguise

# Seconds from the first picture of a clip; sound may begin before it.
Seconds = Annotated[float, msgspec.Meta(ge=-86_400, le=1_000_000)]
Number = Annotated[int, msgspec.Meta(ge=0, le=1000)]


class VoiceRange(Value, frozen=True):
    """A stretch of a clip's sound that is disguised, from begins_s to ends_s.

    subject: whose voice it is, empty where nobody said; track, channel: counted from 1, 0 for all of them; disguise:
    None for the project's; draw: how often somebody asked for other lots.
    """

    key: Key
    clip: Key
    begins_s: Seconds
    ends_s: Seconds
    subject: Annotated[str, msgspec.Meta(max_length=40)] = ""
    track: Number = 0
    channel: Number = 0
    disguise: Disguise | None = None
    draw: Annotated[int, msgspec.Meta(ge=0, le=1_000_000)] = 0

    @property
    def length_s(self) -> float:
        return self.ends_s - self.begins_s

    def is_on(self, track: int) -> bool:
        """Whether it is on a track, counted from 1."""
        return self.track in (0, track)


class Speaker(Value, frozen=True):
    """Somebody said who speaks with a voice that listening found. subject: empty for somebody who is nobody in the
    register, and whose voice may be heard."""

    voice: Key
    subject: Annotated[str, msgspec.Meta(max_length=40)] = ""


def usual_disguise() -> Disguise:
    """What a new project disguises with: the one that benchmarks/voice.py finds hardest to see through while words stay
    clear."""
    return Disguise.kinds["altered"]()
