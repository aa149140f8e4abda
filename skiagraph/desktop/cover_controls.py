"""The controls of a cover, made from what the kinds of covers say of their own parameters: a new kind needs nothing here."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QWidget

from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.desktop.controls import Choice, SliderField, column, push_button
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.values import Parameter, parameters, replace


class CoverControls(QWidget):
    """moved: a style while it changes; settled: the one a person left."""

    moved = Signal(object)
    settled = Signal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._style = default_style()
        # The cover of each kind as it was last set, for who tries one and goes back.
        self._last: dict[str, Cover] = {}
        layout = column(spacing=GRID + 1, parent=self)
        self.kind = Choice([(tag, kind.word, kind.tip) for tag, kind in Cover.kinds.items()])
        self.kind.chosen.connect(self._choose_kind)
        layout.addWidget(self.kind)
        self._fields: dict[tuple[str, str], QWidget] = {}
        for tag, kind in Cover.kinds.items():
            for parameter in parameters(kind):
                self._add(layout, tag, parameter)
        for parameter in parameters(Style):
            self._add(layout, "", parameter)
        self.show_style(self._style)

    def _add(self, layout, tag: str, parameter: Parameter) -> None:
        if parameter.form == "colour":
            widget = push_button(f"{tr(parameter.title)} …", "", tr(parameter.tip))
            widget.clicked.connect(lambda: self._pick_colour(tag, parameter))
        else:
            widget = SliderField(tr(parameter.title), parameter.low, parameter.high, parameter.step, parameter.default * parameter.scale, tr(parameter.unit), 0, tr(parameter.tip))
            widget.moved.connect(lambda v: self.moved.emit(self._with(tag, parameter, v / parameter.scale)))
            widget.settled.connect(lambda v: self._settle(self._with(tag, parameter, v / parameter.scale)))
        self._fields[tag, parameter.name] = widget
        layout.addWidget(widget)

    def field(self, tag: str, name: str) -> QWidget:
        """The control of a parameter of a kind of cover, or with an empty tag of the style."""
        return self._fields[tag, name]

    def show_style(self, style: Style) -> None:
        self._style = style
        self._last[style.cover.kind] = style.cover
        self.kind.set_value(style.cover.kind)
        for (tag, name), widget in self._fields.items():
            widget.setVisible(tag in ("", style.cover.kind))
            if isinstance(widget, SliderField) and tag in ("", style.cover.kind) and not widget.slider.isSliderDown():
                scale = next(p.scale for p in parameters(Style if not tag else type(style.cover)) if p.name == name)
                widget.set_value(getattr(style if not tag else style.cover, name) * scale)

    def _with(self, tag: str, parameter: Parameter, value) -> Style:
        value = round(value) if isinstance(parameter.default, int) else value
        if not tag:
            return replace(self._style, **{parameter.name: value})
        return self._style.with_cover(replace(self._style.cover, **{parameter.name: value}))

    def _choose_kind(self, tag: str) -> None:
        self._settle(self._style.with_cover(self._last.get(tag) or Cover.kinds[tag]()))

    def _pick_colour(self, tag: str, parameter: Parameter) -> None:
        now = getattr(self._style.cover, parameter.name)
        chosen = QColorDialog.getColor(QColor(*now), self, tr(parameter.tip))
        if chosen.isValid():
            self._settle(self._with(tag, parameter, (chosen.red(), chosen.green(), chosen.blue())))

    def _settle(self, style: Style) -> None:
        self.settled.emit(style)
