"""The picture: result, source, split or matte, zoomed and panned, with outlines and handles drawn over it."""

from __future__ import annotations

import math
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QCursor, QImage, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.session import View
from skiagraph.desktop.words import tr
from skiagraph.shape.shape import LEAST_PX, Outline, Shape

HANDLE, REACH = 4.5, 10.0
TURN_AWAY = 22.0


class PictureView(QWidget):
    """Emits what the person did, in px of the clip; draws what it is given.

    outlineDragged: while an outline is moved; outlineMoved: where it was left; subjectClicked: key, or "" beside all;
    drawn: an outline drawn around a new face; viewResized: the largest picture worth making.
    """

    outlineDragged = Signal(object)
    outlineMoved = Signal(object)
    subjectClicked = Signal(str)
    drawn = Signal(object)
    viewResized = Signal(int, int)
    zoomChanged = Signal(float)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setMinimumSize(320, 180)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName(tr("Picture"))
        self._image: QImage | None = None
        self._other: QImage | None = None
        self._clip_size = (16, 9)
        self._zoom: float | None = None
        self._pan = QPointF(0, 0)
        self._outlines: list[tuple[str, str, Outline, Outline, bool]] = []
        self._selected = ""
        self._quiet = False
        self._split = 0.5
        self._view = View.RESULT
        self._drag: dict | None = None
        self._drawing: Shape | None = None
        self._hint = ""
        self._hover = ""
        self._message = ""

    # What is shown

    def set_clip_size(self, width: int, height: int) -> None:
        if (width, height) != self._clip_size:
            self._clip_size = width, height
            self.fit()

    def set_picture(self, image: QImage | None, other: QImage | None = None) -> None:
        self._image, self._other = image, other
        self.update()

    def set_message(self, text: str) -> None:
        """A sentence instead of a picture."""
        self._message = text
        self.update()

    def set_view(self, view: View) -> None:
        self._view = view
        self.update()

    def set_outlines(self, outlines: list[tuple[str, str, Outline, Outline, bool]], selected: str) -> None:
        """outlines: (key, name, head, complete cover, covered) of everybody in this frame."""
        self._outlines, self._selected = outlines, selected
        self.update()

    def set_quiet(self, quiet: bool) -> None:
        """Without outlines: while playing."""
        if quiet != self._quiet:
            self._quiet = quiet
            self.update()

    def set_drawing(self, shape: Shape | None) -> None:
        """Draw an outline of a shape around somebody or something new with the next drag; None leaves it."""
        self._drawing = shape
        self.setCursor(Qt.CursorShape.CrossCursor if shape is not None else Qt.CursorShape.ArrowCursor)
        self.update()

    @property
    def is_drawing(self) -> bool:
        return self._drawing is not None

    def set_hint(self, text: str) -> None:
        """What is usually done next, said in the corner of the picture; empty for nothing."""
        if text != self._hint:
            self._hint = text
            self.update()

    # Zoom and pan

    @property
    def scale(self) -> float:
        """Screen px for one px of the clip."""
        width, height = self._clip_size
        return self._zoom or min(self.width() / width, self.height() / height)

    def fit(self) -> None:
        self._zoom, self._pan = None, QPointF(0, 0)
        self._zoomed()

    def zoom_at(self, point: QPointF, factor: float) -> None:
        """Zoom so that the px under the pointer stays under it."""
        before = self.to_clip(point)
        width, height = self._clip_size
        least = min(self.width() / width, self.height() / height)
        scale = max(least * 0.5, min(16.0, self.scale * factor))
        self._zoom = None if abs(scale - least) < 0.02 * least else scale
        if self._zoom is None:
            self._pan = QPointF(0, 0)
        else:
            moved = self.to_screen(before)
            self._pan += point - moved
        self._zoomed()

    def _zoomed(self) -> None:
        self.zoomChanged.emit(self.scale)
        self._tell_size()
        self.update()

    def _tell_size(self) -> None:
        ratio = self.devicePixelRatioF()
        width, height = self._clip_size
        self.viewResized.emit(math.ceil(width * self.scale * ratio), math.ceil(height * self.scale * ratio))

    def target(self) -> QRectF:
        """Where the whole picture lies on the widget."""
        width, height = self._clip_size[0] * self.scale, self._clip_size[1] * self.scale
        return QRectF((self.width() - width) / 2 + self._pan.x(), (self.height() - height) / 2 + self._pan.y(), width, height)

    def to_screen(self, point: QPointF) -> QPointF:
        area = self.target()
        return QPointF(area.x() + point.x() * self.scale, area.y() + point.y() * self.scale)

    def to_clip(self, point: QPointF) -> QPointF:
        area = self.target()
        return QPointF((point.x() - area.x()) / self.scale, (point.y() - area.y()) / self.scale)

    def resizeEvent(self, event) -> None:
        self._zoomed()

    # Drawing

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.WELL))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is None:
            painter.setPen(QColor(theme.QUIET))
            painter.drawText(self.rect().adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._message)
            return
        area = self.target()
        painter.drawImage(area, self._image)
        if self._view == View.SPLIT and self._other is not None:
            self._paint_split(painter, area)
        if not self._quiet and self._view != View.MATTE:
            self._paint_outlines(painter)
        if self._drag and self._drag["kind"] == "draw":
            self._paint_drawn(painter)
        if self._hint and not self._drag and not self._quiet:
            self._label(painter, QPointF(12, 12), self._hint)

    def _paint_split(self, painter, area) -> None:
        x = area.x() + area.width() * self._split
        painter.save()
        painter.setClipRect(QRectF(area.x(), area.y(), x - area.x(), area.height()))
        painter.drawImage(area, self._other)
        painter.restore()
        painter.setPen(QPen(QColor(theme.PAPER), 1.5))
        painter.drawLine(QPointF(x, area.y()), QPointF(x, area.bottom()))
        painter.setBrush(QColor(theme.PAPER))
        painter.drawRoundedRect(QRectF(x - 4, area.center().y() - 14, 8, 28), 4, 4)
        for text, left in (("source", x - 62), ("result", x + 10)):
            self._label(painter, QPointF(left, area.bottom() - 26), text)

    def _paint_outlines(self, painter) -> None:
        for key, name, head, cover, covered in self._outlines:
            if key == self._selected:
                continue
            colour = QColor(theme.PAPER if covered else theme.LILAC)
            colour.setAlpha(150 if key == self._hover else 90)
            pen = QPen(colour, 1.0)
            if not covered:
                pen.setDashPattern([2, 4])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(self._edge(head))
            if key == self._hover:
                self._label(painter, self._label_place(head), name)
        for key, name, head, cover, _ in self._outlines:
            if key == self._selected:
                self._paint_selected(painter, name, self._dragged(head), cover)

    def _dragged(self, head: Outline) -> Outline:
        return self._drag["now"] if self._drag and self._drag["kind"] != "draw" and "now" in self._drag else head

    def _paint_selected(self, painter, name, head, cover) -> None:
        outer = cover.on(head.place)
        pen = QPen(QColor(theme.PAPER), 1.0)
        pen.setDashPattern([4, 4])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen)
        painter.drawPath(self._edge(outer))
        painter.setPen(QPen(QColor(0, 0, 0, 120), 4.0))
        painter.drawPath(self._edge(head))
        painter.setPen(QPen(QColor(theme.LILAC), 2.0))
        painter.drawPath(self._edge(head))
        places = self._handles(head)
        painter.setPen(QPen(QColor(theme.LILAC), 1.5))
        painter.drawLine(places["top"], places["turn"])
        painter.setPen(QPen(QColor(theme.INK), 1.0))
        for kind, place in places.items():
            painter.setBrush(QColor(theme.LILAC if kind == "turn" else theme.PAPER))
            if kind == "turn":
                painter.drawEllipse(place, HANDLE, HANDLE)
            else:
                painter.drawRect(QRectF(place.x() - HANDLE + 0.5, place.y() - HANDLE + 0.5, 2 * HANDLE - 1, 2 * HANDLE - 1))
        self._label(painter, self._label_place(outer), name)

    def _label_place(self, outline: Outline) -> QPointF:
        """Beside an outline, on the side where there is room."""
        middle = self.to_screen(QPointF(outline.cx, outline.cy))
        half = outline.width * self.scale / 2
        x = middle.x() + half + 12
        if x > self.width() - 150:
            x = middle.x() - half - 150
        return QPointF(max(4, x), middle.y() - 12)

    def _label(self, painter, place: QPointF, text: str) -> None:
        painter.setFont(theme.font(12))
        width = painter.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(place.x(), place.y(), width, 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(25, 23, 22, 215))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(theme.PAPER))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_drawn(self, painter) -> None:
        painter.setPen(QPen(QColor(theme.LILAC), 2.0))
        painter.setBrush(QColor(167, 155, 200, 40))
        painter.drawPath(self._edge(self._drawn_outline(self._drag)))

    def _drawn_outline(self, drag: dict) -> Outline:
        """What a drag has drawn so far."""
        a, b = drag["from"], drag["to"]
        return Outline.at((a.x() + b.x()) / 2, (a.y() + b.y()) / 2, max(1.0, abs(a.x() - b.x())), max(1.0, abs(a.y() - b.y())), shape=self._drawing)

    def _edge(self, outline: Outline) -> QPainterPath:
        path = QPainterPath()
        path.addPolygon(QPolygonF([self.to_screen(QPointF(x, y)) for x, y in outline.edge_px().tolist()]))
        path.closeSubpath()
        return path

    def _handles(self, outline: Outline) -> dict[str, QPointF]:
        """Places of the handles on the widget; the one for turning stands off the top."""
        places = {name: self.to_screen(QPointF(*place)) for name, place in outline.handles_px().items()}
        middle, top = self.to_screen(QPointF(outline.cx, outline.cy)), places["top"]
        away = math.hypot(top.x() - middle.x(), top.y() - middle.y())
        places["turn"] = top + (top - middle) * (TURN_AWAY / max(away, 1e-6))
        return places

    def _selected_outline(self) -> Outline | None:
        return next((head for key, _, head, _, _ in self._outlines if key == self._selected), None)

    def _grip(self, point: QPointF) -> str:
        """The handle, or "move", under a point of the widget; empty when there is none."""
        outline = self._selected_outline()
        if outline is None or self._quiet:
            return ""
        for name, place in self._handles(outline).items():
            if math.hypot(place.x() - point.x(), place.y() - point.y()) <= REACH:
                return name
        return "move" if self._edge(outline).contains(point) else ""

    def _under(self, point: QPointF) -> str:
        for key, _, head, _, _ in reversed(self._outlines):
            if self._edge(head).contains(point):
                return key
        return ""

    # Mouse

    def mousePressEvent(self, event) -> None:
        point = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = {"kind": "pan", "at": point, "pan": QPointF(self._pan)}
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        if event.button() != Qt.MouseButton.LeftButton or self._image is None:
            return
        if self.is_drawing:
            here = self.to_clip(point)
            self._drag = {"kind": "draw", "from": here, "to": here}
            return
        area = self.target()
        if self._view == View.SPLIT and abs(point.x() - (area.x() + area.width() * self._split)) < 8:
            self._drag = {"kind": "split"}
            return
        grip = self._grip(point)
        if not grip or (grip == "move" and self._under(point) not in ("", self._selected)):
            key = self._under(point)
            self.subjectClicked.emit(key)
            grip = self._grip(point) if key else ""
        outline = self._selected_outline()
        if grip and outline is not None:
            self._drag = {"kind": grip, "at": self.to_clip(point), "start": outline}

    def mouseMoveEvent(self, event) -> None:
        point = event.position()
        drag = self._drag
        if drag is None:
            self._show_hover(point)
            return
        if drag["kind"] == "pan":
            self._pan = drag["pan"] + point - drag["at"]
            if self._zoom is None:
                self._zoom = self.scale
        elif drag["kind"] == "split":
            area = self.target()
            self._split = max(0.02, min(0.98, (point.x() - area.x()) / area.width()))
        elif drag["kind"] == "draw":
            drag["to"] = self.to_clip(point)
        else:
            here, keep = self.to_clip(point), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            drag["now"] = drag["start"].pulled(drag["kind"], (drag["at"].x(), drag["at"].y()), (here.x(), here.y()), keep)
            self.outlineDragged.emit(drag["now"])
        self.update()

    def mouseReleaseEvent(self, event) -> None:
        drag, self._drag = self._drag, None
        if drag is None:
            return
        if drag["kind"] == "draw":
            outline = self._drawn_outline(drag)
            if outline.width >= LEAST_PX and outline.height >= LEAST_PX:
                self.drawn.emit(outline)
        elif "now" in drag:
            self.outlineMoved.emit(drag["now"])
        self._show_hover(event.position())
        self.update()

    def cancel_drag(self) -> bool:
        """Leave a drag without a trace; true when there was one."""
        had = self._drag is not None
        if had and "now" in self._drag:
            self.outlineDragged.emit(None)
        self._drag = None
        self.update()
        return had

    def _show_hover(self, point: QPointF) -> None:
        grip = self._grip(point)
        shapes = {"move": Qt.CursorShape.SizeAllCursor, "turn": Qt.CursorShape.CrossCursor, "left": Qt.CursorShape.SizeHorCursor,
                  "right": Qt.CursorShape.SizeHorCursor, "top": Qt.CursorShape.SizeVerCursor, "bottom": Qt.CursorShape.SizeVerCursor}
        hover = self._under(point) if self._image is not None else ""
        if not self.is_drawing:
            self.setCursor(QCursor(shapes.get(grip, Qt.CursorShape.PointingHandCursor if hover else Qt.CursorShape.ArrowCursor)))
        if hover != self._hover:
            self._hover = hover
            self.update()

    def leaveEvent(self, event) -> None:
        self._hover = ""
        self.update()

    def wheelEvent(self, event) -> None:
        self.zoom_at(event.position(), 1.0015 ** event.angleDelta().y())
