"""What hides an outline: the family of covers, and the style that says which of them, how far and how soft."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.media.frame import Frame
from skiagraph.values import Family, Value, described


@dataclass(frozen=True, slots=True)
class Region:
    """The part of one plane that is to be hidden.

    samples: the whole plane as it is now, with what was laid on it before; box: x0, y0, x1, y1 samples; step_x, step_y: px for a
    sample; corner_x, corner_y: px of the stored picture, of a corner that moves with what is covered; width, height: of what is
    covered, px of the stored picture, without its margin; number: which plane; frame: whose it is.
    """

    samples: np.ndarray
    box: tuple[int, int, int, int]
    step_x: int
    step_y: int
    corner_x: float
    corner_y: float
    width: float
    height: float
    number: int
    frame: Frame


class Cover(Family):
    """A way to hide. Strength is measured against what is hidden, so that it holds when somebody walks towards the camera.

    word and tip: how people call it.
    """

    __slots__ = ()
    word: ClassVar[str] = ""
    tip: ClassVar[str] = ""

    def hide(self, region: Region) -> np.ndarray:
        """What is seen in the region's box instead of its samples; same dtype, (y1 - y0, x1 - x0)."""
        raise NotImplementedError

    def strength(self) -> float:
        """How strongly it hides, for comparing two of a kind; more hides more."""
        return 1.0

    def stronger(self, factor: float) -> Cover:
        """The same, so many times as strong."""
        return self

    def state(self) -> str:
        """Its strength in a few words, for a line."""
        return self.word


class Style(Value, frozen=True):
    """How an outline is hidden: covers laid one over the other in order, how far they reach beyond it, and how soft the edge is outside of that.

    margin and feather: shares of the size of what is covered.
    """

    covers: Annotated[tuple[Cover, ...], msgspec.Meta(min_length=1, max_length=16)]
    margin: Annotated[float, msgspec.Meta(ge=0, le=3), described("Margin", "How far the cover reaches beyond the outline.", low=0, high=100, unit=" %", scale=100)] = 0.14
    feather: Annotated[float, msgspec.Meta(ge=0, le=3), described("Feather", "Soft edge; it only ever grows outwards.", low=0, high=100, unit=" %", scale=100)] = 0.10

    @property
    def cover(self) -> Cover:
        """The first of its covers, which the window shows."""
        return self.covers[0]

    @staticmethod
    def of(cover: Cover, margin: float = 0.14, feather: float = 0.10) -> Style:
        return Style((cover,), margin, feather)

    def with_cover(self, cover: Cover) -> Style:
        """The same with another first cover."""
        return Style((cover, *self.covers[1:]), self.margin, self.feather)


def default_style() -> Style:
    """What a new project covers with. Not the mosaic, behind which a recogniser named the right one of 32 people in three frames of four; a blur of
    this width, since behind a narrower one the detector finds more faces (benchmarks/attack.py)."""
    return Style.of(Cover.kinds["blur"](0.24))
