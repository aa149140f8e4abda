"""The side of Hand over: in what shape, where to, under what names, and what else is written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QInputDialog, QLabel, QLineEdit, QScrollArea, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import ListBox, Tick, column, line, push_button, quiet, section
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import counted, tr
from skiagraph.errors import SkiagraphError
from skiagraph.handover.companion import Companion
from skiagraph.handover.names import DEFAULT_PATTERN, FIELDS
from skiagraph.handover.order import Order
from skiagraph.handover.preset import FIRST, SHAPES, Preset, drop_preset, film_in, keep_preset, presets, shipped_presets
from skiagraph.handover.writer import Writer
from skiagraph.handover.writers.covers_only import ALPHA_FORMS, CoversOnly
from skiagraph.handover.writers.matte import Matte
from skiagraph.handover.writers.sound_alone import SoundAlone
from skiagraph.media.formats import FORMATS, GRADES
from skiagraph.media.sizes import SIZES
from skiagraph.media.sound_files import SOUND_FORMS
from skiagraph.media.soundtrack import WAYS


@dataclass(frozen=True, slots=True)
class Kept:
    """What the side is set to, as it is remembered: plain texts."""

    preset: str = FIRST
    beside: tuple[str, ...] = ()
    pattern: str = DEFAULT_PATTERN
    check: bool = True


class HandoverSide(QFrame):
    """filmChanged: films will be written otherwise; exportPressed; browsePressed; said: something for the notice."""

    filmChanged = Signal()
    exportPressed = Signal()
    browsePressed = Signal()
    markedToggled = Signal(bool)
    said = Signal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setFixedWidth(352)
        outer = column(margin=0, spacing=0, parent=self)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        self._layout = column(spacing=GRID + 2, parent=body)
        self._layout.setContentsMargins(4 * GRID, 3 * GRID, 4 * GRID, GRID)
        self._build_shape()
        self._build_place()
        self._build_beside()
        self._layout.addStretch(1)
        scroll.setWidget(body)
        outer.addWidget(scroll, 1)
        foot = column(spacing=2 * GRID)
        foot.setContentsMargins(4 * GRID, 2 * GRID, 4 * GRID, 4 * GRID)
        self.check = Tick(tr("Check each film when it is written"))
        self.check.setChecked(True)
        self.check.setToolTip(
            tr("Decodes it again, searches it for faces, and compares it with your decisions and with the source")
        )
        foot.addWidget(self.check)
        self.warning = QLabel()
        self.warning.setWordWrap(True)
        self.export = push_button("Hand over", "primary", "Put the chosen clips into the queue (Ctrl+E)")
        self.export.clicked.connect(self.exportPressed)
        foot.addWidget(self.warning)
        foot.addWidget(self.export)
        outer.addLayout(foot)
        self.refresh_presets(FIRST)

    # In what shape

    def _build_shape(self) -> None:
        self._layout.addWidget(section("Preset"))
        row = line(spacing=2 * GRID)
        self.preset = ListBox("Preset")
        self.preset.activated.connect(lambda _: self._take_preset())
        self.keep = push_button("Keep as …", "", "Keep what is set below as a preset of your own")
        self.keep.clicked.connect(self.keep_as)
        row.addWidget(self.preset, 1)
        row.addWidget(self.keep)
        self._layout.addLayout(row)
        self._note = quiet("", wrap=True)
        self._layout.addWidget(self._note)
        grid = QGridLayout()
        grid.setHorizontalSpacing(2 * GRID)
        grid.setVerticalSpacing(GRID)
        grid.setColumnStretch(1, 1)
        self.format, self.grade, self.size, self.sound = (
            ListBox(word) for word in ("Format", "Quality", "Size", "Sound")
        )
        for n, (box, word, entries, tip) in enumerate(
            (
                (self.format, "Format", SHAPES, "What pictures are encoded with, and what holds them"),
                (self.grade, "Quality", GRADES, "How near to the source; codecs of the edit set their own"),
                (
                    self.size,
                    "Size",
                    {key: size.label for key, size in SIZES.items()},
                    "Scaled without bars and without stretching, by a Lanczos filter",
                ),
                (self.sound, "Sound", WAYS, "All tracks, in their order and with their languages"),
            )
        ):
            for key, label in entries.items():
                box.addItem(tr(label), key)
            box.setToolTip(tr(tip))
            box.activated.connect(lambda _: self._own())
            grid.addWidget(quiet(word), n, 0)
            grid.addWidget(box, n, 1)
        # What stands there where nothing can be chosen.
        self._set_grade, self._set_sound = quiet("set by the codec"), quiet("")
        for label, n in ((self._set_grade, 1), (self._set_sound, 3)):
            label.setFixedHeight(self.format.sizeHint().height())
            grid.addWidget(label, n, 1)
        self._layout.addLayout(grid)
        self.estimate = quiet("", wrap=True)
        self._layout.addWidget(self.estimate)
        self._layout.addWidget(quiet("Location, device and author are left out.", wrap=True))

    def refresh_presets(self, name: str) -> None:
        """List the presets anew and choose one."""
        self._shipped = {preset.name for preset in shipped_presets()}
        self._presets = {preset.name: preset for preset in presets()}
        self.preset.clear()
        for preset in self._presets.values():
            self.preset.addItem(tr(preset.name), preset.name)
        self.preset.setCurrentIndex(max(0, self.preset.findData(name)))
        self._take_preset()

    def _take_preset(self) -> None:
        preset = self._presets.get(self.preset.currentData())
        if preset is None:
            return
        self._drop_own()
        film = preset.film
        for box, value in (
            (self.format, preset.shape),
            (self.grade, film.grade),
            (self.size, film.size),
            (self.sound, film.sound),
        ):
            box.setCurrentIndex(max(0, box.findData(value)))
        self._note.setText(tr(preset.note))
        self._film_changed()

    def _own(self) -> None:
        """Something was set otherwise than the preset says."""
        preset = self._presets.get(self.preset.currentData())
        if preset is not None and preset.film != self.film:
            self.preset.addItem(tr("Set by hand"), None)
            self.preset.setCurrentIndex(self.preset.count() - 1)
            self._note.setText("")
        self._film_changed()

    def _drop_own(self) -> None:
        at = self.preset.findData(None)
        if at >= 0:
            self.preset.removeItem(at)

    def _film_changed(self) -> None:
        film = FORMATS.get(self.format.currentData())
        graded, heard = film is not None and bool(film.codec.grades), film is None or not film.container.sound
        self._set_grade.setText(tr("without loss" if film is None or film.lossless else "set by the codec"))
        self._set_sound.setText("" if heard else tr("PCM, {rate} kHz", rate=film.container.sound_rate // 1000))
        for box, label, on in ((self.grade, self._set_grade, graded), (self.sound, self._set_sound, heard)):
            box.setVisible(on)
            label.setVisible(not on)
        self._note.setVisible(bool(self._note.text()))
        self.keep.setText(tr("Forget" if self._is_mine() else "Keep as …"))
        self.keep.setToolTip(
            tr(
                "Forget this preset of yours; files stay"
                if self._is_mine()
                else "Keep what is set below as a preset of your own"
            )
        )
        self.filmChanged.emit()

    def _is_mine(self) -> bool:
        name = self.preset.currentData()
        return name is not None and name not in self._shipped

    @property
    def film(self) -> Writer:
        return film_in(
            self.format.currentData(),
            grade=self.grade.currentData(),
            size=self.size.currentData(),
            sound=self.sound.currentData(),
        )

    def keep_as(self) -> None:
        """Keep a preset under a name that is asked for; one of this user's that is chosen is forgotten."""
        try:
            if self._is_mine():
                drop_preset(self.preset.currentData())
                self.refresh_presets(FIRST)
                return
            name, wanted = QInputDialog.getText(self, tr("Keep as a preset"), tr("Its name"))
            name = " ".join(name.split())[:100]
            if wanted and name:
                keep_preset(Preset(name, self.film))
                self.refresh_presets(name)
        except SkiagraphError as error:
            self.said.emit(str(error))

    # Where to

    def _build_place(self) -> None:
        self._version_head = section("Version")
        self.version = ListBox("Version")
        self.version.setToolTip(tr("Which version of the project is written; several go to files called after it"))
        for widget in (self._version_head, self.version):
            widget.hide()
            self._layout.addWidget(widget)
        self._layout.addWidget(section("Place and names"))
        row = line()
        self.folder = QLineEdit()
        self.folder.setAccessibleName(tr("Folder"))
        self.folder.setToolTip(tr("Folder the files are written to"))
        choose = push_button("Choose …", "", "Choose the folder")
        choose.clicked.connect(self.browsePressed)
        row.addWidget(self.folder, 1)
        row.addWidget(choose)
        self._layout.addLayout(row)
        row = line()
        self.pattern = QLineEdit(DEFAULT_PATTERN)
        self.pattern.setAccessibleName(tr("Names"))
        self.pattern.setToolTip(
            tr("How files are called; fields are {fields}", fields=", ".join(f"{{{name}}}" for name in FIELDS))
        )
        row.addWidget(quiet("Names"))
        row.addWidget(self.pattern, 1)
        self._layout.addLayout(row)
        self.marked = Tick()
        self.marked.toggled.connect(self.markedToggled)
        self._layout.addWidget(self.marked)
        self.set_programme("")

    def set_programme(self, name: str) -> None:
        """name: of the edit list that is followed, empty where there is none."""
        self.marked.setText(
            tr("Only what {name} uses", name=name) if name else tr("Only from in to out, where they are set")
        )
        self.marked.setToolTip(
            tr("Parts of clips that the edit list uses, with handles; each part is a file")
            if name
            else tr("In and out points are set in Cover, with I and O; clips without any are written whole")
        )

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

    # What else

    def _build_beside(self) -> None:
        self._layout.addWidget(section("Also write"))
        self.matte = Tick(tr(Matte.word))
        self._layout.addWidget(self.matte)
        row = line(spacing=2 * GRID)
        self.alpha = Tick(tr("Covers only, as"))
        self.alpha.setToolTip(tr("The covers with transparency, to lay over the untouched original in the edit"))
        self.alpha_form = ListBox("Covers only, as")
        for key, form in ALPHA_FORMS.items():
            self.alpha_form.addItem(tr(form.label), key)
        self.alpha_form.setEnabled(False)
        self.alpha.toggled.connect(self.alpha_form.setEnabled)
        row.addWidget(self.alpha)
        row.addWidget(self.alpha_form, 1)
        self._layout.addLayout(row)
        row = line(spacing=2 * GRID)
        self.sound_alone = Tick(tr("The sound by itself, as"))
        self.sound_alone.setToolTip(tr("All tracks, with voices disguised, in one file for the mix"))
        self.sound_form = ListBox("The sound by itself, as")
        for key, form in SOUND_FORMS.items():
            self.sound_form.addItem(tr(form.label), key)
        self.sound_form.setEnabled(False)
        self.sound_alone.toggled.connect(self.sound_form.setEnabled)
        row.addWidget(self.sound_alone)
        row.addWidget(self.sound_form, 1)
        self._layout.addLayout(row)
        self.companions: dict[str, Tick] = {}
        for tag, kind in Companion.kinds.items():
            self.companions[tag] = Tick(tr(kind.word))
            self._layout.addWidget(self.companions[tag])

    # As a whole

    def order(self, clips: Sequence[str], parts) -> Order:
        """What is asked for. parts: of clips of which only some is wanted."""
        beside = [Matte()] if self.matte.isChecked() else []
        beside += [CoversOnly(self.alpha_form.currentData())] if self.alpha.isChecked() else []
        beside += [SoundAlone(self.sound_form.currentData())] if self.sound_alone.isChecked() else []
        companions = [Companion.kinds[tag]() for tag, box in self.companions.items() if box.isChecked()]
        text = self.folder.text().strip()
        return Order(
            tuple(clips),
            self.film,
            Path(text).expanduser() if text else Path(),
            tuple(beside),
            tuple(companions),
            tuple(self.versions),
            parts if self.marked.isChecked() else None,
            self.pattern.text().strip(),
            self.preset.currentData() or "",
            self.check.isChecked(),
        )

    @property
    def kept(self) -> Kept:
        beside = [
            name
            for name, box in (
                ("matte", self.matte),
                ("alpha", self.alpha),
                ("sound", self.sound_alone),
                *self.companions.items(),
            )
            if box.isChecked()
        ]
        return Kept(
            self.preset.currentData() or FIRST, tuple(beside), self.pattern.text().strip(), self.check.isChecked()
        )

    def take_kept(self, kept: Kept) -> None:
        self.refresh_presets(kept.preset)
        for name, box in (
            ("matte", self.matte),
            ("alpha", self.alpha),
            ("sound", self.sound_alone),
            *self.companions.items(),
        ):
            box.setChecked(name in kept.beside)
        self.pattern.setText(kept.pattern or DEFAULT_PATTERN)
        self.check.setChecked(kept.check)

    def show_waiting(self, waiting: int, exposing: int) -> None:
        """How many findings are open, and how many of those may show somebody."""
        self.warning.setText(_warning(waiting, exposing))
        self.warning.setStyleSheet(
            f"color: {theme.MADDER if exposing else theme.OCHRE if waiting else theme.VERDIGRIS};"
        )


def _warning(waiting: int, exposing: int) -> str:
    if not waiting:
        return tr("No open findings.")
    if not exposing:
        return counted(
            waiting,
            "1 finding is open. Look at it in Review first, or hand over anyway.",
            "{n} findings are open. Look at them in Review first, or hand over anyway.",
        )
    return counted(
        waiting,
        "1 finding is open and may show somebody. Look at it in Review first, or hand over anyway.",
        "{n} findings are open, {exposing} of them may show somebody. Look at them in Review first, or hand over"
        " anyway.",
        exposing=exposing,
    )
