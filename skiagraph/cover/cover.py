"""What hides an outline: the family of covers, and the style that says which of them, how far and how soft."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.region import Region
from skiagraph.values import Family, Value, described

Byte = Annotated[int, msgspec.Meta(ge=0, le=255)]
Colour = tuple[Byte, Byte, Byte]


class Cover(Family):
    """A way to hide.

    Strength is measured against what is hidden, so that it holds when somebody walks towards the camera.

    word and tip: how people call it. Of numbers that can be keyed the fields are int or float, and a value between two
    hides no less than the weaker.
    """

    __slots__ = ()
    word: ClassVar[str] = ""
    tip: ClassVar[str] = ""

    def hide(self, region: Region) -> np.ndarray:
        """What is seen in the region's box instead of its samples; same dtype, (y1 - y0, x1 - x0)."""
        raise NotImplementedError

    def hide_all(self, regions: Sequence[Region]) -> list[np.ndarray]:
        """The same for one region in each of its planes. A kind that has work in common for them does it once here."""
        return [self.hide(region) for region in regions]

    @property
    def hides_alone(self) -> bool:
        """True when nothing of what is beneath is seen through it as it was.

        What does not is laid on a cover that does.
        """
        return True

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
    """How an outline is hidden: covers laid one over the other in order, how far they reach beyond it, and how soft the
    edge is outside of that.

    margin and feather: shares of the size of what is covered.
    """

    covers: Annotated[tuple[Cover, ...], msgspec.Meta(min_length=1, max_length=16)]
    margin: Annotated[
        float,
        msgspec.Meta(ge=0, le=3),
        described("Margin", "How far the cover reaches beyond the outline.", low=0, high=100, unit=" %", scale=100),
    ] = 0.14
    feather: Annotated[
        float,
        msgspec.Meta(ge=0, le=3),
        described("Feather", "Soft edge; it only ever grows outwards.", low=0, high=100, unit=" %", scale=100),
    ] = 0.10

    @property
    def cover(self) -> Cover:
        """The first of its covers."""
        return self.covers[0]

    @property
    def laid(self) -> tuple[Cover, ...]:
        """What is laid, in order: its covers, on a ground where none of them hides by itself.

        So no opacity, no hole in a picture and no missing file lays anything open.
        """
        return self.covers if any(cover.hides_alone for cover in self.covers) else (ground(), *self.covers)

    @staticmethod
    def of(cover: Cover, margin: float = 0.14, feather: float = 0.10) -> Style:
        return Style((cover,), margin, feather)

    def with_cover(self, cover: Cover, at: int = 0) -> Style:
        """The same with another cover at a place in the order."""
        return Style((*self.covers[:at], cover, *self.covers[at + 1 :]), self.margin, self.feather)

    def state(self) -> str:
        """What it is in a few words, for a line."""
        return " + ".join(cover.state() for cover in self.covers)


def ground() -> Cover:
    """What lies beneath covers that do not hide by themselves: nothing of what is inside is left in it."""
    return Cover.kinds["dissolve"]()


def default_style() -> Style:
    """What a new project covers with: the one that looks soft, and under which no attack of benchmarks/attack.py tells
    one person from another. A blur keeps some of the colours of skin and hair, by which people under the same cover are
    told apart more often than by luck."""
    return Style((Cover.kinds["dissolve"](),))
