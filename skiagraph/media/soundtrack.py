"""The sound of a film that is written: copied packet by packet where the container can hold it, encoded anew where it
cannot or where somebody asks for it.

Which of the two is found out by trying, before the first picture: some containers take a stream and fail when the file
is finished.
"""

from __future__ import annotations

import contextlib
import io
import re
from collections import deque
from collections.abc import Iterable, Iterator, Mapping
from fractions import Fraction
from itertools import islice
from typing import Protocol

import av
import av.error
import numpy as np

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.clip import ClipInfo, open_container
from skiagraph.media.formats import ExportFormat
from skiagraph.media.part import Part
from skiagraph.media.samples import Placed, decoded, frame_of, origin_of

# How sound is written.
AS_SHOT, AAC, PCM, SILENT = "as-shot", "aac", "pcm", "none"
WAYS = {AS_SHOT: "As in the source, copied", AAC: "AAC", PCM: "Uncompressed (PCM)", SILENT: "No sound"}
# Sound packets a trial is made with.
TRIAL_PACKETS = 12
# Samples in one packet of sound that is changed and not compressed.
PIECE = 2048
# The picture is this far ahead of the sound at most, in seconds.
LEAD_S = 0.5
# Sound is read ahead of the picture by so much at most, where what is done to it holds it back, s: a segment of the
# longest that a disguise is drawn for, and its search for a pause.
MOST_AHEAD_S = 130.0
# Decoders of some codecs need the packets before a place to be right there, s.
BEFORE_S = Fraction(1, 2)
# Language tags hold codes (BCP 47); any other text in them is somebody's words.
_LANGUAGE = re.compile(r"[a-zA-Z]{2,3}(-[a-zA-Z0-9]{2,8}){0,3}")
# What is changed is encoded as it was where one of these can be written; it comes in the format that FFmpeg's encoder
# takes.
_AS_IT_WAS = {
    "pcm_s16le": "s16",
    "pcm_s16be": "s16",
    "pcm_s24le": "s32",
    "pcm_s24be": "s32",
    "pcm_s32le": "s32",
    "pcm_s32be": "s32",
    "pcm_f32le": "flt",
    "pcm_f32be": "flt",
    "pcm_f64le": "dbl",
}
_LOSSLESS = ("pcm_", "flac", "alac", "wavpack", "truehd", "mlp", "tta")
_AAC_RATES = (96000, 88200, 64000, 48000, 44100, 32000, 24000, 22050, 16000, 12000, 11025, 8000)
LAYOUTS = {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}


class Changing(Protocol):
    """What placed samples are passed through: as many come out, some of them later."""

    def take(self, at: int, block: np.ndarray) -> Iterable[tuple[int, np.ndarray]]: ...

    def rest(self) -> Iterable[tuple[int, np.ndarray]]: ...


class Laying(Protocol):
    """What is done to a track of a rate. needed_from: where reading has to begin so that what comes out from a place on
    is what it is when all is read."""

    def begin(self) -> Changing: ...

    def needed_from(self, place: int) -> int: ...


class Change(Protocol):
    """What is done to a track, whatever its rate is."""

    def at(self, rate: int) -> Laying: ...


