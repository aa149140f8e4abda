"""The inspector: only what applies to the selected subject, most used first."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from skiagraph.cover.cover import Style, default_style
from skiagraph.desktop.controls import Choice, Pick, column, line, push_button, quiet, section
from skiagraph.desktop.cover_controls import CoverControls
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.footage.following import Direction
from skiagraph.project.model import Decision, Reach, Subject
from skiagraph.shape.shape import Shape


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
    followPressed = Signal(object)
    shapeChosen = Signal(object)
    beginHere = Signal()
    endHere = Signal()
    portraitWanted = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        body = QWidget()
        body.setObjectName("panel")
        layout = column(margin=3 * GRID, spacing=GRID, parent=body)
        layout.setContentsMargins(3 * GRID, 2 * GRID, 3 * GRID, GRID)
        self.setWidget(body)
        self._name = QLabel()
        self._name.setObjectName("title")
        self._name.setWordWrap(True)
        self._facts = quiet(wrap=True)
        self.portrait = push_button("Use as portrait", "link", "Show this person in the register as they look in this frame (P)")
        self.portrait.clicked.connect(self.portraitWanted)
        head = line()
        head.addWidget(self._name, 1)
        head.addWidget(self.portrait, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(head)
        layout.addWidget(self._facts)
        self._panel = QWidget()
        panel = column(spacing=GRID - 1, parent=self._panel)
        layout.addWidget(self._panel)
        layout.addStretch(1)
        self._build_decision(panel)
        self._build_cover(panel)
        self._build_outline(panel)
        self.show_subject(None, "", default_style(), False)

    def _build_decision(self, panel: QVBoxLayout) -> None:
        self.decision = Choice([(Decision.COVER, "Cover", "Cover this subject (1)"), (Decision.SHOW, "Show", "Agreed to be seen (2)"),
                                (Decision.UNDECIDED, "Undecided", "Not decided yet, and covered until then (3)")],
                               ["decision-cover", "decision-show", "decision-undecided"])
        self.decision.chosen.connect(self.decided)
        panel.addWidget(self.decision)

    def _build_cover(self, panel: QVBoxLayout) -> None:
        panel.addWidget(section("Cover"))
        self.cover = CoverControls()
        self.cover.moved.connect(self.styleMoved)
        self.cover.settled.connect(self.styleSettled)
        panel.addWidget(self.cover)
        row = line()
        self.for_all = push_button("Use for everyone", "link", "Make this the cover of the whole project")
        self.from_all = push_button("Use the project's", "link", "Give up this subject's own cover")
        self.for_all.clicked.connect(self.styleForAll)
        self.from_all.clicked.connect(self.styleFromAll)
        row.addWidget(self.for_all)
        row.addStretch(1)
        row.addWidget(self.from_all)
        panel.addLayout(row)

    def _build_outline(self, panel: QVBoxLayout) -> None:
        panel.addWidget(section("Outline"))
        self._where = quiet(wrap=True)
        how = line()
        how.addWidget(self._where, 1)
        # Shapes that need no points of their own.
        self.shape = Pick([(name, Shape.kinds[name].word, f"Cover this sighting in this shape: {Shape.kinds[name].word.lower()}") for name in ("ellipse", "box")], "Shape")
        self.shape.chosen.connect(self.shapeChosen)
        how.addWidget(self.shape, 0, Qt.AlignmentFlag.AlignTop)
        panel.addLayout(how)
        row = line()
        row.addWidget(quiet("Changes apply to"))
        self.reach = Pick([(Reach.FRAME, "This frame", "This frame; it eases back within eight frames on each side"),
                           (Reach.KEYFRAME, "This keyframe", "A keyframe here, going over into its neighbours"),
                           (Reach.ONWARD, "From here on", "From this frame until a later keyframe says otherwise"),
                           (Reach.SIGHTING, "This sighting", "The whole stretch; keyframes keep what they said"),
                           (Reach.ALL, "Every sighting", "Every sighting of this subject")], "Changes apply to")
        self.reach.chosen.connect(self.reachChosen)
        row.addWidget(self.reach, 1)
        panel.addLayout(row)
        keys = line()
        self.keep = push_button("Keyframe here", "", "Hold the outline as it is at this frame")
        self.drop = push_button("Remove", "", "Remove the keyframe or correction at this frame (Delete)")
        self.keep.clicked.connect(self.keyframeWanted)
        self.drop.clicked.connect(self.keyframeDropped)
        keys.addWidget(self.keep, 1)
        keys.addWidget(self.drop, 1)
        panel.addLayout(keys)
        ways = line()
        ways.addWidget(quiet("Follow"))
        self.ways = []
        for text, direction, tip in (("Back", Direction.BACK, "Follow it back from this frame (Ctrl+T)"), ("Both ways", Direction.BOTH, "Follow it both ways from this frame (T)"),
                                     ("On", Direction.ON, "Follow it on from this frame (Shift+T)")):
            button = push_button(text, "", tip)
            button.clicked.connect(lambda _=False, direction=direction: self.followPressed.emit(direction))
            ways.addWidget(button, 1)
            self.ways.append(button)
        panel.addLayout(ways)
        ends = line()
        self.begin = push_button("Begin here", "", "Begin the cover of this sighting at this frame ([)")
        self.end = push_button("End here", "", "End the cover of this sighting at this frame (])")
        self.begin.clicked.connect(self.beginHere)
        self.end.clicked.connect(self.endHere)
        ends.addWidget(self.begin, 1)
        ends.addWidget(self.end, 1)
        panel.addLayout(ends)

    def show_subject(self, subject: Subject | None, facts: str, style: Style, own_style: bool) -> None:
        """Show a subject; without one say what to do."""
        self._panel.setVisible(subject is not None)
        self.portrait.setVisible(subject is not None)
        self.cover.show_style(style)
        if subject is None:
            self._name.setText(tr("Nobody selected"))
            self._facts.setText(facts or tr("Choose somebody in the register, or click on them in the picture."))
            return
        self._name.setText(subject.name)
        self._facts.setText(facts)
        self.decision.set_value(subject.decision)
        self.from_all.setEnabled(own_style)
        self.for_all.setEnabled(own_style)

    def show_place(self, text: str, seen: bool, keyframe: bool, shape: str = "") -> None:
        """What holds at the present frame: how the outline was obtained, its shape, and which buttons make sense."""
        self._where.setText(text)
        self.shape.setVisible(seen and shape in ("ellipse", "box"))
        if shape in ("ellipse", "box"):
            self.shape.set_value(shape)
        self.keep.setEnabled(seen and not keyframe)
        self.drop.setEnabled(keyframe)
        for button in self.ways:
            button.setEnabled(seen)
        self.begin.setEnabled(seen)
        self.end.setEnabled(seen)
        self.portrait.setEnabled(seen)
