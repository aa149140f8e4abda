"""Review: the findings as a list, each to look at, to fix, or to accept with a name and a note."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QScrollArea, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import Choice, column, line, push_button, quiet
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.project.model import Acceptance, Project
from skiagraph.review.finding import Finding, sentence
from skiagraph.review.findings import accepted_by, was_accepted

# Rows that are made at a time; more come when they are asked for.
PAGE = 200


class FindingRow(QFrame):
    """One finding: how bad, where, what to do."""

    lookPressed = Signal(object)
    acceptPressed = Signal(object)
    withdrawPressed = Signal(object)
    remedyPressed = Signal(object)
    comparePressed = Signal(object)

    def __init__(self, project: Project, finding: Finding, accepted: Acceptance | None, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.finding = finding
        colour = theme.FAINT if accepted else theme.MADDER if finding.is_exposing else theme.OCHRE
        self.setStyleSheet(f"#panel {{ border-left: 4px solid {colour}; }}")
        row = line(margin=2 * GRID, spacing=4 * GRID, parent=self)
        row.setContentsMargins(3 * GRID, 2 * GRID, 2 * GRID, 2 * GRID)
        clip = project.clip(finding.clip)
        word = QLabel(tr(finding.kind.word))
        word.setStyleSheet(f"color: {colour}; font-weight: 700;")
        word.setFixedWidth(124)
        row.addWidget(word)
        where = column(spacing=0)
        where.addWidget(QLabel(clip.at(finding.at)))
        where.addWidget(quiet(clip.path.name))
        box = QWidget()
        box.setFixedWidth(120)
        box.setLayout(where)
        row.addWidget(box)
        text = column(spacing=2)
        label = QLabel(sentence(project, finding))
        label.setWordWrap(True)
        text.addWidget(label)
        if accepted:
            text.addWidget(quiet(tr("Accepted by {by}: {note}" if accepted.note else "Accepted by {by}", by=accepted.by, note=accepted.note), wrap=True))
        elif was_accepted(project, finding):
            text.addWidget(quiet("Accepted before; what it is about has changed since.", wrap=True))
        row.addLayout(text, 1)
        look = push_button("Look", "", "Go to this frame in Cover")
        look.clicked.connect(lambda: self.lookPressed.emit(finding))
        row.addWidget(look)
        if accepted:
            other = push_button("Take back", "", "Open this finding again")
            other.clicked.connect(lambda: self.withdrawPressed.emit(accepted))
        else:
            other = push_button("Accept", "", "Accept it with your name and the note on the right")
            other.clicked.connect(lambda: self.acceptPressed.emit(finding))
        row.addWidget(other)
        self.remedy = push_button(finding.kind.remedy, "", "Put it right with one click; undo takes it back")
        self.remedy.setVisible(bool(finding.kind.remedy) and accepted is None)
        self.remedy.clicked.connect(lambda: self.remedyPressed.emit(finding))
        row.addWidget(self.remedy)
        self.compare = push_button("Compare …", "", "Both sides as pictures, and one key for each answer (Shift+P)")
        self.compare.setVisible(finding.kind.compares and accepted is None)
        self.compare.clicked.connect(lambda: self.comparePressed.emit(finding))
        row.addWidget(self.compare)


class ReviewPage(QWidget):
    """lookWanted: a finding; accepted: (finding, name, note); withdrawn: an acceptance; remedyWanted: a finding to put right; compareWanted: a finding whose sides are to be compared."""

    lookWanted = Signal(object)
    accepted = Signal(object, str, str)
    withdrawn = Signal(object)
    remedyWanted = Signal(object)
    compareWanted = Signal(object)
    nameMissing = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self._rows: list[FindingRow] = []
        self._project, self._findings = Project(), []
        outer = line(margin=4 * GRID, spacing=4 * GRID, parent=self)
        left = column(spacing=3 * GRID)
        outer.addLayout(left, 1)
        head = line()
        title = QLabel(tr("Review"))
        title.setObjectName("heading")
        head.addWidget(title)
        self._count = quiet("")
        head.addWidget(self._count)
        head.addStretch(1)
        self.filter = Choice([("open", "Open", "Findings nobody has accepted"), ("accepted", "Accepted", "Findings somebody has accepted"), ("all", "All", "Both")])
        self.filter.set_value("open")
        self.filter.setFixedWidth(280)
        self.filter.chosen.connect(lambda _: self._fill())
        head.addWidget(self.filter)
        left.addLayout(head)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        body = QWidget()
        self._list = column(spacing=GRID, parent=body)
        self.more = push_button("", "link", "List more of the findings")
        self.more.clicked.connect(lambda: self._fill(len(self._rows) + PAGE))
        self._list.addWidget(self.more)
        self._list.addStretch(1)
        self._scroll.setWidget(body)
        left.addWidget(self._scroll, 1)
        self._nothing = QLabel()
        self._nothing.setObjectName("title")
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._nothing.setWordWrap(True)
        left.addWidget(self._nothing, 1)
        outer.addWidget(self._build_side())

    def _build_side(self) -> QWidget:
        side = QFrame()
        side.setObjectName("panel")
        side.setFixedWidth(296)
        layout = column(margin=4 * GRID, spacing=2 * GRID, parent=side)
        title = QLabel(tr("Accept a finding"))
        title.setObjectName("title")
        layout.addWidget(title)
        layout.addWidget(quiet("Whoever accepts a finding answers for it. The name and the note stay in the project.", wrap=True))
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Your name"))
        self.name.setAccessibleName(tr("Your name"))
        self.note = QLineEdit()
        self.note.setPlaceholderText(tr("Note, for example: back of the head"))
        self.note.setAccessibleName(tr("Note"))
        layout.addWidget(self.name)
        layout.addWidget(self.note)
        self._hint = quiet("", wrap=True)
        self._hint.setStyleSheet(f"color: {theme.OCHRE};")
        layout.addWidget(self._hint)
        layout.addSpacing(2 * GRID)
        self._tally = quiet("", wrap=True)
        layout.addWidget(self._tally)
        layout.addStretch(1)
        return side

    def set_findings(self, project: Project, found: list[Finding]) -> None:
        self._project, self._findings = project, found
        if self.isVisible():
            self._fill()

    def showEvent(self, event) -> None:
        self._fill()
        super().showEvent(event)

    def _fill(self, rows: int = PAGE) -> None:
        """Show the findings, so many of them as rows."""
        project = self._project
        for row in self._rows:
            self._list.removeWidget(row)
            row.deleteLater()
        self._rows = []
        answers = {f: accepted_by(project, f) for f in self._findings}
        waiting = [f for f in self._findings if answers[f] is None]
        shown = {"open": waiting, "all": self._findings, "accepted": [f for f in self._findings if answers[f] is not None]}[self.filter.value()]
        # Worst first: what may be exposed, then what is only unsure.
        for n, finding in enumerate(sorted(shown, key=lambda f: not f.is_exposing)[:rows]):
            row = FindingRow(project, finding, answers[finding])
            row.lookPressed.connect(self.lookWanted)
            row.acceptPressed.connect(self._accept)
            row.withdrawPressed.connect(self.withdrawn)
            row.remedyPressed.connect(self.remedyWanted)
            row.comparePressed.connect(self.compareWanted)
            self._list.insertWidget(n, row)
            self._rows.append(row)
        left = len(shown) - len(self._rows)
        self.more.setVisible(left > 0)
        self.more.setText(tr("{n} of {all} findings are listed. Show {more} more", n=len(self._rows), all=len(shown), more=min(PAGE, left)))
        exposing = sum(f.is_exposing for f in waiting)
        self._count.setText(tr("{n} open", n=len(waiting)) if waiting else "")
        self._tally.setText(tr("May show somebody: {exposing}\nUnsure: {unsure}\nAccepted: {accepted}", exposing=exposing, unsure=len(waiting) - exposing,
                               accepted=len(self._findings) - len(waiting)) if self._findings else "")
        self._scroll.setVisible(bool(shown))
        self._nothing.setVisible(not shown)
        self._nothing.setText(tr("There is nothing to review yet: add clips and scan them in Footage." if not project.clips else
                                 "No open findings. Play the result once more before you hand it over." if self.filter.value() == "open" else "None."))

    def _accept(self, finding: Finding) -> None:
        name = self.name.text().strip()
        self._hint.setText("" if name else tr("Type your name first: somebody has to answer for it."))
        if name:
            self.accepted.emit(finding, name, self.note.text().strip())
        else:
            self.name.setFocus()
            self.nameMissing.emit()