class Soundtrack:
    """All sound of a source, on its way into an output that is open for writing.

    part: of which part of the source, None for all; wanted: AS_SHOT, AAC or PCM. changes: what is done to the samples
    of tracks, by the track's number from 0; the others are copied where that can be. encoded: what was encoded anew, as
    "pcm_s16le → ALAC"; changed: how tracks that were changed are encoded. Raises CannotWriteMedia where some of it fits
    in neither way.
    """

    def __init__(
        self,
        source: ClipInfo,
        out: av.container.OutputContainer,
        export: ExportFormat,
        part: Part | None = None,
        wanted: str = AS_SHOT,
        changes: Mapping[int, Change] | None = None,
    ):
        self._source, self._export, self._part, self._wanted_way = source, export, part, wanted
        self._changes = {
            source.sound[n].stream: change for n, change in (changes or {}).items() if n < len(source.sound)
        }
        self.encoded: list[str] = []
        self.changed: list[str] = []
        self._source_container = open_container(source.path)
        self._ways: dict[int, _Copied | _Encoded] = {}
        self._ended = False
        # Where reading is, and what each track has given, s.
        self._read_to = float("-inf")
        self._given_to: dict[int, float] = {}
        try:
            for stream in self._source_container.streams.audio:
                if stream.codec_context is not None:
                    self._ways[stream.index] = self._way(stream, out)
            if len(self._ways) < len(source.sound):
                raise IndexError("fewer streams than there were")
        except IndexError as error:
            self.close()
            raise CannotWriteMedia(
                f"{source.path.name} became another file while it was read; put the original back and export again.",
                path=source.path,
            ) from error
        except BaseException:
            self.close()
            raise
        self._ready: dict[int, deque[av.Packet]] = {n: deque() for n in self._ways}
        self._source_packets = (
            self._source_container.demux([self._source_container.streams[n] for n in self._ways])
            if self._ways
            else iter(())
        )

    def _way(self, stream, out) -> _Copied | _Encoded:
        language = stream.metadata.get("language", "")
        language = language if _LANGUAGE.fullmatch(language) else ""
        codec, holds = stream.codec_context.name, self._export.container
        if (change := self._changes.get(stream.index)) is not None:
            return self._changed_way(stream, out, language, change)
        copied = not holds.sound or codec in holds.sound and holds.sound_rate in (0, stream.codec_context.sample_rate)
        if (
            copied
            and (
                self._wanted_way == AS_SHOT
                or codec == AAC == self._wanted_way
                or self._wanted_way == PCM
                and codec.startswith("pcm_")
            )
            and _fits(self._source, stream.index, self._export.muxer)
        ):
            return _Copied(out, stream, language)
        encoder = encoder_for(stream.codec_context, self._export, self._wanted_way)
        try:
            way = _Encoded(out, stream, language, encoder, holds.sound_rate)
        except (av.error.FFmpegError, ValueError) as error:
            raise CannotWriteMedia(
                f"{self._export.label} cannot hold the {codec} sound of {self._source.path.name}, and it cannot be"
                f" encoded as {encoder.upper()} ({error}); choose another format.",
                path=self._source.path,
            ) from error
        self.encoded.append(
            f"{codec} → {encoder.upper()}"
            + (f" at {holds.sound_rate} Hz" if holds.sound_rate not in (0, stream.codec_context.sample_rate) else "")
        )
        return way

    def _changed_way(self, stream, out, language: str, change: Change) -> _Changed:
        codec, holds = stream.codec_context.name, self._export.container
        fits = not holds.sound or codec in holds.sound
        as_it_was = (
            self._wanted_way == AS_SHOT
            and codec in _AS_IT_WAS
            and fits
            and _fits(self._source, stream.index, self._export.muxer)
        )
        encoder = codec if as_it_was else encoder_for(stream.codec_context, self._export, self._wanted_way)
        try:
            way = _Changed(
                out,
                stream,
                language,
                encoder,
                holds.sound_rate,
                change,
                (self._part.ticks(stream.time_base) * stream.time_base if self._part else 0) - origin_of(self._source),
                self._part,
            )
        except (av.error.FFmpegError, ValueError) as error:
            raise CannotWriteMedia(
                f"{self._export.label} cannot hold the sound of {self._source.path.name} when a voice in it is"
                f" disguised ({error}); choose another format.",
                path=self._source.path,
            ) from error
        self.changed.append(codec if encoder == codec else f"{codec} → {encoder.upper()}")
        return way

    def until(self, seconds: float | None) -> Iterator[av.Packet]:
        """Packets for the output that begin before a time (s, of the source), or all that are left, in order of time.

        Raises CannotWriteMedia where the sound is damaged.
        """
        try:
            while self._has_to_read(seconds):
                self._read()
        except av.error.InvalidDataError as error:
            raise CannotWriteMedia(
                f"The sound of {self._source.path.name} is damaged and cannot be copied; "
                "export without sound or copy the file again.",
                path=self._source.path,
            ) from error
        while (
            ready := min(
                (queue for queue in self._ready.values() if queue), key=lambda queue: _time_of(queue[0]), default=None
            )
        ) is not None:
            if seconds is not None and _time_of(ready[0]) > seconds + LEAD_S:
                return
            yield ready.popleft()

    def _has_to_read(self, seconds: float | None) -> bool:
        if self._ended:
            return False
        if seconds is None or self._read_to <= seconds + LEAD_S:
            return True
        # What is changed comes out later than it is read: as much as a segment is long.
        late = any(isinstance(way, _Changed) and self._given_to.get(n, -1.0) < seconds for n, way in self._ways.items())
        return late and self._read_to <= seconds + MOST_AHEAD_S

    def _read(self) -> None:
        """Take in one packet of the source."""
        packet = next(self._source_packets, None)
        if packet is None:
            self._ended = True
            for n, way in self._ways.items():
                self._take(n, way.rest())
        elif packet.dts is not None and packet.size and self._is_wanted(packet):
            self._read_to = max(self._read_to, _time_of(packet))
            self._take(packet.stream_index, self._ways[packet.stream_index].passed(packet))

    def _take(self, stream: int, packets: Iterable[av.Packet]) -> None:
        for packet in packets:
            self._ready[stream].append(packet)
            self._given_to[stream] = _time_of(packet)

    def _is_wanted(self, packet: av.Packet) -> bool:
        """True for sound of the part that is written, whose times are brought to where that begins."""
        if self._part is None:
            return True
        at = packet.dts * packet.time_base
        # What is cut at the very sample needs the packets before, from which decoders begin.
        early = BEFORE_S if isinstance(self._ways[packet.stream_index], _Changed) else 0
        if not self._part.begins - early <= at < self._part.ends:
            return False
        shift = self._part.ticks(packet.time_base)
        packet.dts -= shift
        packet.pts = packet.pts - shift if packet.pts is not None else None
        return True

    def close(self) -> None:
        self._source_container.close()


