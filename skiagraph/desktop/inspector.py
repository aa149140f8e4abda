"""The inspector: only what applies to the selected subject, most used first."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from skiagraph.desktop.controls import Choice, SliderField, column, line, push_button, quiet, section
from skiagraph.desktop.theme import GRID
from skiagraph.project.model import CoverKind, CoverStyle, Decision, Reach, Subject

_DEFAULT = CoverStyle()


class Inspector(QScrollArea):
    """styleMoved: a style while it changes; styleSettled: the one a person left; decided, reachChosen, and the buttons."""

    decided = Signal(object)
    styleMoved = Signal(object)
    styleSettled = Signal(object)
    styleForAll = Signal()
    styleFromAll = Signal()
    reachChosen = Signal(object)
    keyframeWanted = Signal()
    keyframeDropped = Signal()
    beginHere = Signal()
    endHere = Signal()
    portraitWanted = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self._style = _DEFAULT
        body = QWidget()
        body.setObjectName("panel")
        layout = column(margin=3 * GRID, spacing=GRID, parent=body)
        self.setWidget(body)
        self._name = QLabel()
        self._name.setObjectName("title")
        self._name.setWordWrap(True)
        self._facts = quiet(wrap=True)
        self.portrait = push_button("Use as picture", "link", "Know this person in the register by how they look at this frame (P)")
        self.portrait.clicked.connect(self.portraitWanted)
        head = line()
        head.addWidget(self._name, 1)
        head.addWidget(self.portrait, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(head)
        layout.addWidget(self._facts)
        self._panel = QWidget()
        panel = column(spacing=GRID + 1, parent=self._panel)
        layout.addWidget(self._panel)
        layout.addStretch(1)
        self._build_decision(panel)
        self._build_cover(panel)
        self._build_outline(panel)
        self.show_subject(None, "", _DEFAULT, False)

    def _build_decision(self, panel: QVBoxLayout) -> None:
        self.decision = Choice([(Decision.COVER, "Cover", "Cover this subject (1)"), (Decision.SHOW, "Show", "Agreed to be seen (2)"),
                                (Decision.UNDECIDED, "Undecided", "Nobody decided yet: covered until then (3)")],
                               ["decision-cover", "decision-show", "decision-undecided"])
        self.decision.chosen.connect(self.decided)
        panel.addWidget(self.decision)

    def _build_cover(self, panel: QVBoxLayout) -> None:
        panel.addWidget(section("Cover"))
        self.kind = Choice([(CoverKind.MOSAIC, "Mosaic", "Blocks that travel with the face"), (CoverKind.BLUR, "Blur", "A Gaussian blur"),
                            (CoverKind.SOLID, "Solid", "One colour: nothing can be restored from it")])
        self.kind.chosen.connect(lambda kind: self._settle(kind=kind))
        panel.addWidget(self.kind)
        self.blocks = SliderField("Blocks", 3, 24, 1, _DEFAULT.blocks, " across", 0, "Blocks across the head: fewer hide more.")
        self.blur = SliderField("Blur", 4, 60, 1, _DEFAULT.blur * 100, " %", 0, "Width of the blur as a share of the head's height.")
        self.margin = SliderField("Margin", 0, 100, 1, _DEFAULT.margin * 100, " %", 0, "How far the cover reaches beyond the head.")
        self.feather = SliderField("Feather", 0, 100, 1, _DEFAULT.feather * 100, " %", 0, "Soft edge; it only ever grows outwards.")
        self.colour = push_button("Colour …", "", "Colour of the solid cover")
        self.colour.clicked.connect(self._pick_colour)
        for field, name, share in ((self.blocks, "blocks", 1), (self.blur, "blur", 100), (self.margin, "margin", 100), (self.feather, "feather", 100)):
            field.moved.connect(lambda v, n=name, s=share: self.styleMoved.emit(self._with(n, v / s)))
            field.settled.connect(lambda v, n=name, s=share: self._settle(**{n: v / s}))
            panel.addWidget(field)
            if field is self.blur:
                panel.addWidget(self.colour)
        row = line()
        self.for_all = push_button("Use for everybody", "link", "Make this the cover of the whole project")
        self.from_all = push_button("Back to the project's", "link", "Give up this subject's own cover")
        self.for_all.clicked.connect(self.styleForAll)
        self.from_all.clicked.connect(self.styleFromAll)
        row.addWidget(self.for_all)
        row.addStretch(1)
        row.addWidget(self.from_all)
        panel.addLayout(row)

    def _build_outline(self, panel: QVBoxLayout) -> None:
        panel.addWidget(section("Outline"))
        self._where = quiet(wrap=True)
        panel.addWidget(self._where)
        panel.addWidget(quiet("A change to it reaches"))
        self.reach = Choice([(Reach.FRAME, "Frame", "This frame; it fades over eight frames on each side"),
                             (Reach.ONWARD, "Onward", "From this frame to the next keyframe or the end"),
                             (Reach.SIGHTING, "Sighting", "The whole stretch, with all its keyframes"),
                             (Reach.ALL, "All", "Every sighting of this subject")])
        self.reach.chosen.connect(self.reachChosen)
        panel.addWidget(self.reach)
        keys = line()
        self.keep = push_button("Keyframe here", "", "Hold the outline as it is at this frame")
        self.drop = push_button("Remove", "", "Remove the keyframe at this frame (Delete)")
        self.keep.clicked.connect(self.keyframeWanted)
        self.drop.clicked.connect(self.keyframeDropped)
        keys.addWidget(self.keep, 1)
        keys.addWidget(self.drop, 1)
        panel.addLayout(keys)
        ends = line()
        self.begin = push_button("Begin here", "", "Begin the cover of this sighting at this frame ([)")
        self.end = push_button("End here", "", "End the cover of this sighting at this frame (])")
        self.begin.clicked.connect(self.beginHere)
        self.end.clicked.connect(self.endHere)
        ends.addWidget(self.begin, 1)
        ends.addWidget(self.end, 1)
        panel.addLayout(ends)

    def show_subject(self, subject: Subject | None, facts: str, style: CoverStyle, own_style: bool) -> None:
        """Show a subject; without one say what to do."""
        self._panel.setVisible(subject is not None)
        self.portrait.setVisible(subject is not None)
        self._style = style
        if subject is None:
            self._name.setText("Nobody selected")
            self._facts.setText(facts or "Choose a person in the register or click on one in the picture.")
            return
        self._name.setText(subject.name)
        self._facts.setText(facts)
        self.decision.set_value(subject.decision)
        self.kind.set_value(style.kind)
        for field, value in ((self.blocks, style.blocks), (self.blur, style.blur * 100), (self.margin, style.margin * 100), (self.feather, style.feather * 100)):
            if not field.slider.isSliderDown():
                field.set_value(value)
        self.blocks.setVisible(style.kind == CoverKind.MOSAIC)
        self.blur.setVisible(style.kind == CoverKind.BLUR)
        self.colour.setVisible(style.kind == CoverKind.SOLID)
        self.from_all.setEnabled(own_style)
        self.for_all.setEnabled(own_style)

    def show_place(self, text: str, seen: bool, keyframe: bool) -> None:
        """What holds at the present frame: how the outline was obtained, and which buttons make sense."""
        self._where.setText(text)
        self.keep.setEnabled(seen and not keyframe)
        self.drop.setEnabled(keyframe)
        self.begin.setEnabled(seen)
        self.end.setEnabled(seen)
        self.portrait.setEnabled(seen)

    def _with(self, name: str, value) -> CoverStyle:
        if name == "blocks":
            value = round(value)
        return replace(self._style, **{name: value})

    def _settle(self, **changes) -> None:
        name, value = next(iter(changes.items()))
        self.styleSettled.emit(self._with(name, value))

    def _pick_colour(self) -> None:
        chosen = QColorDialog.getColor(QColor(*self._style.colour), self, "Colour of the solid cover")
        if chosen.isValid():
            self._settle(colour=(chosen.red(), chosen.green(), chosen.blue()))
