"""“Is this the same person?”: both sides of each meeting as pictures, one key for each answer."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QLineEdit, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import RoundedPicture, column, line, push_button, quiet
from skiagraph.desktop.document import Document
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.project.model import Project
from skiagraph.review.compared import Beside, Compared, Shot, compared, said_apart, said_same, said_swapped
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.findings import is_accepted

# px of a picture.
WIDE, TALL = 208, 254


def to_compare(project: Project, found: list[Finding]) -> list[Finding]:
    """The open questions of whether somebody is the same person, in order."""
    return [f for f in found if f.reason == Reason.SAME_PERSON and not is_accepted(project, f)]


class MeetingSheet(QDialog):
    """Goes through the open questions of the document. name: of whoever answers, who is written down with “the
    same”."""

    def __init__(
        self,
        document: Document,
        portraits: Portraits,
        name: str = "",
        first: Finding | None = None,
        parent: QWidget | None = None,
    ):
        super().__init__(parent)
        self.setWindowTitle(tr("Who is who"))
        self._document, self._portraits, self._project = document, portraits, document.settled
        self._asked: Compared | None = None
        self._later: set[tuple] = set()
        # Findings are made anew in the background; until then they know nothing of an answer.
        self._answered: set[tuple] = set()
        self._first = first
        layout = column(margin=5 * GRID, spacing=3 * GRID, parent=self)
        self._title, self._where = QLabel(), quiet("", wrap=True)
        self._title.setObjectName("heading")
        layout.addWidget(self._title)
        layout.addWidget(self._where)
        self._question = QWidget()
        question = column(spacing=3 * GRID, parent=self._question)
        grid = QGridLayout()
        grid.setHorizontalSpacing(3 * GRID)
        grid.setVerticalSpacing(2 * GRID)
        for column_, word in ((1, "before"), (2, "after")):
            grid.addWidget(quiet(word), 0, column_, Qt.AlignmentFlag.AlignHCenter)
        self.rows: list[tuple[QLabel, RoundedPicture, RoundedPicture]] = []
        for n in range(2):
            label, before, after = QLabel(), RoundedPicture(WIDE, TALL), RoundedPicture(WIDE, TALL)
            label.setWordWrap(True)
            label.setFixedWidth(120)
            for place, widget in enumerate((label, before, after)):
                grid.addWidget(widget, n + 1, place)
            self.rows.append((label, before, after))
        question.addLayout(grid)
        answers = line(spacing=2 * GRID)
        self.same = push_button("Same person  E", "primary", "The finding is accepted, with your name")
        self.swap = push_button("Swap from here on  X", "", "From where they are closest on, each goes on as the other")
        self.apart = push_button(
            "Somebody else  A", "", "From where they meet on it is somebody new, who is covered until you decide"
        )
        self.next = push_button("Later  L", "", "The next question; this one stays open")
        for button, key, does in (
            (self.same, "E", self._said_same),
            (self.swap, "X", self._said_swapped),
            (self.apart, "A", self._said_apart),
            (self.next, "L", self._put_off),
        ):
            button.clicked.connect(does)
            button.setAutoDefault(False)
            QShortcut(QKeySequence(key), self, button.click)
            answers.addWidget(button)
        question.addLayout(answers)
        self.name = QLineEdit(name)
        self.name.setPlaceholderText(tr("Your name, which stays with “the same person”"))
        self.name.setAccessibleName(tr("Your name"))
        self.name.returnPressed.connect(self.setFocus)
        question.addWidget(self.name)
        self._hint = quiet("", wrap=True)
        self._hint.setStyleSheet(f"color: {theme.OCHRE};")
        question.addWidget(self._hint)
        layout.addWidget(self._question)
        self._ended = QWidget()
        ends = line(spacing=2 * GRID, parent=self._ended)
        self.close_ = push_button("Close", "primary", "Back to the window (Esc)")
        self.again = push_button("Ask again", "", "Goes through what was put off once more")
        for button, does in ((self.close_, self.accept), (self.again, self._ask_again)):
            button.clicked.connect(does)
            button.setAutoDefault(button is self.close_)
            ends.addWidget(button)
        ends.addStretch()
        layout.addWidget(self._ended)
        document.findingsChanged.connect(self.refresh)
        portraits.made.connect(self._show_pictures)
        self.refresh()
        self.setFocus()

    def refresh(self) -> None:
        """Show the first question that is not put off."""
        self._project = self._document.settled
        waiting = [f for f in to_compare(self._project, self._document.findings) if _place(f) not in self._answered]
        left = [f for f in waiting if _place(f) not in self._later]
        if self._first in left:
            left.insert(0, left.pop(left.index(self._first)))
        self._asked = next((asked for f in left if (asked := compared(self._project, f)) is not None), None)
        asked = self._asked
        for button in (self.same, self.apart, self.next):
            button.setEnabled(asked is not None)
        self.swap.setEnabled(asked is not None and asked.other is not None)
        if asked is None:
            put_off = sum(_place(f) in self._later for f in waiting)
            self._title.setText(tr("No question is left") if not waiting else tr("Nothing else can be compared"))
            self._where.setText(
                tr("{n} of the open questions were put off. They stay in Review until they are answered.", n=put_off)
                if put_off > 1
                else tr("One open question was put off. It stays in Review until it is answered.")
                if put_off
                else tr(
                    "The rest can only be answered in Review: there is nobody before it, or after it, to compare with."
                )
                if waiting
                else ""
            )
            self.again.setVisible(put_off > 0)
        else:
            clip = self._project.clip(asked.finding.clip)
            self._title.setText(tr("Is {name} the same person before and after?", name=asked.one.name))
            more = tr("  ·  {n} more", n=len(left) - 1) if len(left) > 1 else ""
            self._where.setText(
                tr("{clip}, {begin} to {end}", clip=clip.path.name, begin=clip.at(asked.first), end=clip.at(asked.last))
                + more
            )
        self._question.setVisible(asked is not None)
        self._ended.setVisible(asked is None)
        self._show_pictures()
        self.adjustSize()

    def _show_pictures(self) -> None:
        asked = self._asked
        sides: list[Beside | None] = [asked.one, asked.other] if asked else [None, None]
        for (label, before, after), side in zip(self.rows, sides):
            for widget in (label, before, after):
                widget.setVisible(side is not None)
            if side is not None:
                label.setText(
                    side.name
                    if side is asked.one
                    else tr("{name}, who was close; then {then}", name=side.name, then=side.then)
                    if side.then
                    else tr("{name}, who was close", name=side.name)
                )
                for picture, shot in ((before, side.before), (after, side.after)):
                    picture.set_image(self._picture(shot))

    def _picture(self, shot: Shot | None):
        return (
            None
            if shot is None
            else self._portraits.closeup(
                self._project.clip(self._asked.finding.clip), shot.frame, shot.box, (WIDE, TALL), shot.turns
            )
        )

    def _answer(self, what: str, change, *arguments) -> None:
        self._hint.setText("")
        asked = self._asked
        if asked is not None and self._document.edit(what, change, asked, *arguments):
            self._answered.add(_place(asked.finding))
            self.refresh()

    def _said_same(self) -> None:
        name = self.name.text().strip()
        if not name:
            self._hint.setText(tr("Type your name first: somebody has to answer for it."))
            self.name.setFocus()
            return
        self._answer("same person", said_same, name)

    def _said_swapped(self) -> None:
        self._answer("swap people", said_swapped)

    def _said_apart(self) -> None:
        self._answer("somebody else", said_apart)

    def _put_off(self) -> None:
        if self._asked is not None:
            self._later.add(_place(self._asked.finding))
            self.refresh()

    def _ask_again(self) -> None:
        self._later.clear()
        self.refresh()
        self.setFocus()


def _place(finding: Finding) -> tuple:
    return finding.clip, finding.subject, finding.at
