"""The controls of covers, made from what the kinds say of their own parameters: a new kind needs nothing here."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QColorDialog, QFileDialog, QGridLayout, QLabel, QLineEdit, QPushButton, QWidget

from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.desktop.controls import Choice, Pick, SliderField, column, icon_button, line, push_button
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.values import Parameter, parameters, replace

# Width of the names before controls, px, as that of sliders.
NAME_PX = 56
PICTURES = "*.png *.webp *.gif *.mov *.webm *.jpg *.jpeg *.tif *.tiff"


class ParameterControls(QWidget):
    """Controls of the parameters of one kind. moved, settled: the name of a parameter and its value."""

    moved = Signal(str, object)
    settled = Signal(str, object)

    def __init__(self, kind: type, parent: QWidget | None = None):
        super().__init__(parent)
        self._fields: dict[str, QWidget] = {}
        self._shows: dict[str, Callable] = {}
        self._parameters = {p.name: p for p in parameters(kind)}
        self._value = None
        layout = column(spacing=GRID, parent=self)
        for parameter in self._parameters.values():
            widget = self._make(parameter)
            self._fields[parameter.name] = widget
            layout.addWidget(widget)
        self.set_rare(False)

    @property
    def has_rare(self) -> bool:
        return any(p.rare for p in self._parameters.values())

    def set_rare(self, shown: bool) -> None:
        """Show or hide what is seldom needed."""
        for name, parameter in self._parameters.items():
            if parameter.rare:
                self._fields[name].setVisible(shown)

    def field(self, name: str) -> QWidget:
        return self._fields[name]

    def show_value(self, value) -> None:
        """Show the parameters of a kind without telling anybody."""
        self._value = value
        for name, show in self._shows.items():
            show(getattr(value, name))

    def _make(self, p: Parameter) -> QWidget:
        if p.form == "number":
            slider = SliderField(
                tr(p.title), p.low, p.high, p.step, p.default * p.scale, tr(p.unit), p.decimals, tr(p.tip)
            )
            slider.moved.connect(lambda v: self.moved.emit(p.name, self._number(p, v)))
            slider.settled.connect(lambda v: self.settled.emit(p.name, self._number(p, v)))
            self._shows[p.name] = lambda value: (
                None if slider.slider.isSliderDown() else slider.set_value(value * p.scale)
            )
            return slider
        if p.form == "choice":
            pick = Pick([(value, word, p.tip) for value, word in p.options], p.title)
            pick.chosen.connect(lambda value: self.settled.emit(p.name, value))
            self._shows[p.name] = pick.set_value
            return self._named(p, pick)
        if p.form == "covers":
            return self._covers(p)
        if p.form == "text":
            field = QLineEdit()
            field.setAccessibleName(tr(p.title))
            field.setMaxLength(500)
            field.textEdited.connect(lambda text: self.moved.emit(p.name, text))
            field.editingFinished.connect(
                lambda: (
                    self._value is not None
                    and getattr(self._value, p.name) != field.text()
                    and self.settled.emit(p.name, field.text())
                )
            )
            self._shows[p.name] = lambda value: None if field.hasFocus() else field.setText(value)
            return self._named(p, field)
        button = push_button("", "", p.tip)
        if p.form == "colour":
            button.clicked.connect(lambda: self._pick_colour(p))
            self._shows[p.name] = lambda value: _show_colour(button, value)
        else:
            button.clicked.connect(lambda: self._pick_file(p))
            self._shows[p.name] = lambda value: button.setText(
                button.fontMetrics().elidedText(
                    Path(value).name if value else tr("Choose …"), Qt.TextElideMode.ElideMiddle, 168
                )
            )
        return self._named(p, button)

    def _covers(self, p: Parameter) -> QWidget:
        """Some of the covers that hide somebody by themselves."""
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        checks = {tag: QCheckBox(tr(kind.word)) for tag, kind in Cover.kinds.items() if kind().hides_alone}
        for n, (tag, check) in enumerate(checks.items()):
            check.clicked.connect(
                lambda: self.settled.emit(
                    p.name, tuple(t for t, c in checks.items() if c.isChecked()) or getattr(self._value, p.name)
                )
            )
            grid.addWidget(check, n // 3, n % 3)
        self._shows[p.name] = lambda value: [check.setChecked(tag in value) for tag, check in checks.items()]
        return box

    def _named(self, p: Parameter, widget: QWidget) -> QWidget:
        box = QWidget()
        row = line(parent=box)
        name = QLabel(tr(p.title))
        name.setFixedWidth(NAME_PX)
        name.setToolTip(tr(p.tip))
        widget.setToolTip(tr(p.tip))
        row.addWidget(name)
        row.addWidget(widget, 1)
        return box

    def _number(self, p: Parameter, value: float):
        return round(value / p.scale) if isinstance(p.default, int) else value / p.scale

    def _pick_colour(self, p: Parameter) -> None:
        chosen = QColorDialog.getColor(QColor(*getattr(self._value, p.name)), self, tr(p.tip))
        if chosen.isValid():
            self.settled.emit(p.name, (chosen.red(), chosen.green(), chosen.blue()))

    def _pick_file(self, p: Parameter) -> None:
        now = getattr(self._value, p.name)
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr(p.tip),
            str(Path(now).parent) if now else str(Path.home()),
            tr("Pictures and short films ({kinds})", kinds=PICTURES),
        )
        if name:
            self.settled.emit(p.name, name)


def _show_colour(button: QPushButton, colour: tuple[int, int, int]) -> None:
    code = "#" + "".join(f"{part:02x}" for part in colour)
    button.setText(code)
    button.setStyleSheet(
        f"background: {code}; color: {'#191716' if sum(colour) > 380 else '#E9E3D9'}; border: 1px solid #3A3633;"
    )


class CoverControls(QWidget):
    """Several covers in order, of which one is worked on. moved: a style while it changes; settled: the one a person
    left."""

    moved = Signal(object)
    settled = Signal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._style, self._at = default_style(), 0
        # The cover of each kind as it was last set, for who tries one and goes back.
        self._last: dict[str, Cover] = {}
        layout = column(spacing=GRID, parent=self)
        self._order = line(spacing=2)
        holder = QWidget()
        holder.setLayout(self._order)
        self._order_holder, self.order = holder, None
        layout.addWidget(holder)
        row = line(spacing=GRID)
        self.kind = Pick([(tag, kind.word, kind.tip) for tag, kind in Cover.kinds.items()], "Cover")
        self.kind.chosen.connect(self._choose_kind)
        self.more = push_button("More", "link", "What is seldom needed")
        self.more.setCheckable(True)
        self.more.clicked.connect(lambda: self._show_rare())
        self.add = icon_button("add", "Another cover over this one: words on a solid, a blur over a mosaic")
        self.add.clicked.connect(self._add_cover)
        self.drop = push_button("Take off", "link", "Take this cover off; those before it stay")
        self.drop.clicked.connect(self._drop_cover)
        row.addWidget(self.kind, 1)
        row.addWidget(self.more)
        row.addWidget(self.drop)
        row.addWidget(self.add)
        layout.addLayout(row)
        self._kinds: dict[str, ParameterControls] = {}
        for tag, kind in Cover.kinds.items():
            self._kinds[tag] = controls = ParameterControls(kind)
            controls.moved.connect(lambda name, value: self.moved.emit(self._with(name, value)))
            controls.settled.connect(lambda name, value: self._settle(self._with(name, value)))
            layout.addWidget(controls)
        self._around = ParameterControls(Style)
        self._around.moved.connect(lambda name, value: self.moved.emit(replace(self._style, **{name: value})))
        self._around.settled.connect(lambda name, value: self._settle(replace(self._style, **{name: value})))
        layout.addWidget(self._around)
        self.show_style(self._style)

    def field(self, tag: str, name: str) -> QWidget:
        """The control of a parameter of a kind of cover, or with an empty tag of the style."""
        return (self._kinds[tag] if tag else self._around).field(name)

    @property
    def style(self) -> Style:
        """The style that is shown."""
        return self._style

    @property
    def at(self) -> int:
        """Which of the covers is worked on, in their order."""
        return self._at

    def show_style(self, style: Style) -> None:
        kinds = [c.kind for c in style.covers]
        if kinds != [c.kind for c in self._style.covers] or self.order is None:
            self._at = min(self._at, len(kinds) - 1) if len(kinds) <= len(self._style.covers) else len(kinds) - 1
            self._show_order(style)
        self._style = style
        cover = style.covers[self._at]
        self._last[cover.kind] = cover
        self.kind.set_value(cover.kind)
        self._around.show_value(style)
        for tag, controls in self._kinds.items():
            controls.setVisible(tag == cover.kind)
        self._kinds[cover.kind].show_value(cover)
        self.more.setVisible(self._kinds[cover.kind].has_rare)
        self.drop.setVisible(len(kinds) > 1)

    def _show_order(self, style: Style) -> None:
        if self.order is not None:
            self._order.removeWidget(self.order)
            self.order.deleteLater()
        self.order = Choice([(n, f"{n + 1} {tr(cover.word)}", cover.tip) for n, cover in enumerate(style.covers)])
        self.order.set_value(self._at)
        self.order.chosen.connect(self._choose)
        self._order.addWidget(self.order)
        self._order_holder.setVisible(len(style.covers) > 1)

    def _choose(self, at: int) -> None:
        self._at = at
        self.show_style(self._style)

    def _show_rare(self) -> None:
        for controls in self._kinds.values():
            controls.set_rare(self.more.isChecked())

    def _with(self, name: str, value) -> Style:
        return self._style.with_cover(replace(self._style.covers[self._at], **{name: value}), self._at)

    def _choose_kind(self, tag: str) -> None:
        if tag != self._style.covers[self._at].kind:
            self._settle(self._style.with_cover(self._last.get(tag) or Cover.kinds[tag](), self._at))

    def _add_cover(self) -> None:
        # Over what hides words make most sense; over words what hides would hide them.
        words = any(c.kind == "caption" for c in self._style.covers)
        self._settle(replace(self._style, covers=(*self._style.covers, Cover.kinds["blur" if words else "caption"]())))

    def _drop_cover(self) -> None:
        self._settle(
            replace(self._style, covers=(*self._style.covers[: self._at], *self._style.covers[self._at + 1 :]))
        )

    def _settle(self, style: Style) -> None:
        self.settled.emit(style)
