"""At most so many blocks across."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec

from skiagraph.cover.cover import Cover, Style
from skiagraph.project.rule import Rule
from skiagraph.values import Value, described


@Rule.register
class MostBlocks(Rule, Value, frozen=True, tag_field="kind", tag="most-blocks"):
    word: ClassVar[str] = "Coarse mosaic"
    tip: ClassVar[str] = "At most so many blocks across"

    blocks: Annotated[
        int, msgspec.Meta(ge=1, le=64), described("At most", "Blocks across the head.", low=1, high=24, unit=" across")
    ] = 8

    def broken(self, style: Style) -> str:
        finest = max((cover.blocks for cover in style.laid if isinstance(cover, Cover.kinds["mosaic"])), default=0)
        return (
            f"its mosaic has {finest} blocks across, and at most {self.blocks} are allowed"
            if finest > self.blocks
            else ""
        )

    def sentence(self) -> str:
        return f"at most {self.blocks} blocks across"
