"""Whether the sound of a film is that of its source: packet by packet where it was copied, sample by sample where it
was encoded anew."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.error
import numpy as np

from skiagraph.errors import CannotOpenMedia
from skiagraph.jobs import JobControl
from skiagraph.media.clip import open_container
from skiagraph.media.confined import Inside, answered

# Sound and picture may be so far from where they were, s: half of what ITU-R BT.1359 says that people begin to notice.
SYNC_S = 0.022
# Sound that was encoded with loss is the same from this signal to noise on, dB: codecs at their usual rates give more
# than twice that, other sound none.
LOSSY_DB = 8.0
# Seconds at the beginning by which two tracks are laid over each other, and how far they may be apart at most.
LAID_S, APART_S = 4.0, 0.5
# What is left out around what was changed, s: fades, and what codecs smear.
CHANGED_S = 0.15


@dataclass(frozen=True, slots=True)
class TrackAlike:
    """One sound track of a source and the film's. number: from 1; said: in words; good: whether it is the same sound,
    in time."""

    number: int
    said: str
    good: bool


def sound_alike(
    source: Path,
    film: Path,
    span_s: tuple[Fraction, Fraction] | None,
    control: JobControl | None = None,
    changed: Mapping[int, Sequence[tuple[float, float]]] | None = None,
) -> list[TrackAlike]:
    """Of each sound track. span_s: the part of the source that the film holds, s. changed: what of tracks (from 0) was
    changed on purpose, s from the first picture of the part: it is left out. Raises CannotOpenMedia, Cancelled."""
    return answered(
        serve_alike,
        Path(source),
        Path(film),
        span_s,
        dict(changed or {}),
        name=Path(film).name,
        control=control,
        error=CannotOpenMedia,
    )


def serve_alike(inside: Inside, source: Path, film: Path, span_s, changed) -> None:
    """What the process does."""
    for _ in inside.requests():
        inside.answer(_compared(source, film, span_s, changed, inside.beat))


def _compared(source: Path, film: Path, span_s, changed, beat) -> list[TrackAlike]:
    with open_container(source) as one, open_container(film) as other:
        mine, theirs = ([s.index for s in c.streams.audio if s.codec_context is not None] for c in (one, other))
        codecs = [
            (one.streams[a].codec_context.name, other.streams[b].codec_context.name) for a, b in zip(mine, theirs)
        ]
        languages = [
            tuple(c.streams[i].metadata.get("language", "") for c, i in ((one, a), (other, b)))
            for a, b in zip(mine, theirs)
        ]
    found = [
        _track(n + 1, source, film, mine[n], theirs[n], codecs[n], languages[n], span_s, changed.get(n, ()), beat)
        for n in range(min(len(mine), len(theirs)))
    ]
    found += [TrackAlike(n + 1, "it is missing in the file", False) for n in range(len(theirs), len(mine))]
    found += [TrackAlike(n + 1, "the source has no such track", False) for n in range(len(mine), len(theirs))]
    return found


def _track(
    number: int,
    source: Path,
    film: Path,
    mine: int,
    theirs: int,
    codecs: tuple[str, str],
    languages: tuple[str, str],
    span_s,
    changed,
    beat,
) -> TrackAlike:
    there, here = _packets(source, mine, span_s, beat), _packets(film, theirs, None, beat)
    late = abs(there.begins - here.begins) if there.digests and here.digests else 0.0
    sync = "in sync" if late <= SYNC_S else f"{1000 * late:.0f} ms out of sync"
    tongue = (
        ""
        if not languages[0] or languages[1] == languages[0]
        else f"; language {languages[1] or 'not said'} instead of {languages[0]}"
    )
    if codecs[0] == codecs[1] and there.digests == here.digests:
        return TrackAlike(number, f"{codecs[0]}, all {len(here.digests)} packets equal, {sync}{tongue}", late <= SYNC_S)
    found = _samples(
        source,
        film,
        mine,
        theirs,
        span_s,
        beat,
        [(a - there.begins - CHANGED_S, b - there.begins + CHANGED_S) for a, b in changed],
    )
    how = codecs[1] if codecs[0] == codecs[1] else f"{codecs[0]} → {codecs[1]}"
    if found is None:
        return (
            TrackAlike(number, f"{how}: neither holds sound", True)
            if not there.digests and not here.digests
            else TrackAlike(number, f"{how}: it holds no sound that can be compared", False)
        )
    equal, db, shift_s, short_s = found
    what = ("beside what is disguised, " if changed else "") + (
        "all samples equal" if equal else f"signal to noise {db:.0f} dB"
    )
    if changed and not db:
        what = "all of it is disguised"
        db = float("inf")
    if short_s > SYNC_S:
        what += f", {short_s:.2f} s shorter"
    late = abs(here.begins - there.begins + shift_s)
    sync = "in sync" if late <= SYNC_S else f"{1000 * late:.0f} ms out of sync"
    return TrackAlike(
        number, f"{how}: {what}, {sync}{tongue}", (equal or db >= LOSSY_DB) and short_s <= 0.1 and sync == "in sync"
    )


@dataclass(frozen=True, slots=True)
class _Packets:
    digests: tuple[bytes, ...]
    begins: float


def _packets(path: Path, stream: int, span_s, beat) -> _Packets:
    """Digests of a track's packets, and when the first begins after the picture, s."""
    digests, begins = [], None
    with open_container(path) as container:
        pictures = [s for s in container.streams.video if s.start_time is not None]
        origin = (
            float(span_s[0]) if span_s else float(pictures[0].start_time * pictures[0].time_base) if pictures else 0.0
        )
        for packet in container.demux(container.streams[stream]):
            if (
                packet.dts is None
                or not packet.size
                or (span_s and not span_s[0] <= packet.dts * packet.time_base < span_s[1])
            ):
                continue
            if begins is None:
                begins = float((packet.pts if packet.pts is not None else packet.dts) * packet.time_base) - origin
            digests.append(hashlib.blake2b(bytes(packet), digest_size=8).digest())
            beat()
    return _Packets(tuple(digests), begins or 0.0)


