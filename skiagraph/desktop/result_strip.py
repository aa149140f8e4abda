"""Pictures of the result side by side, over all that is handed over of a clip."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import ceil

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import paint_rounded
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.review.sheet import Crop

# Px between two pictures; a row that is fuller than it can be by so much of a picture has one less, a little larger.
GAP, SPARE = 2 * GRID, 0.1


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


@dataclass(frozen=True, slots=True)
class Strip:
    """How pictures of one size fill a room: across and rows, how many of them; width, height: px of one."""

    across: int
    rows: int
    width: int
    height: int

    @classmethod
    def within(cls, picture: tuple[int, int], room: tuple[int, int], least: int, most: int) -> Strip | None:
        """picture: px of what is shown; room: px there are; least, most: px of height that one may have. None where
        even the least does not fit."""
        tall = min(room[1], most)
        if tall < least:
            return None
        # The width is filled, so that pictures may be a little lower than there is room for.
        across = max(1, ceil((room[0] + GAP) / (tall * picture[0] / picture[1] + GAP) - SPARE))
        width = (room[0] + GAP) // across - GAP
        height = max(1, round(width * picture[1] / picture[0]))
        return cls(across, max(1, (room[1] + GAP) // (height + GAP)), width, height)

    @property
    def count(self) -> int:
        return self.across * self.rows

    @property
    def tall(self) -> int:
        """Px of all rows."""
        return self.rows * (self.height + GAP) - GAP


class ResultStrip(QWidget):
    """picked: the crop whose picture was pressed."""

    picked = Signal(object)

    def __init__(self, crops: Sequence[Crop], when: Callable[[Crop], str], how: Strip, parent: QWidget | None = None):
        """crops: whole pictures of one clip, all of one size; when: the timecode of one."""
        super().__init__(parent)
        self.pictures: list[ResultPicture] = []
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(GAP)
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
