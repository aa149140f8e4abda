"""A picture that is zoomed at the pointer and panned: from px of the clip to the widget and back."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtWidgets import QWidget


class Zoomed(QWidget):
    """viewResized: the largest picture worth making, width and height px; zoomChanged: screen px for one of the
    clip."""

    viewResized = Signal(int, int)
    zoomChanged = Signal(float)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._clip_size = (16, 9)
        self._zoom: float | None = None
        self._pan = QPointF(0, 0)

    def set_clip_size(self, width: int, height: int) -> None:
        if (width, height) != self._clip_size:
            self._clip_size = width, height
            self.fit()

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
        return QRectF(
            (self.width() - width) / 2 + self._pan.x(), (self.height() - height) / 2 + self._pan.y(), width, height
        )

    def to_screen(self, point: QPointF) -> QPointF:
        area = self.target()
        return QPointF(area.x() + point.x() * self.scale, area.y() + point.y() * self.scale)

    def to_clip(self, point: QPointF) -> QPointF:
        area = self.target()
        return QPointF((point.x() - area.x()) / self.scale, (point.y() - area.y()) / self.scale)

    def resizeEvent(self, event) -> None:
        self._zoomed()

    def wheelEvent(self, event) -> None:
        self.zoom_at(event.position(), 1.0015 ** event.angleDelta().y())
