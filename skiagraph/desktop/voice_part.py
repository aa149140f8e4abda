"""The part of the inspector about voices: how a range, or everything without a way of its own, is disguised."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from skiagraph.desktop.controls import Fold, Pick, line, push_button, quiet
from skiagraph.desktop.cover_controls import ParameterControls
from skiagraph.desktop.theme import GRID, OCHRE, QUIET
from skiagraph.desktop.words import tr
from skiagraph.values import replace
from skiagraph.voice.disguise import Disguise


class VoicePart(Fold):
    """settled: a disguise that a person left; speakWanted: disguise all that who is selected says; anewWanted: other
    lots; forAll: make it the project's; asAll: give up a way of its own."""

    settled = Signal(object)
    speakWanted = Signal()
    anewWanted = Signal()
    forAll = Signal()
    asAll = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__("Voice", False, parent=parent)
        self._disguise = Disguise.kinds["altered"]()
        # Of each kind as it was last set, for who tries one and goes back.
        self._last: dict[str, Disguise] = {}
        self.what = quiet(wrap=True)
        self.content.addWidget(self.what)
        row = line(spacing=GRID)
        self.pick = Pick(
            [
                (tag, kind.word, kind.tip)
                for tag, kind in sorted(Disguise.kinds.items(), key=lambda entry: (entry[1].weak, not entry[1].speaks))
            ],
            "How the voice is disguised",
        )
        self.pick.chosen.connect(self._choose)
        self.more = push_button("More", "link", "What is seldom needed")
        self.more.setCheckable(True)
        self.more.clicked.connect(self._show_rare)
        row.addWidget(self.pick, 1)
        row.addWidget(self.more)
        self.content.addLayout(row)
        self._kinds: dict[str, ParameterControls] = {}
        for tag, kind in Disguise.kinds.items():
            self._kinds[tag] = controls = ParameterControls(kind)
            controls.settled.connect(lambda name, value: self.settled.emit(replace(self._disguise, **{name: value})))
            self.content.addWidget(controls)
        self.resists = quiet(wrap=True)
        self.content.addWidget(self.resists)
        row = line(spacing=GRID)
        self.speak = push_button(
            "Disguise all they say", "", "Disguise everything this person says in this clip, as far as is known (V)"
        )
        self.anew = push_button("Draw anew", "link", "Another voice, drawn by lot")
        self.for_all = push_button("For everyone", "link", "Make this how the project disguises voices")
        self.as_all = push_button("As everyone", "link", "Give up a way of its own")
        for button, signal in (
            (self.speak, self.speakWanted),
            (self.anew, self.anewWanted),
            (self.for_all, self.forAll),
            (self.as_all, self.asAll),
        ):
            button.clicked.connect(signal)
        row.addWidget(self.speak, 1)
        row.addWidget(self.anew)
        row.addWidget(self.for_all)
        row.addWidget(self.as_all)
        self.content.addLayout(row)

    def show_voice(self, what: str, state: str, disguise: Disguise, *, ranges: bool, own: bool, speak: str) -> None:
        """what: what changes apply to; state: the part in a line; ranges: some are chosen; own: they have a way of
        their own; speak: what the button does, empty for nothing."""
        self._disguise = disguise
        self._last[disguise.kind] = disguise
        self.what.setText(what)
        self.set_state(state)
        self.pick.set_value(disguise.kind)
        for tag, controls in self._kinds.items():
            controls.setVisible(tag == disguise.kind)
        self._kinds[disguise.kind].show_value(disguise)
        self.more.setVisible(self._kinds[disguise.kind].has_rare)
        self.resists.setText(tr("Resists: {what}", what=disguise.resists))
        self.resists.setStyleSheet(f"color: {OCHRE if disguise.weak else QUIET}; font-size: 12px;")
        self.speak.setText(speak)
        self.speak.setVisible(bool(speak))
        self.anew.setVisible(ranges and disguise.kind == "altered")
        self.for_all.setVisible(ranges and own)
        self.as_all.setVisible(ranges and own)

    @property
    def disguise(self) -> Disguise:
        """What is shown."""
        return self._disguise

    def _show_rare(self) -> None:
        for controls in self._kinds.values():
            controls.set_rare(self.more.isChecked())

    def _choose(self, tag: str) -> None:
        if tag != self._disguise.kind:
            self.settled.emit(self._last.get(tag) or Disguise.kinds[tag]())