def _time_of(packet: av.Packet) -> float:
    """When a packet is decoded, s."""
    return float((packet.dts if packet.dts is not None else packet.pts or 0) * packet.time_base)


class _Copied:
    def __init__(self, out, stream, language: str):
        self._target = out.add_stream_from_template(stream)
        self._target.metadata.clear()
        if language:
            self._target.metadata["language"] = language
        if stream.codec_context.name == "vorbis":
            self._target.codec_context.extradata = without_comments(stream.codec_context.extradata)

    def passed(self, packet: av.Packet) -> Iterator[av.Packet]:
        packet.stream = self._target
        yield packet

    def rest(self) -> Iterator[av.Packet]:
        return iter(())


class _Encoded:
    def __init__(self, out, stream, language: str, encoder: str, only_rate: int):
        context = stream.codec_context
        sample = _sample_format(encoder, context)
        if context.channels not in LAYOUTS:
            raise ValueError(f"it has {context.channels} channels")
        layout = LAYOUTS[context.channels]
        rate = only_rate or (context.sample_rate if encoder != AAC or context.sample_rate in _AAC_RATES else 48000)
        self._target = out.add_stream(encoder, rate=rate, layout=layout, format=sample)
        if encoder == AAC:
            self._target.codec_context.bit_rate = 128_000 * context.channels
        if language:
            self._target.metadata["language"] = language
        self._target.codec_context.open()
        self._resampler = av.AudioResampler(
            format=sample, layout=layout, rate=rate, frame_size=self._target.codec_context.frame_size or None
        )

    def passed(self, packet: av.Packet) -> Iterator[av.Packet]:
        for frame in packet.decode():
            yield from self._encoded(self._resampler.resample(frame))

    def rest(self) -> Iterator[av.Packet]:
        yield from self._encoded(self._resampler.resample(None))
        yield from self._target.encode(None)

    def _encoded(self, frames) -> Iterator[av.Packet]:
        for frame in frames:
            yield from self._target.encode(frame)


