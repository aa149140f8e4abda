"""Only some kinds of covers: “mosaic, not blur”."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec

from skiagraph.cover.cover import Cover, Style
from skiagraph.project.rule import Rule
from skiagraph.values import Value, described


@Rule.register
class OnlyKinds(Rule, Value, frozen=True, tag_field="kind", tag="only"):
    """covers: tags of the covers that may hide somebody. What lies on these, as a caption, is free."""

    word: ClassVar[str] = "Only some covers"
    tip: ClassVar[str] = "Mosaic, not blur"

    covers: Annotated[
        tuple[str, ...],
        msgspec.Meta(min_length=1, max_length=16),
        described("These", "Covers that may hide somebody.", form="covers"),
    ] = ("mosaic",)

    def broken(self, style: Style) -> str:
        # Whatever lies beneath is hidden by the last that hides by itself.
        hiding = [cover for cover in style.laid if cover.hides_alone]
        if hiding and any(cover.kind in self.covers for cover in hiding):
            return ""
        return f"it is covered with {hiding[-1].word.lower()}, not with {self._names()}"

    def sentence(self) -> str:
        return f"only {self._names()}"

    def _names(self) -> str:
        return " or ".join(Cover.kinds[kind].word.lower() if kind in Cover.kinds else kind for kind in self.covers)
