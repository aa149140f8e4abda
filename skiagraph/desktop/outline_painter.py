"""How outlines, their handles and points, the way of one, and what is offered beside it are painted over the
picture."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from skiagraph.desktop import theme
from skiagraph.shape.shape import Outline

HANDLE, TURN_AWAY, SIDE_LEAST = 4.5, 22.0, 36.0
# Dots of a way are no nearer to each other than this, px on the screen.
DOTS_APART = 6.0
# Of points of an outline the ones that are chosen are this much larger.
CHOSEN = 2.0


@dataclass(frozen=True, slots=True)
class Seen:
    """Somebody in a frame: outline, the complete cover with its margin, and whether they are covered or in front of
    covers."""

    key: str
    name: str
    outline: Outline
    cover: Outline
    covered: bool
    in_front: bool = False


@dataclass(frozen=True, slots=True)
class Unknown:
    """Somebody unknown in a frame: what is said of them, where a cover would go, and whether a face was found in that
    very frame."""

    word: str
    outline: Outline
    found: bool


@dataclass(frozen=True, slots=True)
class Way:
    """Where the middle of the selected outline goes: (frame, x, y) px of the clip each, and of those the frames with a
    keyframe."""

    steps: tuple[tuple[int, float, float], ...] = ()
    keyframes: tuple[int, ...] = ()
    now: int = 0


class OutlinePainter:
    """to_screen: from px of the clip to the widget."""

    def __init__(self, painter: QPainter, to_screen: Callable[[QPointF], QPointF]):
        self._painter, self._to_screen = painter, to_screen

    def edge(self, outline: Outline) -> QPainterPath:
        return edge_path(outline, self._to_screen)

    def quiet(self, seen: Seen, hovered: bool) -> None:
        """The hairline of somebody who is not selected: light on dark, so that it is seen on any picture."""
        path = self.edge(seen.outline)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        self._painter.setPen(QPen(QColor(0, 0, 0, 90), 2.5))
        self._painter.drawPath(path)
        colour = QColor(theme.PAPER if seen.covered else theme.VERDIGRIS if seen.in_front else theme.LILAC)
        colour.setAlpha(190 if hovered else 120)
        pen = QPen(colour, 1.0)
        if seen.in_front:
            pen.setDashPattern([6, 3])
        elif not seen.covered:
            pen.setDashPattern([2, 4])
        self._painter.setPen(pen)
        self._painter.drawPath(path)

    def selected(
        self, seen: Seen, outline: Outline, handles: dict[str, QPointF], points: list[tuple[QPointF, bool, bool]]
    ) -> None:
        """The selected outline, dragged perhaps, with its handles; points: place, smooth, chosen."""
        painter = self._painter
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if not seen.in_front:
            self._dashed(self.edge(seen.cover.on(outline.place)), QColor(theme.PAPER), [4, 4])
        path = self.edge(outline)
        painter.setPen(QPen(QColor(0, 0, 0, 120), 4.0))
        painter.drawPath(path)
        painter.setPen(QPen(QColor(theme.VERDIGRIS if seen.in_front else theme.LILAC), 2.0))
        painter.drawPath(path)
        if "turn" in handles:
            painter.setPen(QPen(QColor(theme.LILAC), 1.5))
            painter.drawLine(self._to_screen(QPointF(*outline.handles_px()["top"])), handles["turn"])
        painter.setPen(QPen(QColor(theme.INK), 1.0))
        for name, place in handles.items():
            painter.setBrush(QColor(theme.LILAC if name == "turn" else theme.PAPER))
            if name == "turn":
                painter.drawEllipse(place, HANDLE, HANDLE)
            elif name != "top" or not points:
                painter.drawRect(
                    QRectF(place.x() - HANDLE + 0.5, place.y() - HANDLE + 0.5, 2 * HANDLE - 1, 2 * HANDLE - 1)
                )
        for place, smooth, chosen in points:
            self._point(place, smooth, chosen)

    def _point(self, place: QPointF, smooth: bool, chosen: bool) -> None:
        size = HANDLE - 0.5 + (CHOSEN if chosen else 0)
        self._painter.setPen(QPen(QColor(theme.INK), 1.0))
        self._painter.setBrush(QColor(theme.OCHRE if chosen else theme.PAPER))
        if smooth:
            self._painter.drawEllipse(place, size, size)
        else:
            self._painter.drawPolygon(
                QPolygonF(
                    [
                        place + QPointF(0, -size - 1),
                        place + QPointF(size + 1, 0),
                        place + QPointF(0, size + 1),
                        place + QPointF(-size - 1, 0),
                    ]
                )
            )

    def _dashed(self, path: QPainterPath, colour: QColor, dashes: list[float], width: float = 1.0) -> None:
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        self._painter.setPen(QPen(QColor(0, 0, 0, 110), width + 1.5))
        self._painter.drawPath(path)
        pen = QPen(colour, width)
        pen.setDashPattern(dashes)
        self._painter.setPen(pen)
        self._painter.drawPath(path)

    def ghost(self, outline: Outline) -> None:
        """Where the selected was seen last, in a frame in which it has no cover."""
        self._dashed(self.edge(outline), QColor(theme.OCHRE), [3, 3], 2.0)

    def unknown(self, unknown: Unknown) -> None:
        """Where a face belongs to nobody; with longer gaps where it was found only in frames nearby."""
        self._dashed(self.edge(unknown.outline), QColor(theme.MADDER), [5, 2] if unknown.found else [2, 4], 2.0)

    def way(self, way: Way) -> None:
        """Dots from frame to frame, and the keyframes on it."""
        painter = self._painter
        painter.setPen(Qt.PenStyle.NoPen)
        last = None
        for frame, x, y in way.steps:
            place = self._to_screen(QPointF(x, y))
            if last is not None and math.hypot(place.x() - last.x(), place.y() - last.y()) < DOTS_APART:
                continue
            last = place
            painter.setBrush(QColor(0, 0, 0, 120))
            painter.drawEllipse(place, 2.2, 2.2)
            painter.setBrush(QColor(233, 227, 217, 230 if frame == way.now else 150))
            painter.drawEllipse(place, 1.3, 1.3)
        painter.setPen(QPen(QColor(theme.INK), 1.0))
        for frame, x, y in way.steps:
            if frame in way.keyframes and frame != way.now:
                place = self._to_screen(QPointF(x, y))
                painter.setBrush(QColor(theme.LILAC))
                painter.drawPolygon(
                    QPolygonF(
                        [place + QPointF(0, -5), place + QPointF(5, 0), place + QPointF(0, 5), place + QPointF(-5, 0)]
                    )
                )

    def drawn(self, path: QPainterPath, closing: QPointF | None, points: list[QPointF]) -> None:
        """What is being drawn; closing: the point that ends it when it is clicked."""
        self._painter.setPen(QPen(QColor(0, 0, 0, 120), 4.0))
        self._painter.setBrush(QColor(167, 155, 200, 40))
        self._painter.drawPath(path)
        self._painter.setPen(QPen(QColor(theme.LILAC), 2.0))
        self._painter.drawPath(path)
        for place in points:
            self._point(place, True, place is closing)

    def label(self, place: QPointF, text: str, colour: str = theme.PAPER) -> QRectF:
        """A few words on a dark plate; returns where it lies."""
        painter = self._painter
        painter.setFont(theme.font(12))
        box = QRectF(place.x(), place.y(), painter.fontMetrics().horizontalAdvance(text) + 16, 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(25, 23, 22, 225))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(colour))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        return box

    def offer(self, place: QPointF, text: str, key: str, first: bool, hovered: bool) -> QRectF:
        """A button in the picture, with its key."""
        painter = self._painter
        painter.setFont(theme.font(12))
        wide = painter.fontMetrics().horizontalAdvance(text)
        key_wide = painter.fontMetrics().horizontalAdvance(key) + 10 if key else 0
        box = QRectF(place.x(), place.y(), wide + key_wide + 20, 26)
        painter.setPen(QPen(QColor(theme.VERDIGRIS if first or hovered else theme.ASH), 1))
        painter.setBrush(QColor(63, 133, 115, 245) if first and not hovered else QColor(44, 41, 39, 245))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(theme.PAPER))
        painter.drawText(box.adjusted(10, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)
        if key:
            painter.setPen(QColor(233, 227, 217, 170))
            painter.drawText(
                box.adjusted(0, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, key
            )
        return box


def edge_path(outline: Outline, to_screen: Callable[[QPointF], QPointF]) -> QPainterPath:
    path = QPainterPath()
    path.addPolygon(QPolygonF([to_screen(QPointF(x, y)) for x, y in outline.edge_px().tolist()]))
    path.closeSubpath()
    return path


def handle_places(outline: Outline, to_screen: Callable[[QPointF], QPointF]) -> dict[str, QPointF]:
    """Places of the handles on the widget; the one for turning stands off the top."""
    places = {name: to_screen(QPointF(*place)) for name, place in outline.handles_px().items()}
    middle, top = to_screen(QPointF(outline.cx, outline.cy)), places["top"]
    away = math.hypot(top.x() - middle.x(), top.y() - middle.y())
    if "top left" in places:
        # On a small box the handles of the sides are in the way of those of the corners.
        for sides, a, b in (
            (("top", "bottom"), "top left", "top right"),
            (("left", "right"), "top left", "bottom left"),
        ):
            if math.hypot(places[a].x() - places[b].x(), places[a].y() - places[b].y()) < SIDE_LEAST:
                for side in sides:
                    places.pop(side)
    places["turn"] = top + (top - middle) * (TURN_AWAY / max(away, 1e-6))
    return places
