"""The clip's sound while it plays at its own rate. Without a sound device it is silent and says nothing."""

from __future__ import annotations

import threading
import time

from PySide6.QtCore import QObject
from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

from skiagraph.footage.source import open_source
from skiagraph.media.audio import SAMPLE_RATE, in_time, read_sound
from skiagraph.media.index import FrameIndex
from skiagraph.project.model import Clip


class SoundPlayer(QObject):
    """One sink, fed by a thread with stereo samples from the clip."""

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._sink: QAudioSink | None = None
        self._stop = threading.Event()
        self._has_device: bool | None = None

    def play(self, clip: Clip, frame: int, index: FrameIndex | None) -> None:
        """Play from a frame on, which is on screen now. index: of the clip, if it is known."""
        self.stop()
        begun = time.monotonic()
        if self._has_device is None:
            self._has_device = not QMediaDevices.defaultAudioOutput().isNull()
        if not self._has_device:
            return
        wanted = QAudioFormat()
        wanted.setSampleRate(SAMPLE_RATE)
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        self._sink = QAudioSink(QMediaDevices.defaultAudioOutput(), wanted, self)
        device = self._sink.start()
        self._stop = threading.Event()
        threading.Thread(target=self._feed, args=(clip, frame, index, begun, self._sink, device, self._stop), name="sound", daemon=True).start()

    def stop(self) -> None:
        self._stop.set()
        if self._sink is not None:
            self._sink.stop()
            self._sink = None

    @staticmethod
    def _feed(clip, frame, index, begun, sink, device, stop) -> None:
        try:
            # By the frame's own time, which the mean rate does not tell where it varies.
            index = index or open_source(clip)[1]
            for block in in_time(read_sound(clip.path, index.time_s(frame)), lambda: time.monotonic() - begun):
                data = block.tobytes()
                while data and not stop.is_set():
                    written = device.write(data)
                    data = data[max(0, written):]
                    if data:
                        stop.wait(0.02)
                if stop.is_set():
                    return
        except Exception:  # sound is a comfort here; a clip whose sound cannot be decoded still plays
            return