def _samples(
    source: Path, film: Path, mine: int, theirs: int, span_s, beat, changed: Sequence[tuple[float, float]] = ()
) -> tuple[bool, float, float, float] | None:
    """Whether all samples are equal; signal to noise, dB; by how much the film's begin later, s; and by how much they
    are fewer, s. None where one has none. changed: stretches that are left out, s from the source's first sample."""
    other = _Samples(film, theirs, None, beat)
    rate = other.rate
    # A container that holds one rate only has it resampled, which loses little.
    one = _Samples(source, mine, span_s, beat, rate)
    if not rate or not one.rate:
        return None
    a, b = one.take(int(LAID_S * rate)), other.take(int(LAID_S * rate))
    if not len(a) or not len(b) or a.shape[1] != b.shape[1]:
        return None
    begin = a[:, 0].copy(), b[:, 0].copy()
    _leave_out(*begin, 0, rate, changed)
    shift = _shift(*begin, int(APART_S * rate))
    a, b = (a[-shift:], b) if shift < 0 else (a, b[shift:])
    signal = noise = 0.0
    equal, short, at = True, 0, max(0, -shift)
    while len(a) or len(b):
        n = min(len(a), len(b))
        _leave_out(a[:n], b[:n], at, rate, changed)
        at += n
        signal += float((a[:n] ** 2).sum())
        noise += float(((a[:n] - b[:n]) ** 2).sum())
        equal = equal and bool(np.array_equal(a[:n], b[:n]))
        a, b = a[n:], b[n:]
        more_a, more_b = (one.take(rate) if not len(a) else a), (other.take(rate) if not len(b) else b)
        if not len(more_a) or not len(more_b):
            short = (
                len(more_a) + sum(len(block) for block in iter(lambda: one.take(rate), _NOTHING)) if len(more_a) else 0
            )
            break
        a, b = more_a, more_b
    if not signal and changed:
        return False, 0.0, shift / rate, short / rate
    db = float("inf") if noise == 0 else 10 * float(np.log10(max(signal, 1e-12) / noise))
    return equal and not short, db, shift / rate, short / rate


def _leave_out(a: np.ndarray, b: np.ndarray, at: int, rate: int, changed: Sequence[tuple[float, float]]) -> None:
    """Silence in both where something was changed. at: of the first sample."""
    for begins, ends in changed:
        first, after = max(0, round(begins * rate) - at), max(0, round(ends * rate) - at)
        a[first:after] = b[first:after] = 0


class _End:
    """Equal to a block without samples: what `iter` stops at."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, np.ndarray) and not len(other)

    __hash__ = None


_NOTHING = _End()


def _shift(one: np.ndarray, other: np.ndarray, most: int) -> int:
    """By how many samples the second begins later than the first: where they look most alike (cross-correlation by
    Fourier transform)."""
    n = 1 << int(np.ceil(np.log2(len(one) + len(other))))
    found = np.fft.irfft(np.fft.rfft(other, n) * np.conj(np.fft.rfft(one, n)), n)
    shifts = np.concatenate([np.arange(0, most + 1), np.arange(-most, 0)])
    # Silence, or a tone, is alike everywhere: then nothing speaks for a shift.
    best = int(shifts[np.argmax(found[shifts])])
    return best if found[best] > found[0] * 1.001 + 1e-9 else 0


class _Samples:
    """The samples of a track, float64 (n, channels), taken in pieces. wanted: rate to bring them to, 0 for their own;
    rate: that they have, 0 where there are none."""

    def __init__(self, path: Path, stream: int, span_s, beat, wanted: int = 0):
        self._wanted = wanted
        self._blocks = self._decoded(path, stream, span_s, beat)
        self._held: list[np.ndarray] = []
        self.rate = 0
        first = next(self._blocks, None)
        if first is not None:
            self._held.append(first)

    def take(self, count: int) -> np.ndarray:
        """The next samples, fewer at the end."""
        while sum(len(block) for block in self._held) < count:
            block = next(self._blocks, None)
            if block is None:
                break
            self._held.append(block)
        if not self._held:
            return np.zeros((0, 1))
        every = np.concatenate(self._held)
        self._held = [every[count:]] if len(every) > count else []
        return every[:count]

    def _decoded(self, path: Path, stream: int, span_s, beat) -> Iterator[np.ndarray]:
        with open_container(path) as container:
            resampler = None
            for packet in container.demux(container.streams[stream]):
                if span_s and packet.dts is not None and not span_s[0] <= packet.dts * packet.time_base < span_s[1]:
                    continue
                try:
                    frames = packet.decode()
                except av.error.InvalidDataError:
                    continue
                for frame in frames:
                    beat()
                    self.rate = self._wanted or frame.sample_rate
                    if resampler is None:
                        resampler = av.AudioResampler(format="dblp", layout=frame.layout, rate=self.rate)
                    for block in resampler.resample(frame):
                        yield block.to_ndarray().T
            for block in resampler.resample(None) if resampler else ():
                yield block.to_ndarray().T
