"""Makes the pictures of the contact sheet in threads of its own: first those that are seen, then the others, and plays
the seconds around one of them."""

from __future__ import annotations

import logging
import threading
from collections import OrderedDict
from collections.abc import Sequence

import cv2
import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from skiagraph.desktop.images import LATER, SOON, give_way, image_of
from skiagraph.errors import SkiagraphError
from skiagraph.project.model import Clip, Project
from skiagraph.review.crops import CropReader, as_they_come, in_order_of_making
from skiagraph.review.sheet import Crop, picture_digest

log = logging.getLogger("skiagraph")

# Bytes of pictures that are kept, as JPEG of this quality, and of how many as they are painted.
KEPT_BYTES, QUALITY, PAINTED = 96 << 20, 92, 600
# Seconds before and after that are played around a crop.
AROUND_S = 1.0


class CropServer(QObject):
    """picture gives what is there. made: more of them are there; played: the next picture of the crop that is played;
    failed: a sentence."""

    made = Signal()
    played = Signal(object, QImage)
    failed = Signal(str)

    def __init__(self, size: tuple[int, int], parent: QObject | None = None):
        """size: of a picture at most, width and height px."""
        super().__init__(parent)
        self._size = size
        self._wake = threading.Condition()
        self._project = Project()
        self._seen: list[Crop] = []
        self._others: list[Crop] = []
        self._play: Crop | None = None
        self._closing = False
        self._jpegs: OrderedDict[str, bytes | None] = OrderedDict()
        self._held = 0
        self._images: OrderedDict[str, QImage] = OrderedDict()
        self._digests: dict[Crop, str] = {}
        self._told: set[str] = set()
        # Each thread has readers of its own: one that fills up as the clip goes, one that jumps.
        self._threads = [
            threading.Thread(target=self._work, args=(jumps,), name="crops", daemon=True) for jumps in (True, False)
        ]
        for thread in self._threads:
            thread.start()

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._wake.notify_all()
        for thread in self._threads:
            thread.join(5)

    def show(self, project: Project, seen: Sequence[Crop], others: Sequence[Crop] | None = None) -> None:
        """What is wanted now: seen at once, the others besides; None for those that were wanted before."""
        with self._wake:
            if project.decisions is not self._project.decisions or project.evidence is not self._project.evidence:
                self._digests.clear()
            self._project = project
            self._seen = as_they_come(seen)
            if others is not None:
                self._others = in_order_of_making(others)
            self._wake.notify_all()

    def play(self, crop: Crop | None) -> None:
        """Play the seconds around a crop again and again, until another, or none."""
        with self._wake:
            self._play = crop
            self._wake.notify_all()

    def picture(self, crop: Crop) -> QImage | None:
        """The picture of a crop as the project is now, or None while it is not made."""
        key = self._key(crop)
        image = self._images.get(key)
        if image is None and (jpeg := self._jpegs.get(key)):
            image = self._images[key] = image_of(
                cv2.cvtColor(cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
            )
            while len(self._images) > PAINTED:
                self._images.popitem(last=False)
        return image

    def is_made(self, crop: Crop) -> bool:
        return bool(self._jpegs.get(self._key(crop)))

    @property
    def waiting(self) -> int:
        """How many of those wanted are not made yet."""
        return sum(self._key(crop) not in self._jpegs for crop in {*self._seen, *self._others})

    def _key(self, crop: Crop) -> str:
        key = self._digests.get(crop)
        if key is None:
            try:
                clip = self._project.clip(crop.clip)
            except KeyError:
                return ""
            key = self._digests[crop] = f"{clip.fingerprint}{picture_digest(self._project, crop)}"
        return key

    # In the threads

    def _work(self, jumps: bool) -> None:
        give_way(SOON if jumps else LATER)
        reader, reader_of = None, None
        while True:
            with self._wake:
                while not self._closing and (task := self._next(jumps)) is None:
                    self._wake.wait()
                if self._closing:
                    break
            crop, project, playing = task
            try:
                clip = project.clip(crop.clip)
                if reader_of != _identity(clip):
                    if reader:
                        reader.close()
                    reader, reader_of = None, None
                    reader, reader_of = CropReader(clip), _identity(clip)
                if playing:
                    self._play_around(reader, project, crop)
                else:
                    self._keep(crop, project, reader.picture(project, crop, self._size))
            except Exception as error:
                # One picture less is told once, and the sheet goes on.
                log.exception("no picture for the contact sheet")
                self._keep(crop, project, None)
                with self._wake:
                    self._play = None
                # A clip that cannot be read fails in each of its pictures.
                if isinstance(error, SkiagraphError) and str(error) not in self._told:
                    self._told.add(str(error))
                    self.failed.emit(str(error))
        if reader:
            reader.close()

    def _next(self, jumps: bool) -> tuple[Crop, Project, bool] | None:
        """What a thread does next: the one that jumps plays, and makes what is seen; the other goes through the
        clip."""
        if jumps and self._play is not None:
            return self._play, self._project, True
        wanted = self._seen if jumps else self._others
        while wanted:
            crop = wanted.pop(0)
            key = self._key(crop)
            if key and key not in self._jpegs:
                return crop, self._project, False
        return None

    def _keep(self, crop: Crop, project: Project, rgb: np.ndarray | None) -> None:
        jpeg = None
        if rgb is not None:
            jpeg = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[
                1
            ].tobytes()
        with self._wake:
            if project is not self._project and (
                project.decisions is not self._project.decisions or project.evidence is not self._project.evidence
            ):
                # Made for a project that has changed meanwhile: it may look otherwise now.
                return
            key = self._key(crop)
            if key not in self._jpegs:
                self._jpegs[key] = jpeg
                self._held += len(jpeg or b"")
            while self._held > KEPT_BYTES:
                self._held -= len(self._jpegs.popitem(last=False)[1] or b"")
        self.made.emit()

    def _play_around(self, reader: CropReader, project: Project, crop: Crop) -> None:
        """The seconds around a crop, once, each frame when it is due; ends at once when another is wanted."""
        clip = project.clip(crop.clip)
        around = round(AROUND_S * float(clip.rate))
        first, last = max(0, crop.first - around), min(clip.frames - 1, crop.last + around)
        if last - first > 4 * around:
            first, last = max(first, crop.at - around), min(last, crop.at + around)
        for frame in range(first, last + 1):
            image = image_of(reader.picture(project, crop, self._size, at=frame))
            with self._wake:
                if self._play is not crop or self._closing:
                    return
            self.played.emit(crop, image)
            with self._wake:
                self._wake.wait_for(lambda: self._play is not crop or self._closing, 1 / float(clip.rate) * 0.8)


def _identity(clip: Clip) -> tuple:
    return clip.path, clip.fingerprint, clip.frames
