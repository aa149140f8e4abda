"""Caption: words in a box, inside the outline."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cover import Colour, Cover
from skiagraph.cover.lettering import lettered
from skiagraph.cover.painting import painted
from skiagraph.cover.region import Region
from skiagraph.values import Value, described


@Cover.register
class Caption(Cover, Value, frozen=True, tag_field="kind", tag="caption"):
    """It lies on the covers beneath it; by itself it hides nobody."""

    word: ClassVar[str] = "Caption"
    tip: ClassVar[str] = "Words of yours in a box"

    text: Annotated[
        str,
        msgspec.Meta(max_length=500),
        described("Text", "What it says; it reads from right to left where the words do.", form="text"),
    ] = "NAME WITHHELD"
    size: Annotated[
        float,
        msgspec.Meta(gt=0, le=3),
        described("Size", "Width of the box as a share of the outline's.", low=20, high=200, unit=" %", scale=100),
    ] = 0.9
    colour: Annotated[Colour, described("Letters", "Colour of the letters, RGB.", form="colour")] = (233, 227, 217)
    ground: Annotated[Colour, described("Box", "Colour of the box, RGB.", form="colour")] = (25, 23, 22)
    opacity: Annotated[
        float,
        msgspec.Meta(ge=0, le=1),
        described(
            "Opacity",
            "Of the box; less lets through the covers beneath it, never what was shot.",
            low=0,
            high=100,
            unit=" %",
            scale=100,
            rare=True,
        ),
    ] = 1.0
    border: Annotated[
        float,
        msgspec.Meta(ge=0, le=1),
        described(
            "Border",
            "Width of the border as a share of a letter's height.",
            low=0,
            high=40,
            unit=" %",
            scale=100,
            rare=True,
        ),
    ] = 0.0
    border_colour: Annotated[
        Colour, described("Border line", "Colour of the border, RGB.", form="colour", rare=True)
    ] = (233, 227, 217)

    @property
    def hides_alone(self) -> bool:
        return False

    def box(self, shape: float = 0.0) -> np.ndarray:
        """The box with its words, uint8 RGBA; shape: width against height that is aimed at, 0 for lines as they were
        typed."""
        return lettered(self.text, self.colour, self.ground, self.opacity, self.border, self.border_colour, shape)

    def hide(self, region: Region) -> np.ndarray:
        outline = region.outline
        # In octaves, so that lines stay as they are while a head turns.
        box = self.box(2.0 ** round(float(np.log2(outline.width / outline.height))))
        wide = self.size
        tall = wide * (box.shape[0] / box.shape[1]) * outline.width / outline.height
        if tall > max(1.0, self.size):
            # Long words in a narrow outline: all of them are seen.
            wide, tall = wide / tall * max(1.0, self.size), max(1.0, self.size)
        return region.made(painted(region, box, (-wide, -tall, wide, tall)))

    def state(self) -> str:
        return f"{self.word}, “{self.text[:24]}”"
