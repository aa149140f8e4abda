"""Playing: a clock that says which frame is due, forwards and backwards, at several speeds."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QElapsedTimer, QObject, Qt, QTimer, Signal

from skiagraph.desktop.document import Document
from skiagraph.desktop.picture_server import Picture, PictureServer, Wish
from skiagraph.desktop.session import Session, View
from skiagraph.desktop.sound_player import SoundPlayer
from skiagraph.footage.hearing import Sound
from skiagraph.project.model import Project

SPEEDS = (1, 2, 4, 8)


class Player(QObject):
    """speed: 0 stands still; negative plays backwards. shown and missed count frames of the present run."""

    speedChanged = Signal(int)
    played = Signal(object)

    def __init__(self, document: Document, session: Session, server: PictureServer, parent: QObject | None = None):
        super().__init__(parent)
        self._document, self._session, self._server = document, session, server
        self._sound = SoundPlayer(self)
        self.speed = 0
        self.shown = self.missed = 0
        self._size = (1280, 720)
        # The project as the other side of the split shows it.
        self.other_side: Callable[[Project], Project | None] = lambda project: None
        # Tracks that are heard, from 0, and what is known of the clip's sound.
        self.heard: Callable[[], tuple[int, ...]] = lambda: (0,)
        self.sound_info: Callable[[], Sound | None] = lambda: None
        self._from = 0
        self._clock = QElapsedTimer()
        self._timer = QTimer(self, timerType=Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        document.changed.connect(self._restart)
        session.viewChanged.connect(self._restart)

    def set_size(self, width: int, height: int) -> None:
        """How large pictures have to be at most, px."""
        self._size = width, height

    def toggle(self) -> None:
        self.set_speed(0 if self.speed else 1)

    def faster(self, direction: int) -> None:
        """J and L: begin, then double; the other direction begins anew."""
        if self.speed * direction <= 0:
            self.set_speed(direction)
        else:
            place = SPEEDS.index(abs(self.speed))
            self.set_speed(direction * SPEEDS[min(place + 1, len(SPEEDS) - 1)])

    def set_speed(self, speed: int) -> None:
        clip = self._session.clip
        if clip is None:
            speed = 0
        first, last = self._session.span
        if speed > 0 and (self._session.frame >= last or self._session.frame < first):
            self._session.set_frame(first)
        elif speed < 0 and (self._session.frame <= first or self._session.frame > last):
            self._session.set_frame(last)
        self.speed = speed
        if speed:
            self.shown = self.missed = 0
            self._begin(clip)
        else:
            self._timer.stop()
            self._sound.stop()
            self._server.stop()
        self.speedChanged.emit(speed)

    def _begin(self, clip) -> None:
        self._from = self._session.frame
        first, last = self._session.span
        project = self._document.project
        other = self.other_side(project) if self._session.view == View.SPLIT else None
        wish = Wish(project, clip.key, self._from, self._session.view, *self._size, other=other)
        # Fast playing leaves frames out; half the clip's rate in pictures is enough for eyes.
        step = (1 if self.speed > 0 else -1) * max(1, abs(self.speed) // 2)
        self._server.play(wish, step, first, last)
        self._clock.start()
        self._timer.start(max(4, int(500 / float(clip.rate))))
        if self.speed == 1:
            # The ear is shown what the eye is: the source, while it is looked at, as it was recorded.
            self._sound.play(
                project,
                clip,
                self._from,
                self._server.index_of(clip),
                self.heard(),
                self._session.view == View.SOURCE,
                self.sound_info(),
            )
        else:
            self._sound.stop()

    def _due(self, clip, seconds: float) -> int:
        """The frame to be on screen so many seconds of the clip after the one playing began with.

        By the frames' own times, so that picture and sound stay together also where the rate varies; before those are
        known, by the mean rate.
        """
        index = self._server.index_of(clip)
        return (
            index.frame_after(self._from, seconds)
            if index is not None
            else self._from + int(seconds * float(clip.rate))
        )

    def hear_anew(self) -> None:
        """What is heard is another: go on from here with it."""
        if self.speed == 1:
            self._restart()

    def _restart(self) -> None:
        """A changed project or view while playing: go on from here with it."""
        clip = self._session.clip
        if self.speed and clip is not None:
            self._begin(clip)

    def _tick(self) -> None:
        clip = self._session.clip
        if clip is None:
            return self.set_speed(0)
        first, last = self._session.span
        due = self._due(clip, self._clock.elapsed() / 1000 * self.speed)
        picture: Picture | None = self._server.take(max(first, min(due, last)), self.speed)
        if picture is not None:
            gone = abs(picture.wish.frame - self._session.frame)
            self.shown += 1
            self.missed += max(0, gone - max(1, abs(self.speed) // 2)) if abs(self.speed) <= 2 else 0
            self._session.set_frame(picture.wish.frame)
            self.played.emit(picture)
        if (due > last + 2 and self.speed > 0) or (due < first - 2 and self.speed < 0):
            if not first <= due <= last and picture is None:
                self.set_speed(0)
        return None
