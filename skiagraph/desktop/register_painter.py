"""How the register is painted: what stands above its rows, and a row."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPen

from skiagraph.desktop import theme
from skiagraph.desktop.lane_painter import (
    TimeScale,
    paint_attention,
    paint_badge,
    paint_face,
    paint_lane,
    paint_marked,
    paint_markers,
    paint_ruler,
)
from skiagraph.desktop.words import tr
from skiagraph.project.model import Clip, Decision, Subject
from skiagraph.review.lanes import Lane
from skiagraph.timecode import Timecode

HEAD, ROW = 62, 34
# Left edges of the columns, px.
FACE, NAME, DECISION, BADGE, LANES = 12, 46, 186, 266, 304
RIGHT = 14

DECISION_WORD = {Decision.COVER: "Cover", Decision.SHOW: "Show", Decision.UNDECIDED: "Undecided"}
DECISION_COLOUR = {Decision.COVER: theme.VERDIGRIS, Decision.SHOW: theme.LILAC, Decision.UNDECIDED: theme.OCHRE}


@dataclass(frozen=True, slots=True)
class RowLook:
    """How a row looks now. top, width: px; hovered: the pointer is on it, on_decision: on its decision; target: what is
    dragged would go there; marked: first and last frame of a stretch of its lane, or None."""

    top: int
    width: int
    chosen: bool
    hovered: bool
    on_decision: bool
    target: bool
    marked: tuple[int, int] | None


def paint_head(
    painter: QPainter,
    scale: TimeScale,
    right: float,
    width: int,
    note: str,
    clip: Clip | None,
    worst: np.ndarray,
    markers: list[tuple[int, str]],
) -> None:
    """What stands above the rows: the name, a note, and of the clip the ruler, the strip of attention and markers."""
    painter.setFont(theme.font(14, QFont.Weight.Bold))
    painter.setPen(QColor(theme.PAPER))
    painter.drawText(QRect(12, 4, 120, 20), Qt.AlignmentFlag.AlignVCenter, "Register")
    painter.setFont(theme.font(12))
    painter.setPen(QColor(theme.QUIET))
    painter.drawText(QRect(80, 4, LANES - 88, 20), Qt.AlignmentFlag.AlignVCenter, note)
    if clip is not None:
        painter.save()
        painter.setClipRect(QRectF(LANES - 1, 0, right - LANES + 2, HEAD))
        paint_ruler(painter, scale, right, 5, Timecode.of(clip.rate, clip.timecode), clip.frames)
        painter.setFont(theme.font(11))
        painter.setPen(QColor(theme.QUIET))
        painter.drawText(QRectF(LANES + 8, 25, 120, 14), Qt.AlignmentFlag.AlignVCenter, "attention")
        paint_attention(painter, worst, scale, 42, 11, right)
        paint_markers(painter, markers, scale, 24, 16, right)
        painter.restore()
    painter.setPen(QPen(QColor(theme.ASH), 1))
    painter.drawLine(0, HEAD - 1, width, HEAD - 1)


def paint_row(
    painter: QPainter, subject: Subject, lane: Lane | None, face: QImage | None, look: RowLook, scale: TimeScale
) -> None:
    """A row: the person at the left, their lane to the right. lane: as it is shown now; None without one."""
    top, width, right = look.top, look.width, look.width - RIGHT
    if look.chosen:
        painter.fillRect(QRect(0, top, width, ROW), QColor(theme.RAISED))
        painter.fillRect(QRect(0, top, 3, ROW), QColor(theme.LILAC))
    elif look.hovered:
        painter.fillRect(QRect(0, top, width, ROW), QColor("#272422"))
    painter.setPen(QPen(QColor(theme.RAISED), 1))
    painter.drawLine(0, top + ROW - 1, width, top + ROW - 1)
    paint_face(painter, face, QRectF(FACE, top + 3, 27, 27))
    painter.setFont(theme.font(13))
    painter.setPen(QColor(theme.QUIET if subject.doubtful or subject.dismissed else theme.PAPER))
    name = painter.fontMetrics().elidedText(subject.name, Qt.TextElideMode.ElideRight, DECISION - NAME - 8)
    painter.drawText(QRect(NAME, top, DECISION - NAME - 8, ROW), Qt.AlignmentFlag.AlignVCenter, name)
    _paint_decision(painter, subject, top, look.on_decision)
    if look.target:
        painter.setPen(QPen(QColor(theme.LILAC), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(2, top + 1, width - 4, ROW - 3), 4, 4)
    if lane and lane.findings:
        paint_badge(painter, lane, QRectF(BADGE, top + 8, 24, 17))
    if lane:
        painter.save()
        painter.setClipRect(QRectF(LANES - 1, top, right - LANES + 2, ROW), Qt.ClipOperation.IntersectClip)
        paint_lane(painter, lane, scale, top + ROW / 2)
        if look.marked is not None:
            first, last = look.marked
            paint_marked(painter, scale.x(first), scale.x(last + 1), top + ROW / 2)
        painter.restore()


def _paint_decision(painter: QPainter, subject: Subject, top: int, hovered: bool) -> None:
    box = QRectF(DECISION - 6, top + 6, BADGE - DECISION - 4, ROW - 13)
    if hovered:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.ASH))
        painter.drawRoundedRect(box, 4, 4)
    words = (
        {Decision.SHOW: "Off"}.get(subject.decision, "In front")
        if not subject.of.hides
        else DECISION_WORD[subject.decision]
    )
    painter.setPen(
        QColor(
            theme.QUIET
            if subject.dismissed or not subject.of.hides and subject.decision == Decision.SHOW
            else DECISION_COLOUR[subject.decision]
        )
    )
    painter.drawText(
        box.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, tr("Dismissed" if subject.dismissed else words)
    )
