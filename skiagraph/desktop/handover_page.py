"""Hand over: format and place, exporting with progress, the check of the exported file, and the way to it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFrame, QGridLayout, QLabel, QLineEdit, QScrollArea, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import column, line, push_button, quiet, section
from skiagraph.desktop.job_strip import JobStrip
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import counted, tr
from skiagraph.handover.writers.matte import Matte
from skiagraph.media.formats import FORMATS
from skiagraph.review.overview import ClipRow
from skiagraph.review.proof import Fact


class HandoverPage(QWidget):
    """exportPressed: (clip keys, format key, folder, with matte, check afterwards)."""

    exportPressed = Signal(list, str, str, bool, bool)
    browsePressed = Signal()
    openFolder = Signal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self._boxes: list[tuple[str, QCheckBox, QLabel]] = []
        self._results: dict[str, tuple[str, str, str, Sequence[str], Sequence[Fact]]] = {}
        self._chosen: dict[str, bool] = {}
        self._spans: dict[str, tuple[int, int]] = {}
        outer = line(margin=4 * GRID, spacing=4 * GRID, parent=self)
        left = column(spacing=3 * GRID)
        outer.addLayout(left, 1)
        title = QLabel(tr("Hand over"))
        title.setObjectName("heading")
        left.addWidget(title)
        self.strip = JobStrip("Stop the export; clips that are whole stay, the one being written is removed")
        left.addWidget(self.strip)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        body = QWidget()
        self._list = column(spacing=GRID, parent=body)
        self._list.addStretch(1)
        scroll.setWidget(body)
        left.addWidget(scroll, 1)
        outer.addWidget(self._build_side())

    def _build_side(self) -> QWidget:
        side = QFrame()
        side.setObjectName("panel")
        side.setFixedWidth(336)
        layout = column(margin=4 * GRID, spacing=2 * GRID, parent=side)
        layout.addWidget(section("Format"))
        self.format = QComboBox()
        self.format.setAccessibleName(tr("Format"))
        for key, export in FORMATS.items():
            self.format.addItem(tr(export.label), key)
        layout.addWidget(self.format)
        layout.addWidget(quiet("Size, frame times, colour, sound and timecode stay as in the source. Location, device and author are left out.", wrap=True))
        self._version_head = section("Version")
        self.version = QComboBox()
        self.version.setAccessibleName(tr("Version"))
        self.version.setToolTip(tr("Which version of the project is written; several go to files called after them"))
        for widget in (self._version_head, self.version):
            widget.hide()
            layout.addWidget(widget)
        layout.addWidget(section("Place"))
        row = line()
        self.folder = QLineEdit()
        self.folder.setAccessibleName(tr("Folder"))
        self.folder.setToolTip(tr("Folder the files are written to"))
        choose = push_button("Choose …", "", "Choose the folder")
        choose.clicked.connect(self.browsePressed)
        row.addWidget(self.folder, 1)
        row.addWidget(choose)
        layout.addLayout(row)
        self.marked = QCheckBox(tr("Only from in to out, where they are set"))
        self.marked.setToolTip(tr("In and out points are set in Cover, with I and O; clips without any are written whole"))
        layout.addWidget(self.marked)
        layout.addWidget(section("Also write"))
        self.matte = QCheckBox(tr(Matte.word))
        self.check = QCheckBox(tr("Check the exported files"))
        self.check.setChecked(True)
        self.check.setToolTip(tr("Decodes each file again, searches it for faces, and compares it with your decisions"))
        layout.addWidget(self.matte)
        layout.addWidget(section("Then"))
        layout.addWidget(self.check)
        layout.addSpacing(2 * GRID)
        self._warning = QLabel()
        self._warning.setWordWrap(True)
        layout.addWidget(self._warning)
        self.export = push_button("Export", "primary", "Write the chosen clips with their covers (Ctrl+E)")
        self.export.clicked.connect(self.press_export)
        layout.addWidget(self.export)
        layout.addStretch(1)
        return side

    def press_export(self) -> None:
        keys = [key for key, box, _ in self._boxes if box.isChecked()]
        if keys and self.export.isEnabled():
            self.exportPressed.emit(keys, self.format.currentData(), self.folder.text().strip(), self.matte.isChecked(), self.check.isChecked())

    def set_clips(self, entries: list[ClipRow], waiting: int, exposing: int, busy: bool, spans: dict[str, tuple[int, int]] | None = None) -> None:
        """spans: from in to out, of clips where they are set."""
        self._spans = spans or {}
        while self._list.count() > 1:
            widget = self._list.takeAt(0).widget()
            if widget:
                widget.deleteLater()
        self._boxes = []
        for n, entry in enumerate(entries):
            self._list.insertWidget(n, self._clip_row(entry))
        if not entries:
            empty = quiet("Add clips in Footage first; they will be listed here for export.")
            empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self._list.insertWidget(0, empty)
        if entries and not self.folder.text():
            self.folder.setText(str(entries[0].clip.path.parent / "covered"))
        self._warning.setText(_warning(waiting, exposing))
        self._warning.setStyleSheet(f"color: {theme.MADDER if exposing else theme.OCHRE if waiting else theme.VERDIGRIS};")
        self.export.setEnabled(bool(entries) and not busy)

    def begin_project(self) -> None:
        """Another project: results, choices and the folder were the former one's."""
        self._results, self._chosen = {}, {}
        self.folder.clear()

    def _clip_row(self, entry: ClipRow) -> QWidget:
        panel, clip = QFrame(), entry.clip
        panel.setObjectName("panel")
        panel.setMinimumHeight(52)
        rows = column(margin=3 * GRID, spacing=GRID, parent=panel)
        row = line(spacing=3 * GRID)
        rows.addLayout(row)
        box = QCheckBox(clip.path.name)
        # Where nobody was looked for everybody is seen: such a clip is handed over only by choice.
        box.setChecked(entry.is_usable and self._chosen.get(clip.key, entry.was_searched))
        box.setEnabled(entry.is_usable)
        box.clicked.connect(lambda on, key=clip.key: self._chosen.__setitem__(key, on))
        row.addWidget(box)
        if entry.is_usable and entry.was_searched:
            row.addWidget(quiet(tr("{covered} covered, {shown} shown, scanned only in part" if entry.partly else "{covered} covered, {shown} shown", covered=entry.people - entry.shown, shown=entry.shown)))
        else:
            facts = QLabel(tr("Not scanned: nobody in it is covered") if entry.is_usable else entry.state())
            facts.setStyleSheet(f"color: {theme.MADDER};")
            row.addWidget(facts)
        part = QLabel(tr("from {begin} to {end}", begin=clip.at(self._spans[clip.key][0]), end=clip.at(self._spans[clip.key][1])) if clip.key in self._spans else "")
        part.setStyleSheet(f"color: {theme.OCHRE};")
        part.setVisible(self.marked.isChecked())
        self.marked.toggled.connect(part.setVisible)
        row.addWidget(part)
        row.addStretch(1)
        state = QLabel()
        row.addWidget(state)
        self._boxes.append((clip.key, box, state))
        if clip.key in self._results:
            target, text, colour, notes, facts = self._results[clip.key]
            state.setText(text)
            state.setStyleSheet(f"color: {colour};")
            if target:
                show = push_button("Open folder", "", target)
                show.clicked.connect(lambda: self.openFolder.emit(str(Path(target).parent)))
                row.addWidget(show)
            for note in notes:
                rows.addWidget(quiet(note, wrap=True))
            if facts:
                rows.addLayout(_told(facts))
        return panel

    def set_versions(self, names: Sequence[str], current: str) -> None:
        """Which versions the project has; none while there is only one look."""
        if [self.version.itemText(n) for n in range(1, self.version.count())] != list(names):
            self.version.clear()
            self.version.addItem(tr("All {n} versions", n=len(names)), list(names))
            for name in names:
                self.version.addItem(name, [name])
            self.version.setCurrentIndex(self.version.findText(current))
        for widget in (self._version_head, self.version):
            widget.setVisible(bool(names))

    @property
    def versions(self) -> list[str]:
        """The versions that are to be written; none where the project has only one look."""
        return list(self.version.currentData() or []) if self.version.count() > 1 else []

    def set_result(self, key: str, target: str, text: str, colour: str, notes: Sequence[str] = (), facts: Sequence[Fact] = ()) -> None:
        """What became of an export, what of the file is otherwise than in the source, and what its check compared; shown at its clip from now on."""
        self._results[key] = target, text, colour, notes, facts


def _told(facts: Sequence[Fact]) -> QGridLayout:
    """What a check compared, a line each."""
    grid = QGridLayout()
    grid.setContentsMargins(6 * GRID, GRID, 0, 0)
    grid.setHorizontalSpacing(4 * GRID)
    grid.setVerticalSpacing(GRID // 2)
    grid.setColumnStretch(1, 1)
    for n, fact in enumerate(facts):
        what, result = quiet(fact.what), QLabel(fact.result)
        result.setWordWrap(True)
        for label in (what, result):
            label.setStyleSheet(f"font-size: 12px; color: {theme.MADDER if fact.good is False else theme.QUIET if label is what else theme.PAPER};")
        what.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(what, n, 0)
        grid.addWidget(result, n, 1)
    return grid


def _warning(waiting: int, exposing: int) -> str:
    if not waiting:
        return tr("No open findings.")
    if not exposing:
        return counted(waiting, "1 finding is open. Look at it in Review first, or export anyway.", "{n} findings are open. Look at them in Review first, or export anyway.")
    return counted(waiting, "1 finding is open and may show somebody. Look at it in Review first, or export anyway.",
                   "{n} findings are open, {exposing} of them may show somebody. Look at them in Review first, or export anyway.", exposing=exposing)
