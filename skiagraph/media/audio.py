"""Decoding sound for listening, for looking at and for being listened to by networks, each in a process of its own.

What is handed over does not come through here.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import platformdirs

from skiagraph.errors import CannotOpenMedia
from skiagraph.jobs import JobControl
from skiagraph.media.clip import ClipInfo, SoundInfo, open_container, sounds_of
from skiagraph.media.confined import Confined, Ended, Inside, answered
from skiagraph.media.samples import Placed, as_float, decoded, frame_of, origin_of
from skiagraph.media.soundtrack import BEFORE_S, Change

SAMPLE_RATE = 48000
# Samples in one block that is passed on.
_BLOCK = 4096


def read_sound(
    info: ClipInfo, start_s: float, tracks: Sequence[int] = (0,), changes: Mapping[int, Change] | None = None
) -> Iterator[np.ndarray]:
    """Blocks of the sound of some tracks together (from 0), as it is changed, from start_s on (seconds from the first
    picture): int16 (samples, 2) at SAMPLE_RATE.

    Decoded, and changed, in a process of its own; sound that cannot be decoded on ends there.
    """
    streams = [(info.sound[n].stream, (changes or {}).get(n)) for n in tracks if n < len(info.sound)]
    if not streams:
        return
    confined = Confined(serve_sound, info.path, origin_of(info), start_s, streams, name=info.path.name)
    try:
        while (block := confined.ask()) is not None:
            yield block
    except Ended:
        return
    finally:
        confined.close()


def in_time(blocks: Iterator[np.ndarray], late_s: Callable[[], float]) -> Iterator[np.ndarray]:
    """Blocks of sound without their beginning, by as much as has passed when the first of them is there: the picture
    runs already."""
    missed: int | None = None
    for block in blocks:
        missed = round(late_s() * SAMPLE_RATE) if missed is None else missed
        if missed < len(block):
            yield block[missed:]
        missed = max(0, missed - len(block))


def serve_sound(
    inside: Inside, path: Path, origin: Fraction, start_s: float, streams: list[tuple[int, Change | None]]
) -> None:
    """What the process does: a block for each request, None at the end."""
    blocks = _mixed([_heard(path, origin, start_s, stream, change) for stream, change in streams], inside.beat)
    for _ in inside.requests():
        inside.answer(next(blocks, None))


def placed_blocks(
    path: Path, stream_index: int, origin: Fraction, start_s: float | None = None
) -> Iterator[tuple[Placed, int, np.ndarray]]:
    """The samples of a track in their places, from a little before start_s on, or from its beginning: what places them,
    place and (n, channels) each."""
    with open_container(path) as container:
        stream = container.streams[stream_index]
        placed = Placed(-origin)
        if start_s is not None:
            container.seek(
                int(max(0.0, float(origin) + start_s - float(BEFORE_S)) / stream.time_base),
                stream=stream,
                backward=True,
            )
        for frame in decoded(container.demux(stream)):
            for at, block in placed.placed(frame):
                yield placed, at, block


def _heard(path: Path, origin: Fraction, start_s: float, stream: int, change: Change | None) -> Iterator[np.ndarray]:
    """A track as it is heard from a time on: int16 (n, 2) at SAMPLE_RATE, silence before it begins."""
    rate = _rate_of(path, stream)
    if not rate:
        return
    laying = change.at(rate) if change is not None else None
    wanted = round(start_s * rate)
    changing = laying.begin() if laying is not None else None
    begin = laying.needed_from(wanted) if laying is not None else wanted
    resampler = av.AudioResampler(format="s16", layout="stereo", rate=SAMPLE_RATE)
    heard = placed = None
    for placed, at, block in placed_blocks(path, stream, origin, begin / rate):
        if at < begin:
            at, block = begin, block[begin - at :]
        for place, ready in (changing.take(at, block) if changing is not None else [(at, block)]) if len(block) else ():
            heard = place if heard is None else heard
            if place > wanted and heard == place:
                yield np.zeros((round((place - wanted) * SAMPLE_RATE / rate), 2), np.int16)
            yield from _stereo(resampler, ready[max(0, wanted - place) :], placed)
    for place, ready in changing.rest() if changing is not None and placed is not None else ():
        yield from _stereo(resampler, ready[max(0, wanted - place) :], placed)
    for made in resampler.resample(None) if placed is not None else ():
        yield made.to_ndarray().reshape(-1, 2)


def _rate_of(path: Path, stream: int) -> int:
    """The rate that the decoder gives, 0 where nothing can be decoded."""
    with open_container(path) as container:
        return next((frame.sample_rate for frame in decoded(container.demux(container.streams[stream]))), 0)


def _stereo(resampler: av.AudioResampler, samples: np.ndarray, placed: Placed) -> Iterator[np.ndarray]:
    for n in range(0, len(samples), _BLOCK):
        frame = frame_of(samples[n : n + _BLOCK], 0, placed.rate, placed.layout, placed.kind)
        frame.pts = None
        for made in resampler.resample(frame):
            yield made.to_ndarray().reshape(-1, 2)


def _mixed(tracks: list[Iterator[np.ndarray]], beat: Callable[[], None]) -> Iterator[np.ndarray]:
    """Tracks together, each as loud as it is, held at full scale."""
    held = [np.zeros((0, 2), np.int16) for _ in tracks]
    while True:
        beat()
        for n, track in enumerate(tracks):
            while len(held[n]) < _BLOCK and (block := next(track, None)) is not None:
                held[n] = np.concatenate([held[n], block])
        count = min(_BLOCK, max((len(h) for h in held), default=0))
        if not count:
            return
        total = np.zeros((count, 2), np.int32)
        for h in held:
            total[: len(h[:count])] += h[:count]
        held = [h[count:] for h in held]
        yield np.clip(total, -32768, 32767).astype(np.int16)


# For networks


@dataclass(frozen=True, slots=True)
class SoundFile:
    """A file that holds sound and no picture, as far as reading sound goes: what counts for its first picture is its
    beginning."""

    path: Path
    sound: tuple[SoundInfo, ...]
    start_pts: int = 0
    time_base: Fraction = Fraction(1)

    @staticmethod
    def of(path: Path) -> SoundFile:
        """Raises CannotOpenMedia."""
        return SoundFile(path, answered(serve_probe_sound, path, name=path.name, error=CannotOpenMedia))


def serve_probe_sound(inside: Inside, path: Path) -> None:
    """What the process does."""
    for _ in inside.requests():
        with open_container(path) as container:
            inside.answer(sounds_of(container))


def read_track(info: ClipInfo, track: int, rate: int, channel: int = 0) -> Iterator[tuple[int, np.ndarray]]:
    """A track at a rate, its channels together or one of them (from 1), about a second at once: (place, float32 (n,))
    each, counted from the first picture. Raises CannotOpenMedia where the decoder crashes."""
    return _answers(
        info,
        Confined(serve_track, info.path, origin_of(info), info.sound[track].stream, rate, channel, name=info.path.name),
    )


def read_samples(info: ClipInfo, track: int) -> Iterator[tuple[int, int, np.ndarray]]:
    """A track as it is: (rate, place, float64 (n, channels)) each, counted from the first picture.

    Raises CannotOpenMedia where the decoder crashes.
    """
    return _answers(
        info, Confined(serve_samples, info.path, origin_of(info), info.sound[track].stream, name=info.path.name)
    )


def _answers(info: ClipInfo, confined: Confined) -> Iterator:
    """What a process has to give, until it has no more."""
    try:
        while (block := confined.ask()) is not None:
            yield block
    except Ended as error:
        raise CannotOpenMedia(
            f"The sound of {info.path.name} cannot be read ({error.why}); convert it or copy the file again.",
            path=info.path,
        ) from error
    finally:
        confined.close()


def serve_samples(inside: Inside, path: Path, origin: Fraction, stream: int) -> None:
    """What the process does."""
    blocks = placed_blocks(path, stream, origin)
    for _ in inside.requests():
        placed, at, block = next(blocks, (None, 0, None))
        inside.beat()
        inside.answer(None if placed is None else (placed.rate, at, as_float(block)))


def serve_track(inside: Inside, path: Path, origin: Fraction, stream: int, rate: int, channel: int) -> None:
    """What the process does."""
    blocks = _at_rate(path, origin, stream, rate, channel, inside.beat)
    for _ in inside.requests():
        inside.answer(next(blocks, None))


def _at_rate(
    path: Path, origin: Fraction, stream: int, rate: int, channel: int, beat: Callable[[], None]
) -> Iterator[tuple[int, np.ndarray]]:
    resampler, at, parts = av.AudioResampler(format="flt", layout="mono", rate=rate), None, []

    def whole() -> tuple[int, np.ndarray]:
        nonlocal at, parts
        made = np.concatenate(parts)
        place, at, parts = at, at + len(made), []
        return place, made

    for placed, place, block in placed_blocks(path, stream, origin):
        beat()
        at = round(place * rate / placed.rate) if at is None else at
        # Their mean, which cannot be louder than full scale.
        wanted = as_float(block[:, channel - 1 : channel] if channel else block)
        frame = frame_of(wanted.mean(axis=1, keepdims=True).astype(np.float32), 0, placed.rate, "mono", "flt")
        frame.pts = None
        parts += [made.to_ndarray().reshape(-1) for made in resampler.resample(frame)]
        if sum(map(len, parts)) >= rate:
            yield whole()
    if at is not None:
        parts += [made.to_ndarray().reshape(-1) for made in resampler.resample(None)]
        if parts:
            yield whole()


# For looking at


@dataclass(frozen=True, slots=True)
class Waveform:
    """How loud a track is: peak and rms uint8 (channels, n), 255 full scale, each for step_s. begins_s: of the first,
    from the first picture."""

    peak: np.ndarray
    rms: np.ndarray
    begins_s: float
    step_s: float

    @property
    def channels(self) -> int:
        return len(self.peak)


# Raised when the way a waveform is made changes.
_WAVEFORM_VERSION = 1
# About so many values a second.
_STEPS = 100


def waveform(info: ClipInfo, track: int, control: JobControl | None = None, cache_dir: Path | None = None) -> Waveform:
    """The waveform of a track (from 0): from the cache when the file is the same, otherwise made and kept.

    Raises CannotOpenMedia, Cancelled.
    """
    place = _waveform_path(info, track, cache_dir)
    with contextlib.suppress(OSError, KeyError, ValueError, EOFError, zipfile.BadZipFile):
        with np.load(place) as kept:
            return Waveform(kept["peak"], kept["rms"], float(kept["begins_s"]), float(kept["step_s"]))
    made = Waveform(
        *answered(
            serve_waveform,
            info.path,
            origin_of(info),
            info.sound[track].stream,
            name=info.path.name,
            control=control,
            error=CannotOpenMedia,
        )
    )
    with contextlib.suppress(OSError):
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=place.parent, suffix=".part")
        with os.fdopen(handle, "wb") as file:
            np.savez_compressed(file, peak=made.peak, rms=made.rms, begins_s=made.begins_s, step_s=made.step_s)
        os.replace(name, place)
    return made


def _waveform_path(info: ClipInfo, track: int, cache_dir: Path | None) -> Path:
    found = info.path.stat()
    text = f"{info.path.absolute()}|{found.st_size}|{found.st_mtime_ns}|{track}|{_WAVEFORM_VERSION}"
    return (
        cache_dir or Path(platformdirs.user_cache_dir("skiagraph")) / "waveforms"
    ) / f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.npz"


def serve_waveform(inside: Inside, path: Path, origin: Fraction, stream: int) -> None:
    """What the process does."""
    for _ in inside.requests():
        inside.answer(_waveform(path, origin, stream, inside.beat))


def _waveform(
    path: Path, origin: Fraction, stream: int, beat: Callable[[], None]
) -> tuple[np.ndarray, np.ndarray, float, float]:
    peaks, rms, held, begins, rate = [], [], None, 0.0, 0

    def taken(samples: np.ndarray, size: int) -> None:
        pieces = np.abs(samples.astype(np.float32)).reshape(-1, size, samples.shape[1])
        peaks.append(pieces.max(axis=1))
        rms.append(np.sqrt((pieces**2).mean(axis=1)))

    for placed, at, block in placed_blocks(path, stream, origin):
        beat()
        if held is None:
            rate, begins, held = placed.rate, at / placed.rate, np.zeros((0, block.shape[1]), np.float32)
            scale = {"u8": 128.0, "s16": 32768.0, "s32": 2.0**31}.get(placed.kind, 1.0)
        held = np.concatenate([held, (block.astype(np.float32) - (128 if placed.kind == "u8" else 0)) / scale])
        size = max(1, rate // _STEPS)
        if len(held) >= rate:
            whole = len(held) // size * size
            taken(held[:whole], size)
            held = held[whole:]
    if held is not None and len(held):
        size = max(1, rate // _STEPS)
        taken(np.pad(held, ((0, -len(held) % size), (0, 0))), size)
    if not peaks:
        return np.zeros((1, 0), np.uint8), np.zeros((1, 0), np.uint8), 0.0, 1 / _STEPS
    whole = [np.clip(np.round(np.concatenate(v) * 255), 0, 255).astype(np.uint8).T for v in (peaks, rms)]
    return whole[0], whole[1], begins, size / rate