class _Changed(_Encoded):
    """A track whose samples are changed on their way. shift_s: added to the times of its frames so that they count from
    the clip's first picture."""

    def __init__(
        self, out, stream, language: str, encoder: str, only_rate: int, change: Change, shift_s, part: Part | None
    ):
        super().__init__(out, stream, language, encoder, only_rate)
        self._placed, self._change, self._shift, self._part = Placed(shift_s), change, shift_s, part
        self._changing: Changing | None = None

    def passed(self, packet: av.Packet) -> Iterator[av.Packet]:
        for frame in decoded([packet]):
            for at, block in self._placed.placed(frame):
                if self._changing is None:
                    self._changing = self._change.at(self._placed.rate).begin()
                yield from self._written(self._changing.take(at, block))

    def rest(self) -> Iterator[av.Packet]:
        if self._changing is not None:
            yield from self._written(self._changing.rest())
        yield from super().rest()

    def _written(self, blocks: Iterable[tuple[int, np.ndarray]]) -> Iterator[av.Packet]:
        """The blocks encoded, at the times they had; of a part exactly what lies in it."""
        rate = self._placed.rate
        back = round(self._shift * rate)
        after = back + round((self._part.ends - self._part.begins) * rate) if self._part else None
        for at, block in blocks:
            if after is not None:
                at, block = max(at, back), block[max(0, back - at) : max(0, after - at)]
            for n in range(0, len(block), PIECE):
                yield from self._encoded(
                    self._resampler.resample(
                        frame_of(block[n : n + PIECE], at + n - back, rate, self._placed.layout, self._placed.kind)
                    )
                )


def encoder_for(context, export: ExportFormat, wanted: str = AS_SHOT) -> str:
    """What sound that is not copied is encoded as: without loss where it was without, or where that is wanted. context:
    of its codec."""
    lossless = context.name.startswith(_LOSSLESS)
    if wanted == AAC and not export.container.sound:
        return AAC
    if export.container.sound or wanted == PCM and export.muxer != "mp4":
        return "pcm_s24le" if lossless and _is_deep(context) else "pcm_s16le"
    if lossless or wanted == PCM:
        return "flac" if export.muxer == "matroska" else "alac"
    return AAC


def _is_deep(context) -> bool:
    """Whether samples have more than 16 bits."""
    return context.format.bits > 16


def _sample_format(encoder: str, context) -> str:
    deep = _is_deep(context)
    return {"alac": "s32p" if deep else "s16p", "flac": "s32" if deep else "s16", AAC: "fltp", **_AS_IT_WAS}[encoder]


def _fits(source: ClipInfo, stream_index: int, muxer: str) -> bool:
    """Whether a container takes a sound stream as it is, tried with its first packets up to the finished file."""
    with open_container(source.path) as container, contextlib.suppress(av.error.FFmpegError, ValueError, OSError):
        stream = container.streams[stream_index]
        with av.open(io.BytesIO(), "w", format=muxer) as out:
            target = out.add_stream_from_template(stream)
            for packet in islice((p for p in container.demux(stream) if p.dts is not None and p.size), TRIAL_PACKETS):
                packet.stream = target
                out.mux_one(packet)
        return True
    return False


def without_comments(headers: bytes) -> bytes:
    """The three headers of a Vorbis stream, Xiph-laced as Matroska keeps them, with an empty comment header in place of
    the second.

    What is not three laced headers is left as it is. Sources: Vorbis I specification, 5; Matroska codec mappings,
    A_VORBIS.
    """
    if len(headers) < 3 or headers[0] != 2:
        return headers
    sizes, at = [], 1
    for _ in range(2):
        size = 0
        while at < len(headers) and headers[at] == 255:
            size, at = size + 255, at + 1
        if at >= len(headers):
            return headers
        sizes.append(size + headers[at])
        at += 1
    first, setup = headers[at : at + sizes[0]], headers[at + sum(sizes) :]
    comment = b"\x03vorbis" + (0).to_bytes(4, "little") * 2 + b"\x01"
    return (
        b"\x02" + bytes([255] * (sizes[0] // 255) + [sizes[0] % 255]) + bytes([len(comment)]) + first + comment + setup
    )
