"""Small controls of our own: a row of choices, a slider with its field, section heads, icon buttons, a notice."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, QSizeF, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QPainter, QPainterPath
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from skiagraph.desktop.theme import CONTROL, GRID, RADIUS, WELL, asset_folder
from skiagraph.desktop.words import tr


class KeepsKeys:
    """Mixed into a widget: keys that choose in it are its own while it has the focus, and no shortcut of the window
    takes them."""

    KEYS = frozenset({Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown})

    def event(self, event) -> bool:
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and event.key() in self.KEYS
            and event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        ):
            event.accept()
            return True
        return super().event(event)


class Tick(KeepsKeys, QCheckBox):
    """A box to tick. The space bar ticks it while it has the focus."""

    KEYS = frozenset({Qt.Key.Key_Space})


class ListBox(KeepsKeys, QComboBox):
    """A list that folds, whose entries have data of their own. Long entries do not make it wider."""

    KEYS = KeepsKeys.KEYS | {Qt.Key.Key_Space, Qt.Key.Key_Home, Qt.Key.Key_End}

    def __init__(self, name: str = "", parent: QWidget | None = None):
        """name: for assistive technology."""
        super().__init__(parent)
        self.setAccessibleName(tr(name))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)


class _PushButton(KeepsKeys, QPushButton):
    """Pressed by the space bar while it has the focus, which it gets by Tab alone."""

    KEYS = frozenset({Qt.Key.Key_Space})


@lru_cache(maxsize=64)
def icon(name: str) -> QIcon:
    return QIcon(f"{asset_folder('icons')}/{name}.svg")


def icon_button(name: str, tip: str) -> QToolButton:
    tip, button = tr(tip), QToolButton()
    button.setIcon(icon(name))
    button.setIconSize(QSize(16, 16))
    button.setFixedSize(CONTROL + 4, CONTROL)
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


def push_button(text: str, kind: str = "", tip: str = "") -> QPushButton:
    button = _PushButton(tr(text))
    if kind:
        button.setProperty("kind", kind)
    button.setToolTip(tr(tip))
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


def section(text: str) -> QWidget:
    """A heading with a hairline to its right."""
    box = QWidget()
    row = QHBoxLayout(box)
    row.setContentsMargins(0, GRID, 0, 0)
    row.setSpacing(2 * GRID)
    label = QLabel(tr(text))
    label.setObjectName("section")
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet("background: #3A3633;")
    line.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    row.addWidget(label)
    row.addWidget(line, 1)
    return box


class Fold(QWidget):
    """A part of the inspector that folds; closed it says its state in a line. toggled: True when it was opened."""

    toggled = Signal(bool)

    def __init__(self, text: str, is_open: bool = True, corner: QWidget | None = None, parent: QWidget | None = None):
        """corner: what belongs to all of the part, at the right of its heading while it is open."""
        super().__init__(parent)
        self._title, self._state, self._corner = tr(text), "", corner
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(2)
        self.head = QPushButton()
        self.head.setProperty("kind", "fold")
        self.head.setCheckable(True)
        self.head.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.head.clicked.connect(self.set_open)
        self.body = QWidget()
        self.content = QVBoxLayout(self.body)
        self.content.setContentsMargins(0, 0, 0, 0)
        self.content.setSpacing(2)
        top = QHBoxLayout()
        top.setSpacing(2 * GRID)
        top.addWidget(self.head, 1)
        if corner is not None:
            top.addWidget(corner)
        outer.addLayout(top)
        outer.addWidget(self.body)
        self.set_open(is_open)

    @property
    def is_open(self) -> bool:
        return self.head.isChecked()

    def set_open(self, is_open: bool) -> None:
        self.head.setChecked(is_open)
        self.body.setVisible(is_open)
        if self._corner is not None:
            self._corner.setVisible(is_open)
        self._refresh()
        self.toggled.emit(is_open)

    def set_state(self, text: str) -> None:
        """What is in it, in a few words, for when it is closed."""
        if text != self._state:
            self._state = text
            self._refresh()

    def _refresh(self) -> None:
        closed = f"   {self._state}" if self._state and not self.is_open else ""
        text = ("▾  " if self.is_open else "▸  ") + self._title + closed
        self.head.setText(self.head.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 262))
        self.head.setAccessibleName(self._title)
        self.head.setToolTip(self._state)


def scrolled(spacing: int = GRID) -> tuple[QScrollArea, QVBoxLayout]:
    """A list that scrolls, and the layout that its entries go into, before what fills the rest.

    Tab goes to the entries, not to the list itself.
    """
    area, body = QScrollArea(), QWidget()
    area.setWidgetResizable(True)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    entries = column(spacing=spacing, parent=body)
    entries.addStretch(1)
    area.setWidget(body)
    return area, entries


def emptied(entries: QVBoxLayout) -> None:
    """Take all entries out of such a list."""
    while entries.count() > 1:
        widget = entries.takeAt(0).widget()
        if widget:
            widget.hide()
            widget.deleteLater()


def quiet(text: str = "", *, wrap: bool = False) -> QLabel:
    label = QLabel(tr(text))
    label.setProperty("role", "quiet")
    label.setWordWrap(wrap)
    return label


class Choice(QWidget):
    """A row of buttons of which one is on. Speaks the values it was given, never their texts."""

    chosen = Signal(object)

    def __init__(
        self, entries: list[tuple[object, str, str]], kinds: list[str] | None = None, parent: QWidget | None = None
    ):
        """entries: (value, text, tooltip) each; kinds: style of each button, otherwise a plain segment."""
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(GRID)
        self._group = QButtonGroup(self)
        self._values = [value for value, _, _ in entries]
        for n, (_, text, tip) in enumerate(entries):
            button = push_button(text, kinds[n] if kinds else "segment", tip)
            button.setCheckable(True)
            button.setMinimumWidth(button.fontMetrics().horizontalAdvance(text) + 18)
            self._group.addButton(button, n)
            row.addWidget(button, 1)
        self._group.idClicked.connect(lambda n: self.chosen.emit(self._values[n]))

    def button(self, value) -> QPushButton:
        return self._group.button(self._values.index(value))

    def value(self):
        return self._values[self._group.checkedId()] if self._group.checkedId() >= 0 else None

    def set_value(self, value) -> None:
        """Show a value, or none of them for None, without telling anybody."""
        if value in self._values:
            self._group.button(self._values.index(value)).setChecked(True)
        elif self._group.checkedButton():
            self._group.setExclusive(False)
            self._group.checkedButton().setChecked(False)
            self._group.setExclusive(True)


class Pick(KeepsKeys, QComboBox):
    """One of several values from a list that folds. Speaks the values it was given, never their texts."""

    chosen = Signal(object)

    def __init__(self, entries: list[tuple[object, str, str]], name: str, parent: QWidget | None = None):
        """entries: (value, text, tooltip) each; name: for assistive technology."""
        super().__init__(parent)
        self.setAccessibleName(tr(name))
        self._values = [value for value, _, _ in entries]
        for n, (_, text, tip) in enumerate(entries):
            self.addItem(tr(text))
            self.setItemData(n, tr(tip), Qt.ItemDataRole.ToolTipRole)
        self._tips = [tr(tip) for _, _, tip in entries]
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.activated.connect(lambda n: self.chosen.emit(self._values[n]))
        self.currentIndexChanged.connect(lambda n: self.setToolTip(self._tips[n] if n >= 0 else ""))
        self.setToolTip(self._tips[0])

    def value(self):
        return self._values[self.currentIndex()]

    def set_value(self, value) -> None:
        """Show a value without telling anybody."""
        self.setCurrentIndex(self._values.index(value))


class _ResettingSlider(KeepsKeys, QSlider):
    KEYS = KeepsKeys.KEYS | {Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End}
    reset = Signal()

    def __init__(self, orientation: Qt.Orientation):
        super().__init__(orientation)
        # A drag with the mouse does not take the arrows from the frames.
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def mouseDoubleClickEvent(self, event) -> None:
        self.reset.emit()

    def mousePressEvent(self, event) -> None:
        """A press on the groove goes there at once."""
        if event.button() == Qt.MouseButton.LeftButton and self.width() > 16:
            share = (event.position().x() - 8) / (self.width() - 16)
            self.setValue(round(self.minimum() + max(0.0, min(1.0, share)) * (self.maximum() - self.minimum())))
        super().mousePressEvent(event)


class NumberField(KeepsKeys, QDoubleSpinBox):
    """Its arrows change the number."""


class SliderField(QWidget):
    """A number as a slider and a field. moved: while it changes; settled: the value a person left it at."""

    moved = Signal(float)
    settled = Signal(float)

    def __init__(
        self,
        label: str,
        low: float,
        high: float,
        step: float,
        default: float,
        suffix: str = "",
        decimals: int = 0,
        tip: str = "",
        parent: QWidget | None = None,
    ):
        super().__init__(parent)
        self._low, self._step, self._default = low, step, default
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2 * GRID)
        name = QLabel(label)
        name.setFixedWidth(56)
        self.slider = _ResettingSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, round((high - low) / step))
        self.slider.setFixedHeight(20)
        self.field = NumberField()
        self.field.setRange(low, high)
        self.field.setSingleStep(step)
        self.field.setDecimals(decimals)
        self.field.setSuffix(suffix)
        self.field.setFixedWidth(76)
        self.field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.field.setKeyboardTracking(False)
        note = tr(
            "{tip} Double-click the slider to go back to {default}.",
            tip=tr(tip),
            default=f"{default:.{decimals}f}{suffix}",
        )
        for widget in (name, self.slider, self.field):
            widget.setToolTip(note)
            row.addWidget(widget, 1 if widget is self.slider else 0)
        self.slider.setAccessibleName(label)
        self.field.setAccessibleName(label)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.settled.emit(self.value()))
        self.slider.reset.connect(lambda: self._settle(self._default))
        self.field.valueChanged.connect(self._typed)
        self.set_value(default)

    def value(self) -> float:
        return self.field.value()

    def set_value(self, value: float) -> None:
        """Show a value without telling anybody."""
        for widget in (self.slider, self.field):
            widget.blockSignals(True)
        self.slider.setValue(round((value - self._low) / self._step))
        self.field.setValue(value)
        for widget in (self.slider, self.field):
            widget.blockSignals(False)

    def _slid(self, place: int) -> None:
        value = self._low + place * self._step
        self.field.blockSignals(True)
        self.field.setValue(value)
        self.field.blockSignals(False)
        if self.slider.isSliderDown():
            self.moved.emit(value)
        else:
            self.settled.emit(value)

    def _typed(self, value: float) -> None:
        self._settle(value)

    def _settle(self, value: float) -> None:
        self.set_value(value)
        self.settled.emit(value)


class RoundedPicture(QWidget):
    """A picture with round corners, as large as it fits; a plain field where there is none yet."""

    def __init__(self, width: int, height: int, parent: QWidget | None = None):
        super().__init__(parent)
        self._image: QImage | None = None
        self.setFixedSize(QSize(width, height))

    def set_image(self, image: QImage | None) -> None:
        self._image = image
        self.update()

    def paintEvent(self, event) -> None:
        paint_rounded(QPainter(self), QRectF(self.rect()), self._image)


def paint_rounded(painter: QPainter, place: QRectF, image: QImage | None) -> QPainterPath:
    """Paint a picture with round corners, as large as it fits into a place, or a plain field where there is none yet;
    returns the outline."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    outline = QPainterPath()
    outline.addRoundedRect(place, RADIUS, RADIUS)
    painter.fillPath(outline, QColor(WELL))
    if image is not None:
        size = QSizeF(image.size()).scaled(place.size(), Qt.AspectRatioMode.KeepAspectRatio)
        fitted = QRectF(QPointF(), size)
        fitted.moveCenter(place.center())
        painter.setClipPath(outline)
        painter.drawImage(fitted, image)
        painter.setClipping(False)
    return outline


