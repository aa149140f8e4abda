"""Pictures of the result side by side, over all that is handed over of a clip."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import paint_rounded
from skiagraph.desktop.words import tr
from skiagraph.review.sheet import Crop
from skiagraph.review.strips import SETTINGS, Strip


class ResultPicture(QAbstractButton):
    """One picture of the result; pressed, its frame is gone to."""

    def __init__(self, crop: Crop, when: str, width: int, height: int, parent: QWidget | None = None):
        super().__init__(parent)
        self.crop = crop
        self._image: QImage | None = None
        self.setFixedSize(width, height)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setAccessibleName(tr("The result at {when}", when=when))
        self.setToolTip(tr("The result at {when}. Click to go there.", when=when))

    @property
    def image(self) -> QImage | None:
        return self._image

    def set_image(self, image: QImage | None) -> None:
        self._image = image
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        outline = paint_rounded(painter, QRectF(self.rect()), self._image)
        if self.underMouse():
            painter.setPen(QPen(QColor(theme.LILAC), 2))
            painter.drawPath(outline)


class ResultStrip(QWidget):
    """picked: the crop whose picture was pressed."""

    picked = Signal(object)

    def __init__(self, crops: Sequence[Crop], when: Callable[[Crop], str], how: Strip, parent: QWidget | None = None):
        """crops: whole pictures of one clip, all of one size; when: the timecode of one."""
        super().__init__(parent)
        self.pictures: list[ResultPicture] = []
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(SETTINGS.gap)
        grid.setColumnStretch(how.across, 1)
        for n, crop in enumerate(crops):
            picture = ResultPicture(crop, when(crop), how.width, how.height)
            picture.clicked.connect(lambda _=False, crop=crop: self.picked.emit(crop))
            grid.addWidget(picture, n // how.across, n % how.across)
            self.pictures.append(picture)

    def refresh(self, made: Callable[[Crop], QImage | None]) -> None:
        """Show what is made by now; a picture that is made anew stays as it was until then."""
        for picture in self.pictures:
            if (image := made(picture.crop)) is not None:
                picture.set_image(image)
