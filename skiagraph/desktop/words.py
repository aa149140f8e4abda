"""Texts for people go through here, so that they can be translated: whole sentences, in which names and numbers have
named places."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication


def tr(text: str, **values: object) -> str:
    """The text in the language of the application, or itself where there is no translation, with the values at their
    places."""
    translated = QCoreApplication.translate("skiagraph", text) if text else text
    return translated.format(**values) if values else translated


def counted(n: int, one: str, many: str, **values: object) -> str:
    """One of two texts, by number; {n} stands for the number."""
    return tr(one if n == 1 else many, n=n, **values)


def percent(share: float) -> str:
    """A share of 0 to 1 as a person reads it."""
    return tr("{n} %", n=round(share * 100))
