"""How lanes, ruler and attention strip are painted: state in pattern and tone, so that it reads without colour."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPainterPath, QPen, QPolygonF

from skiagraph.desktop import theme
from skiagraph.review.lanes import Attention, Lane, LaneState
from skiagraph.timecode import Timecode

BAR = 18


class TimeScale:
    """Frames to px: frames first .. last (float, for zooming) over x from left over width px."""

    def __init__(self, left: float, width: float, first: float, last: float):
        self.left, self.width, self.first = left, width, first
        self.per_frame = width / max(last - first, 1e-6)

    def x(self, frame: float) -> float:
        return self.left + (frame - self.first) * self.per_frame

    def frame(self, x: float) -> float:
        return self.first + (x - self.left) / self.per_frame


def paint_lane(painter: QPainter, lane: Lane, scale: TimeScale, middle: float) -> None:
    """One lane around the row's middle."""
    top = middle - BAR / 2
    for stretch in lane.parts:
        box = QRectF(scale.x(stretch.first), top, max(2.0, scale.x(stretch.last + 1) - scale.x(stretch.first)), BAR)
        if stretch.state == LaneState.COVERED:
            painter.fillRect(box, QColor("#3F8573"))
        elif stretch.state == LaneState.UNSURE:
            _hatched(painter, box)
        elif stretch.state == LaneState.EXPOSED:
            _exposed(painter, box)
        elif stretch.state == LaneState.IN_FRONT:
            pen = QPen(QColor(theme.VERDIGRIS), 1.5)
            pen.setDashPattern([4, 2])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(1, 3, -1, -3), 3, 3)
        else:
            pen = QPen(QColor(theme.LILAC), 2)
            pen.setDashPattern([1, 2.5])
            painter.setPen(pen)
            painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
    if any(s.state in (LaneState.COVERED, LaneState.UNSURE) for s in lane.parts):
        for first, sure in lane.ribbons:
            _ribbon(painter, first, sure, scale, top)
    for _, first, last in lane.repairs:
        _extent(painter, scale.x(first + 0.5), scale.x(last + 0.5), top)
    for frame in lane.keyframes:
        _notch(painter, scale.x(frame + 0.5), top)


def _hatched(painter: QPainter, box: QRectF) -> None:
    painter.fillRect(box, QColor("#3A2F19"))
    painter.save()
    painter.setClipRect(box, Qt.ClipOperation.IntersectClip)
    painter.setPen(QPen(QColor(theme.OCHRE), 2))
    x = box.left() - BAR - box.left() % 7
    while x < box.right() + BAR:
        painter.drawLine(QPointF(x, box.bottom()), QPointF(x + BAR, box.top()))
        x += 7
    painter.restore()


def _exposed(painter: QPainter, box: QRectF) -> None:
    painter.fillRect(box, QColor(theme.INK))
    painter.setPen(QPen(QColor(theme.MADDER), 2))
    for x in (box.left() + 1, box.right() - 1):
        painter.drawLine(QPointF(x, box.top() - 1), QPointF(x, box.bottom() + 1))
    if box.width() > 8:
        pen = QPen(QColor(theme.MADDER), 1)
        pen.setDashPattern([1, 3])
        painter.setPen(pen)
        painter.drawLine(QPointF(box.left() + 3, box.center().y()), QPointF(box.right() - 3, box.center().y()))


def _ribbon(painter: QPainter, first: int, sure: np.ndarray, scale: TimeScale, top: float) -> None:
    """A hairline: high where the path is sure. One point for each px is enough."""
    step = max(1, int(1.5 / max(scale.per_frame, 1e-6)))
    line = QPolygonF()
    for n in range(0, len(sure), step):
        value = float(sure[n : n + step].min())
        line.append(QPointF(scale.x(first + n + 0.5), top + BAR - 3 - value * (BAR - 6)))
    painter.setPen(QPen(QColor(233, 227, 217, 150), 1))
    painter.drawPolyline(line)


def _extent(painter: QPainter, left: float, right: float, top: float) -> None:
    """How far a correction reaches: a bracket at the foot of the bar, whose ends can be pulled."""
    foot = top + BAR + 1
    painter.setPen(QPen(QColor(theme.PAPER), 1.5))
    painter.drawLine(QPointF(left, foot), QPointF(right, foot))
    for x in (left, right):
        painter.drawLine(QPointF(x, foot), QPointF(x, foot - 5))


def _notch(painter: QPainter, x: float, top: float) -> None:
    path = QPainterPath()
    path.addPolygon(
        QPolygonF(
            [
                QPointF(x - 4, top - 4),
                QPointF(x + 4, top - 4),
                QPointF(x + 4, top + 4),
                QPointF(x, top + 9),
                QPointF(x - 4, top + 4),
            ]
        )
    )
    path.closeSubpath()
    painter.setPen(QPen(QColor(theme.INK), 1))
    painter.setBrush(QColor(theme.PAPER))
    painter.drawPath(path)


