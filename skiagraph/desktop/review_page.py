"""Review: the contact sheet, and beside it the findings, each to look at, to fix, or to accept with a name and a
note."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QFrame, QLabel, QLineEdit, QStackedLayout, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import Choice, Pick, column, line, push_button, quiet
from skiagraph.desktop.crop_server import CropServer
from skiagraph.desktop.findings_list import FindingsList
from skiagraph.desktop.sheet_view import TALL, WIDE, SheetView
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import counted, tr
from skiagraph.project.model import Project
from skiagraph.review.finding import Finding, sentence
from skiagraph.review.grouped import By, State, grouped, listed
from skiagraph.review.looking import Arranged, SheetMaker
from skiagraph.review.sheet import Crop

# px of the part with the findings. Pictures are made for screens with twice the dots.
SIDE, DOTS = 372, 2


class ReviewPage(QWidget):
    """lookWanted: a finding to go to; accepted: (findings, name, note); withdrawn: acceptances; remedyWanted: findings
    to put right; compareWanted: a finding whose sides are to be compared; fixWanted: a crop to go to; said: (crops,
    fine) of what was looked at; reelWanted, sweepWanted, reportWanted: to play what is unsure, to search strictly, to
    write the report; nameChanged: of whoever sits here."""

    lookWanted = Signal(object)
    accepted = Signal(list, str, str)
    withdrawn = Signal(list)
    remedyWanted = Signal(list)
    compareWanted = Signal(object)
    fixWanted = Signal(object)
    said = Signal(list, bool)
    reelWanted = Signal()
    sweepWanted = Signal()
    reportWanted = Signal()
    nameChanged = Signal(str)
    nameMissing = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self._project, self._findings, self._waiting = Project(), [], []
        self._maker = SheetMaker()
        self.crops = CropServer((DOTS * WIDE, DOTS * TALL), self)
        self.sheet = SheetView(self.crops.picture, self._when, self._whose)
        outer = line(margin=4 * GRID, spacing=4 * GRID, parent=self)
        left = column(spacing=2 * GRID)
        left.addLayout(self._build_head())
        left.addLayout(self._build_bar())
        self._nothing = QLabel()
        self._nothing.setObjectName("title")
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._nothing.setWordWrap(True)
        holder = QWidget()
        self._either = QStackedLayout(holder)
        self._either.addWidget(self.sheet)
        self._either.addWidget(self._nothing)
        left.addWidget(holder, 1)
        outer.addLayout(left, 1)
        outer.addWidget(self._build_side())
        self.setFocusProxy(self.sheet)
        self._connect()

    def _build_head(self):
        head = line(spacing=3 * GRID)
        title = QLabel(tr("Review"))
        title.setObjectName("heading")
        head.addWidget(title)
        self._tally = quiet("")
        head.addWidget(self._tally)
        head.addStretch(1)
        self.reel = push_button(
            "Play what is unsure",
            "primary",
            "All doubtful stretches of all clips, one after the other, result and source side by side (Shift+Space)",
        )
        self.strict = push_button(
            "Search strictly",
            "",
            "Search all clips once more, at a lower score and for smaller faces: what nobody knows of is listed, and"
            " covered only if you say so",
        )
        self.report = push_button(
            "Report …", "", "Write what was decided, found, answered and proved, as HTML, PDF or JSON (Ctrl+Shift+R)"
        )
        for button, signal in (
            (self.reel, self.reelWanted),
            (self.strict, self.sweepWanted),
            (self.report, self.reportWanted),
        ):
            button.clicked.connect(signal)
            head.addWidget(button)
        return head

    def _build_bar(self):
        bar = line(spacing=3 * GRID)
        self.arranged = Choice(
            [
                (Arranged.PERSON, "By person", "The pictures of each person together, as they come"),
                (Arranged.DOUBT, "By doubt", "All pictures, the most doubtful first"),
            ]
        )
        self.arranged.set_value(Arranged.PERSON)
        self.arranged.setFixedWidth(190)
        self.everything = QCheckBox(tr("Also what is fine"))
        bar.addWidget(self.arranged)
        bar.addWidget(self.everything)
        bar.addStretch(1)
        keys = quiet("E fine  ·  Shift+E all of this person here  ·  A look again  ·  Enter go there  ·  Space play")
        keys.setStyleSheet(f"font-size: 12px; color: {theme.QUIET};")
        bar.addWidget(keys)
        return bar

    def _build_side(self) -> QWidget:
        side = QFrame()
        side.setObjectName("panel")
        side.setFixedWidth(SIDE)
        layout = column(margin=3 * GRID, spacing=2 * GRID, parent=side)
        head = line(spacing=2 * GRID)
        title = QLabel(tr("Findings"))
        title.setObjectName("title")
        self._count = quiet("")
        head.addWidget(title)
        head.addWidget(self._count)
        head.addStretch(1)
        self.by = Pick(
            [
                (By.WORST, "Worst first", "What may show somebody, then what is only unsure"),
                (By.PERSON, "By person", "In the order of the register"),
                (By.CLIP, "By clip", "In the order of the clips"),
                (By.REASON, "By reason", "The reason with the most first"),
            ],
            "Findings grouped",
        )
        head.addWidget(self.by)
        layout.addLayout(head)
        self.filter = Choice(
            [
                (State.OPEN, "Open", "Findings nobody has accepted"),
                (State.ACCEPTED, "Accepted", "Findings somebody has accepted"),
                (State.ALL, "All", "Both"),
            ]
        )
        self.filter.set_value(State.OPEN)
        layout.addWidget(self.filter)
        self.list = FindingsList()
        layout.addWidget(self.list, 1)
        self._none = quiet("", wrap=True)
        self._none.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self._none, 1)
        layout.addWidget(self._build_detail())
        return side

    def _build_detail(self) -> QWidget:
        """What is to be said of what is selected, and what can be done about it."""
        detail = QWidget()
        layout = column(spacing=2 * GRID, parent=detail)
        self._told = QLabel()
        self._told.setWordWrap(True)
        self._told.setMinimumHeight(52)
        self._told.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self._told)
        does = line(spacing=2 * GRID)
        self.look = push_button("Look  Enter", "", "Go to this frame in Cover")
        self.remedy = push_button("Make safe  M", "", "Put it right; undo takes it back")
        self.compare = push_button("Compare …  P", "", "Both sides as pictures, and one key for each answer (Shift+P)")
        for button in (self.look, self.remedy, self.compare):
            does.addWidget(button)
        does.addStretch(1)
        layout.addLayout(does)
        self.name, self.note = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText(tr("Your name"))
        self.name.setAccessibleName(tr("Your name"))
        self.name.setToolTip(tr("Stays with whatever you accept, decide and find fine, and stands in the report"))
        self.note.setPlaceholderText(tr("Note, for example: back of the head"))
        self.note.setAccessibleName(tr("Note"))
        who = line(spacing=2 * GRID)
        who.addWidget(self.name, 2)
        who.addWidget(self.note, 3)
        layout.addLayout(who)
        self.accept = push_button(
            "Accept  E",
            "primary",
            "Whoever accepts a finding answers for it: the name and the note stay in the project",
        )
        layout.addWidget(self.accept)
        self._hint = quiet("", wrap=True)
        self._hint.setStyleSheet(f"color: {theme.OCHRE};")
        self._hint.hide()
        layout.addWidget(self._hint)
        return detail

    def _connect(self) -> None:
        self.crops.made.connect(self._pictures_made)
        self.crops.played.connect(self.sheet.set_played)
        self.sheet.seenChanged.connect(self._want_seen)
        self.sheet.playWanted.connect(self.crops.play)
        self.sheet.fixWanted.connect(self.fixWanted)
        self.sheet.said.connect(self.said)
        self.arranged.chosen.connect(lambda _: self._fill_sheet())
        self.everything.toggled.connect(lambda _: self._fill_sheet())
        self.filter.chosen.connect(lambda _: self._fill_list())
        self.by.chosen.connect(lambda _: self._fill_list())
        self.list.chosen.connect(self._show_chosen)
        self.list.lookWanted.connect(self.lookWanted)
        self.look.clicked.connect(lambda: self._of_first(self.lookWanted))
        self.compare.clicked.connect(lambda: self._of_first(self.compareWanted))
        self.remedy.clicked.connect(lambda: self.remedyWanted.emit([f for f in self.list.selected() if f.kind.remedy]))
        self.accept.clicked.connect(self._accept)
        self.name.editingFinished.connect(lambda: self.nameChanged.emit(self.name.text().strip()))
        self.note.returnPressed.connect(self._accept)
        # Where the name was asked for, Enter goes on with what it was asked for.
        self.name.returnPressed.connect(lambda: self._hint.isVisible() and self._accept())
        self.list.keyed.connect(self._keyed)

    # Filling

    def set_findings(
        self, project: Project, found: Sequence[Finding], waiting: Sequence[Finding] | None = None
    ) -> None:
        """found: all of them; waiting: those that are open."""
        self._project, self._findings = project, list(found)
        self._waiting = [row.finding for row in listed(project, found)] if waiting is None else list(waiting)
        if self.isVisible():
            self._fill()

    def showEvent(self, event) -> None:
        self._fill()
        super().showEvent(event)

    def hideEvent(self, event) -> None:
        self.crops.play(None)
        super().hideEvent(event)

    def _fill(self) -> None:
        self._fill_list()
        self._fill_sheet()

    def _fill_sheet(self) -> None:
        made = self._maker.sheet(self._project, self._waiting, self.arranged.value(), self.everything.isChecked())
        # The server has to know of the project before its pictures are asked for.
        self.crops.show(self._project, (), ())
        self.sheet.set_sections(made.parts)
        self._either.setCurrentIndex(0 if made.parts else 1)
        self._nothing.setText(
            tr(
                (
                    "There is nothing to review yet: add clips and scan them in Footage."
                    if not self._project.clips
                    else (
                        "All {n} pictures were looked at and are fine. What changes comes back here."
                        if made.crops
                        else (
                            "Nobody is covered yet. Scan the clips in Footage, or wait until the scan has ended."
                            if any(self._project.scan_of(c.key) is None for c in self._project.clips)
                            else "Nobody is covered, so there is nothing to look at."
                        )
                    )
                ),
                n=made.crops,
            )
        )
        parts = [
            tr("{n} pictures", n=made.crops),
            tr("{n} fine", n=made.fine) if made.fine else "",
            tr("{n} to look at again", n=made.again) if made.again else "",
            tr("{n} changed since", n=made.changed) if made.changed else "",
        ]
        self._tally.setText("  ·  ".join(part for part in parts if part) if made.crops else "")
        self.reel.setEnabled(bool(self._project.clips))
        self.strict.setEnabled(bool(self._project.clips))
        self.report.setEnabled(bool(self._project.clips))
        self._want()

    def _fill_list(self) -> None:
        project = self._project
        rows = listed(project, self._findings, self.filter.value())
        self.list.set_groups(project, grouped(project, rows, self.by.value()))
        self._count.setText(tr("{n} open", n=len(self._waiting)) if self._waiting else "")
        self.list.setVisible(bool(rows))
        self._none.setVisible(not rows)
        self._none.setText(
            tr(
                ""
                if not project.clips
                else (
                    "No open findings. Look through the pictures once more before you hand over."
                    if self.filter.value() == State.OPEN
                    else "None."
                )
            )
        )
        self._show_chosen()

    def _want(self) -> None:
        """Ask for the pictures on the screen first, then for all others."""
        if self.isVisible():
            seen = self.sheet.seen()
            on_screen = set(seen)
            self.crops.show(self._project, seen, [crop for crop in self.sheet.crops if crop not in on_screen])

    def _want_seen(self) -> None:
        """Other pictures are on the screen: those first."""
        if self.isVisible():
            self.crops.show(self._project, self.sheet.seen())

    def _pictures_made(self) -> None:
        self.sheet.refresh()

    def _when(self, crop: Crop) -> str:
        """Its timecode, without the hours where the clip stays within one."""
        try:
            clip = self._project.clip(crop.clip)
        except KeyError:
            return ""
        return clip.at(crop.at)[3:] if clip.at(0)[:3] == clip.at(clip.frames - 1)[:3] else clip.at(crop.at)

    def _whose(self, crop: Crop) -> str:
        """Who it shows, where that is not said above."""
        if self.arranged.value() == Arranged.PERSON:
            return ""
        name = next((s.name for s in self._project.subjects if s.key == crop.subject), tr("Nobody known"))
        return f"{name} · {self._project.clip(crop.clip).path.stem}" if len(self._project.clips) > 1 else name

    # What is selected in the list

    def _show_chosen(self) -> None:
        chosen, rows = self.list.selected(), self.list.selected_rows()
        answers = [row.answer for row in rows if row.answer is not None]
        if len(chosen) == 1:
            self._told.setText(
                sentence(self._project, chosen[0])
                + (f"\n{answers[0].by}: {answers[0].note}" if answers and answers[0].note else "")
            )
        else:
            self._told.setText(
                tr("{n} findings are selected.", n=len(chosen))
                if chosen
                else tr("Select a finding, or several with Shift, to answer for them here.")
            )
        self.look.setEnabled(len(chosen) == 1)
        remedies = {f.kind.remedy for f in chosen if f.kind.remedy} if not answers else set()
        self.remedy.setVisible(bool(remedies))
        self.remedy.setText(tr(next(iter(remedies))) + "  M" if remedies else "")
        self.compare.setVisible(len(chosen) == 1 and chosen[0].kind.compares and not answers)
        taking_back = bool(answers) and len(answers) == len(rows)
        self.accept.setEnabled(bool(chosen))
        self.accept.setText(
            tr("Take back  E")
            if taking_back
            else counted(len(chosen), "Accept  E", "Accept all {n}  E")
            if chosen
            else tr("Accept  E")
        )

    def _keyed(self, letter: str) -> None:
        """A letter in the list presses the button that bears it."""
        button = {"E": self.accept, "M": self.remedy, "P": self.compare}[letter]
        if button.isVisible() and button.isEnabled():
            button.click()

    def _of_first(self, signal) -> None:
        chosen = self.list.selected()
        if chosen:
            signal.emit(chosen[0])

    def _accept(self) -> None:
        rows = self.list.selected_rows()
        if not rows:
            return
        answers = [row.answer for row in rows if row.answer is not None]
        if len(answers) == len(rows):
            self.withdrawn.emit(answers)
            return
        name = self.name.text().strip()
        self._hint.setVisible(not name)
        self._hint.setText("" if name else tr("Type your name first: somebody has to answer for it."))
        if name:
            self.accepted.emit([row.finding for row in rows if row.answer is None], name, self.note.text().strip())
            self.list.setFocus()
        else:
            self.name.setFocus()
            self.nameMissing.emit()

    def close_workers(self) -> None:
        self.crops.close()
