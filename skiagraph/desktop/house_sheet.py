"""A house style on one sheet: its name, how long covers are kept, what things are covered with, and its rules.

Made from what rules say of themselves.
"""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QDialog, QLabel, QLineEdit, QWidget

from skiagraph.cover.cover import Style
from skiagraph.desktop.controls import Pick, column, line, push_button, quiet, section
from skiagraph.desktop.cover_controls import ParameterControls
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.project.house import House, HouseStyle
from skiagraph.project.rule import Rule
from skiagraph.values import parameters, replace


class HouseSheet(QDialog):
    """style: the one to begin with; here: how the selected thing is covered now, None where none is selected."""

    def __init__(self, style: HouseStyle, here: Style | None = None, parent: QWidget | None = None):
        super().__init__(parent)
        self.setWindowTitle(tr("House style"))
        self.setMinimumWidth(420)
        self._style, self._here = style, here
        layout = column(margin=5 * GRID, spacing=2 * GRID, parent=self)
        title = QLabel(tr("House style"))
        title.setObjectName("heading")
        layout.addWidget(title)
        layout.addWidget(
            quiet(tr("People are covered as the project is: {cover}.", cover=style.style.state()), wrap=True)
        )
        self.name, self.note = QLineEdit(style.house.name), QLineEdit(style.house.note)
        self.name.setPlaceholderText(tr("Its name, as the house says it"))
        self.note.setPlaceholderText(tr("What it is for"))
        for field, word in ((self.name, "Name"), (self.note, "Note")):
            field.setAccessibleName(tr(word))
            field.setMaxLength(100 if field is self.name else 1000)
            layout.addWidget(field)
        layout.addWidget(section("How long"))
        self.times = ParameterControls(House)
        self.times.show_value(style.house)
        self.times.settled.connect(lambda name, value: self._set_times(name, value))
        layout.addWidget(self.times)
        layout.addWidget(section("Plates, signs and screens"))
        entries = [("same", "covered as people are", "One cover for everything")]
        if "thing" in style.house.by_kind:
            entries.append(
                (
                    "kept",
                    tr("covered with {cover}", cover=style.house.by_kind["thing"].state()),
                    "As this house style had it",
                )
            )
        if here is not None:
            entries.append(
                (
                    "here",
                    tr("as the selected one now: {cover}", cover=here.state()),
                    "The cover of the subject that is selected",
                )
            )
        self.things = Pick(entries, "Things")
        self.things.set_value("kept" if "thing" in style.house.by_kind else "same")
        layout.addWidget(self.things)
        layout.addWidget(section("Rules"))
        self.rules: dict[str, tuple[QCheckBox, ParameterControls, Rule]] = {}
        given = {rule.kind: rule for rule in style.house.rules}
        for tag, kind in Rule.kinds.items():
            self._add_rule(layout, tag, given.get(tag) or kind(), tag in given)
        row = line()
        row.addStretch(1)
        cancel, self.keep = (
            push_button("Cancel"),
            push_button("Keep", "primary", "Keep it among the house styles, and cover everybody so"),
        )
        cancel.clicked.connect(self.reject)
        self.keep.clicked.connect(self.accept)
        self.keep.setDefault(True)
        self.name.textChanged.connect(lambda text: self.keep.setEnabled(bool(text.strip())))
        self.keep.setEnabled(bool(style.house.name.strip()))
        row.addWidget(cancel)
        row.addWidget(self.keep)
        layout.addLayout(row)

    def _add_rule(self, layout, tag: str, rule: Rule, on: bool) -> None:
        box = QCheckBox(tr(rule.word))
        box.setToolTip(tr(rule.tip))
        box.setChecked(on)
        controls = ParameterControls(type(rule))
        controls.show_value(rule)
        controls.setVisible(on and bool(parameters(type(rule))))
        controls.settled.connect(lambda name, value: self._set_rule(tag, name, value))
        box.toggled.connect(lambda shown: controls.setVisible(shown and bool(parameters(type(rule)))))
        layout.addWidget(box)
        layout.addWidget(controls)
        self.rules[tag] = box, controls, rule

    def _set_times(self, name: str, value) -> None:
        self._style = replace(self._style, house=replace(self._style.house, **{name: value}))
        self.times.show_value(self._style.house)

    def _set_rule(self, tag: str, name: str, value) -> None:
        box, controls, rule = self.rules[tag]
        rule = replace(rule, **{name: value})
        self.rules[tag] = box, controls, rule
        controls.show_value(rule)

    @property
    def style(self) -> HouseStyle:
        """The house style as the sheet says it."""
        house = self._style.house
        things = {"same": None, "kept": house.by_kind.get("thing"), "here": self._here}[self.things.value()]
        by_kind = {kind: style for kind, style in house.by_kind.items() if kind != "thing"} | (
            {"thing": things} if things is not None else {}
        )
        return replace(
            self._style,
            house=replace(
                house,
                name=" ".join(self.name.text().split())[:100],
                note=self.note.text().strip(),
                by_kind=by_kind,
                rules=tuple(rule for box, _, rule in self.rules.values() if box.isChecked()),
            ),
        )
