"""Dissolve: filled from the rim of the outline inwards, so that nothing of what is inside is left."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from skiagraph.cover.cover import Cover
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import filled
from skiagraph.values import Value


@Cover.register
class Dissolve(Cover, Value, frozen=True, tag_field="kind", tag="dissolve"):
    word: ClassVar[str] = "Dissolve"
    tip: ClassVar[str] = "Filled from around: nothing of what is inside is left"

    def hide(self, region: Region) -> np.ndarray:
        return filled([region])[0]

    def hide_all(self, regions: Sequence[Region]) -> list[np.ndarray]:
        return filled(regions)
