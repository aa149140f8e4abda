"""Solid: one colour, from which nothing can be restored."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from skiagraph.cover.cover import Colour, Cover
from skiagraph.cover.parameters import Opacity
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import colour_around
from skiagraph.values import Value, described


@Cover.register
class Solid(Cover, Value, frozen=True, tag_field="kind", tag="solid"):
    word: ClassVar[str] = "Solid"
    tip: ClassVar[str] = "One colour: nothing can be restored from it"

    colour: Annotated[Colour, described("Colour", "Colour of the solid cover, RGB.", form="colour")] = (25, 23, 22)
    sampled: Annotated[
        Literal["chosen", "around"],
        described(
            "Taken",
            "Where its colour comes from.",
            form="choice",
            options={"chosen": "the colour above", "around": "from what is around"},
            rare=True,
        ),
    ] = "chosen"
    opacity: Opacity = 1.0

    @property
    def hides_alone(self) -> bool:
        return self.opacity >= 1

    def hide(self, region: Region) -> np.ndarray:
        value = colour_around(region) if self.sampled == "around" else region.value(self.colour)
        if self.opacity >= 1:
            return region.made(np.full(region.alpha.shape, value, np.float32))
        own = region.own()
        return region.made(own + (value - own) * np.float32(self.opacity))

    def strength(self) -> float:
        return max(0.01, self.opacity)

    def state(self) -> str:
        return self.word if self.opacity >= 1 else f"{self.word}, {self.opacity * 100:.0f} %"