class Notice(QFrame):
    """A sentence in place, with a way to dismiss it. Hidden while there is nothing to say."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("notice")
        row = QHBoxLayout(self)
        row.setContentsMargins(3 * GRID, GRID, 2 * GRID, GRID)
        self._text = QLabel()
        self._text.setWordWrap(True)
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        close = push_button("Dismiss", "link", "Hide this message")
        close.clicked.connect(self.hide)
        self._then: Callable[[], None] | None = None
        self._is_reply = False
        self.answer = push_button("", "primary")
        self.answer.clicked.connect(self._answered)
        self.answer.hide()
        row.addWidget(self._text, 1)
        row.addWidget(self.answer)
        row.addWidget(close)
        self.hide()

    def say(self, text: str, answer: str = "", then: Callable[[], None] | None = None) -> None:
        """Say something, with a button for what may be done about it where there is something. It stays until
        somebody dismisses it, or something else is said.
        """
        self._is_reply = False
        self._text.setText(tr(text))
        self._then = then
        self.answer.setText(tr(answer))
        self.answer.setVisible(then is not None)
        self.setVisible(bool(text))

    def reply(self, text: str) -> None:
        """Say why what was pressed does nothing, or what it did: it goes when the page is left (leave_page)."""
        self.say(text)
        self._is_reply = True

    def leave_page(self) -> None:
        """Another page is shown: what was said of the page before, and of nothing else, goes."""
        if self._is_reply:
            self.say("")

    def _answered(self) -> None:
        then, self._then = self._then, None
        self.hide()
        if then is not None:
            then()

    @property
    def text(self) -> str:
        return self._text.text() if self.isVisible() else ""


def column(*, margin: int = 0, spacing: int = 2 * GRID, parent: QWidget | None = None) -> QVBoxLayout:
    layout = QVBoxLayout(parent) if parent is not None else QVBoxLayout()
    layout.setContentsMargins(margin, margin, margin, margin)
    layout.setSpacing(spacing)
    return layout


def line(*, margin: int = 0, spacing: int = 2 * GRID, parent: QWidget | None = None) -> QHBoxLayout:
    layout = QHBoxLayout(parent) if parent is not None else QHBoxLayout()
    layout.setContentsMargins(margin, margin, margin, margin)
    layout.setSpacing(spacing)
    return layout
