"""The bar under the picture: playing, timecode, in and out, views, zoom."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QWidget

from skiagraph.desktop.controls import Choice, icon, icon_button, line, push_button, quiet
from skiagraph.desktop.session import View
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import percent, tr
from skiagraph.errors import SkiagraphError
from skiagraph.project.model import Clip
from skiagraph.timecode import Timecode


class Transport(QWidget):
    """Emits what was pressed; shows what it is told."""

    playPressed = Signal()
    stepPressed = Signal(int)
    jumpPressed = Signal(str)
    markPressed = Signal(str)
    viewChosen = Signal(object)
    fitPressed = Signal()
    clipChosen = Signal(str)
    sought = Signal(int)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self._clip: Clip | None = None
        row = line(margin=2 * GRID, spacing=GRID, parent=self)
        row.setContentsMargins(2 * GRID, GRID + 2, 2 * GRID, GRID + 2)
        to_start = self._button("to-start", "First frame (Home)", lambda: self.jumpPressed.emit("start"))
        row.addWidget(to_start)
        row.addWidget(
            self._button("step-back", "One frame back (Left; Shift+Left one second)", lambda: self.stepPressed.emit(-1))
        )
        self.play = self._button("play", "Play (Space); J K L shuttle", self.playPressed.emit)
        self.play.setFixedWidth(40)
        row.addWidget(self.play)
        row.addWidget(
            self._button(
                "step-on", "One frame forward (Right; Shift+Right one second)", lambda: self.stepPressed.emit(1)
            )
        )
        to_end = self._button("to-end", "Last frame (End)", lambda: self.jumpPressed.emit("end"))
        row.addWidget(to_end)
        row.addSpacing(GRID)
        self.timecode = QLineEdit("00:00:00:00")
        self.timecode.setObjectName("timecode")
        self.timecode.setFixedWidth(116)
        self.timecode.setStyleSheet(
            "background: transparent; border-color: transparent; font-size: 18px; font-weight: 700;"
        )
        self.timecode.setToolTip(tr("Timecode; type one, or a frame number, to go there"))
        self.timecode.setAccessibleName(tr("Timecode"))
        self.timecode.returnPressed.connect(self._typed)
        row.addWidget(self.timecode)
        self._length = quiet("")
        row.addWidget(self._length)
        self._speed = QLabel()
        row.addWidget(self._speed)
        row.addSpacing(GRID)
        marks = [
            self._button(
                "mark-in", "Set the in point here (I; Shift+I removes it)", lambda: self.markPressed.emit("in")
            ),
            self._button(
                "mark-out", "Set the out point here (O; Shift+O removes it)", lambda: self.markPressed.emit("out")
            ),
        ]
        for mark in marks:
            row.addWidget(mark)
        # What goes first where there is little room; all of it has keys, and its place in the menus.
        self._spared = [self._length, to_start, to_end, *marks]
        row.addStretch(1)
        self.clips = QComboBox()
        self.clips.setMaximumWidth(140)
        # In a narrow window its names are cut off before buttons are.
        self.clips.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.clips.setMinimumWidth(64)
        self.clips.setToolTip(tr("Clip"))
        self.clips.setAccessibleName(tr("Clip"))
        self.clips.activated.connect(lambda n: self.clipChosen.emit(self.clips.itemData(n)))
        row.addWidget(self.clips)
        self.views = Choice(
            [
                (View.RESULT, "Result", "With covers (R)"),
                (View.SOURCE, "Source", "As it was shot (S); hold ` to peek"),
                (View.SPLIT, "Split", "Source and result side by side (D)"),
                (View.MATTE, "Matte", "What is covered, in white (M)"),
            ]
        )
        self.views.set_value(View.RESULT)
        self.views.chosen.connect(self.viewChosen)
        row.addWidget(self.views)
        self.zoom = push_button("100 %", "", "Fit the picture to the window (F); wheel zooms, middle drag pans")
        self.zoom.setStyleSheet("padding: 0 4px;")
        self.zoom.setFixedWidth(54)
        self.zoom.clicked.connect(self.fitPressed)
        row.addWidget(self.zoom)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._give_room()

    def _give_room(self) -> None:
        """Show what there is room for, so that nothing lies over anything else."""
        row = self.layout()
        needs = {
            part: max(part.minimumWidth(), part.minimumSizeHint().width()) + row.spacing() for part in self._spared
        }
        wanted = row.minimumSize().width() + sum(width for part, width in needs.items() if not part.isVisibleTo(self))
        for part, width in needs.items():
            fits = wanted <= self.width()
            part.setVisible(fits)
            wanted -= 0 if fits else width

    def _button(self, name, tip, action):
        button = icon_button(name, tip)
        button.clicked.connect(lambda _=False: action())
        return button

    def set_clips(self, clips: list[tuple[str, str]], current: str) -> None:
        self.clips.blockSignals(True)
        self.clips.clear()
        for key, name in clips:
            self.clips.addItem(name, key)
        self.clips.setCurrentIndex(max(0, self.clips.findData(current)))
        self.clips.blockSignals(False)
        self.clips.setVisible(len(clips) > 1)
        self._give_room()

    def set_clip(self, clip: Clip | None) -> None:
        self._clip = clip
        self._length.setText(tr("of {length}", length=Timecode.of(clip.rate).text(clip.frames)) if clip else "")
        self._give_room()
        self.setEnabled(clip is not None)

    def set_frame(self, frame: int) -> None:
        if self._clip is not None and not self.timecode.hasFocus():
            self.timecode.setText(self._clip.at(frame))

    def set_speed(self, speed: int) -> None:
        self.play.setIcon(icon("pause" if speed else "play"))
        self._speed.setText(f"{speed}×" if speed not in (0, 1) else "")

    def set_scale(self, scale: float) -> None:
        self.zoom.setText(percent(scale))

    def _typed(self) -> None:
        text = self.timecode.text()
        self.timecode.clearFocus()
        try:
            self.sought.emit(Timecode.of(self._clip.rate, self._clip.timecode).frame(text))
        except SkiagraphError as error:
            self.timecode.setToolTip(str(error))