def paint_face(painter: QPainter, image: QImage | None, box: QRectF) -> None:
    """A portrait with round corners; a plain field where there is none yet."""
    path = QPainterPath()
    path.addRoundedRect(box, 4, 4)
    if image is None:
        painter.fillPath(path, QColor(theme.ASH))
        return
    painter.save()
    painter.setClipPath(path, Qt.ClipOperation.IntersectClip)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(box, image)
    painter.restore()


def paint_badge(painter: QPainter, lane: Lane, box: QRectF) -> None:
    """How many findings are open, and in red whether somebody may be seen."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.MADDER if any(s.state == LaneState.EXPOSED for s in lane.parts) else theme.OCHRE))
    painter.drawRoundedRect(box, 8.5, 8.5)
    painter.setPen(QColor(theme.INK))
    painter.setFont(theme.font(11, QFont.Weight.Bold))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(lane.findings))


def paint_attention(
    painter: QPainter, worst: np.ndarray, scale: TimeScale, top: float, height: float, right: float
) -> None:
    """The strip above the lanes: ochre where somebody should look, madder, and higher, where somebody may be
    exposed."""
    painter.fillRect(QRectF(scale.left, top, right - scale.left, height), QColor(theme.INK))
    edges = np.flatnonzero(np.diff(worst.astype(int), prepend=-1, append=-1))
    for a, b in zip(edges, edges[1:]):
        value = int(worst[a])
        if value == Attention.NONE:
            continue
        box = QRectF(scale.x(a), top, max(3.0, scale.x(b) - scale.x(a)), height)
        if value == Attention.EXPOSED:
            painter.fillRect(box, QColor(theme.MADDER))
        else:
            painter.fillRect(box.adjusted(0, height * 0.45, 0, 0), QColor(theme.OCHRE))


def paint_ruler(painter: QPainter, scale: TimeScale, right: float, top: float, timecode: Timecode, frames: int) -> None:
    """Seconds as tick and figure, as many as there is room for."""
    fps = timecode.fps
    step = next(
        (s for s in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600) if s * fps * scale.per_frame > 58), 7200
    )
    painter.setFont(theme.font(11))
    second = int(max(0, scale.first) // (fps * step)) * step
    while second * fps < frames and scale.x(second * fps) < right:
        x = scale.x(second * fps)
        if x >= scale.left - 1:
            painter.setPen(QColor(theme.ASH))
            painter.drawLine(QPointF(x, top + 4), QPointF(x, top + 16))
            painter.setPen(QColor(theme.QUIET))
            text = (
                timecode.text(second * fps)[3:8]
                if frames < fps * 3600 and not timecode.first
                else timecode.text(second * fps)[:8]
            )
            painter.drawText(
                QRectF(x + 4, top, 60, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text
            )
        second += step


def paint_playhead(painter: QPainter, x: float, top: float, bottom: float) -> None:
    painter.setPen(QPen(QColor(theme.PAPER), 1))
    painter.drawLine(QPointF(x, top), QPointF(x, bottom))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.PAPER))
    painter.drawPolygon(QPolygonF([QPointF(x - 5, top), QPointF(x + 5, top), QPointF(x, top + 7)]))


def paint_markers(
    painter: QPainter, markers: list[tuple[int, str]], scale: TimeScale, top: float, height: float, right: float
) -> None:
    """Small flags on the ruler, with their names where there is room."""
    painter.setFont(theme.font(11))
    for n, (frame, name) in enumerate(markers):
        x = scale.x(frame + 0.5)
        if not scale.left - 1 <= x <= right:
            continue
        room = (scale.x(markers[n + 1][0] + 0.5) if n + 1 < len(markers) else right) - x - 14
        painter.setPen(QPen(QColor(theme.LILAC), 1))
        painter.drawLine(QPointF(x, top), QPointF(x, top + height))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LILAC))
        painter.drawPolygon(QPolygonF([QPointF(x, top), QPointF(x + 7, top + 3.5), QPointF(x, top + 7)]))
        if room > 24:
            painter.setPen(QColor(theme.LILAC))
            painter.drawText(
                QRectF(x + 10, top - 4, room, 14),
                Qt.AlignmentFlag.AlignVCenter,
                painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room)),
            )


def paint_marked(painter: QPainter, left: float, right: float, middle: float) -> None:
    """A stretch of a lane that is marked, for copying or removing keyframes."""
    box = QRectF(min(left, right), middle - BAR / 2 - 5, abs(right - left), BAR + 10)
    painter.setPen(QPen(QColor(theme.OCHRE), 1))
    painter.setBrush(QColor(217, 164, 65, 40))
    painter.drawRect(box)


def paint_marks(
    painter: QPainter, scale: TimeScale, first: int | None, last: int | None, top: float, height: float, right: float
) -> None:
    """What lies outside in and out is dimmed."""
    shade = QColor(18, 17, 16, 150)
    if first is not None:
        painter.fillRect(QRectF(scale.left, top, max(0.0, min(scale.x(first), right) - scale.left), height), shade)
    if last is not None:
        x = max(scale.left, scale.x(last + 1))
        painter.fillRect(QRectF(x, top, max(0.0, right - x), height), shade)
