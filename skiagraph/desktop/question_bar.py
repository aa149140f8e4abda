"""“Are these the same person?”: two faces side by side, and three answers."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFrame, QLabel, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import RoundedPicture, column, line, push_button, quiet
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import percent, tr
from skiagraph.project.model import Answer, Likeness

# px of a face in the bar.
FACE = 40


class QuestionBar(QFrame):
    """answered: (likeness, Answer or None for yes); lookWanted: a subject's key."""

    answered = Signal(object, object)
    lookWanted = Signal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("question")
        self.setStyleSheet(
            f"#question {{ background: {theme.SOOT}; border-radius: 4px; border-left: 3px solid {theme.LILAC}; }}"
        )
        self._likeness: Likeness | None = None
        row = line(margin=2 * GRID, spacing=3 * GRID, parent=self)
        row.setContentsMargins(3 * GRID, GRID, 3 * GRID, GRID)
        self.one, self.other = RoundedPicture(FACE, FACE), RoundedPicture(FACE, FACE)
        row.addWidget(self.one)
        row.addWidget(self.other)
        words = column(spacing=0)
        self._title = QLabel(tr("Are these the same person?"))
        self._title.setStyleSheet("font-weight: 700;")
        self._names = quiet("")
        words.addStretch(1)
        words.addWidget(self._title)
        words.addWidget(self._names)
        words.addStretch(1)
        row.addLayout(words, 1)
        self.yes = push_button("Same person", "primary", "They become one; if either is to be covered, both are")
        self.no = push_button("Two people", "", "They stay two people, also after a new scan")
        self.later = push_button("Later", "", "Put this question off for now")
        for button, said in ((self.yes, None), (self.no, Answer.NO), (self.later, Answer.LATER)):
            button.clicked.connect(lambda _=False, s=said: self.answered.emit(self._likeness, s))
            row.addWidget(button)
        self.hide()

    def show_question(
        self, likeness: Likeness | None, names: tuple[str, str], faces: tuple[QImage | None, QImage | None], more: int
    ) -> None:
        """likeness None hides the bar; more: how many questions wait after this one."""
        self._likeness = likeness
        self.setVisible(likeness is not None)
        if likeness is None:
            return
        self.one.set_image(faces[0])
        self.other.set_image(faces[1])
        further = tr("  ·  {n} more", n=more) if more else ""
        self._names.setText(
            tr("{one} and {other}, {share} likely", one=names[0], other=names[1], share=percent(likeness.probability))
            + further
        )
