"""Rules of a house: what every cover has to keep to. What breaks a rule is a finding."""

from __future__ import annotations

from typing import ClassVar

from skiagraph.cover.cover import Style
from skiagraph.values import Family


class Rule(Family):
    """word and tip: how people call it."""

    __slots__ = ()
    word: ClassVar[str] = ""
    tip: ClassVar[str] = ""

    def broken(self, style: Style) -> str:
        """How a style breaks it, as the end of “… breaks the house's rules: ”; empty where it keeps to it."""
        raise NotImplementedError

    def sentence(self) -> str:
        """The rule itself, in a few words."""
        return self.word
