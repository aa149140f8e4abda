"""Haze: a wide blur that is pale, without blacks and with little colour."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cells import softened
from skiagraph.cover.cover import Cover
from skiagraph.cover.hardening import HARDENING
from skiagraph.cover.region import Region
from skiagraph.values import Value, described, replace

# What everything goes towards: a light grey, as mist has.
PALE = (196, 194, 190)


@Cover.register
class Haze(Cover, Value, frozen=True, tag_field="kind", tag="haze"):
    word: ClassVar[str] = "Haze"
    tip: ClassVar[str] = "A wide, pale blur without blacks and with little colour"

    size: Annotated[
        float,
        msgspec.Meta(gt=0, le=2),
        described("Haze", "Width of the haze as a share of the head's height.", low=10, high=80, unit=" %", scale=100),
    ] = 0.4
    lift: Annotated[
        float,
        msgspec.Meta(ge=0, le=1),
        described(
            "Lift",
            "How far blacks and colours go towards a pale grey: more leaves less of skin and hair.",
            low=0,
            high=95,
            unit=" %",
            scale=100,
        ),
    ] = 0.75

    def hide(self, region: Region) -> np.ndarray:
        sigma = self.size * region.height
        return region.made(
            softened(
                region, sigma / region.step_x, sigma / region.step_y, HARDENING.steps, (region.value(PALE), self.lift)
            )
        )

    def strength(self) -> float:
        return self.size

    def stronger(self, factor: float) -> Haze:
        return replace(self, size=min(2.0, max(0.001, self.size * factor)))

    def state(self) -> str:
        return f"{self.word}, {self.size * 100:.0f} %"
