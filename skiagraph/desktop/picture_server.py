"""Makes the pictures of the viewer in a thread of its own: the newest wish for a still, or a run of frames for
playing."""

from __future__ import annotations

import logging
import threading
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from skiagraph.cover.composite import with_layers
from skiagraph.desktop.images import SOON, give_way, image_of
from skiagraph.desktop.session import View
from skiagraph.desktop.words import tr
from skiagraph.errors import SkiagraphError
from skiagraph.footage.source import open_source
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Project

log = logging.getLogger("skiagraph")

# Decoded frames that stay at hand for stepping back, and pictures made ahead while playing.
KEEP, AHEAD = 24, 8


@dataclass(frozen=True, slots=True)
class Wish:
    """One picture: frame of clip under project, as view, at most width x height px. number: rises from wish to wish;
    other: for the split view, the project as the other side shows it, None for the source."""

    project: Project
    clip: str
    frame: int
    view: View
    width: int
    height: int
    number: int = 0
    other: Project | None = None


@dataclass(frozen=True, slots=True)
class Picture:
    """What came of a wish. image: the main picture; other: for the split view, what is beside the result: the source,
    or another look; grey: of a still, the luma of the source as it was shot, uint8 (rows, columns), whatever lies over
    it."""

    wish: Wish
    image: QImage
    other: QImage | None = None
    grey: np.ndarray | None = None


class PictureServer(QObject):
    """Stills arrive by the made signal, each with the number of its wish.

    While playing, `take` gives the picture that is due; late ones are left out.
    """

    made = Signal(object)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._wake = threading.Condition()
        self._wish: Wish | None = None
        self._asked = 0
        self._run: tuple[Wish, int, int, int] | None = None
        self._ready: list[Picture] = []
        self._skip_to: int | None = None
        self._closing = False
        self._reader: FrameReader | None = None
        self._reader_of: tuple = ()
        self._indexed: tuple[tuple, FrameIndex | None] = ((), None)
        self._thread = threading.Thread(target=self._work, name="pictures", daemon=True)
        self._thread.start()

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._wake.notify_all()
        self._thread.join(5)

    def ask(self, wish: Wish) -> int:
        """Ask for a still; an older wish that was not begun is forgotten. Returns the number of this one."""
        with self._wake:
            self._asked += 1
            self._wish, self._run = replace(wish, number=self._asked), None
            self._ready.clear()
            self._wake.notify_all()
            return self._asked

    def play(self, wish: Wish, step: int, first: int, last: int) -> None:
        """Make pictures from wish.frame on, every step-th frame (negative: backwards), within first .. last."""
        with self._wake:
            self._wish, self._run, self._skip_to = None, (wish, step, first, last), None
            self._ready.clear()
            self._wake.notify_all()

    def stop(self) -> None:
        with self._wake:
            self._run = None
            self._ready.clear()
            self._wake.notify_all()

    def take(self, due: int, step: int) -> Picture | None:
        """The newest picture that is not after frame `due` in the direction of step, or None when none is ready."""
        with self._wake:
            found = None
            while self._ready and (self._ready[0].wish.frame - due) * step <= 0:
                found = self._ready.pop(0)
            # Behind by more than a little: the maker may leave frames out to catch up.
            self._skip_to = due if not self._ready else None
            self._wake.notify_all()
            return found

    def _work(self) -> None:
        give_way(SOON)
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._closing or self._wish or (self._run and len(self._ready) < AHEAD))
                if self._closing:
                    break
                wish, run = self._wish, self._run
                self._wish = None
                skip_to = self._skip_to
            try:
                if wish is not None:
                    self.made.emit(self._make(wish))
                elif run is not None:
                    self._next_of(run, skip_to)
            except SkiagraphError as error:
                self.failed.emit(str(error))
                with self._wake:
                    self._run = None
            except Exception as error:
                log.exception("picture not made")
                self.failed.emit(tr("This frame cannot be shown ({error}); the details are in the log.", error=error))
                with self._wake:
                    self._run = None
        if self._reader:
            self._reader.close()

    def _next_of(self, run, skip_to) -> None:
        wish, step, first, last = run
        frame = wish.frame
        if skip_to is not None and (skip_to - frame) * step > 2 * abs(step):
            frame = skip_to
        inside = first <= frame <= last
        picture = self._make(replace(wish, frame=frame), fast=True) if inside else None
        following = replace(wish, frame=frame + step)
        with self._wake:
            if self._run is not run:
                return
            if picture is None:
                self._run = None
                return
            self._ready.append(picture)
            self._run = (following, step, first, last)

    def _make(self, wish: Wish, fast: bool = False) -> Picture:
        clip = wish.project.clip(wish.clip)
        width, height = _fitted(clip.width, clip.height, wish.width, wish.height)
        if wish.view == View.MATTE:
            grey = matte(wish.project, wish.clip, wish.frame)
            return Picture(wish, image_of(np.repeat(grey[..., None], 3, axis=2)))
        frame = self._open(clip).read(wish.frame)
        if wish.view == View.SOURCE:
            return Picture(wish, image_of(frame.rgb(width, height, fast=fast)), grey=None if fast else frame.grey())
        result = image_of(with_layers(frame, layers(wish.project, wish.clip, wish.frame)).rgb(width, height, fast=fast))
        other = None
        if wish.view == View.SPLIT:
            beside = frame if wish.other is None else with_layers(frame, layers(wish.other, wish.clip, wish.frame))
            other = image_of(beside.rgb(width, height, fast=fast))
        return Picture(wish, result, other, None if fast else frame.grey())

    def index_of(self, clip) -> FrameIndex | None:
        """The index of a clip whose pictures are being made, None for others."""
        known, index = self._indexed
        return index if known == _identity(clip) else None

    def _open(self, clip) -> FrameReader:
        identity = _identity(clip)
        if self._reader is None or self._reader_of != identity:
            if self._reader:
                self._reader.close()
                self._reader = None
            info, index = open_source(clip)
            self._reader, self._reader_of, self._indexed = (
                FrameReader(info, index, keep=KEEP),
                identity,
                (identity, index),
            )
        return self._reader


def _identity(clip) -> tuple:
    return clip.path, clip.fingerprint, clip.frames


def _fitted(width: int, height: int, most_w: int, most_h: int) -> tuple[int, int]:
    """The clip's size scaled down, never up, to fit."""
    scale = min(1.0, max(most_w, 16) / width, max(most_h, 16) / height)
    return max(2, round(width * scale)), max(2, round(height * scale))
