"""Footage: the clips of the project, what they are, and scanning them."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QSpinBox, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import Choice, RoundedPicture, column, line, push_button, quiet, section
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import counted, tr
from skiagraph.project.programme import Programme
from skiagraph.review.overview import ClipRow

# Height of a clip's picture, px, at least; it is as large as there is room for all of them, and as wide as so much of
# their width.
PICTURE, PICTURE_SHARE = 99, 0.38


class ClipCard(QFrame):
    """One clip: picture, facts, what was found, and its buttons."""

    openPressed = Signal(str)
    scanPressed = Signal(str)
    removePressed = Signal(str)

    def __init__(self, entry: ClipRow, busy: bool, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.entry, clip = entry, entry.clip
        row = line(margin=3 * GRID, spacing=4 * GRID, parent=self)
        self.thumbnail = RoundedPicture(PICTURE * 16 // 9, PICTURE)
        row.addWidget(self.thumbnail)
        text = column(spacing=GRID)
        name = QLabel(clip.path.name)
        name.setObjectName("title")
        text.addWidget(name)
        facts = quiet(entry.facts())
        facts.setWordWrap(True)
        text.addWidget(facts)
        state = QLabel(entry.state())
        state.setWordWrap(True)
        if not entry.is_usable:
            state.setStyleSheet(f"color: {theme.MADDER};")
        text.addWidget(state)
        if clip.damage:
            damage = QLabel(clip.damage)
            damage.setWordWrap(True)
            damage.setStyleSheet(f"color: {theme.OCHRE};")
            text.addWidget(damage)
        text.addStretch(1)
        row.addLayout(text, 1)
        buttons = column(spacing=GRID)
        searched = entry.scanned or entry.partly
        self.scan = push_button("Scan again" if searched else "Scan", "", "Find and follow everyone in this clip")
        self.open = push_button(
            "Decide who is covered" if searched else "Open in Cover",
            "primary" if searched else "",
            "Open this clip in Cover",
        )
        self.remove = push_button("Remove", "link", "Take the clip out of the project; the file stays")
        self.scan.setEnabled(not busy and entry.is_usable)
        self.open.setEnabled(entry.is_usable)
        self.remove.setEnabled(not busy)
        for button, signal in (
            (self.open, self.openPressed),
            (self.scan, self.scanPressed),
            (self.remove, self.removePressed),
        ):
            button.clicked.connect(lambda _=False, s=signal: s.emit(clip.key))
            button.setMinimumWidth(168)
        order = (self.open, self.scan) if searched else (self.scan, self.open)
        for button in (*order, self.remove):
            buttons.addWidget(button)
        buttons.addStretch(1)
        row.addLayout(buttons)


class FootagePage(QWidget):
    """addPressed, demoPressed and the cards' signals; scanPressed says how many frames lie between two that are
    searched; listPressed: somebody wants to use an edit list, listDropped: none any more."""

    addPressed = Signal()
    demoPressed = Signal()
    openPressed = Signal(str)
    scanPressed = Signal(list, int)
    removePressed = Signal(str)
    listPressed = Signal()
    listDropped = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self._cards: list[ClipCard] = []
        outer = line(margin=4 * GRID, spacing=4 * GRID, parent=self)
        left = column(spacing=3 * GRID)
        outer.addLayout(left, 1)
        head = line()
        title = QLabel(tr("Footage"))
        title.setObjectName("heading")
        head.addWidget(title)
        self._count = quiet("")
        head.addWidget(self._count)
        head.addStretch(1)
        add = push_button("Add clips …", "", "Choose clips to add (Ctrl+I)")
        add.clicked.connect(self.addPressed)
        head.addWidget(add)
        left.addLayout(head)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._body = QWidget()
        self._list = column(spacing=2 * GRID, parent=self._body)
        self._list.addStretch(1)
        self._scroll.setWidget(self._body)
        left.addWidget(self._scroll, 1)
        self._empty = self._build_empty()
        left.addWidget(self._empty, 1)
        outer.addWidget(self._build_side())

    def _build_empty(self) -> QWidget:
        box = QFrame()
        box.setObjectName("dropzone")
        box.setStyleSheet(f"#dropzone {{ border: 2px dashed {theme.ASH}; border-radius: 8px; }}")
        inside = column(margin=8 * GRID, spacing=3 * GRID, parent=box)
        inside.addStretch(2)
        text = QLabel(tr("Drop clips here, then scan them. Everyone found is covered until you decide otherwise."))
        text.setObjectName("title")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        text.setWordWrap(True)
        inside.addWidget(text)
        row = line(spacing=3 * GRID)
        row.addStretch(1)
        choose = push_button("Choose clips …", "primary", "Choose clips to add (Ctrl+I)")
        choose.clicked.connect(self.addPressed)
        demo = push_button("Open the demo", "", "Three made-up clips from a harbour fish auction")
        demo.clicked.connect(self.demoPressed)
        row.addWidget(choose)
        row.addWidget(demo)
        row.addStretch(1)
        inside.addLayout(row)
        inside.addStretch(3)
        return box

    def _build_side(self) -> QWidget:
        side = QFrame()
        side.setObjectName("panel")
        side.setFixedWidth(296)
        layout = column(margin=4 * GRID, spacing=3 * GRID, parent=side)
        title = QLabel(tr("Scan"))
        title.setObjectName("title")
        layout.addWidget(title)
        layout.addWidget(
            quiet("Finds people by face or body and follows them. Nothing leaves this machine.", wrap=True)
        )
        self.way = Choice(
            [
                ("every", "Every frame", "Searches every frame: the most thorough way"),
                ("step", "Stepping", "Searches every nth frame and follows in between: faster"),
            ]
        )
        self.way.set_value("every")
        layout.addWidget(self.way)
        row = line()
        self._step_label = quiet("Search one frame in every")
        self.step = QSpinBox()
        self.step.setRange(2, 25)
        self.step.setValue(10)
        self.step.setEnabled(False)
        self.way.chosen.connect(lambda way: self.step.setEnabled(way == "step"))
        row.addWidget(self._step_label)
        self.step.setFixedWidth(64)
        row.addWidget(self.step)
        row.addStretch(1)
        layout.addLayout(row)
        self.scan_all = push_button("Scan new clips", "primary", "Scan every clip that has not been scanned yet")
        self.scan_all.clicked.connect(self._scan_all)
        layout.addWidget(self.scan_all)
        layout.addWidget(section("Edit list"))
        self._list_told = quiet("", wrap=True)
        layout.addWidget(self._list_told)
        row = line()
        self.choose_list = push_button(
            "Use an edit list …", "", "OpenTimelineIO or CMX 3600 EDL; it may be dropped on the window too"
        )
        self.choose_list.clicked.connect(self.listPressed)
        self.drop_list = push_button("Use all", "", "Follow no edit list: all of the clips is used")
        self.drop_list.clicked.connect(self.listDropped)
        row.addWidget(self.choose_list, 1)
        row.addWidget(self.drop_list)
        layout.addLayout(row)
        row = line()
        self._handles = QSpinBox()
        self._handles.setRange(0, 500)
        self._handles.setValue(25)
        self._handles.setFixedWidth(64)
        self._handles.setAccessibleName(tr("Handles"))
        self._handles.setToolTip(tr("Frames before and after each part that are scanned and handed over too"))
        row.addWidget(quiet("Handles, frames"))
        row.addWidget(self._handles)
        row.addStretch(1)
        layout.addLayout(row)
        self.set_programme(None)
        layout.addWidget(section("What happens then"))
        layout.addWidget(
            quiet(
                "Everyone found appears in the register as undecided, and undecided means covered.\n\nIn Cover you"
                " decide person by person. Review shows where a cover may fail. Hand over exports the clips and checks"
                " the files.",
                wrap=True,
            )
        )
        layout.addStretch(1)
        return side

    def set_programme(self, programme: Programme | None) -> None:
        """The edit list that is followed, or None."""
        self._list_told.setText(
            programme.told()
            if programme
            else tr(
                "The edit list of a programme tells which parts of the clips are used: then only those are scanned and"
                " handed over."
            )
        )
        self.drop_list.setVisible(programme is not None)

    @property
    def handles(self) -> int:
        """Frames that are wanted before and after each part of a programme."""
        return self._handles.value()

    @property
    def every(self) -> int:
        return self.step.value() if self.way.value() == "step" else 1

    def _scan_all(self) -> None:
        keys = [card.entry.clip.key for card in self._cards if not card.entry.scanned and card.scan.isEnabled()]
        if keys:
            self.scanPressed.emit(keys, self.every)

    def set_clips(self, entries: list[ClipRow], thumbnails, busy: bool) -> None:
        """thumbnails: clip → image or None; busy: a scan is running."""
        for card in self._cards:
            self._list.removeWidget(card)
            card.deleteLater()
        self._cards = []
        for n, entry in enumerate(entries):
            card = ClipCard(entry, busy)
            card.openPressed.connect(self.openPressed)
            card.removePressed.connect(self.removePressed)
            card.scanPressed.connect(lambda key: self.scanPressed.emit([key], self.every))
            card.thumbnail.set_image(thumbnails(entry.clip))
            self._list.insertWidget(n, card)
            self._cards.append(card)
        self._use_room()
        self._scroll.setVisible(bool(entries))
        self._empty.setVisible(not entries)
        new = sum(not entry.scanned and entry.is_usable for entry in entries)
        self._count.setText(counted(len(entries), "1 clip", "{n} clips") if entries else "")
        self.scan_all.setEnabled(new > 0 and not busy)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._use_room()

    def _use_room(self) -> None:
        """Few clips have larger pictures."""
        room = self._scroll.viewport().size()
        height = max(
            PICTURE,
            min(room.height() // max(1, len(self._cards)) - 8 * GRID, round(room.width() * PICTURE_SHARE * 9 / 16)),
        )
        for card in self._cards:
            card.thumbnail.setFixedSize(height * 16 // 9, height)

    def refresh_thumbnails(self, thumbnails) -> None:
        for card in self._cards:
            if (image := thumbnails(card.entry.clip)) is not None:
                card.thumbnail.set_image(image)
