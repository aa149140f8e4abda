"""Silence: nothing is heard."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from skiagraph.values import Value
from skiagraph.voice.disguise import Disguise, Heard


@Disguise.register
class Silence(Disguise, Value, frozen=True, tag_field="kind", tag="silence"):
    word: ClassVar[str] = "Silence"
    tip: ClassVar[str] = "Nothing is heard"
    resists: ClassVar[str] = "Everything: nothing of the voice is left. Lips can still be read where the mouth is seen."
    speaks: ClassVar[bool] = False

    def instead(self, heard: Heard) -> np.ndarray:
        return np.zeros_like(heard.samples)
