"""One running job as a strip: what it does, how far it is, the time left, cancel."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QProgressBar, QWidget

from skiagraph.desktop.controls import line, push_button, quiet
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.jobs import Progress, format_left


class JobStrip(QWidget):
    """Hidden while nothing runs."""

    cancelPressed = Signal()

    def __init__(self, cancel_tip: str, parent: QWidget | None = None):
        """cancel_tip: what happens when the job is cancelled."""
        super().__init__(parent)
        row = line(margin=0, spacing=3 * GRID, parent=self)
        self._what = QLabel()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._bar.setMinimumWidth(120)
        self._left = quiet("")
        self._left.setMinimumWidth(88)
        self._cancel = push_button("Cancel", "", cancel_tip)
        self._cancel.clicked.connect(self.cancelPressed)
        row.addWidget(self._what)
        row.addWidget(self._bar, 1)
        row.addWidget(self._left)
        row.addWidget(self._cancel)
        self.hide()

    def begin(self, what: str) -> None:
        self._what.setText(tr(what))
        self._bar.setValue(0)
        self._left.setText("")
        self.show()

    def show_progress(self, what: str, progress: Progress) -> None:
        self._what.setText(what)
        self._bar.setValue(round(1000 * (progress.share or 0)))
        self._left.setText(format_left(progress.left_s))

    @property
    def text(self) -> str:
        return self._what.text()
