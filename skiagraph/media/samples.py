"""The samples of a sound track on one line without gaps: sample n is heard n / rate seconds after the clip's first
picture begins.

What a file leaves out (a gap, damage, a late beginning) is silence there, and what it says twice is left out, so that
places stay true.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from fractions import Fraction

import av
import av.error
import numpy as np

from skiagraph.media.clip import ClipInfo

# Samples of silence that one block holds at most, where a file has a gap.
_SILENCE = 1 << 16
# Times are rounded in some containers (Matroska: to 1 ms): a difference up to this is none, s.
ROUNDED_S = 0.004
# The longest gap that is filled; beyond, times are nonsense, s.
FILLED_S = 6 * 3600.0


class Placed:
    """Decoded frames of one track as placed blocks. rate, layout: of the first frame; what comes at another rate or
    layout is brought to it (rate 0 before any frame).

    shift_s: added to the times of frames so that they count from the clip's first picture. kind: the sample format of
    blocks, without the p of planar ones (s16, s32, flt, dbl, u8). changed: something came otherwise.
    """

    def __init__(self, shift_s: Fraction):
        self._shift, self._next = shift_s, None
        self.rate = 0
        self.layout = self.kind = ""
        self.changed = False
        self._resampler: av.AudioResampler | None = None
        self._source: tuple | None = None

    @property
    def place(self) -> int | None:
        """Where the next sample lies, None before any frame."""
        return self._next

    def placed(self, frame: av.AudioFrame) -> Iterator[tuple[int, np.ndarray]]:
        """The samples of a frame, in their place: (place, (n, channels)) each."""
        if not self.rate:
            self.rate, self.layout, self.kind = (
                frame.sample_rate,
                frame.layout.name,
                frame.format.name.removesuffix("p"),
            )
        at = (
            round((frame.pts * frame.time_base + self._shift) * self.rate) if frame.pts is not None else self._next or 0
        )
        yield from self._joined(at, self._samples(frame))

    def _samples(self, frame: av.AudioFrame) -> np.ndarray:
        if (frame.sample_rate, frame.layout.name, frame.format.name.removesuffix("p")) == (
            self.rate,
            self.layout,
            self.kind,
        ):
            return _as_columns(frame)
        self.changed = True
        source = (frame.sample_rate, frame.layout.name, frame.format.name)
        if source != self._source:
            self._resampler, self._source = (
                av.AudioResampler(format=self.kind + "p", layout=self.layout, rate=self.rate),
                source,
            )
        parts = [_as_columns(made) for made in self._resampler.resample(frame)]
        return np.concatenate(parts) if parts else np.zeros((0, len(frame.layout.channels)))

    def _joined(self, at: int, samples: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
        if not len(samples):
            return
        if self._next is None:
            self._next = at
        late = at - self._next
        if abs(late) > ROUNDED_S * self.rate:
            if 0 < late < FILLED_S * self.rate:
                while self._next < at:
                    n = min(_SILENCE, at - self._next)
                    yield (
                        self._next,
                        np.full((n, samples.shape[1]), 128 if samples.dtype == np.uint8 else 0, samples.dtype),
                    )
                    self._next += n
            elif late < 0:
                samples = samples[-late:]
        if len(samples):
            yield self._next, samples
            self._next += len(samples)


def _as_columns(frame: av.AudioFrame) -> np.ndarray:
    """(n, channels) of a frame."""
    array = frame.to_ndarray()
    return array.T if frame.format.is_planar else array.reshape(-1, len(frame.layout.channels))


def frame_of(samples: np.ndarray, place: int, rate: int, layout: str, kind: str) -> av.AudioFrame:
    """An audio frame from (n, channels), whose time counts samples from place."""
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.reshape(1, -1)), format=kind, layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate, place, Fraction(1, rate)
    return frame


def origin_of(info: ClipInfo) -> Fraction:
    """The time of the clip's first picture in its file, s."""
    return info.start_pts * info.time_base


def decoded(packets: Iterable[av.Packet]) -> Iterator[av.AudioFrame]:
    """Frames of packets; what of them is damaged is left out."""
    for packet in packets:
        try:
            yield from packet.decode()
        except av.error.FFmpegError:
            continue


_FULL = {np.dtype(np.int16): 1 << 15, np.dtype(np.int32): 1 << 31, np.dtype(np.int64): 1 << 63}


def as_float(samples: np.ndarray) -> np.ndarray:
    """Samples of any kind as float64, full scale 1."""
    if samples.dtype == np.uint8:
        return (samples.astype(float) - 128) / 128
    return samples.astype(float) / _FULL.get(samples.dtype, 1)


def as_kind(samples: np.ndarray, kind: np.dtype) -> np.ndarray:
    """Samples as a kind again, what is louder than full scale held at it."""
    if kind == np.uint8:
        return np.clip(np.round(samples * 128) + 128, 0, 255).astype(np.uint8)
    full = _FULL.get(np.dtype(kind))
    if full is None:
        return samples.astype(kind)
    return np.clip(np.round(samples * full), -full, full - 1).astype(kind)
