"""Texts for people go through here, so that they can be translated."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication


def tr(text: str) -> str:
    """The text in the language of the application; the text itself where there is no translation."""
    return QCoreApplication.translate("skiagraph", text) if text else text
