"""“Play everything that is unsure”: one doubtful stretch after the other, the result and the source side by side."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QDialog, QLabel, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import column, line, push_button, quiet
from skiagraph.desktop.picture_server import Picture, PictureServer, Wish
from skiagraph.desktop.session import View
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.project.model import Project
from skiagraph.review.reel import ReelPart

# px of the window, and of each picture at most.
SIZE, PICTURE = (1180, 520), (1280, 720)


class _Pair(QWidget):
    """Two pictures beside one another, each under its word."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._images: tuple[QImage | None, QImage | None] = (None, None)
        self.setMinimumHeight(220)

    def set_images(self, result: QImage, source: QImage | None) -> None:
        self._images = result, source
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        half = (self.width() - 2 * GRID) / 2
        for n, (image, word) in enumerate(zip(self._images, (tr("Result"), tr("Source")))):
            left = n * (half + 2 * GRID)
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.QUIET))
            painter.drawText(
                QRectF(left, 0, half, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, word
            )
            room = QRectF(left, 20, half, self.height() - 20)
            painter.fillRect(room, QColor(theme.WELL))
            if image is not None:
                size = image.size().scaled(int(room.width()), int(room.height()), Qt.AspectRatioMode.KeepAspectRatio)
                painter.drawImage(
                    QRectF(
                        room.x() + (room.width() - size.width()) / 2,
                        room.y() + (room.height() - size.height()) / 2,
                        size.width(),
                        size.height(),
                    ),
                    image,
                )


class ReelSheet(QDialog):
    """Plays the parts in order and stops after the last. fixWanted: (clip, frame, subject or empty) to go to.

    Keys: Space plays and stops, Left and Right go by a frame, N and Shift+N to the next and the previous stretch, Enter
    goes to the frame.
    """

    fixWanted = Signal(str, int, str)

    def __init__(self, project: Project, parts: list[ReelPart], parent: QWidget | None = None):
        super().__init__(parent)
        self.setWindowTitle(tr("What is unsure"))
        self.resize(*SIZE)
        self._project, self.parts = project, parts
        self.at, self.frame, self.playing = 0, parts[0].first, False
        self._asked = 0
        self.server = PictureServer(self)
        self.server.made.connect(self._still)
        self.server.failed.connect(lambda text: self._why.setText(text))
        self._clock, self._from = QElapsedTimer(), 0
        self._timer = QTimer(self, timerType=Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        layout = column(margin=5 * GRID, spacing=3 * GRID, parent=self)
        head = line(spacing=3 * GRID)
        self._title = QLabel()
        self._title.setObjectName("title")
        self._when = quiet("")
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(self._when)
        layout.addLayout(head)
        self._why = quiet("", wrap=True)
        layout.addWidget(self._why)
        self.pictures = _Pair()
        layout.addWidget(self.pictures, 1)
        row = line(spacing=2 * GRID)
        self.back = push_button("Previous  Shift+N", "", "The stretch before")
        self.play_button = push_button("Stop  Space", "primary", "Play, or stand still")
        self.next = push_button("Next  N", "", "The next stretch")
        self.fix = push_button("Fix here  Enter", "", "Go to this frame in Cover")
        close = push_button("Close  Esc", "", "Back to Review")
        for button, does in (
            (self.back, lambda: self.go(self.at - 1)),
            (self.play_button, self.toggle),
            (self.next, lambda: self.go(self.at + 1)),
            (self.fix, self._fix),
            (close, self.reject),
        ):
            button.clicked.connect(does)
            button.setAutoDefault(False)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            row.addWidget(button)
        row.addStretch(1)
        layout.addLayout(row)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFocus()
        self.go(0)

    def go(self, at: int, play: bool = True) -> None:
        """To the beginning of a stretch, and play it."""
        self.at = max(0, min(at, len(self.parts) - 1))
        part = self.parts[self.at]
        self.frame = part.first
        clip = self._project.clip(part.clip)
        self._title.setText(
            tr(
                "{n} of {all}  ·  {clip}, {begin} to {end}",
                n=self.at + 1,
                all=len(self.parts),
                clip=clip.path.name,
                begin=clip.at(part.first),
                end=clip.at(part.last),
            )
        )
        self._why.setText(
            ",  ".join(
                tr("{name}: {why}", name=name, why=tr(why).lower()) if name else tr(why) for name, why in part.why[:6]
            )
        )
        self.back.setEnabled(self.at > 0)
        self.next.setEnabled(self.at < len(self.parts) - 1)
        self._set_playing(play)
        if not play:
            self._ask()

    def toggle(self) -> None:
        part = self.parts[self.at]
        if not self.playing and self.frame >= part.last:
            self.go(self.at)
        else:
            self._set_playing(not self.playing)

    def step(self, by: int) -> None:
        """By so many frames, standing still."""
        self._set_playing(False)
        self.frame = max(0, min(self.frame + by, self._project.clip(self.parts[self.at].clip).frames - 1))
        self._ask()

    def _wish(self) -> Wish:
        return Wish(self._project, self.parts[self.at].clip, self.frame, View.SPLIT, *PICTURE)

    def _set_playing(self, playing: bool) -> None:
        self.playing = playing
        self.play_button.setText(tr("Stop  Space") if playing else tr("Play  Space"))
        if playing:
            part = self.parts[self.at]
            self._from = self.frame
            self.server.play(self._wish(), 1, part.first, part.last)
            self._clock.start()
            self._timer.start(max(4, int(500 / float(self._project.clip(part.clip).rate))))
        else:
            self._timer.stop()
            self.server.stop()

    def _ask(self) -> None:
        self._asked = self.server.ask(self._wish())
        self._tell()

    def _tell(self) -> None:
        self._when.setText(self._project.clip(self.parts[self.at].clip).at(self.frame))

    def _still(self, picture: Picture) -> None:
        if picture.wish.number == self._asked:
            self.pictures.set_images(picture.image, picture.other)

    def _tick(self) -> None:
        part = self.parts[self.at]
        due = self._from + int(self._clock.elapsed() / 1000 * float(self._project.clip(part.clip).rate))
        picture = self.server.take(min(due, part.last), 1)
        if picture is not None:
            self.frame = picture.wish.frame
            self.pictures.set_images(picture.image, picture.other)
            self._tell()
        elif due > part.last + 2 and self.frame >= part.last:
            if self.at < len(self.parts) - 1:
                self.go(self.at + 1)
            else:
                self._set_playing(False)

    def keyPressEvent(self, event) -> None:
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key == Qt.Key.Key_Space:
            self.toggle()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step(1 if key == Qt.Key.Key_Right else -1)
        elif key == Qt.Key.Key_N:
            self.go(self.at + (-1 if shift else 1))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._fix()
        else:
            super().keyPressEvent(event)

    def _fix(self) -> None:
        part = self.parts[self.at]
        self.fixWanted.emit(part.clip, self.frame, part.subjects[0] if part.subjects else "")
        self.accept()

    def done(self, result: int) -> None:
        self._timer.stop()
        self.server.close()
        super().done(result)
