"""Solid: one colour, from which nothing can be restored."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Region
from skiagraph.media.frame import Frame
from skiagraph.values import Value, described

# Luma weights of the colour matrices, ITU-R BT.601, BT.709, BT.2020.
_WEIGHTS = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}
_Byte = Annotated[int, msgspec.Meta(ge=0, le=255)]


@Cover.register
class Solid(Cover, Value, frozen=True, tag_field="kind", tag="solid"):
    word: ClassVar[str] = "Solid"
    tip: ClassVar[str] = "One colour: nothing can be restored from it"

    colour: Annotated[tuple[_Byte, _Byte, _Byte], described("Colour", "Colour of the solid cover, RGB.", form="colour")] = (25, 23, 22)

    def hide(self, region: Region) -> np.ndarray:
        x0, y0, x1, y1 = region.box
        return np.full((y1 - y0, x1 - x0), sample_value(self.colour, region.number, region.frame), region.samples.dtype)


def sample_value(colour: tuple[int, int, int], plane: int, frame: Frame) -> int:
    """Sample value of an RGB colour (0..255) in one plane of a frame, by its matrix, range and depth."""
    layout = frame.layout
    r, g, b = (v / 255 for v in colour)
    top = (1 << layout.depth) - 1
    if layout.is_rgb:
        return round((g, b, r)[plane] * top)
    red, blue = _WEIGHTS[frame.matrix]
    luma = red * r + (1 - red - blue) * g + blue * b
    scale = 1 << (layout.depth - 8)
    if plane == 0:
        return round(luma * top) if frame.full_range else round((16 + 219 * luma) * scale)
    chroma = (b - luma) / (2 * (1 - blue)) if plane == 1 else (r - luma) / (2 * (1 - red))
    return min(top, round(chroma * top + (top + 1) / 2)) if frame.full_range else round((128 + 224 * chroma) * scale)
