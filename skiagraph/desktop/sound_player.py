"""The clip's sound while it plays at its own rate. Without a sound device it is silent and says nothing."""

from __future__ import annotations

import threading
import time
from contextlib import closing

from PySide6.QtCore import QObject
from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

from skiagraph.footage.hearing import Sound, heard
from skiagraph.footage.source import open_source
from skiagraph.jobs import read_ahead
from skiagraph.logs import log
from skiagraph.media.audio import SAMPLE_RATE, in_time
from skiagraph.media.index import FrameIndex
from skiagraph.project.model import Clip, Project

# Blocks that are made before they are heard, some 85 ms each: a voice that is disguised takes a moment where another is
# drawn.
AHEAD = 60


class SoundPlayer(QObject):
    """One sink, fed by a thread with stereo samples from the clip."""

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._sink: QAudioSink | None = None
        self._stop = threading.Event()
        self._has_device: bool | None = None

    def play(
        self,
        project: Project,
        clip: Clip,
        frame: int,
        index: FrameIndex | None,
        tracks: tuple[int, ...],
        plain: bool,
        known: Sound | None,
    ) -> None:
        """Play from a frame on, which is on screen now. index, known: of the clip, if they are known; tracks: that are
        heard, from 0; plain: as they were recorded, with no voice disguised."""
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
        threading.Thread(
            target=self._feed,
            args=(project, clip, frame, index, tracks, plain, known, begun, self._sink, device, self._stop),
            name="sound",
            daemon=True,
        ).start()

    def stop(self) -> None:
        self._stop.set()
        if self._sink is not None:
            self._sink.stop()
            self._sink = None

    @staticmethod
    def _feed(project, clip, frame, index, tracks, plain, known, begun, sink, device, stop) -> None:
        try:
            info = known.info if known is not None else None
            if index is None or info is None:
                # By the frame's own time, which the mean rate does not tell where it varies.
                info, index = open_source(clip)
            blocks = heard(project, clip.key, info, index.time_s(frame), tracks, plain)
            with closing(read_ahead(in_time(blocks, lambda: time.monotonic() - begun), AHEAD)) as ready:
                for block in ready:
                    data = block.tobytes()
                    while data and not stop.is_set():
                        written = device.write(data)
                        data = data[max(0, written) :]
                        if data:
                            stop.wait(0.02)
                    if stop.is_set():
                        return
        except Exception:  # sound is a comfort here; a clip whose sound cannot be decoded still plays
            log.debug("sound stopped", exc_info=True)
            return
