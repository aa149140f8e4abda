"""Review: the findings as a list, each to look at, to fix, or to accept with a name and a note."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QScrollArea, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import Choice, column, line, push_button, quiet
from skiagraph.desktop.theme import GRID
from skiagraph.project.model import Acceptance, Project
from skiagraph.review.findings import Finding, is_accepted, sentence
from skiagraph.timecode import format_timecode

REASON_WORD = {"gap": "No cover", "unsure": "Unsure", "ends-inside": "Lost", "begins-inside": "Appears", "face-outside-cover": "Face outside",
               "face-of-nobody": "Unknown face", "maybe-at-edge": "Maybe at the edge", "not-scanned": "Not scanned", "damaged": "Damaged", "cover-missing-in-file": "Cover missing",
               "face-in-file": "Face in file", "file-of-other-shape": "Other shape"}


class FindingRow(QFrame):
    """One finding: how bad, where, what to do."""

    lookPressed = Signal(object)
    acceptPressed = Signal(object)
    withdrawPressed = Signal(object)

    def __init__(self, project: Project, finding: Finding, accepted: Acceptance | None, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.finding = finding
        colour = theme.FAINT if accepted else theme.MADDER if finding.is_exposing else theme.OCHRE
        self.setStyleSheet(f"#panel {{ border-left: 4px solid {colour}; }}")
        row = line(margin=2 * GRID, spacing=4 * GRID, parent=self)
        row.setContentsMargins(3 * GRID, 2 * GRID, 2 * GRID, 2 * GRID)
        clip = project.clip(finding.clip)
        word = QLabel(REASON_WORD[finding.reason.value])
        word.setStyleSheet(f"color: {colour}; font-weight: 700;")
        word.setFixedWidth(104)
        row.addWidget(word)
        where = column(spacing=0)
        where.addWidget(QLabel(format_timecode(finding.at, clip.rate)))
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
            text.addWidget(quiet(f"Accepted by {accepted.by}" + (f": {accepted.note}" if accepted.note else ""), wrap=True))
        row.addLayout(text, 1)
        look = push_button("Look", "", "Go to this frame in Cover")
        look.clicked.connect(lambda: self.lookPressed.emit(finding))
        row.addWidget(look)
        if accepted:
            other = push_button("Take back", "", "Open this finding again")
            other.clicked.connect(lambda: self.withdrawPressed.emit(accepted))
        else:
            other = push_button("Accept", "", "Accept it with your name and the note on the left")
            other.clicked.connect(lambda: self.acceptPressed.emit(finding))
        row.addWidget(other)


class ReviewPage(QWidget):
    """lookWanted: a finding; accepted: (finding, name, note); withdrawn: an acceptance."""

    lookWanted = Signal(object)
    accepted = Signal(object, str, str)
    withdrawn = Signal(object)
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
        title = QLabel("Review")
        title.setObjectName("heading")
        head.addWidget(title)
        self._count = quiet("")
        head.addWidget(self._count)
        head.addStretch(1)
        self.filter = Choice([("open", "Open", "Findings that wait for somebody"), ("accepted", "Accepted", "Findings somebody accepted"), ("all", "All", "Both")])
        self.filter.set_value("open")
        self.filter.setFixedWidth(280)
        self.filter.chosen.connect(lambda _: self._fill())
        head.addWidget(self.filter)
        left.addLayout(head)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        body = QWidget()
        self._list = column(spacing=GRID, parent=body)
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
        title = QLabel("Accept a finding")
        title.setObjectName("title")
        layout.addWidget(title)
        layout.addWidget(quiet("To accept is to answer for it: the name and the note stay in the project.", wrap=True))
        self.name = QLineEdit()
        self.name.setPlaceholderText("Your name")
        self.name.setAccessibleName("Your name")
        self.note = QLineEdit()
        self.note.setPlaceholderText("Note, for example: back of the head")
        self.note.setAccessibleName("Note")
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

    def _fill(self) -> None:
        project = self._project
        for row in self._rows:
            self._list.removeWidget(row)
            row.deleteLater()
        self._rows = []
        waiting = [f for f in self._findings if not is_accepted(project, f)]
        shown = {"open": waiting, "all": self._findings, "accepted": [f for f in self._findings if f not in waiting]}[self.filter.value()]
        # Worst first: what may be exposed, then what is only unsure.
        for n, finding in enumerate(sorted(shown, key=lambda f: not f.is_exposing)[:400]):
            acceptance = next((a for a in project.accepted if finding not in waiting and a.clip == finding.clip and a.subject == finding.subject
                               and a.reason == finding.reason.value and a.first <= finding.first and finding.last <= a.last), None)
            row = FindingRow(project, finding, acceptance)
            row.lookPressed.connect(self.lookWanted)
            row.acceptPressed.connect(self._accept)
            row.withdrawPressed.connect(self.withdrawn)
            self._list.insertWidget(n, row)
            self._rows.append(row)
        exposing = sum(f.is_exposing for f in waiting)
        self._count.setText(f"{len(waiting)} open" if waiting else "")
        self._tally.setText(f"May show somebody: {exposing}\nUnsure: {len(waiting) - exposing}\nAccepted: {len(self._findings) - len(waiting)}" if self._findings else "")
        self._scroll.setVisible(bool(shown))
        self._nothing.setVisible(not shown)
        self._nothing.setText("There is nothing to review yet: add clips and scan them in Footage." if not project.clips else
                              "No open findings. Play the result once more before you hand it over." if self.filter.value() == "open" else "None.")

    def _accept(self, finding: Finding) -> None:
        name = self.name.text().strip()
        self._hint.setText("" if name else "Type your name first: somebody answers for it.")
        if name:
            self.accepted.emit(finding, name, self.note.text().strip())
        else:
            self.name.setFocus()
            self.nameMissing.emit()
