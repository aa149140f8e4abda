"""The voice row under the register: the sound of the clip, who is heard in it when, and what of it is disguised."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import push_button
from skiagraph.desktop.lane_painter import TimeScale
from skiagraph.desktop.register_painter import LANES, RIGHT
from skiagraph.desktop.register_view import GRAB
from skiagraph.desktop.words import tr
from skiagraph.media.audio import Waveform
from skiagraph.review.voice_lanes import RangePart, SpeechState, VoiceLane

HEAD, WAVE, SPEECH, GAP = 28, 32, 13, 4
# Tracks that are drawn at most; the rest is said in the head.
MOST_LANES = 4
_COVERED, _WEAK, _WAVE, _WAVE_SOFT = QColor("#3F8573"), QColor("#6B5220"), QColor("#8C857B"), QColor("#57524C")


class VoiceRow(QWidget):
    """Shows values and tells what a person did; it decides nothing. Times are seconds from the clip's first picture.

    sought: a time; rangeDrawn: (track, begins, ends, exactly: without looking for a pause); rangeMoved: (key, begins,
    ends, exactly); selected: keys of ranges; menuWanted: (key of a range or empty, key of a voice or empty, track,
    time, place); heardChosen: a track that alone is to be heard, 0 for all; foldChosen: open; zoomed: a wheel event
    that belongs to the register's scale.
    """

    sought = Signal(float)
    rangeDrawn = Signal(int, float, float, bool)
    rangeMoved = Signal(str, float, float, bool)
    selected = Signal(list)
    menuWanted = Signal(str, str, int, float, QPoint)
    heardChosen = Signal(int)
    foldChosen = Signal(bool)
    zoomed = Signal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName(tr("Voices"))
        self._open = True
        self._lanes: list[VoiceLane] = []
        self._waves: list[Waveform | None] = []
        self._state, self._note = "", ""
        self._span = (0.0, 1.0)
        self._now = 0.0
        self._narrower = 0
        self._heard = 0
        self.chosen: list[str] = []
        self._owner = ""
        self._drag: dict | None = None
        self._hover: tuple[int, str] = (-1, "")
        self.fold = push_button("Voices", "small", "Show or fold the sound of the clip (Shift+V)")
        self.fold.setParent(self)
        self.fold.setGeometry(12, 3, 92, 22)
        self.fold.clicked.connect(lambda: self.foldChosen.emit(not self._open))
        self._set_height()

    # What is shown

    def set_open(self, is_open: bool) -> None:
        self._open = is_open
        self._set_height()

    @property
    def is_open(self) -> bool:
        return self._open

    def set_content(self, lanes: list[VoiceLane], waves: list[Waveform | None], state: str, note: str = "") -> None:
        """lanes: in the order of tracks; waves: of each, None while it is being made; state: in a line; note: what to
        do or what is under way, for a row that has little to show."""
        self._lanes, self._waves, self._state, self._note = lanes, waves, state, note
        self._set_height()
        self.update()

    def set_selection(self, keys: list[str], owner: str) -> None:
        """owner: the subject whose ranges stand out."""
        self.chosen, self._owner = keys, owner
        self.update()

    def set_span(self, first_s: float, last_s: float, narrower: int = 0) -> None:
        """narrower: px that the lanes above end earlier, as where they have a scroll bar."""
        self._span, self._narrower = (first_s, max(last_s, first_s + 1e-3)), narrower
        self.update()

    @property
    def _right(self) -> int:
        """Where lanes end, px."""
        return self.width() - RIGHT - self._narrower

    def set_time(self, seconds: float) -> None:
        self._now = seconds
        self.update()

    def set_heard(self, track: int) -> None:
        """Which track is heard, from 1, 0 for all together."""
        self._heard = track
        self.update()

    def _set_height(self) -> None:
        self.fold.setText(tr("Voices") + (" ▾" if self._open else " ▸"))
        self.setFixedHeight(max(HEAD, self._top(self._shown)) if self._open and self._shown else HEAD)

    @property
    def _shown(self) -> int:
        return min(len(self._lanes), MOST_LANES)

    def _channels(self, lane: int) -> int:
        wave = self._waves[lane] if lane < len(self._waves) else None
        return min(2, wave.channels) if wave is not None else 1

    def _height(self, lane: int) -> int:
        return SPEECH + (WAVE if self._channels(lane) == 1 else 40) + GAP

    def _top(self, lane: int) -> int:
        return GAP + sum(self._height(n) for n in range(lane))

    @property
    def seconds_a_px(self) -> float:
        return 1 / self._scale().per_frame

    def _scale(self) -> TimeScale:
        return TimeScale(LANES, self._right - LANES, *self._span)

    # Painting

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.SOOT))
        painter.setFont(theme.font(12))
        painter.setPen(QColor(theme.QUIET))
        wide = not self._open or not self._shown
        room = QRectF(112, 3, (self._right if wide else LANES - 8) - 112, 22)
        said = "   ".join(text for text in (self._state, self._note) if text) if wide else self._state
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter,
            painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(room.width())),
        )
        if wide:
            return
        scale = self._scale()
        for n in range(self._shown):
            self._paint_lane(painter, n, scale)
        x = scale.x(self._now)
        if LANES <= x <= self._right:
            painter.setPen(QPen(QColor(theme.PAPER), 1))
            painter.drawLine(QPointF(x, GAP), QPointF(x, self.height() - GAP))

    def _paint_lane(self, painter: QPainter, n: int, scale: TimeScale) -> None:
        lane, top, height = self._lanes[n], self._top(n), self._height(n) - GAP
        # Beside the first lane the fold is, above its name.
        down = 24 if n == 0 else 4
        wave = self._waves[n] if n < len(self._waves) else None
        painter.setFont(theme.font(12))
        hovered = self._hover == (n, "name")
        painter.setPen(QColor(theme.PAPER if hovered or self._heard in (0, lane.track) else theme.FAINT))
        heard = tr("Only") if self._heard == lane.track and len(self._lanes) > 1 else ""
        label = (
            (heard + " · " if heard else "")
            + tr("Track {n}", n=lane.track)
            + (
                f" · {tr('{n} channels', n=wave.channels) if wave.channels > 1 else tr('mono')}"
                if wave is not None
                else ""
            )
        )
        painter.drawText(QRectF(16, top + down, LANES - 28, 16), Qt.AlignmentFlag.AlignVCenter, label)
        if wave is not None and (level := _level_at(wave, self._now)) is not None:
            painter.setPen(QColor(theme.FAINT))
            painter.drawText(
                QRectF(16, top + down, LANES - 36, 16),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                tr("{db} dB", db=f"{level:.0f}".replace("-", "−")),
            )
            tall = (height - 2) * float(np.clip(1 + level / 60, 0, 1))
            painter.fillRect(QRectF(LANES - 10, top, 4, height), QColor(theme.WELL))
            painter.fillRect(
                QRectF(LANES - 10, top + height - tall, 4, tall), QColor(theme.OCHRE if level > -3 else theme.VERDIGRIS)
            )
        well = QRectF(LANES, top, self._right - LANES, height)
        painter.save()
        painter.setClipRect(well)
        painter.fillRect(well, QColor(theme.WELL))
        body = QRectF(well.left(), top + SPEECH, well.width(), height - SPEECH)
        for part in lane.ranges:
            self._paint_ground(painter, self._dragged(part), scale, body, wave)
        if wave is not None:
            self._paint_wave(painter, wave, scale, body)
        for part in lane.ranges:
            self._paint_range(painter, self._dragged(part), scale, body, wave)
        self._paint_speech(painter, lane, scale, top)
        if self._note and n == 0 and not lane.speech:
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.QUIET))
            painter.drawText(
                QRectF(LANES + 6, top - 1, well.width() - 12, SPEECH + 2), Qt.AlignmentFlag.AlignVCenter, self._note
            )
        if self._drag and self._drag["kind"] == "draw" and self._drag["lane"] == n and "to" in self._drag:
            a, b = sorted((self._drag["from"], self._drag["to"]))
            painter.setPen(QPen(QColor(theme.VERDIGRIS), 1, Qt.PenStyle.DashLine))
            painter.setBrush(QColor(111, 182, 160, 60))
            painter.drawRect(QRectF(scale.x(a), body.top(), scale.x(b) - scale.x(a), body.height() - 1))
        painter.restore()

    def _dragged(self, part: RangePart) -> tuple[RangePart, float, float]:
        drag = self._drag
        if drag and drag.get("key") == part.key and "to" in drag:
            return part, *self._pulled(drag)
        return part, part.begins_s, part.ends_s

    @staticmethod
    def _pulled(drag: dict) -> tuple[float, float]:
        begins, ends = drag["ends"]
        if drag["kind"] == "begin":
            return min(drag["to"], ends - 0.02), ends
        if drag["kind"] == "end":
            return begins, max(drag["to"], begins + 0.02)
        return begins + drag["to"] - drag["from"], ends + drag["to"] - drag["from"]

    def _band(self, part: RangePart, body: QRectF, wave: Waveform | None) -> tuple[float, float]:
        """Top and height of a range that is on one channel only, or of all of the lane."""
        channels = min(2, wave.channels) if wave is not None else 1
        if part.channel and channels > 1 and part.channel <= channels:
            return body.top() + (part.channel - 1) * body.height() / channels, body.height() / channels
        return body.top(), body.height()

    def _paint_ground(self, painter, placed, scale, body, wave) -> None:
        part, begins, ends = placed
        top, height = self._band(part, body, wave)
        box = QRectF(scale.x(begins), top, max(2.0, scale.x(ends) - scale.x(begins)), height)
        painter.fillRect(box, _WEAK if part.weak else _COVERED)
        if part.weak:
            painter.save()
            painter.setClipRect(box, Qt.ClipOperation.IntersectClip)
            painter.setPen(QPen(QColor(theme.OCHRE), 1))
            x = box.left() - box.left() % 8 - 30
            while x < box.right() + 30:
                painter.drawLine(QPointF(x, box.bottom()), QPointF(x + 30, box.top()))
                x += 8
            painter.restore()

    def _paint_range(self, painter, placed, scale, body, wave) -> None:
        part, begins, ends = placed
        top, height = self._band(part, body, wave)
        box = QRectF(scale.x(begins), top, max(2.0, scale.x(ends) - scale.x(begins)), height)
        chosen = part.key in self.chosen
        if chosen or part.subject and part.subject == self._owner:
            painter.setPen(QPen(QColor(theme.LILAC if chosen else theme.PAPER), 2 if chosen else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -1))
        text = " · ".join(t for t in (part.name or tr("nobody's"), tr(part.word)) if t)
        painter.setFont(theme.font(11))
        painter.setPen(QColor(theme.PAPER))
        room = box.adjusted(5, 1, -4, -1)
        if room.width() > 28:
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width()))
            back = QRectF(room.left() - 3, room.top() + 1, painter.fontMetrics().horizontalAdvance(shown) + 6, 14)
            painter.fillRect(back, QColor(25, 23, 22, 170))
            painter.drawText(QRectF(room.left(), room.top(), room.width(), 16), Qt.AlignmentFlag.AlignVCenter, shown)

    def _paint_wave(self, painter, wave: Waveform, scale: TimeScale, body: QRectF) -> None:
        channels = min(2, wave.channels)
        each = body.height() / channels
        columns = int(body.width())
        edges = (
            (self._span[0] + np.arange(columns + 1) / columns * (self._span[1] - self._span[0]) - wave.begins_s)
            / wave.step_s
        ).astype(int)
        count = wave.peak.shape[1]
        if not count:
            return
        inside = (edges[:-1] >= 0) & (edges[:-1] < count)
        starts = np.clip(edges[:-1], 0, count - 1)
        for channel in range(channels):
            middle = body.top() + (channel + 0.5) * each
            # Where more than two channels are, the second stands for the loudest of the rest.
            rows = [channel] if channel == 0 or wave.channels == 2 else list(range(1, wave.channels))
            for values, colour in ((wave.peak, _WAVE_SOFT), (wave.rms, _WAVE)):
                row = values[rows].max(axis=0)
                steps = np.maximum(np.diff(edges), 1)
                tops = (
                    np.maximum.reduceat(row, starts)
                    if (np.diff(starts) > 0).all()
                    else row[np.minimum(starts + steps - 1, count - 1)]
                )
                height = np.where(inside, _shown(tops), 0.0) * (each / 2 - 1)
                x = body.left() + np.arange(columns) + 0.5
                outline = [QPointF(a, b) for a, b in zip(x, middle - height)] + [
                    QPointF(a, b) for a, b in zip(x[::-1], (middle + height)[::-1])
                ]
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour)
                painter.drawPolygon(QPolygonF(outline))

    def _paint_speech(self, painter, lane: VoiceLane, scale: TimeScale, top: float) -> None:
        """Who speaks when, as a thin band whose pattern tells what becomes of it."""
        painter.setFont(theme.font(11))
        for part in lane.speech:
            x, width = scale.x(part.begins_s), max(2.0, scale.x(part.ends_s) - scale.x(part.begins_s))
            if part.state == SpeechState.DISGUISED:
                painter.fillRect(QRectF(x, top + SPEECH - 3, width, 3), QColor(theme.VERDIGRIS))
            elif part.state == SpeechState.PLAIN:
                painter.fillRect(QRectF(x, top + SPEECH - 3, width, 3), QColor(theme.MADDER))
                for edge in (x, x + width - 2):
                    painter.fillRect(QRectF(edge, top + SPEECH - 8, 2, 8), QColor(theme.MADDER))
            else:
                painter.setPen(QPen(QColor(theme.LILAC), 2, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(x, top + SPEECH - 2), QPointF(x + width, top + SPEECH - 2))
            painter.setPen(QColor(theme.PAPER if part.state == SpeechState.PLAIN else theme.QUIET))
            room = QRectF(x + 4, top - 2, width - 6, SPEECH)
            if room.width() > 24:
                painter.drawText(
                    room,
                    Qt.AlignmentFlag.AlignVCenter,
                    painter.fontMetrics().elidedText(part.name, Qt.TextElideMode.ElideRight, int(room.width())),
                )

    # Mouse

    def _lane_at(self, y: float) -> int:
        return next(
            (n for n in range(self._shown) if self._open and self._top(n) <= y < self._top(n) + self._height(n)), -1
        )

    def _range_at(self, n: int, point: QPointF) -> tuple[RangePart, str] | None:
        """A range under a point of a lane, and which part of it: begin, end or body.

        The smallest of those that overlap.
        """
        scale, found = self._scale(), []
        body = QRectF(LANES, self._top(n) + SPEECH, self.width(), self._height(n) - GAP - SPEECH)
        wave = self._waves[n] if n < len(self._waves) else None
        for part in self._lanes[n].ranges:
            top, height = self._band(part, body, wave)
            a, b = scale.x(part.begins_s), scale.x(part.ends_s)
            if top <= point.y() < top + height and a - GRAB <= point.x() <= b + GRAB:
                where = (
                    "begin"
                    if abs(point.x() - a) <= GRAB and point.x() < (a + b) / 2
                    else "end"
                    if abs(point.x() - b) <= GRAB
                    else "body"
                )
                if where != "body" or a <= point.x() <= b:
                    found.append((part.ends_s - part.begins_s, part, where))
        return min(found, key=lambda f: f[0])[1:] if found else None

    def _voice_at(self, n: int, seconds: float) -> str:
        return next((s.voice for s in self._lanes[n].speech if s.begins_s <= seconds <= s.ends_s), "")

    def mousePressEvent(self, event) -> None:
        point = event.position()
        n = self._lane_at(point.y())
        if n < 0:
            return
        track = self._lanes[n].track
        if point.x() < LANES - 4:
            if event.button() == Qt.MouseButton.LeftButton and len(self._lanes) > 1:
                self.heardChosen.emit(0 if self._heard == track else track)
            return
        seconds = self._scale().frame(point.x())
        found = self._range_at(n, point) if point.y() >= self._top(n) + SPEECH else None
        if event.button() == Qt.MouseButton.RightButton:
            if found and found[0].key not in self.chosen:
                self.selected.emit([found[0].key])
            self.menuWanted.emit(
                found[0].key if found else "",
                self._voice_at(n, seconds),
                track,
                seconds,
                event.globalPosition().toPoint(),
            )
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if found:
            part, where = found
            more = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            keys = (
                [k for k in self.chosen if k != part.key]
                if more and part.key in self.chosen
                else [*self.chosen, part.key]
                if more
                else [part.key]
            )
            self.selected.emit(keys)
            self._drag = {
                "kind": where,
                "key": part.key,
                "ends": (part.begins_s, part.ends_s),
                "from": seconds,
                "lane": n,
                "x": point.x(),
            }
        elif point.y() < self._top(n) + SPEECH:
            self.sought.emit(seconds)
        else:
            self._drag = {"kind": "draw", "from": seconds, "lane": n, "x": point.x()}

    def mouseMoveEvent(self, event) -> None:
        point, drag = event.position(), self._drag
        if drag is None:
            self._show_hover(point)
            return
        if "to" in drag or abs(point.x() - drag["x"]) > 3:
            drag["to"] = self._scale().frame(min(max(point.x(), LANES), self._right))
            self.update()

    def mouseReleaseEvent(self, event) -> None:
        drag, self._drag = self._drag, None
        if drag is None:
            return
        exactly = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if drag["kind"] == "draw":
            if "to" in drag:
                self.rangeDrawn.emit(self._lanes[drag["lane"]].track, *sorted((drag["from"], drag["to"])), exactly)
            else:
                self.selected.emit([])
                self.sought.emit(drag["from"])
        elif "to" in drag:
            self.rangeMoved.emit(drag["key"], *self._pulled(drag), exactly)
        else:
            self.sought.emit(drag["from"])
        self.update()

    def _show_hover(self, point: QPointF) -> None:
        n = self._lane_at(point.y())
        part = "" if n < 0 else "name" if point.x() < LANES - 4 else "lane"
        found = self._range_at(n, point) if part == "lane" and point.y() >= self._top(n) + SPEECH else None
        self.setCursor(
            Qt.CursorShape.SizeHorCursor
            if found and found[1] != "body"
            else Qt.CursorShape.PointingHandCursor
            if part == "name" and len(self._lanes) > 1
            else Qt.CursorShape.ArrowCursor
        )
        speech = (
            next(
                (
                    s
                    for s in self._lanes[n].speech
                    if part == "lane" and s.begins_s <= self._scale().frame(point.x()) <= s.ends_s
                ),
                None,
            )
            if n >= 0
            else None
        )
        if found:
            tip = tr(
                "{who}: {how}. Drag an end to move it, all of it to shift it; right click for more",
                who=found[0].name or tr("Nobody's voice"),
                how=tr(found[0].word).lower(),
            )
        elif part == "name":
            tip = tr("Click to hear this track alone") if len(self._lanes) > 1 else ""
        elif speech is not None:
            tip = tr(
                {
                    SpeechState.PLAIN: "{who} is heard plain here. Drag to disguise; right click to say who it is",
                    SpeechState.DISGUISED: "{who}, disguised",
                    SpeechState.FREE: "{who} speaks, and may be heard as far as is known",
                }[speech.state],
                who=speech.name,
            )
        else:
            tip = tr("Drag over sound to disguise it; ends snap to pauses, with Alt they do not") if part else ""
        self.setToolTip(tip)
        if (n, part) != self._hover:
            self._hover = n, part
            self.update()

    def leaveEvent(self, event) -> None:
        self._hover = (-1, "")
        self.update()

    def wheelEvent(self, event) -> None:
        self.zoomed.emit(event)


def _level_at(wave: Waveform, seconds: float) -> float | None:
    """How loud the loudest channel is around a time, dB of full scale; None where there is no sound."""
    at = int((seconds - wave.begins_s) / wave.step_s)
    near = wave.rms[:, max(0, at - 4) : max(0, at + 5)]
    loudest = float(near.max()) if near.size else 0.0
    return 20 * float(np.log10(loudest / 255)) if loudest > 0 else None


def _shown(values: np.ndarray) -> np.ndarray:
    """How high levels (0..255 of full scale) are drawn, 0..1: by their root, so that soft speech is still seen."""
    return np.sqrt(values / 255.0)
