"""Room: the place as it sounds when nobody speaks."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from skiagraph.values import Value
from skiagraph.voice.background import of_room
from skiagraph.voice.disguise import Disguise, Heard


@Disguise.register
class Room(Disguise, Value, frozen=True, tag_field="kind", tag="room"):
    word: ClassVar[str] = "Room"
    tip: ClassVar[str] = "The clip's own background instead of what was said, where nobody speaks"
    resists: ClassVar[str] = "Everything: nothing of the voice is left. Lips can still be read where the mouth is seen."
    speaks: ClassVar[bool] = False

    def instead(self, heard: Heard) -> np.ndarray:
        if heard.room is None or len(heard.room) < 0.1 * heard.rate:
            return np.zeros_like(heard.samples)
        return of_room(heard.room, len(heard.samples), heard.lots)
