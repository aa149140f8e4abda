"""The meter of a cover: how safe it is, from what it leaves of a face and from what networks see on the clip's own
pictures."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QSizePolicy, QWidget

from skiagraph.cover.strength import STRENGTH, Safety, detail_left, safety
from skiagraph.desktop import theme
from skiagraph.desktop.controls import line, push_button
from skiagraph.desktop.words import tr
from skiagraph.project.model import Style
from skiagraph.review.strength import Measured, verdict

COLOUR = {Safety.SAFE: theme.VERDIGRIS, Safety.WEAK: theme.OCHRE, Safety.TOO_WEAK: theme.MADDER}
WORD = {Safety.SAFE: "Safe", Safety.WEAK: "Weak", Safety.TOO_WEAK: "Too weak"}


class StrengthMeter(QWidget):
    """measureWanted: look at the clip's own pictures."""

    measureWanted = Signal()

    def __init__(self, corner: QWidget, parent: QWidget | None = None):
        """corner: what stands at its right end."""
        super().__init__(parent)
        row = line(spacing=theme.GRID, parent=self)
        self._bar = _Bar()
        self.measure = push_button("", "link")
        self.measure.setStyleSheet("text-align: left; padding: 0;")
        self.measure.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.measure.clicked.connect(self.measureWanted)
        row.addWidget(self._bar)
        row.addWidget(self.measure, 1)
        row.addWidget(corner)
        self.level = Safety.SAFE

    def show_none(self) -> None:
        """For what is not known by its face."""
        self._bar.hide()
        self.measure.setText("")
        self.measure.setEnabled(False)
        self.level = Safety.SAFE

    def show_strength(self, style: Style, face_px: float | None, measured: Measured | None) -> None:
        """A style on a face of so many px, and what was measured of just that, if it was."""
        left = detail_left(style, face_px)
        self._bar.show()
        self.measure.setEnabled(True)
        level = verdict(measured) if measured is not None else safety(left)
        self._bar.show_level(left, COLOUR[level])
        if measured is not None and measured.looked:
            said = tr("{word} · measured", word=tr(WORD[level]))
        elif left == 0:
            said = tr("{word} · no detail left", word=tr(WORD[level]))
        else:
            said = tr("{word} · {n} cycles", word=tr(WORD[level]), n=f"{left:.1f}")
        self.measure.setText(said)
        self.level = level
        tip = tr(
            "Detail that comes through: {n} cycles across the face; up to {safe} is safe, from {weak} on it is too"
            " weak.",
            n=f"{left:.1f}",
            safe=f"{STRENGTH.safe_cycles:.1f}",
            weak=f"{STRENGTH.weak_cycles:.1f}",
        )
        if face_px is not None:
            tip += " " + tr("The face is {px} px wide at most.", px=round(face_px))
        tip += "\n" + (
            measured.sentence()
            if measured is not None
            else tr("Click to ask the detector and the recogniser, on frames of this clip.")
        )
        self._bar.setToolTip(tip)
        self.measure.setToolTip(tip)

    @property
    def text(self) -> str:
        return self.measure.text()


class _Bar(QWidget):
    """How much detail is left, against what is safe."""

    def __init__(self):
        super().__init__()
        self._share, self._colour = 0.0, theme.VERDIGRIS
        self.setFixedSize(40, 12)

    def show_level(self, left: float, colour: str) -> None:
        self._share, self._colour = min(1.0, left / (2 * STRENGTH.weak_cycles)), colour
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width, middle = self.width(), self.height() / 2
        painter.fillRect(QRectF(0, middle - 2, width, 4), QColor(theme.ASH))
        painter.fillRect(QRectF(0, middle - 2, max(3.0, width * self._share), 4), QColor(self._colour))
        # Where it stops being safe.
        at = width * STRENGTH.safe_cycles / (2 * STRENGTH.weak_cycles)
        painter.fillRect(QRectF(at, middle - 5, 1, 10), QColor(theme.PAPER))
