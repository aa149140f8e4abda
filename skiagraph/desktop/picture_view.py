"""The picture: result, source, split or matte, zoomed and panned, with outlines and handles drawn over it."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QCursor, QImage, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.outline_painter import OutlinePainter, Seen, Unknown, Way, edge_path, handle_places
from skiagraph.desktop.session import Outlines, View
from skiagraph.desktop.words import tr
from skiagraph.desktop.zoomed import Zoomed
from skiagraph.shape.pointed import (
    LEAST_POINTS,
    nearest_line,
    simplified,
    with_point_added,
    with_point_moved,
    with_points_turned,
)
from skiagraph.shape.shape import CORNERS, LEAST_PX, Outline, Shape
from skiagraph.shape.written import outline_through

REACH = 10.0
# A drag of more than this many px on the screen draws freely; less is a click that sets a point.
FREELY = 14.0
# So near to the edge of an outline a double click adds a point, px on the screen.
ON_EDGE = 7.0
# What is said and offered beside an outline has room for so many px, and of somebody unknown, which is shorter.
LABEL, UNKNOWN_LABEL = 170.0, 132.0


class PictureView(Zoomed):
    """Emits what the person did, in px of the clip; draws what it is given.

    outlineDragged: while an outline is moved; outlineMoved: where it was left; subjectClicked: key, or "" beside all;
    drawing: while an outline is drawn; drawn: an outline drawn around somebody or something; wayMoved: (frame, x, y) of
    a keyframe pulled to another place; ghostDragged, ghostDropped: the ghost of an outline put where it is seen again;
    offerPressed: the name of what was offered; unknownPressed: the number of somebody unknown who is to be covered.
    """

    outlineDragged = Signal(object)
    outlineMoved = Signal(object)
    subjectClicked = Signal(str)
    drawing = Signal(object)
    drawn = Signal(object)
    wayMoved = Signal(int, float, float)
    ghostDropped = Signal(object)
    offerPressed = Signal(str)
    unknownPressed = Signal(int)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setMinimumSize(320, 180)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName(tr("Picture"))
        self._image: QImage | None = None
        self._other: QImage | None = None
        self._outlines: list[Seen] = []
        self._selected = ""
        self._way, self._ghost = Way(), None
        self._shown = Outlines.ALL
        self._quiet = False
        self._split, self._other_name = 0.5, ""
        self._view = View.RESULT
        self._drag: dict | None = None
        self._drawing: Shape | None = None
        # Points set so far of an outline that is drawn point by point, and where the pointer is.
        self._set: list[QPointF] = []
        self._pointer = QPointF()
        self._chosen: frozenset[int] = frozenset()
        self._hint, self._hint_colour = "", theme.PAPER
        self._offers: list[tuple[str, str, str]] = []
        self._offer_places: list[tuple[QRectF, str]] = []
        self._unknown: list[Unknown] = []
        self._unknown_places: list[QRectF] = []
        self._hover = ""
        self._message = ""

    # What is shown

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

    def set_other_name(self, name: str) -> None:
        """What stands beside the result in the split view; empty for the source."""
        self._other_name = name
        self.update()

    def set_outlines(self, outlines: list[Seen], selected: str, way: Way = Way(), ghost: Outline | None = None) -> None:
        """outlines: of everybody in this frame; way: of the selected; ghost: where the selected was seen last, in a
        frame in which it has no cover."""
        if selected != self._selected:
            self._chosen = frozenset()
        self._outlines, self._selected, self._way, self._ghost = outlines, selected, way, ghost
        self._chosen = frozenset(n for n in self._chosen if n < len(self._points()))
        self.update()

    def set_shown(self, shown: Outlines) -> None:
        """Which outlines are drawn: of all, of the selected, of none."""
        self._shown = shown
        self.update()

    def set_quiet(self, quiet: bool) -> None:
        """Without outlines: while playing."""
        if quiet != self._quiet:
            self._quiet = quiet
            self.update()

    def set_drawing(self, shape: Shape | None) -> None:
        """Draw an outline of a shape around somebody or something new: with the next drag, or point by point where the
        shape has points. None leaves it."""
        self._drawing, self._set = shape, []
        self.setCursor(Qt.CursorShape.CrossCursor if shape is not None else Qt.CursorShape.ArrowCursor)
        if shape is not None:
            self.setFocus()
        self.update()

    @property
    def is_drawing(self) -> bool:
        return self._drawing is not None

    @property
    def is_dragging_outline(self) -> bool:
        """True while an outline is pulled, so that its reach can be chosen by key."""
        return self._drag is not None and self._drag["kind"] not in ("draw", "pan", "split", "band", "way", "ghost")

    @property
    def chosen_points(self) -> frozenset[int]:
        """Numbers of the points of the selected outline that are chosen."""
        return self._chosen

    def redrag(self) -> None:
        """Tell of the drag under way again: what it applies to has changed."""
        if self._drag is not None and "now" in self._drag:
            self.outlineDragged.emit(self._drag["now"])

    def set_hint(self, text: str, colour: str = theme.PAPER) -> None:
        """What is usually done next, or what is to be known, said in the corner of the picture; empty for nothing."""
        if (text, colour) != (self._hint, self._hint_colour):
            self._hint, self._hint_colour = text, colour
            self.update()

    def set_offers(self, offers: list[tuple[str, str, str]]) -> None:
        """What is usually next, offered beside the selected outline: (name, text, key) each."""
        if offers != self._offers:
            self._offers = offers
            self.update()

    def set_unknown(self, unknown: list[Unknown]) -> None:
        """Whoever is in this frame and belongs to nobody."""
        if unknown or self._unknown:
            self._unknown = unknown
            self.update()

    # Painting

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.WELL))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is None:
            painter.setPen(QColor(theme.QUIET))
            painter.drawText(
                self.rect().adjusted(40, 0, -40, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self._message,
            )
            return
        area, ink = self.target(), OutlinePainter(painter, self.to_screen)
        painter.drawImage(area, self._image)
        if self._view == View.SPLIT and self._other is not None:
            self._paint_split(painter, ink, area)
        self._offer_places, self._unknown_places = [], []
        if not self._quiet and self._view != View.MATTE and self._shown != Outlines.NONE:
            self._paint_outlines(painter, ink)
        if self.is_drawing:
            self._paint_drawn(ink)
        if self._drag and self._drag["kind"] == "band":
            painter.setPen(QPen(QColor(theme.OCHRE), 1.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self._drag["press"], self._pointer).normalized())
        if self._hint and not self._quiet:
            ink.label(QPointF(12, 12), self._hint, self._hint_colour)

    def _paint_split(self, painter, ink, area) -> None:
        x = area.x() + area.width() * self._split
        painter.save()
        painter.setClipRect(QRectF(area.x(), area.y(), x - area.x(), area.height()))
        painter.drawImage(area, self._other)
        painter.restore()
        painter.setPen(QPen(QColor(theme.PAPER), 1.5))
        painter.drawLine(QPointF(x, area.y()), QPointF(x, area.bottom()))
        painter.setBrush(QColor(theme.PAPER))
        painter.drawRoundedRect(QRectF(x - 4, area.center().y() - 14, 8, 28), 4, 4)
        text = self._other_name or tr("source")
        ink.label(QPointF(x - 14 - painter.fontMetrics().horizontalAdvance(text) - 8, area.bottom() - 26), text)
        ink.label(QPointF(x + 10, area.bottom() - 26), tr("result"))

    def _paint_outlines(self, painter, ink: OutlinePainter) -> None:
        for seen in self._outlines:
            if seen.key == self._selected or self._shown != Outlines.ALL:
                continue
            ink.quiet(seen, seen.key == self._hover)
            if seen.key == self._hover:
                ink.label(self._label_place(seen.outline), seen.name)
        self_seen = self._selected_seen()
        if self_seen is not None:
            outline = self._dragged(self_seen.outline)
            ink.way(self._way)
            points = [
                (self.to_screen(QPointF(x, y)), p.smooth, n in self._chosen)
                for n, (p, (x, y)) in enumerate(zip(outline.shape.points(), self._points_px(outline)))
            ]
            ink.selected(self_seen, outline, self._handles(outline), points)
            if self._drag and self._drag["kind"] == "way":
                painter.setBrush(QColor(theme.LILAC))
                painter.drawEllipse(self._pointer, 5, 5)
            place = self._label_place(self_seen.cover.on(outline.place))
            ink.label(place, self_seen.name)
            if not self._drag and not self.is_drawing:
                self._paint_offers(ink, place + QPointF(0, 30))
        elif self._ghost is not None:
            ghost = (
                self._drag["now"]
                if self._drag and self._drag["kind"] == "ghost" and "now" in self._drag
                else self._ghost
            )
            ink.ghost(ghost)
            if not self._drag:
                self._paint_offers(ink, self._label_place(ghost))
        for unknown in self._unknown:
            ink.unknown(unknown)
            place = self._label_place(unknown.outline, UNKNOWN_LABEL)
            ink.label(place - QPointF(0, 14), unknown.word)
            button = place + QPointF(0, 14)
            self._unknown_places.append(
                ink.offer(
                    button,
                    tr("Cover it"),
                    "Shift+A",
                    False,
                    QRectF(button.x(), button.y(), UNKNOWN_LABEL - 12, 26).contains(self._pointer),
                )
            )

    def _paint_offers(self, ink: OutlinePainter, place: QPointF) -> None:
        top = max(4.0, min(place.y(), self.height() - 30.0 * len(self._offers)))
        for n, (name, text, key) in enumerate(self._offers):
            box = QRectF(place.x(), top + 30 * n, 0, 26)
            hovered = any(
                known == name and place_.contains(self._pointer) for place_, known in self._offer_places
            ) or QRectF(box.x(), box.y(), 150, 26).contains(self._pointer)
            self._offer_places.append((ink.offer(box.topLeft(), text, key, n == 0, hovered), name))

    def _dragged(self, outline: Outline) -> Outline:
        return (
            self._drag["now"]
            if self._drag and self._drag["kind"] not in ("draw", "ghost", "way") and "now" in self._drag
            else outline
        )

    def _label_place(self, outline: Outline, wide: float = LABEL) -> QPointF:
        """Beside an outline, on the side where there is room for what is so wide."""
        x0, y0, x1, y1 = outline.box()
        left, right = self.to_screen(QPointF(x0, y0)), self.to_screen(QPointF(x1, y1))
        x = right.x() + 12
        if x > self.width() - wide:
            x = left.x() - wide
        return QPointF(
            max(4.0, min(x, self.width() - wide)), max(4.0, min((left.y() + right.y()) / 2 - 12, self.height() - 60.0))
        )

    def _paint_drawn(self, ink: OutlinePainter) -> None:
        if self._drag and self._drag["kind"] == "draw" and not self._is_pointed:
            ink.drawn(edge_path(self._drawn_outline(self._drag), self.to_screen), None, [])
        elif self._is_pointed and (self._set or self._drag):
            free = self._drag["free"] if self._drag and self._drag["kind"] == "draw" else []
            line = [self.to_screen(p) for p in [*self._set, *free]]
            path = QPainterPath()
            path.addPolygon(QPolygonF([*line, *([] if free else [self._pointer])]))
            closing = line[0] if self._may_close(self._pointer) and line else None
            ink.drawn(
                path,
                closing,
                [closing if closing is not None and n == 0 else self.to_screen(p) for n, p in enumerate(self._set)],
            )

    @property
    def _is_pointed(self) -> bool:
        return self._drawing is not None and self._drawing.kind in ("polygon", "curve")

    def _drawn_outline(self, drag: dict) -> Outline:
        """What a drag has drawn so far."""
        return Outline.between(drag["from"].toTuple(), drag["to"].toTuple(), self._drawing)

    # What is under the pointer

    def _selected_seen(self) -> Seen | None:
        return next((seen for seen in self._outlines if seen.key == self._selected), None)

    def _points(self) -> tuple:
        seen = self._selected_seen()
        return seen.outline.shape.points() if seen else ()

    def _points_px(self, outline: Outline) -> list[tuple[float, float]]:
        points = outline.shape.points()
        return outline.place.to_px(np.array([(p.u, p.v) for p in points])).tolist() if points else []

    def _handles(self, outline: Outline) -> dict[str, QPointF]:
        return handle_places(outline, self.to_screen)

    def _grip(self, point: QPointF) -> str:
        """The handle, "point N", or "move", under a point of the widget; empty when there is none."""
        seen = self._selected_seen()
        if seen is None or self._quiet or self._shown == Outlines.NONE:
            return ""
        for n, (x, y) in enumerate(self._points_px(seen.outline)):
            if _near(self.to_screen(QPointF(x, y)), point):
                return f"point {n}"
        for name, place in self._handles(seen.outline).items():
            if _near(place, point) and not (name == "top" and self._points()):
                return name
        return "move" if edge_path(seen.outline, self.to_screen).contains(point) else ""

    def _way_at(self, point: QPointF) -> int | None:
        """A keyframe of the selected outline's way under a point of the widget."""
        if self._quiet or self._shown == Outlines.NONE or self._selected_seen() is None:
            return None
        way = self._way
        others = (step for step in way.steps if step[0] in way.keyframes and step[0] != way.now)
        return next((frame for frame, x, y in others if _near(self.to_screen(QPointF(x, y)), point, 7.0)), None)

    def _under(self, point: QPointF) -> str:
        if self._shown == Outlines.NONE:
            return ""
        return next(
            (seen.key for seen in reversed(self._outlines) if edge_path(seen.outline, self.to_screen).contains(point)),
            "",
        )

    def _may_close(self, point: QPointF) -> bool:
        return len(self._set) >= LEAST_POINTS and _near(self.to_screen(self._set[0]), point)

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
            self._drag = {"kind": "draw", "press": point, "from": here, "to": here, "free": []}
            return
        offered = next((name for place, name in self._offer_places if place.contains(point)), None)
        if offered is not None:
            self.offerPressed.emit(offered)
            return
        unknown = next((n for n, place in enumerate(self._unknown_places) if place.contains(point)), None)
        if unknown is not None:
            self.unknownPressed.emit(unknown)
            return
        area = self.target()
        if self._view == View.SPLIT and abs(point.x() - (area.x() + area.width() * self._split)) < 8:
            self._drag = {"kind": "split"}
            return
        frame = self._way_at(point)
        grip = self._grip(point)
        if frame is not None and (not grip or grip == "move"):
            self._drag = {"kind": "way", "frame": frame}
            return
        if (
            self._ghost is not None
            and self._selected_seen() is None
            and edge_path(self._ghost, self.to_screen).contains(point)
        ):
            self._drag = {"kind": "ghost", "at": self.to_clip(point), "start": self._ghost}
            return
        if self._points() and event.modifiers() & Qt.KeyboardModifier.ShiftModifier and not grip.startswith("point"):
            self._drag = {"kind": "band", "press": point}
            self._pointer = point
            return
        self._press_on_outline(event, point, grip)

    def _press_on_outline(self, event, point: QPointF, grip: str) -> None:
        if not grip or (grip == "move" and self._under(point) not in ("", self._selected)):
            key = self._under(point)
            self.subjectClicked.emit(key)
            grip = self._grip(point) if key else ""
        seen = self._selected_seen()
        if not grip or seen is None:
            return
        if grip.startswith("point"):
            number = int(grip[6:])
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._chosen = self._chosen ^ {number}
            elif number not in self._chosen:
                self._chosen = frozenset({number})
        elif grip in CORNERS and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            grip = f"pin {grip}"
        self._drag = {"kind": grip, "at": self.to_clip(point), "start": seen.outline}
        self.update()

    def mouseMoveEvent(self, event) -> None:
        self._pointer = point = event.position()
        drag = self._drag
        if drag is None:
            if self.is_drawing or self._offers or self._unknown:
                self.update()
            self._show_hover(point)
            return
        here = self.to_clip(point)
        if drag["kind"] == "pan":
            self._pan = drag["pan"] + point - drag["at"]
            if self._zoom is None:
                self._zoom = self.scale
        elif drag["kind"] == "split":
            area = self.target()
            self._split = max(0.02, min(0.98, (point.x() - area.x()) / area.width()))
        elif drag["kind"] == "draw":
            self._draw_on(drag, point, here)
        elif drag["kind"] == "ghost":
            drag["now"] = drag["start"].pulled("move", (drag["at"].x(), drag["at"].y()), (here.x(), here.y()))
        elif drag["kind"] not in ("way", "band"):
            keep = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            drag["now"] = self._pulled(drag, here, keep)
            self.outlineDragged.emit(drag["now"])
        self.update()

    def _draw_on(self, drag: dict, point: QPointF, here: QPointF) -> None:
        drag["to"] = here
        if self._is_pointed:
            if drag["free"] or math.hypot(point.x() - drag["press"].x(), point.y() - drag["press"].y()) > FREELY:
                drag["free"] = [*(drag["free"] or [drag["from"]]), here]
        else:
            self.drawing.emit(self._drawn_outline(drag))

    def _pulled(self, drag: dict, here: QPointF, keep: bool) -> Outline:
        """The outline as the drag has it: its chosen points moved, or all of it."""
        start = drag["start"]
        if not drag["kind"].startswith("point"):
            return start.pulled(drag["kind"], (drag["at"].x(), drag["at"].y()), (here.x(), here.y()), keep)
        x, y = (np.array([a, b], float) for a, b in ((drag["at"].x(), here.x()), (drag["at"].y(), here.y())))
        u, v = start.place.to_unit(x, y)
        shape = with_point_moved(start.shape, self._chosen, float(u[1] - u[0]), float(v[1] - v[0]))
        return Outline(start.place, shape, start.grown, start.confidence, start.origin)

    def mouseReleaseEvent(self, event) -> None:
        drag, self._drag = self._drag, None
        if drag is None:
            return
        if drag["kind"] == "draw":
            self._end_draw(drag, event.position())
        elif drag["kind"] == "band":
            self._choose_in(QRectF(drag["press"], event.position()).normalized())
        elif drag["kind"] == "way":
            here = self.to_clip(event.position())
            self.wayMoved.emit(drag["frame"], here.x(), here.y())
        elif drag["kind"] == "ghost":
            self.ghostDropped.emit(drag.get("now", drag["start"]))
        elif "now" in drag:
            self.outlineMoved.emit(drag["now"])
        self._show_hover(event.position())
        self.update()

    def _end_draw(self, drag: dict, point: QPointF) -> None:
        if self._is_pointed:
            if drag["free"]:
                around = simplified(np.array([(p.x(), p.y()) for p in [*self._set, *drag["free"]]]))
                self._finish([QPointF(x, y) for x, y in around])
            elif self._may_close(point):
                self.finish_drawing()
            elif not self._set or not _near(self.to_screen(self._set[-1]), point, 3.0):
                self._set = [*self._set, drag["from"]]
            return
        outline = self._drawn_outline(drag)
        if outline.width >= LEAST_PX and outline.height >= LEAST_PX:
            self.drawn.emit(outline)

    def finish_drawing(self) -> bool:
        """Close what is drawn point by point; true when there was enough of it."""
        return self._is_pointed and self._finish(self._set)

    def _finish(self, points: list[QPointF]) -> bool:
        around = np.array([(p.x(), p.y()) for p in points])
        if len(points) < LEAST_POINTS or np.ptp(around, axis=0).max() < LEAST_PX:
            return False
        self._set = []
        self.drawn.emit(outline_through(around, self._drawing.kind))
        return True

    def _choose_in(self, band: QRectF) -> None:
        seen = self._selected_seen()
        inside = (
            {
                n
                for n, (x, y) in enumerate(self._points_px(seen.outline))
                if band.contains(self.to_screen(QPointF(x, y)))
            }
            if seen
            else set()
        )
        self._chosen = frozenset(inside)

    def mouseDoubleClickEvent(self, event) -> None:
        """On a point: smooth or a corner. On the edge: a point more."""
        seen, point = self._selected_seen(), event.position()
        if self.is_drawing or seen is None or not self._points() or event.button() != Qt.MouseButton.LeftButton:
            self.mousePressEvent(event)
            return
        self._drag = None
        grip = self._grip(point)
        if grip.startswith("point"):
            self._reshape(seen.outline, with_points_turned(seen.outline.shape, [int(grip[6:])]))
            return
        here = self.to_clip(point)
        u, v = (float(a[0]) for a in seen.outline.place.to_unit(np.array([here.x()]), np.array([here.y()])))
        after, away = nearest_line(seen.outline.shape, u, v)
        if away * min(seen.outline.width, seen.outline.height) / 2 * self.scale <= ON_EDGE:
            self._chosen = frozenset({after + 1})
            self._reshape(seen.outline, with_point_added(seen.outline.shape, after, u, v))

    def _reshape(self, outline: Outline, shape: Shape) -> None:
        self.outlineMoved.emit(Outline(outline.place, shape, outline.grown, outline.confidence, outline.origin))

    def keyPressEvent(self, event) -> None:
        if self.is_drawing and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish_drawing()
        elif self.is_drawing and self._set and event.key() == Qt.Key.Key_Backspace:
            self._set = self._set[:-1]
            self.update()
        else:
            super().keyPressEvent(event)

    def cancel_drag(self) -> bool:
        """Leave a drag, or points set so far, without a trace; true when there was something to leave."""
        had = self._drag is not None or bool(self._set) or bool(self._chosen)
        if self._drag is not None and "now" in self._drag:
            self.outlineDragged.emit(None)
        if self._drag is None and not self._set:
            self._chosen = frozenset()
        self._drag, self._set = None, []
        self.update()
        return had

    def _show_hover(self, point: QPointF) -> None:
        grip = self._grip(point)
        shapes = {
            "move": Qt.CursorShape.SizeAllCursor,
            "turn": Qt.CursorShape.CrossCursor,
            "left": Qt.CursorShape.SizeHorCursor,
            "right": Qt.CursorShape.SizeHorCursor,
            "top": Qt.CursorShape.SizeVerCursor,
            "bottom": Qt.CursorShape.SizeVerCursor,
        }
        hover = self._under(point) if self._image is not None else ""
        offered = any(place.contains(point) for place, _ in self._offer_places)
        if not self.is_drawing:
            shape = (
                Qt.CursorShape.PointingHandCursor
                if offered or grip.startswith("point") or self._way_at(point) is not None or hover
                else Qt.CursorShape.ArrowCursor
            )
            self.setCursor(QCursor(shape if offered else shapes.get(grip, shape)))
        if hover != self._hover:
            self._hover = hover
            self.update()

    def leaveEvent(self, event) -> None:
        self._hover = ""
        self.update()


def _near(a: QPointF, b: QPointF, reach: float = REACH) -> bool:
    return math.hypot(a.x() - b.x(), a.y() - b.y()) <= reach
