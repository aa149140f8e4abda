"""Decoding sound for listening. Exports copy sound packet by packet and do not come through here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np

from skiagraph.media.clip import open_container
from skiagraph.media.confined import Confined, Ended, Inside

SAMPLE_RATE = 48000


def read_sound(path: Path, start_s: float) -> Iterator[np.ndarray]:
    """Blocks of the first sound stream from start_s on (seconds from the first frame): int16 (samples, 2) at SAMPLE_RATE.

    Decoded in a process of its own; sound that cannot be decoded on ends there.
    """
    confined = Confined(serve_sound, Path(path), start_s, name=Path(path).name)
    try:
        while (block := confined.ask()) is not None:
            yield block
    except Ended:
        return
    finally:
        confined.close()


def in_time(blocks: Iterator[np.ndarray], late_s: Callable[[], float]) -> Iterator[np.ndarray]:
    """Blocks of sound without their beginning, by as much as has passed when the first of them is there: the picture runs already."""
    missed: int | None = None
    for block in blocks:
        missed = round(late_s() * SAMPLE_RATE) if missed is None else missed
        if missed < len(block):
            yield block[missed:]
        missed = max(0, missed - len(block))


def serve_sound(inside: Inside, path: Path, start_s: float) -> None:
    """What the process does: a block for each request, None at the end."""
    blocks = _blocks(path, start_s)
    for _ in inside.requests():
        inside.answer(next(blocks, None))


def _blocks(path: Path, start_s: float) -> Iterator[np.ndarray]:
    with open_container(path) as container:
        if not container.streams.audio:
            return
        stream = container.streams.audio[0]
        video = container.streams.video[0] if container.streams.video else None
        origin = float((video.start_time or 0) * video.time_base) if video is not None else 0.0
        wanted = origin + start_s
        container.seek(int(max(0.0, wanted - 0.1) / stream.time_base), stream=stream, backward=True)
        resampler = av.AudioResampler(format="s16", layout="stereo", rate=SAMPLE_RATE)
        for frame in container.decode(stream):
            if frame.time is None or frame.time + frame.samples / frame.sample_rate <= wanted:
                continue
            cut = max(0, round((wanted - frame.time) * SAMPLE_RATE))
            for block in resampler.resample(frame):
                samples = block.to_ndarray().reshape(-1, 2)
                yield samples[min(cut, len(samples)):]
                cut = max(0, cut - len(samples))
