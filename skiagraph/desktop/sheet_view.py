"""The contact sheet: crops of the result in sections, painted only where they are seen; gone through with the keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPoint, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QAbstractScrollArea, QToolTip, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.words import tr
from skiagraph.review.looking import Part
from skiagraph.review.sheet import Crop, Looked

# px of a picture, of the words under it, between them, of a section's head, and around all.
WIDE, TALL, WORDS, GAP, HEAD, AROUND = 112, 140, 18, 8, 34, 4
# The pointer has to rest so long on a picture before it plays, ms.
REST_MS = 250
_KEYS = {
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Space,
    Qt.Key.Key_E,
    Qt.Key.Key_A,
    Qt.Key.Key_Return,
    Qt.Key.Key_Enter,
}


@dataclass(frozen=True, slots=True)
class _Cell:
    rect: QRect
    crop: Crop
    looked: Looked
    section: int


class SheetView(QAbstractScrollArea):
    """seenChanged: other crops are on the screen; said: (crops, fine) a person says that they are fine, or to be looked
    at again; fixWanted: a crop to go to; playWanted: a crop to play, or None.

    Keys while it has the focus: arrows go, E fine, Shift+E all of the section that were on the screen, A look again,
    Enter go to the frame, Space play.
    """

    seenChanged = Signal()
    said = Signal(list, bool)
    fixWanted = Signal(object)
    playWanted = Signal(object)

    def __init__(
        self,
        picture: Callable[[Crop], QImage | None],
        when: Callable[[Crop], str],
        whose: Callable[[Crop], str],
        parent: QWidget | None = None,
    ):
        """picture: of a crop where it is made; when: its timecode; whose: a second line under it, empty for none."""
        super().__init__(parent)
        self._picture, self._when, self._whose = picture, when, whose
        self._words = WORDS
        self._sections: list[Part] = []
        self._cells: list[_Cell] = []
        self._heads: list[QRect] = []
        self._at = 0
        self._playing: tuple[Crop, QImage] | None = None
        # Pictures that were on the screen, by what they showed then.
        self._shown: dict[Crop, int] = {}
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName(tr("Contact sheet"))
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._rested)
        self._hovered: Crop | None = None
        self.verticalScrollBar().valueChanged.connect(lambda _: self.seenChanged.emit())

    # What it shows

    def set_sections(self, sections: Sequence[Part]) -> None:
        """Show these; whatever was chosen stays so, or what took its place."""
        before = self.current
        place = self._at
        self._sections = list(sections)
        first = next((crop for section in sections for crop, _ in section.crops), None)
        self._words = WORDS * (2 if first is not None and self._whose(first) else 1) - (
            4 if first is not None and self._whose(first) else 0
        )
        self._lay_out()
        again = next(
            (n for n, cell in enumerate(self._cells) if before is not None and _place(cell.crop) == _place(before)),
            None,
        )
        self._at = again if again is not None else max(0, min(place, len(self._cells) - 1))
        self._stop()
        self.viewport().update()
        self.seenChanged.emit()

    def set_played(self, crop: Crop, image: QImage) -> None:
        """The next picture of the crop that is played."""
        self._playing = crop, image
        self.viewport().update()

    def refresh(self) -> None:
        """More pictures are there."""
        self.viewport().update()

    @property
    def current(self) -> Crop | None:
        return self._cells[self._at].crop if 0 <= self._at < len(self._cells) else None

    @property
    def crops(self) -> list[Crop]:
        return [cell.crop for cell in self._cells]

    def seen(self) -> list[Crop]:
        """The crops that are on the screen, and a row more."""
        top = self.verticalScrollBar().value()
        low, high = top - TALL, top + self.viewport().height() + TALL
        return [cell.crop for cell in self._cells if cell.rect.bottom() >= low and cell.rect.top() <= high]

    def choose(self, n: int) -> None:
        """Make the n-th crop the current one, on the screen."""
        if not self._cells:
            return
        self._at = max(0, min(n, len(self._cells) - 1))
        self._stop()
        rect, bar = self._cells[self._at].rect, self.verticalScrollBar()
        # The head of its section comes with the first row.
        above = HEAD + GAP if any(head.bottom() + GAP + 2 >= rect.top() > head.top() for head in self._heads) else GAP
        if rect.top() - above < bar.value():
            bar.setValue(rect.top() - above)
        elif rect.bottom() + GAP > bar.value() + self.viewport().height():
            bar.setValue(rect.bottom() + GAP - self.viewport().height())
        self.viewport().update()

    # Layout and painting

    @property
    def columns(self) -> int:
        return max(1, (self.viewport().width() - 2 * AROUND + GAP) // (WIDE + GAP))

    def _lay_out(self) -> None:
        self._cells, self._heads = [], []
        y, columns = 0, self.columns
        for number, section in enumerate(self._sections):
            self._heads.append(QRect(AROUND, y, self.viewport().width() - 2 * AROUND, HEAD))
            y += HEAD
            for n, (crop, looked) in enumerate(section.crops):
                row, column = divmod(n, columns)
                self._cells.append(
                    _Cell(
                        QRect(
                            AROUND + column * (WIDE + GAP),
                            y + row * (TALL + self._words + GAP),
                            WIDE,
                            TALL + self._words,
                        ),
                        crop,
                        looked,
                        number,
                    )
                )
            y += -(-len(section.crops) // columns) * (TALL + self._words + GAP) + GAP
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, y - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep((TALL + self._words + GAP) // 3)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._lay_out()
        self.seenChanged.emit()

    def paintEvent(self, event) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        top = self.verticalScrollBar().value()
        painter.translate(0, -top)
        seen = event.rect().translated(0, top)
        for section, head in zip(self._sections, self._heads):
            if head.intersects(seen):
                self._paint_head(painter, head, section)
        for n, cell in enumerate(self._cells):
            if cell.rect.intersects(seen):
                self._paint_cell(painter, cell, n == self._at)

    def _paint_head(self, painter: QPainter, head: QRect, section: Part) -> None:
        painter.setFont(theme.font(15))
        painter.setPen(QColor(theme.PAPER))
        where = head.adjusted(0, 6, 0, 0)
        painter.drawText(where, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, section.title)
        wide = painter.fontMetrics().horizontalAdvance(section.title)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(theme.QUIET))
        room = where.adjusted(wide + 12, 1, 0, 0)
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            painter.fontMetrics().elidedText(section.told, Qt.TextElideMode.ElideRight, room.width()),
        )

    def _paint_cell(self, painter: QPainter, cell: _Cell, is_current: bool) -> None:
        frame = QRectF(cell.rect.x(), cell.rect.y(), WIDE, TALL)
        rounded = QPainterPath()
        rounded.addRoundedRect(frame, 4, 4)
        playing = self._playing is not None and self._playing[0] == cell.crop
        image = self._playing[1] if playing else self._picture(cell.crop)
        painter.fillPath(rounded, QColor(theme.WELL))
        if image is not None:
            if not playing:
                self._shown[cell.crop] = image.cacheKey()
            painter.save()
            painter.setClipPath(rounded)
            if cell.looked.is_fine:
                painter.setOpacity(0.45)
            size = image.size().scaled(int(frame.width()), int(frame.height()), Qt.AspectRatioMode.KeepAspectRatio)
            painter.drawImage(
                QRectF(
                    frame.x() + (frame.width() - size.width()) / 2,
                    frame.y() + (frame.height() - size.height()) / 2,
                    size.width(),
                    size.height(),
                ),
                image,
            )
            painter.restore()
        mark, colour = (
            ("✓", theme.VERDIGRIS)
            if cell.looked.is_fine
            else ("!", theme.OCHRE)
            if cell.looked.is_again
            else ("↻", theme.LILAC)
            if cell.looked.changed
            else ("", "")
        )
        if mark:
            self._paint_mark(painter, frame, mark, colour)
        if is_current or playing:
            painter.setPen(QPen(QColor(theme.LILAC if self.hasFocus() or playing else theme.FAINT), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(frame.adjusted(1, 1, -1, -1), 4, 4)
        words = QRect(cell.rect.x(), int(frame.bottom()) + 1, WIDE, WORDS)
        painter.setFont(theme.font(11))
        when = self._when(cell.crop)
        painter.setPen(QColor(theme.QUIET))
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, when)
        metrics = painter.fontMetrics()
        room = words.adjusted(metrics.horizontalAdvance(when) + 6, 0, 0, 0)
        painter.setPen(
            QColor(theme.MADDER if cell.crop.doubt >= 0.9 else theme.OCHRE if cell.crop.doubt >= 0.5 else theme.QUIET)
        )
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            metrics.elidedText(tr(cell.crop.why) if cell.crop.why else "", Qt.TextElideMode.ElideRight, room.width()),
        )

        whose = self._whose(cell.crop)
        if whose:
            painter.setPen(QColor(theme.QUIET))
            painter.drawText(
                words.translated(0, WORDS - 4),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                metrics.elidedText(whose, Qt.TextElideMode.ElideRight, WIDE),
            )

    def _paint_mark(self, painter: QPainter, frame: QRectF, mark: str, colour: str) -> None:
        spot = QRectF(frame.right() - 22, frame.top() + 4, 18, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colour))
        painter.drawEllipse(spot)
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.font(12))
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, mark)

    # Keys and mouse

    def event(self, event) -> bool:
        """Keys that go through the sheet are its own while it has the focus, and no shortcut of the window takes
        them."""
        plain = (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and event.key() in _KEYS
            and (
                event.modifiers() in plain
                or (event.key() == Qt.Key.Key_E and event.modifiers() == Qt.KeyboardModifier.ShiftModifier)
            )
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event) -> None:
        key, columns = event.key(), self.columns
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        current = self.current
        if current is None:
            return super().keyPressEvent(event)
        if key in steps:
            self.choose(self._at + steps[key])
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._go_rows(1 if key == Qt.Key.Key_Down else -1)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            rows = max(1, self.viewport().height() // (TALL + self._words + GAP))
            self.choose(self._at + columns * rows * (1 if key == Qt.Key.Key_PageDown else -1))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.choose(0 if key == Qt.Key.Key_Home else len(self._cells) - 1)
        elif key == Qt.Key.Key_Space:
            self._toggle_play()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.fixWanted.emit(current)
        elif key == Qt.Key.Key_E and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.say_section_fine()
        elif key in (Qt.Key.Key_E, Qt.Key.Key_A):
            self.say(key == Qt.Key.Key_E)
        else:
            super().keyPressEvent(event)
        return None

    def say(self, fine: bool) -> None:
        """The current crop is fine, or to be looked at again; the next one is current then.

        A picture that is not there yet cannot be fine.
        """
        crop = self.current
        if crop is None or (fine and self._picture(crop) is None):
            return
        following = self._cells[self._at + 1].crop if self._at + 1 < len(self._cells) else None
        count = len(self._cells)
        self.said.emit([crop], fine)
        # Where it dropped out, the next one has come to its place.
        if following is not None and len(self._cells) == count:
            self.choose(self._at + 1)
        else:
            self.choose(self._at)

    def say_section_fine(self) -> None:
        """All crops of the current one's section that were on the screen are fine."""
        if self.current is None:
            return
        section = self._cells[self._at].section
        crops = [
            cell.crop
            for cell in self._cells
            if cell.section == section and not cell.looked.is_fine and self._was_shown(cell.crop)
        ]
        if crops:
            self.said.emit(crops, True)

    def _was_shown(self, crop: Crop) -> bool:
        """Whether it was on the screen as it is now."""
        image = self._picture(crop) if crop in self._shown else None
        return image is not None and image.cacheKey() == self._shown[crop]

    def _go_rows(self, step: int) -> None:
        """To the row above or below, also of the next section, as near to the same column as there is one."""
        here = self._cells[self._at].rect
        rows = sorted({cell.rect.top() for cell in self._cells})
        at = rows.index(here.top()) + step
        if 0 <= at < len(rows):
            row = [n for n, cell in enumerate(self._cells) if cell.rect.top() == rows[at]]
            self.choose(min(row, key=lambda n: abs(self._cells[n].rect.left() - here.left())))

    def _toggle_play(self) -> None:
        if self._playing is not None and self._playing[0] == self.current:
            self._stop()
        else:
            self.playWanted.emit(self.current)

    def _stop(self) -> None:
        self._playing = None
        self.playWanted.emit(None)

    def _cell_at(self, point: QPoint) -> int | None:
        point = point + QPoint(0, self.verticalScrollBar().value())
        return next((n for n, cell in enumerate(self._cells) if cell.rect.contains(point)), None)

    def mouseMoveEvent(self, event) -> None:
        n = self._cell_at(event.position().toPoint())
        crop = self._cells[n].crop if n is not None else None
        if crop != self._hovered:
            self._hovered = crop
            self._stop()
            self.viewport().update()
            self._rest.stop()
            if crop is not None:
                self._rest.start()
        self.viewport().setCursor(Qt.CursorShape.PointingHandCursor if crop is not None else Qt.CursorShape.ArrowCursor)

    def leaveEvent(self, event) -> None:
        self._rest.stop()
        if self._hovered is not None:
            self._hovered = None
            self._stop()
            self.viewport().update()
        super().leaveEvent(event)

    def _rested(self) -> None:
        if self._hovered is not None:
            self.playWanted.emit(self._hovered)

    def mousePressEvent(self, event) -> None:
        n = self._cell_at(event.position().toPoint())
        if n is not None and event.button() == Qt.MouseButton.LeftButton:
            self.choose(n)

    def mouseReleaseEvent(self, event) -> None:
        n = self._cell_at(event.position().toPoint())
        if n is not None and event.button() == Qt.MouseButton.LeftButton and n == self._at:
            self.fixWanted.emit(self._cells[n].crop)

    def viewportEvent(self, event) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            n = self._cell_at(event.pos())
            if n is not None:
                crop = self._cells[n].crop
                QToolTip.showText(
                    event.globalPos(),
                    tr(
                        "{why} at {when}. Click to go there; the pointer on it plays it.",
                        why=tr(crop.why or "covered"),
                        when=self._when(crop),
                    ),
                    self,
                )
            return True
        return super().viewportEvent(event)

    def focusInEvent(self, event) -> None:
        self.viewport().update()
        super().focusInEvent(event)

    def focusOutEvent(self, event) -> None:
        self.viewport().update()
        super().focusOutEvent(event)


def _place(crop: Crop) -> tuple:
    return crop.clip, crop.subject, crop.first, crop.last
