"""Small pictures: the faces of the register and the first frames of clips, made in the background and kept."""

from __future__ import annotations

import logging
import queue
import threading
from collections import OrderedDict

import cv2
import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from skiagraph.desktop.images import LATER, give_way, image_of
from skiagraph.footage.source import open_source
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Clip, Portrait, Project

log = logging.getLogger("skiagraph")

FACE_PX, THUMB_PX = 96, 448
# Bytes of pictures that are kept; those that nobody asked for longest go first, and are made again when wanted.
KEPT_BYTES = 128 << 20
# A portrait shows the head, which is larger than the face's box.
AROUND, RISE = 1.7, 0.12


class Portraits(QObject):
    """face and thumbnail give a picture if it is there, and otherwise make it and say so by `made`."""

    made = Signal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._kept: OrderedDict[tuple, QImage | None] = OrderedDict()
        self._held, self._lock = 0, threading.Lock()
        self._wanted: queue.Queue = queue.Queue()
        self._thread = threading.Thread(target=self._work, name="portraits", daemon=True)
        self._thread.start()

    @property
    def held_bytes(self) -> int:
        """How much the pictures take that are kept."""
        return self._held

    def close(self) -> None:
        self._wanted.put(None)
        self._thread.join(5)

    def face(self, project: Project, portrait: Portrait | None, turns: int = 0) -> QImage | None:
        """turns: quarter turns, clockwise, by which the head leans; it is shown upright."""
        if portrait is None:
            return None
        try:
            return self._get(project.clip(portrait.clip), portrait.frame, portrait.box, turns=turns)
        except KeyError:
            return None

    def closeup(
        self, clip: Clip, frame: int, box: tuple[float, float, float, float], size: tuple[int, int], turns: int = 0
    ) -> QImage | None:
        """A part of a frame: box x0, y0, x1, y1 px, as large as fits into size. turns: quarter turns, clockwise, by
        which what it shows leans; it is shown upright."""
        return self._get(clip, frame, box, size, turns)

    def thumbnail(self, clip: Clip) -> QImage | None:
        return self._get(clip, min(clip.frames - 1, round(float(clip.rate))), None)

    def _get(self, clip: Clip, frame: int, box, size: tuple[int, int] | None = None, turns: int = 0) -> QImage | None:
        key = (clip.path, clip.fingerprint, frame, box, size, turns)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            self._kept[key] = None
        self._wanted.put((key, clip, frame, box, size, turns))
        return None

    def _keep(self, key: tuple, image: QImage) -> None:
        with self._lock:
            self._held += image.sizeInBytes() - _bytes_of(self._kept.pop(key, None))
            self._kept[key] = image
            while self._held > KEPT_BYTES and len(self._kept) > 1:
                self._held -= _bytes_of(self._kept.popitem(last=False)[1])

    def _work(self) -> None:
        give_way(LATER)
        reader, reader_of = None, None
        while (task := self._wanted.get()) is not None:
            key, clip, frame, box, size, turns = task
            try:
                if reader_of != (clip.path, clip.fingerprint):
                    if reader:
                        reader.close()
                    reader, reader_of = FrameReader(*open_source(clip), threads=1), (clip.path, clip.fingerprint)
                rgb = reader.read(frame).rgb()
                made = closeup_of(rgb, box, size, turns) if size else cropped(rgb, box, turns) if box else _shrunk(rgb)
                self._keep(key, image_of(made))
            except Exception:  # a register without one picture is still a register
                log.exception("no portrait")
                continue
            self.made.emit()
        if reader:
            reader.close()


def _bytes_of(image: QImage | None) -> int:
    return image.sizeInBytes() if image is not None else 0


def cropped(rgb: np.ndarray, box: tuple[float, float, float, float], turns: int) -> np.ndarray:
    """The head around a face's box, upright: uint8 RGB (FACE_PX, FACE_PX, 3). turns: quarter turns, clockwise, by which
    it leans."""
    x0, y0, x1, y1 = box
    side = max(x1 - x0, y1 - y0) * AROUND
    # Up is where the head's crown is.
    right, down = ((0, -1), (1, 0), (0, 1), (-1, 0))[turns]
    cx, cy = (x0 + x1) / 2 + right * RISE * (y1 - y0), (y0 + y1) / 2 + down * RISE * (y1 - y0)
    move = np.float32(
        [[FACE_PX / side, 0, FACE_PX / 2 - cx * FACE_PX / side], [0, FACE_PX / side, FACE_PX / 2 - cy * FACE_PX / side]]
    )
    cropped = cv2.warpAffine(
        rgb,
        move,
        (FACE_PX, FACE_PX),
        flags=cv2.INTER_AREA if side > FACE_PX else cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.ascontiguousarray(np.rot90(cropped, turns))


def closeup_of(rgb: np.ndarray, box, size: tuple[int, int], turns: int) -> np.ndarray:
    """A box of a picture, turned upright, as large as fits into size; what lies outside the picture is dark."""
    x0, y0, x1, y1 = box
    size = size if turns % 2 == 0 else size[::-1]
    scale = min(size[0] / (x1 - x0), size[1] / (y1 - y0))
    wide, tall = max(1, round((x1 - x0) * scale)), max(1, round((y1 - y0) * scale))
    move = np.float32([[scale, 0, -x0 * scale], [0, scale, -y0 * scale]])
    part = cv2.warpAffine(
        rgb,
        move,
        (wide, tall),
        flags=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=(18, 17, 16),
    )
    return np.ascontiguousarray(np.rot90(part, turns))


def _shrunk(rgb: np.ndarray) -> np.ndarray:
    scale = THUMB_PX / rgb.shape[1]
    return cv2.resize(rgb, (THUMB_PX, max(1, round(rgb.shape[0] * scale))), interpolation=cv2.INTER_AREA)
