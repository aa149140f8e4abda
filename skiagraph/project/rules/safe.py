"""Nothing that is too weak, by the measure of strength."""

from __future__ import annotations

from typing import ClassVar

from skiagraph.cover.cover import Style
from skiagraph.cover.strength import STRENGTH, detail_left
from skiagraph.project.rule import Rule
from skiagraph.values import Value


@Rule.register
class Safe(Rule, Value, frozen=True, tag_field="kind", tag="safe"):
    word: ClassVar[str] = "Only safe covers"
    tip: ClassVar[str] = "By the meter of strength"

    def broken(self, style: Style) -> str:
        left = detail_left(style)
        return (
            f"it leaves {left:.1f} cycles of detail across the face, and {STRENGTH.safe_cycles:.1f} is the most"
            if left > STRENGTH.safe_cycles
            else ""
        )

    def sentence(self) -> str:
        return "only covers that are safe"
