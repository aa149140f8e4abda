"""No side of the face visible: covers reach beyond the head by at least so much."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec

from skiagraph.cover.cover import Style
from skiagraph.project.rule import Rule
from skiagraph.values import Value, described


@Rule.register
class WholeHead(Rule, Value, frozen=True, tag_field="kind", tag="whole-head"):
    word: ClassVar[str] = "No side of the face visible"
    tip: ClassVar[str] = "Covers reach beyond the head by at least so much"

    margin: Annotated[
        float,
        msgspec.Meta(ge=0, le=3),
        described("At least", "Margin beyond the head.", low=0, high=100, unit=" %", scale=100),
    ] = 0.14

    def broken(self, style: Style) -> str:
        return (
            f"it reaches {style.margin:.0%} beyond the head, and {self.margin:.0%} is the least"
            if style.margin < self.margin - 1e-6
            else ""
        )

    def sentence(self) -> str:
        return f"at least {self.margin:.0%} beyond the head"
