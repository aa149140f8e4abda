"""The register: who by when. One row for each subject, at its left the person, to the right their lane."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPixmap
from PySide6.QtWidgets import QAbstractScrollArea, QLineEdit, QMenu, QPushButton

from skiagraph.desktop import theme
from skiagraph.desktop.controls import push_button
from skiagraph.desktop.lane_painter import (
    TimeScale,
    paint_marks,
    paint_playhead,
)
from skiagraph.desktop.register_painter import (
    BADGE,
    DECISION,
    DECISION_WORD,
    HEAD,
    LANES,
    NAME,
    RIGHT,
    ROW,
    RowLook,
    paint_head,
    paint_row,
)
from skiagraph.desktop.words import tr
from skiagraph.project.model import Clip, Decision, Subject
from skiagraph.review.lanes import Lane, LanePart, LaneState

GRAB = 5


class RegisterView(QAbstractScrollArea):
    """Shows values and tells what a person did; it decides nothing.

    selected: keys; sought: a frame; decided: (keys, decision); renamed: (key, name); keyframeMoved: (key, from, to);
    endDragged: (key, a frame inside, first, last); menuWanted: (key, frame, place); mergeWanted: (keys, into), by
    dragging a person on to another; sightingMoved: (key, frame, to key or empty for somebody new), by dragging a bar to
    another row; listMenuWanted and manyMenuWanted: place for a menu; repairPulled: (key, frame, frames before, frames
    after) a correction eases back in; markerMoved: (from, to); spanChanged: other frames are shown.
    """

    selected = Signal(list)
    sought = Signal(int)
    decided = Signal(list, object)
    renamed = Signal(str, str)
    keyframeMoved = Signal(str, int, int)
    endDragged = Signal(str, int, int, int)
    menuWanted = Signal(str, int, QPoint)
    mergeWanted = Signal(list, str)
    sightingMoved = Signal(str, int, str)
    listMenuWanted = Signal(QPoint)
    manyMenuWanted = Signal(QPoint)
    repairPulled = Signal(str, int, int, int)
    markerMoved = Signal(int, int)
    spanChanged = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(HEAD + 2 * ROW)
        self.viewport().setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName(tr("Register"))
        self._clip: Clip | None = None
        self._subjects: list[Subject] = []
        self._lanes: dict[str, Lane] = {}
        self._worst = np.zeros(1, np.uint8)
        self._keys: list[str] = []
        self._frame = 0
        self._drawn: QPixmap | None = None
        self._marks: tuple[int | None, int | None] = (None, None)
        self._faces: Callable[[Subject], QImage | None] = lambda subject: None
        self._span: tuple[float, float] | None = None
        self._drag: dict | None = None
        self._hover: tuple[int, str] = (-1, "")
        self._editor: QLineEdit | None = None
        self._target: int | None = None
        self._empty = ""
        # A stretch of a lane whose keyframes are marked: key, first and last frame.
        self.marked: tuple[str, int, int] | None = None
        self._markers: list[tuple[int, str]] = []
        self._note = ""
        self.list_button = self._head_button(
            "Everyone · first seen", "Who is listed, and in what order", self.listMenuWanted, 150
        )
        self.many_button = self._head_button(
            "Everyone at once", "Decisions for everyone, or for several", self.manyMenuWanted, 122
        )
        self.many_button.move(12 + 150 + 6, 27)

    def _head_button(self, text: str, tip: str, wanted: Signal, width: int) -> QPushButton:
        button = push_button(text, "small", tip)
        button.setParent(self.viewport())
        button.setGeometry(12, 27, width, 24)
        button.clicked.connect(lambda: wanted.emit(button.mapToGlobal(QPoint(0, button.height() + 2))))
        return button

    def set_list(self, show: str, order: str) -> None:
        """How the register is filtered and sorted, in words."""
        self.list_button.setText(f"{tr(show)} · {tr(order).lower()} ▾")
        self.many_button.setText(tr("Everyone at once") + " ▾")

    # What is shown

    def set_faces(self, faces: Callable[[Subject], QImage | None]) -> None:
        self._faces = faces

    def set_content(
        self,
        clip: Clip | None,
        subjects: list[Subject],
        lanes: dict[str, Lane],
        worst: np.ndarray,
        note: str,
        empty: str,
    ) -> None:
        """subjects in the order of the rows; worst: attention of every frame; note: counts; empty: what to say without
        rows."""
        if clip is None or self._clip is None or clip.key != self._clip.key:
            self._span = None
        self._clip, self._subjects, self._lanes, self._worst, self._note, self._empty = (
            clip,
            subjects,
            lanes,
            worst,
            note,
            empty,
        )
        self._set_range()
        self.redraw()

    def set_selection(self, keys: list[str]) -> None:
        """Who is selected; whoever newly is comes into sight."""
        fresh = [key for key in keys if key not in self._keys]
        self._keys = keys
        if fresh:
            self._show_row(next((n for n, s in enumerate(self._subjects) if s.key == fresh[-1]), None))
        self.redraw()

    def _show_row(self, row: int | None) -> None:
        bar, room = self.verticalScrollBar(), self.viewport().height() - HEAD
        if row is not None:
            bar.setValue(min(max(bar.value(), (row + 1) * ROW + 6 - room), row * ROW))

    def set_frame(self, frame: int) -> None:
        self._frame = frame
        if self._span and not self._span[0] <= frame <= self._span[1]:
            length = self._span[1] - self._span[0]
            self._set_span(frame - length * 0.1, length)
        # Only the playhead moved.
        self.viewport().update()

    def set_marks(self, first: int | None, last: int | None) -> None:
        self._marks = first, last
        self.redraw()

    def set_markers(self, markers: list[tuple[int, str]]) -> None:
        """(frame, name) of the clip's markers, in order."""
        if markers != self._markers:
            self._markers = markers
            self.redraw()

    def mark(self, stretch: tuple[str, int, int] | None) -> None:
        """Mark the keyframes of a subject in a stretch, or none."""
        self.marked = stretch
        self.redraw()

    @property
    def span(self) -> tuple[float, float]:
        """First frame that is shown, and the one after the last."""
        return self._span or (0, self._clip.frames if self._clip else 1)

    def _set_range(self) -> None:
        bar = self.verticalScrollBar()
        bar.setPageStep(max(1, self.viewport().height() - HEAD))
        bar.setSingleStep(ROW)
        bar.setRange(0, max(0, len(self._subjects) * ROW + 6 - (self.viewport().height() - HEAD)))

    def _scale(self) -> TimeScale:
        frames = self._clip.frames if self._clip else 1
        first, last = self._span or (0, frames)
        return TimeScale(LANES, self.viewport().width() - LANES - RIGHT, first, last)

    def _set_span(self, first: float, length: float) -> None:
        frames = self._clip.frames
        length = max(12.0, min(frames, length))
        first = max(0.0, min(first, frames - length))
        self._span = None if length >= frames else (first, first + length)
        self.redraw()
        self.spanChanged.emit()

    # Painting

    def resizeEvent(self, event) -> None:
        self._set_range()
        # Lanes are as wide as there is room.
        self.spanChanged.emit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._end_edit(False)
        self.redraw()

    def redraw(self) -> None:
        """Everything but the playhead has to be drawn anew, when it is next seen."""
        self._drawn = None
        self.viewport().update()

    def paintEvent(self, event) -> None:
        ratio = self.devicePixelRatioF()
        if (
            self._drawn is None
            or self._drawn.devicePixelRatio() != ratio
            or self._drawn.deviceIndependentSize().toSize() != self.viewport().size()
        ):
            self._drawn = QPixmap(self.viewport().size() * ratio)
            self._drawn.setDevicePixelRatio(ratio)
            self._paint_content(self._drawn)
        painter = QPainter(self.viewport())
        painter.drawPixmap(0, 0, self._drawn)
        if self._clip is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            width, height = self.viewport().width(), self.viewport().height()
            painter.setClipRect(QRectF(LANES - 6, 0, width - RIGHT - LANES + 12, height))
            paint_playhead(painter, self._scale().x(self._frame + 0.5), 20, height)

    def _paint_content(self, onto: QPixmap) -> None:
        onto.fill(QColor(theme.SOOT))
        painter = QPainter(onto)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width, height = self.viewport().width(), self.viewport().height()
        scale, right = self._scale(), width - RIGHT
        painter.setClipRect(QRect(0, HEAD, width, height - HEAD))
        for row, subject in enumerate(self._subjects):
            top = HEAD + row * ROW - self.verticalScrollBar().value()
            if top + ROW >= HEAD and top <= height:
                lane, face = self._lanes.get(subject.key), self._faces(subject)
                paint_row(painter, subject, lane and self._dragged(lane), face, self._look_of(row, top), scale)
        painter.setClipping(False)
        if not self._subjects:
            painter.setPen(QColor(theme.QUIET))
            painter.setFont(theme.font(13))
            painter.drawText(
                QRect(12, HEAD, width - 24, height - HEAD),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self._empty,
            )
        paint_head(painter, scale, right, width, self._note, self._clip, self._worst, self._moved_markers())
        if self._clip is not None:
            painter.setClipRect(QRectF(LANES - 6, 0, right - LANES + 12, height))
            paint_marks(painter, scale, *self._marks, HEAD, height - HEAD, right)
        painter.end()

    def _look_of(self, row: int, top: int) -> RowLook:
        key = self._subjects[row].key
        marked = self._drag["stretch"] if self._drag and self._drag["kind"] == "mark" else self.marked
        return RowLook(
            top,
            self.viewport().width(),
            chosen=key in self._keys,
            hovered=self._hover[0] == row,
            on_decision=self._hover == (row, "decision"),
            target=self._target == row,
            marked=marked[1:] if marked is not None and marked[0] == key else None,
        )

    def _dragged(self, lane: Lane) -> Lane:
        """The lane as it will be when the drag under way ends."""
        drag = self._drag
        if not drag or drag.get("key") != lane.subject or "to" not in drag:
            return lane
        if drag["kind"] == "keyframe":
            shift = drag["to"] - drag["frame"]
            return replace(
                lane,
                keyframes=tuple(drag["to"] if k == drag["frame"] else k for k in lane.keyframes),
                repairs=tuple(
                    (f + shift, a + shift, b + shift) if f == drag["frame"] else (f, a, b) for f, a, b in lane.repairs
                ),
            )
        if drag["kind"].startswith("repair"):
            return replace(
                lane, repairs=tuple(self._pulled(drag) if f == drag["frame"] else (f, a, b) for f, a, b in lane.repairs)
            )
        first, last = drag["ends"]
        a, b = (drag["to"], last) if drag["kind"] == "first" else (first, drag["to"])
        others = tuple(s for s in lane.parts if s.last < first or s.first > last)
        return replace(lane, parts=others + (LanePart(a, max(a, b), LaneState.COVERED),))

    def _pulled(self, drag: dict) -> tuple[int, int, int]:
        """Frame, first and last of a correction whose extent is pulled."""
        frame, to = drag["frame"], drag.get("to", drag["frame"])
        return (
            (frame, min(to, frame), drag["extent"][1])
            if drag["kind"] == "repair before"
            else (frame, drag["extent"][0], max(to, frame))
        )

    def _moved_markers(self) -> list[tuple[int, str]]:
        drag = self._drag
        if not drag or drag["kind"] != "marker":
            return self._markers
        return sorted((drag.get("to", f) if f == drag["frame"] else f, name) for f, name in self._markers)

    def _marker_at(self, point: QPointF) -> int | None:
        """The frame of the marker under a point of the ruler."""
        if not 18 <= point.y() <= 42:
            return None
        return next((f for f, _ in self._markers if abs(self._scale().x(f + 0.5) + 3 - point.x()) <= GRAB + 2), None)

    # Mouse

    def _row_at(self, y: float) -> int:
        if y < HEAD:
            return -1
        row = int((y - HEAD + self.verticalScrollBar().value()) // ROW)
        return row if 0 <= row < len(self._subjects) else -1

    def _part_at(self, point: QPointF) -> str:
        x = point.x()
        return "lane" if x >= LANES - 4 else "badge" if x >= BADGE - 4 else "decision" if x >= DECISION - 6 else "name"

    def _grip_at(self, row: int, point: QPointF) -> dict | None:
        """A keyframe or an end of a sighting under the pointer."""
        lane = self._lanes.get(self._subjects[row].key)
        if lane is None:
            return None
        scale = self._scale()
        foot = HEAD + (row + 1) * ROW - self.verticalScrollBar().value() - 11
        for frame, first, last in lane.repairs:
            for kind, x in (("repair before", scale.x(first + 0.5)), ("repair after", scale.x(last + 0.5))):
                if point.y() >= foot and abs(x - point.x()) <= GRAB:
                    return {"kind": kind, "key": lane.subject, "frame": frame, "extent": (first, last)}
        for frame in lane.keyframes:
            if abs(scale.x(frame + 0.5) - point.x()) <= GRAB:
                return {"kind": "keyframe", "key": lane.subject, "frame": frame}
        for first, last in lane.ends:
            for kind, x in (("first", scale.x(first)), ("last", scale.x(last + 1))):
                if abs(x - point.x()) <= GRAB - 1 and last - first > 0:
                    return {"kind": kind, "key": lane.subject, "ends": (first, last)}
        return None

    def mousePressEvent(self, event) -> None:
        point = event.position()
        self._end_edit(True)
        if self._clip is None:
            return
        row = self._row_at(point.y())
        part = self._part_at(point)
        if event.button() == Qt.MouseButton.RightButton:
            self._context(row, point, event.globalPosition().toPoint())
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        marker = self._marker_at(point)
        if marker is not None:
            self._drag = {"kind": "marker", "frame": marker}
            self.sought.emit(marker)
            return
        if row >= 0 and part == "lane" and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._select(row, Qt.KeyboardModifier.NoModifier)
            at = int(np.clip(self._scale().frame(point.x()), 0, self._clip.frames - 1))
            self._drag = {"kind": "mark", "from": at, "stretch": (self._subjects[row].key, at, at)}
            return
        self.marked = None
        if row >= 0:
            self._select(row, event.modifiers())
            if part == "decision":
                self._decision_menu(row)
                return
        if part == "lane":
            self._drag = (self._grip_at(row, point) if row >= 0 else None) or {
                "kind": "seek",
                "row": row,
                "frame": int(self._scale().frame(point.x())),
            }
            if self._drag["kind"] == "seek":
                self.sought.emit(int(self._scale().frame(point.x())))
        elif row >= 0 and part == "name":
            self._drag = {"kind": "person", "row": row}

    def _select(self, row: int, modifiers) -> None:
        key = self._subjects[row].key
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            keys = [k for k in self._keys if k != key] if key in self._keys else self._keys + [key]
        elif modifiers & Qt.KeyboardModifier.ShiftModifier and self._keys:
            order = [s.key for s in self._subjects]
            a, b = order.index(self._keys[-1]) if self._keys[-1] in order else row, row
            keys = [k for k in order[min(a, b) : max(a, b) + 1] if k != key] + [key]
        elif key in self._keys and len(self._keys) > 1:
            keys = [k for k in self._keys if k != key] + [key]
        else:
            keys = [key]
        self.selected.emit(keys)

    def _decision_menu(self, row: int) -> None:
        menu = QMenu(self)
        words = (
            DECISION_WORD if self._subjects[row].of.hides else {Decision.COVER: "On: stays sharp", Decision.SHOW: "Off"}
        )
        for n, decision in ((n, d) for n, d in enumerate(Decision, 1) if d in words):
            action = menu.addAction(f"{tr(words[decision])}\t{n}")
            action.triggered.connect(lambda _=False, d=decision: self.decided.emit(list(self._keys), d))
        top = HEAD + (row + 1) * ROW - self.verticalScrollBar().value()
        menu.popup(self.viewport().mapToGlobal(QPoint(DECISION - 8, top)))

    def _context(self, row, point, place) -> None:
        if row < 0:
            return
        if self._subjects[row].key not in self._keys:
            self._select(row, Qt.KeyboardModifier.NoModifier)
        frame = int(self._scale().frame(point.x())) if point.x() >= LANES else self._frame
        self.menuWanted.emit(self._subjects[row].key, frame, place)

    def mouseMoveEvent(self, event) -> None:
        point = event.position()
        drag = self._drag
        if drag is None:
            self._show_hover(point)
            return
        frame = int(np.clip(self._scale().frame(point.x()), 0, self._clip.frames - 1))
        if drag["kind"] in ("person", "seek") and self._drag_across(drag, point):
            return
        if drag["kind"] == "person":
            return
        if drag["kind"] == "seek":
            self.sought.emit(frame)
            return
        if drag["kind"] == "mark":
            drag["stretch"] = (drag["stretch"][0], min(drag["from"], frame), max(drag["from"], frame))
            self.redraw()
            return
        drag["to"] = (
            min(frame, drag["ends"][1])
            if drag["kind"] == "first"
            else max(frame, drag["ends"][0])
            if drag["kind"] == "last"
            else frame
        )
        self.sought.emit(drag["to"])
        self.redraw()

    def _drag_across(self, drag: dict, point: QPointF) -> bool:
        """A person or a bar pulled to another row: True while it is on its way."""
        row = self._row_at(point.y())
        below = point.y() > HEAD + len(self._subjects) * ROW - self.verticalScrollBar().value()
        start = drag["row"]
        if start < 0 or (drag["kind"] == "seek" and not self._is_seen(start, drag["frame"])):
            return False
        away = row != start and (row >= 0 or below and drag["kind"] == "seek")
        target = row if away and row >= 0 else -1 if away else None
        if target != self._target:
            self._target = target
            self.viewport().setCursor(Qt.CursorShape.ClosedHandCursor if away else Qt.CursorShape.ArrowCursor)
            self.redraw()
        return away

    def _is_seen(self, row: int, frame: int) -> bool:
        lane = self._lanes.get(self._subjects[row].key)
        return lane is not None and any(first <= frame <= last for first, last in lane.ends)

    def mouseReleaseEvent(self, event) -> None:
        drag, self._drag = self._drag, None
        target, self._target = self._target, None
        if drag and target is not None and drag["kind"] in ("person", "seek"):
            self.viewport().setCursor(Qt.CursorShape.ArrowCursor)
            self.redraw()
            key, to = self._subjects[drag["row"]].key, self._subjects[target].key if target >= 0 else ""
            if drag["kind"] == "seek":
                self.sightingMoved.emit(key, drag["frame"], to)
            else:
                self.mergeWanted.emit([k for k in (self._keys if key in self._keys else [key]) if k != to], to)
            return
        if drag and drag["kind"] == "mark":
            self.mark(drag["stretch"] if drag["stretch"][2] > drag["stretch"][1] else None)
            return
        if not drag or "to" not in drag:
            return
        if drag["kind"] == "marker":
            if drag["to"] != drag["frame"]:
                self.markerMoved.emit(drag["frame"], drag["to"])
        elif drag["kind"].startswith("repair"):
            frame, first, last = self._pulled(drag)
            self.repairPulled.emit(drag["key"], frame, frame - first, last - frame)
        elif drag["kind"] == "keyframe":
            if drag["to"] != drag["frame"]:
                self.keyframeMoved.emit(drag["key"], drag["frame"], drag["to"])
        else:
            first, last = drag["ends"]
            wanted = (drag["to"], last) if drag["kind"] == "first" else (first, drag["to"])
            if wanted != (first, last):
                self.endDragged.emit(drag["key"], first, *wanted)
        self.redraw()

    def _show_hover(self, point: QPointF) -> None:
        row = self._row_at(point.y())
        part = self._part_at(point) if row >= 0 else ""
        grip = self._grip_at(row, point) if row >= 0 and part == "lane" else None
        self.viewport().setCursor(
            Qt.CursorShape.SizeHorCursor
            if grip
            else Qt.CursorShape.PointingHandCursor
            if part in ("decision", "name")
            else Qt.CursorShape.ArrowCursor
        )
        tip = {
            "decision": "Decision (1 cover, 2 show, 3 undecided)",
            "badge": "Open findings; N goes to the next",
            "name": "Double-click to rename; drag on to somebody else to merge",
        }.get(part, "")
        named = next((name for f, name in self._markers if f == self._marker_at(point)), "")
        self.viewport().setToolTip(
            named
            or tr(
                {
                    "keyframe": "Keyframe: drag it to another frame",
                    "first": "Drag to begin the cover elsewhere",
                    "last": "Drag to end the cover elsewhere",
                    "repair before": "Pull to ease the correction in over more frames",
                    "repair after": "Pull to ease the correction out over more frames",
                }[grip["kind"]]
                if grip
                else tip
            )
        )
        if (row, part) != self._hover:
            self._hover = (row, part)
            self.redraw()

    def leaveEvent(self, event) -> None:
        self._hover = (-1, "")
        self.redraw()

    def mouseDoubleClickEvent(self, event) -> None:
        row = self._row_at(event.position().y())
        if row >= 0 and self._part_at(event.position()) == "name":
            self.edit_name(self._subjects[row].key)

    def wheelEvent(self, event) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self._clip is not None:
            scale = self._scale()
            at = scale.frame(event.position().x())
            length = (
                self._span[1] - self._span[0] if self._span else self._clip.frames
            ) * 0.998 ** event.angleDelta().y()
            share = (at - scale.first) / max(1e-6, scale.width / scale.per_frame)
            self._set_span(at - length * share, length)
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self._span:
            length = self._span[1] - self._span[0]
            self._set_span(
                self._span[0] - (event.angleDelta().y() or event.angleDelta().x()) / 120 * length * 0.1, length
            )
            return
        super().wheelEvent(event)

    # Names

    def edit_name(self, key: str) -> None:
        """Put a field over a subject's name."""
        self._end_edit(False)
        row = next((n for n, s in enumerate(self._subjects) if s.key == key), -1)
        if row < 0:
            return
        self._editor = QLineEdit(self._subjects[row].name, self.viewport())
        self._editor.setProperty("key", key)
        self._editor.setGeometry(
            NAME - 6, HEAD + row * ROW - self.verticalScrollBar().value() + 3, DECISION - NAME - 2, ROW - 7
        )
        self._editor.selectAll()
        self._editor.show()
        self._editor.setFocus()
        self._editor.editingFinished.connect(lambda: self._end_edit(True))

    def _end_edit(self, keep: bool) -> None:
        editor, self._editor = self._editor, None
        if editor is None:
            return
        key, text = editor.property("key"), editor.text()
        editor.hide()
        editor.deleteLater()
        if keep:
            self.renamed.emit(key, text)
