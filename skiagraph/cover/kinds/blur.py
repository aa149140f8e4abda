"""Blur: a Gaussian, as wide as a share of what it hides, made of few cells so that it cannot be turned back."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cells import softened
from skiagraph.cover.cover import Cover
from skiagraph.cover.hardening import HARDENING
from skiagraph.cover.parameters import Even
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import colour_around
from skiagraph.values import Value, described, replace


@Cover.register
class Blur(Cover, Value, frozen=True, tag_field="kind", tag="blur"):
    word: ClassVar[str] = "Blur"
    tip: ClassVar[str] = "A Gaussian blur"

    size: Annotated[
        float,
        msgspec.Meta(gt=0, le=2),
        described("Blur", "Width of the blur as a share of the head's height.", low=4, high=60, unit=" %", scale=100),
    ] = 0.24
    even: Even = 0.5

    def hide(self, region: Region) -> np.ndarray:
        sigma = self.size * region.height
        return region.made(
            softened(
                region,
                sigma / region.step_x,
                sigma / region.step_y,
                HARDENING.steps,
                (colour_around(region), self.even) if self.even else (0.0, 0.0),
            )
        )

    def strength(self) -> float:
        return self.size

    def stronger(self, factor: float) -> Blur:
        return replace(self, size=min(2.0, max(0.001, self.size * factor)))

    def state(self) -> str:
        return f"{self.word}, {self.size * 100:.0f} %"
