"""The inspector: only what applies to the selected subject, most used first.

Parts that are rarely used are folded, and say their state in a line.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSettings, Qt, Signal
from PySide6.QtWidgets import QDoubleSpinBox, QFrame, QLabel, QLineEdit, QMenu, QScrollArea, QVBoxLayout, QWidget

from skiagraph.cover.cover import Style, default_style
from skiagraph.cover.label import Label
from skiagraph.cover.strength import Safety
from skiagraph.desktop.controls import Choice, Fold, NumberField, Pick, SliderField, column, line, push_button, quiet
from skiagraph.desktop.cover_controls import CoverControls, ParameterControls
from skiagraph.desktop.strength_meter import StrengthMeter
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.voice_part import VoicePart
from skiagraph.desktop.words import counted, tr
from skiagraph.follow.look import Motion
from skiagraph.follow.step import FollowSettings
from skiagraph.footage.following import Direction
from skiagraph.project.model import Decision, HoldoutSubject, Outline, Reach, Subject, replace
from skiagraph.shape.shape import Shape

# Numbers of a place: field, sign, and what it says.
_NUMBERS = (
    ("cx", "x", "Middle, px from the left"),
    ("cy", "y", "Middle, px from the top"),
    ("width", "w", "Width, px"),
    ("height", "h", "Height, px"),
    ("angle", "°", "Turned by degrees clockwise"),
)


class Inspector(QScrollArea):
    """styleMoved: a style while it changes; styleSettled: the one a person left; placeTyped: an outline as numbers have
    it; holdoutChosen: a HoldoutSubject; labelChosen: a Label, or None; motionChosen, roomChosen, lookedChosen: how to
    follow, None for what suits; frontWanted: draw what is in front; decided, reachChosen, and the buttons."""

    decided = Signal(object)
    styleMoved = Signal(object)
    styleSettled = Signal(object)
    styleForAll = Signal()
    styleFromAll = Signal()
    reachChosen = Signal(object)
    keyframeWanted = Signal()
    keyframeDropped = Signal()
    followPressed = Signal(object)
    motionChosen = Signal(object)
    roomChosen = Signal(object)
    lookedChosen = Signal(object)
    shapeChosen = Signal(object)
    placeTyped = Signal(object)
    holdoutChosen = Signal(object)
    labelChosen = Signal(object)
    safeWanted = Signal()
    frontWanted = Signal()
    edgeWanted = Signal()
    edgeDropped = Signal()
    beginHere = Signal()
    endHere = Signal()
    portraitWanted = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._subject: Subject | None = None
        self._outline: Outline | None = None
        self._others: list[tuple[str, str]] = []
        self._own_style = self._voice_alone = self._voice_was_open = False
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
        self.portrait = push_button(
            "Use as portrait", "link", "Show this person in the register as they look in this frame (P)"
        )
        self.portrait.clicked.connect(self.portraitWanted)
        head = line()
        head.addWidget(self._name, 1)
        head.addWidget(self.portrait, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(head)
        layout.addWidget(self._facts)
        self._panel = QWidget()
        panel = column(spacing=2, parent=self._panel)
        layout.addWidget(self._panel)
        layout.addStretch(1)
        self._build_decision(panel)
        self._build_cover(panel)
        self._build_outline(panel)
        self._build_following(panel)
        self._build_front(panel)
        self._build_label(panel)
        # Of the clip, too: it is there whoever is selected.
        self.voice_part = VoicePart()
        layout.insertWidget(layout.indexOf(self._panel) + 1, self.voice_part)
        self._remember_folds()
        self.show_subject(None, "", default_style(), False)

    def _build_decision(self, panel: QVBoxLayout) -> None:
        self.decision = Choice(
            [
                (Decision.COVER, "Cover", "Cover this subject (1)"),
                (Decision.SHOW, "Show", "Agreed to be seen (2)"),
                (Decision.UNDECIDED, "Undecided", "Not decided yet, and covered until then (3)"),
            ],
            ["decision-cover", "decision-show", "decision-undecided"],
        )
        self.decision.chosen.connect(self.decided)
        panel.addWidget(self.decision)
        self.holding = Choice(
            [
                (Decision.COVER, "On: stays sharp", "Covers leave it as it is (1)"),
                (Decision.SHOW, "Off", "As if nothing were in front (2)"),
            ],
            ["decision-cover", "segment"],
        )
        self.holding.chosen.connect(self.decided)
        panel.addWidget(self.holding)

    def _build_cover(self, panel: QVBoxLayout) -> None:
        self.cover_reach = Pick(
            [
                (
                    Reach.ALL,
                    "applies to every frame",
                    "Changes apply to every frame: the subject's cover, in every clip",
                ),
                (
                    Reach.FRAME,
                    "applies to this frame",
                    "Margin, feather and strength at this frame, easing back on both sides",
                ),
                (
                    Reach.KEYFRAME,
                    "applies to this keyframe",
                    "A keyframe of margin, feather and strength, going over into its neighbours",
                ),
                (Reach.ONWARD, "applies from here on", "From this frame until a later keyframe says otherwise"),
                (Reach.SIGHTING, "applies to this sighting", "The whole stretch; keyframes keep what they said"),
            ],
            "Changes of the cover apply to",
        )
        self.cover_reach.setProperty("kind", "small")
        self.cover_part = Fold("Cover", corner=self.cover_reach)
        panel.addWidget(self.cover_part)
        self.cover = CoverControls()
        self.cover.moved.connect(self.styleMoved)
        self.cover.settled.connect(self.styleSettled)
        self.cover_part.content.addWidget(self.cover)
        self.looks = push_button(
            "House style", "small", "How everybody is covered: house styles, versions, and comparing them"
        )
        self.looks_menu = QMenu(self)
        self.looks_menu.setToolTipsVisible(True)
        self.looks.setMenu(self.looks_menu)
        self.meter = StrengthMeter(self.looks)
        self.cover_part.content.addWidget(self.meter)
        self._own = QWidget()
        row = line(spacing=GRID, parent=self._own)
        self.safe = push_button("Make safe", "link", "The weakest cover of this kind that is safe")
        self.for_all = push_button("For everyone", "link", "Make this the cover of the whole project")
        self.from_all = push_button("As everyone", "link", "Give up this subject's own cover")
        self.safe.clicked.connect(self.safeWanted)
        self.for_all.clicked.connect(self.styleForAll)
        self.from_all.clicked.connect(self.styleFromAll)
        row.addWidget(self.safe)
        row.addStretch(1)
        row.addWidget(self.for_all)
        row.addWidget(self.from_all)
        self.cover_part.content.addWidget(self._own)

    def _build_outline(self, panel: QVBoxLayout) -> None:
        self.reach = Pick(
            [
                (
                    Reach.FRAME,
                    "applies to this frame",
                    (
                        "Changes apply to this frame; it eases back within as many frames on each side as are pulled in"
                        " the lane"
                    ),
                ),
                (Reach.KEYFRAME, "applies to this keyframe", "A keyframe here, going over into its neighbours"),
                (Reach.ONWARD, "applies from here on", "From this frame until a later keyframe says otherwise"),
                (Reach.SIGHTING, "applies to this sighting", "The whole stretch; keyframes keep what they said"),
                (Reach.ALL, "applies to every sighting", "Every sighting of this subject"),
            ],
            "Changes of the outline apply to",
        )
        self.reach.setProperty("kind", "small")
        self.reach.chosen.connect(self.reachChosen)
        self.outline_part = Fold("Outline", corner=self.reach)
        panel.addWidget(self.outline_part)
        content = self.outline_part.content
        self._where = quiet(wrap=True)
        how = line()
        how.addWidget(self._where, 1)
        self.shape = Pick(
            [
                (name, kind.word, f"Cover this sighting in this shape: {kind.word.lower()}")
                for name, kind in Shape.kinds.items()
            ],
            "Shape",
        )
        self.shape.chosen.connect(self.shapeChosen)
        how.addWidget(self.shape, 0, Qt.AlignmentFlag.AlignTop)
        content.addLayout(how)
        keys = line(spacing=GRID)
        self.keep = push_button("Keyframe", "narrow", "Hold the outline as it is at this frame")
        self.drop = push_button("Remove", "narrow", "Remove the keyframe or correction at this frame (Delete)")
        self.begin = push_button("Begin", "narrow", "Begin the cover of this sighting at this frame ([)")
        self.end = push_button("End", "narrow", "End the cover of this sighting at this frame (])")
        for button, signal in (
            (self.keep, self.keyframeWanted),
            (self.drop, self.keyframeDropped),
            (self.begin, self.beginHere),
            (self.end, self.endHere),
        ):
            button.clicked.connect(signal)
            keys.addWidget(button, 1)
        content.addLayout(keys)
        ways = line()
        ways.addWidget(quiet("Follow"))
        self.ways = []
        for text, direction, tip in (
            ("Back", Direction.BACK, "Follow it back from this frame (Ctrl+T)"),
            ("Both ways", Direction.BOTH, "Follow it both ways from this frame (T)"),
            ("On", Direction.ON, "Follow it on from this frame (Shift+T)"),
        ):
            button = push_button(text, "", tip)
            button.clicked.connect(lambda _=False, direction=direction: self.followPressed.emit(direction))
            ways.addWidget(button, 1)
            self.ways.append(button)
        content.addLayout(ways)

    def _build_following(self, panel: QVBoxLayout) -> None:
        self.numbers_part = Fold("Numbers", False)
        panel.addWidget(self.numbers_part)
        row = line(spacing=2)
        self.numbers: dict[str, QDoubleSpinBox] = {}
        for name, sign, tip in _NUMBERS:
            field = self.numbers[name] = NumberField()
            field.setRange(*((8, 20000) if name in ("width", "height") else (-20000, 20000)))
            field.setDecimals(1)
            field.setKeyboardTracking(False)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.setToolTip(tr(tip))
            field.setAccessibleName(tr(tip))
            field.setMinimumWidth(20)
            field.setStyleSheet("padding: 0 3px; font-size: 12px;")
            field.valueChanged.connect(lambda _: self._typed())
            cell = column(spacing=0)
            label = quiet(sign)
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            cell.addWidget(label)
            cell.addWidget(field)
            row.addLayout(cell, 1)
        self.numbers_part.content.addLayout(row)
        self.following_part = Fold("How to follow", False)
        panel.addWidget(self.following_part)
        content = self.following_part.content
        self.motion = Pick(
            [
                (
                    Motion.AUTO,
                    "What suits the outline",
                    (
                        "Heads move, grow and turn; what has corners also leans in perspective where that explains it"
                        " better"
                    ),
                ),
                (Motion.POSITION, "Position", "Only where it is changes"),
                (Motion.SIZE, "Position and size", "It comes nearer and goes away"),
                (Motion.TURNING, "With turning", "It also turns in the picture"),
                (Motion.PERSPECTIVE, "Plane in perspective", "A plate, a screen, a wall, a paper seen from the side"),
            ],
            "What may change",
        )
        self.motion.chosen.connect(self._motion_chosen)
        content.addWidget(self.motion)
        self.room = SliderField(
            tr("Search"),
            25,
            300,
            5,
            FollowSettings().room * 100,
            " %",
            0,
            tr(
                "How far around the expected place it is looked for, in sizes of the outline; more finds what jumps,"
                " and is slower."
            ),
        )
        self.room.settled.connect(self._room_chosen)
        content.addWidget(self.room)
        self.looked = Pick(
            [
                (None, "Look at all of it", "All of the outline is compared"),
                ("upper", "Only the upper half", "What is below may change: a mouth, a hand"),
                ("lower", "Only the lower half", "What is above may change"),
                ("middle", "Only the middle", "The rim may change: a frame, hair, fingers"),
            ],
            "What is looked at",
        )
        self.looked.chosen.connect(self._looked_chosen)
        content.addWidget(self.looked)

    def _build_front(self, panel: QVBoxLayout) -> None:
        self.front_part = Fold("In front", False)
        panel.addWidget(self.front_part)
        content = self.front_part.content
        self._front_names = quiet(wrap=True)
        content.addWidget(self._front_names)
        self.front = push_button(
            "Draw what is in front", "", "A hand, a microphone, a railing: covers leave it sharp (H)"
        )
        self.front.clicked.connect(self.frontWanted)
        content.addWidget(self.front)
        self.before = push_button("", "", "Whose covers it is in front of")
        self.before.clicked.connect(self._before_menu)
        content.addWidget(self.before)
        edges = line(spacing=GRID)
        self.exact = push_button(
            "Find its exact edge",
            "",
            "Find what is really in front inside the loose outline, in every frame of this sighting",
        )
        self.loose = push_button("As drawn", "", "Take the outline itself for the edge again")
        self.exact.clicked.connect(self.edgeWanted)
        self.loose.clicked.connect(self.edgeDropped)
        edges.addWidget(self.exact, 2)
        edges.addWidget(self.loose, 1)
        self._edges = QWidget()
        self._edges.setLayout(edges)
        content.addWidget(self._edges)
        self.soft = SliderField(
            tr("Feather"),
            0,
            50,
            1,
            HoldoutSubject().feather * 100,
            " %",
            0,
            tr("Soft edge of what is in front; it goes inwards, so that nothing more is laid open."),
        )
        self.soft.settled.connect(lambda v: self.holdoutChosen.emit(replace(self._subject.of, feather=v / 100)))
        content.addWidget(self.soft)

    def _build_label(self, panel: QVBoxLayout) -> None:
        self.label_part = Fold("Label", False)
        panel.addWidget(self.label_part)
        content = self.label_part.content
        self.label_text = QLineEdit()
        self.label_text.setMaxLength(500)
        self.label_text.setPlaceholderText(tr("Words beside it, covered or not"))
        self.label_text.setAccessibleName(tr("Label"))
        self.label_text.editingFinished.connect(self._label_typed)
        content.addWidget(self.label_text)
        self.label_look = ParameterControls(Label)
        self.label_look.settled.connect(
            lambda name, value: self.labelChosen.emit(replace(self._label, **{name: value}))
        )
        content.addWidget(self.label_look)

    def _label_typed(self) -> None:
        text, now = self.label_text.text().strip(), self._subject.label if self._subject is not None else None
        if self._subject is None or text == (now.caption.text if now else ""):
            return
        self.labelChosen.emit(replace(self._label, caption=replace(self._label.caption, text=text)) if text else None)

    @property
    def _label(self) -> Label:
        return self._subject.label or Label.of("")

    def show_voice_alone(self, alone: bool) -> None:
        """alone: a range of sound is what is worked on, and nothing else is shown."""
        if alone != self._voice_alone:
            # Open while a range is worked on, then as it was left.
            self.voice_part.blockSignals(True)
            self._voice_was_open = self.voice_part.is_open if alone else self._voice_was_open
            self.voice_part.set_open(alone or self._voice_was_open)
            self.voice_part.blockSignals(False)
        self._voice_alone = alone
        self._panel.setVisible(self._subject is not None and not alone)
        self._facts.setVisible(not alone)
        self._name.setText(
            self._subject.name
            if self._subject is not None
            else tr("A range of sound")
            if alone
            else tr("Nobody selected")
        )
        self.portrait.setVisible(self._subject is not None and self._subject.of.hides and not alone)

    def _remember_folds(self) -> None:
        """Parts stay open or closed from one day to the next."""
        settings = QSettings("skiagraph", "skiagraph")
        for name, part in (
            ("cover", self.cover_part),
            ("outline", self.outline_part),
            ("numbers", self.numbers_part),
            ("following", self.following_part),
            ("front", self.front_part),
            ("label", self.label_part),
            ("voice", self.voice_part),
        ):
            part.set_open(settings.value(f"folds/{name}", part.is_open, bool))
            part.toggled.connect(lambda is_open, name=name: settings.setValue(f"folds/{name}", is_open))

    # What is shown

    def show_subject(
        self,
        subject: Subject | None,
        facts: str,
        style: Style,
        own_style: bool,
        fronts: list[tuple[str, str]] = (),
        others: list[tuple[str, str]] = (),
        look: str = "",
    ) -> None:
        """Show a subject; without one say what to do. fronts: (key, name) of what is in front of it; others: of those
        that something can be in front of; look: the house style and version in use."""
        self._subject, self._others = subject, list(others)
        self.show_voice_alone(self._voice_alone)
        self.cover.show_style(style)
        if subject is None:
            self._facts.setText(facts or tr("Choose somebody in the register, or click on them in the picture."))
            return
        self._facts.setText(facts)
        hides = subject.of.hides
        self.decision.setVisible(hides)
        self.holding.setVisible(not hides)
        (self.decision if hides else self.holding).set_value(subject.decision)
        self.cover_part.setVisible(hides)
        self.looks.setText(
            self.looks.fontMetrics().elidedText(look or tr("House style"), Qt.TextElideMode.ElideRight, 96)
        )
        self.for_all.setVisible(own_style)
        self.from_all.setVisible(own_style)
        self._own_style = own_style
        self.show_safety()
        self.label_part.setVisible(hides)
        if not self.label_text.hasFocus():
            self.label_text.setText(subject.label.caption.text if subject.label else "")
        self.label_look.show_value(self._label)
        self.label_look.setVisible(subject.label is not None)
        self.label_part.set_state(subject.label.caption.text if subject.label else tr("none"))
        self._front_names.setVisible(hides and bool(fronts))
        self.front.setVisible(hides)
        self.before.setVisible(not hides)
        self.soft.setVisible(not hides)
        self._edges.setVisible(not hides)
        self.front_part.set_open(self.front_part.is_open or not hides)
        if hides:
            self._front_names.setText(", ".join(name for _, name in fronts))
            self.front_part.set_state(counted(len(fronts), "1 thing", "{n} things") if fronts else tr("nothing"))
        else:
            names = [name for key, name in others if key in subject.of.subjects]
            said = tr("everybody") if subject.of.everybody else ", ".join(names) or tr("nobody")
            self.before.setText(
                self.before.fontMetrics().elidedText(
                    tr("In front of {names}", names=said), Qt.TextElideMode.ElideRight, 240
                )
                + " ▾"
            )
            self.front_part.set_state(said)
            if not self.soft.slider.isSliderDown():
                self.soft.set_value(subject.of.feather * 100)

    def show_safety(self) -> None:
        """What can be done about the cover, by what the meter says now."""
        self.safe.setVisible(self.meter.level != Safety.SAFE)
        self._own.setVisible(self._own_style or self.meter.level != Safety.SAFE)
        words = " + ".join(tr(c.word) for c in self.cover.style.covers)
        self.cover_part.set_state(
            tr("{cover} · {safety}", cover=words, safety=tr(str(self.meter.level))) if self.meter.text else words
        )

    def show_place(self, text: str, outline: Outline | None, keyframe: bool, exact: bool = False) -> None:
        """What holds at the present frame: how the outline was obtained, the outline, None where there is none, whether
        its exact edge is known, and which buttons make sense."""
        self.exact.setEnabled(outline is not None)
        self.loose.setEnabled(exact)
        self._outline, seen = outline, outline is not None
        self._where.setText(text)
        self.outline_part.set_state(text)
        self.shape.setVisible(seen)
        if outline is not None:
            self.shape.set_value(outline.shape.kind)
            for name, field in self.numbers.items():
                field.blockSignals(True)
                field.setValue(getattr(outline.place, name))
                field.blockSignals(False)
            self.numbers_part.set_state(
                tr(
                    "{x}, {y} · {w} × {h} px",
                    x=round(outline.cx),
                    y=round(outline.cy),
                    w=round(outline.width),
                    h=round(outline.height),
                )
            )
        self.numbers_part.body.setEnabled(seen)
        self.keep.setEnabled(seen and not keyframe)
        self.drop.setEnabled(keyframe)
        for button in (*self.ways, self.begin, self.end, self.portrait):
            button.setEnabled(seen)

    # What is typed and chosen

    def _typed(self) -> None:
        if self._outline is not None:
            place = replace(self._outline.place, **{name: field.value() for name, field in self.numbers.items()})
            self.placeTyped.emit(self._outline.on(place))

    def _motion_chosen(self, motion: Motion) -> None:
        self._say_following()
        self.motionChosen.emit(None if motion == Motion.AUTO else motion)

    def _room_chosen(self, share: float) -> None:
        self._say_following()
        self.roomChosen.emit(share / 100)

    def _looked_chosen(self, part: str | None) -> None:
        self._say_following()
        box = Shape.kinds["box"]()
        self.lookedChosen.emit(
            {
                "upper": Outline.at(0, -1, 4, 2, shape=box),
                "lower": Outline.at(0, 1, 4, 2, shape=box),
                "middle": Outline.at(0, 0, 1.3, 1.3),
            }.get(part)
        )

    def _say_following(self) -> None:
        said = [self.motion.currentText()] if self.motion.value() != Motion.AUTO else []
        said += [self.looked.currentText()] if self.looked.value() else []
        self.following_part.set_state(", ".join(said).lower())

    def _before_menu(self) -> None:
        """Whom it is in front of: everybody, or some."""
        of, menu = self._subject.of, QMenu(self)
        everybody = menu.addAction(
            tr("Everybody"), lambda: self.holdoutChosen.emit(replace(of, everybody=True, subjects=()))
        )
        everybody.setCheckable(True)
        everybody.setChecked(of.everybody)
        menu.addSeparator()
        for key, name in self._others:
            chosen = key in of.subjects and not of.everybody
            left = tuple(k for k in of.subjects if k != key) if chosen else (*of.subjects, key)
            action = menu.addAction(
                name, lambda left=left: self.holdoutChosen.emit(replace(of, everybody=False, subjects=left))
            )
            action.setCheckable(True)
            action.setChecked(chosen)
        menu.popup(self.before.mapToGlobal(QPoint(0, self.before.height() + 2)))
