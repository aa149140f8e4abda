"""Writing the sound of a clip by itself, for the mix: all its tracks as channels of one file, side by side and aligned
with the picture, as Broadcast WAV or FLAC."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import av
import av.error
import numpy as np

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.audio import placed_blocks
from skiagraph.media.clip import ClipInfo
from skiagraph.media.part import Part
from skiagraph.media.samples import as_float, as_kind, frame_of, origin_of
from skiagraph.media.soundtrack import LAYOUTS, Change, Changing
from skiagraph.media.temporary import TemporaryTarget, refuse_bad_target
from skiagraph.timecode import Timecode


@dataclass(frozen=True, slots=True)
class SoundForm:
    """most: channels that it holds at most."""

    key: str
    label: str
    suffix: str
    muxer: str
    most: int


SOUND_FORMS = {
    f.key: f
    for f in (SoundForm("wav", "Broadcast WAV", ".wav", "wav", 64), SoundForm("flac", "FLAC", ".flac", "flac", 8))
}
# Samples that are written at once.
_BLOCK = 1 << 14


class SoundFile:
    """Sample 0 is heard when the first picture of the clip, or of the part, begins; Broadcast WAV says by its time
    reference (EBU Tech 3285) what the timecode is there. Same promises as FilmWriter.

    The rate is that of the first track; samples have 16 bits where all of the source have no more and none was encoded
    with loss, floating point where it was, else 24. Raises CannotWriteMedia.
    """

    def __init__(
        self,
        target: Path | str,
        source: ClipInfo,
        form: SoundForm,
        part: Part | None = None,
        changes: Mapping[int, Change] | None = None,
    ):
        refuse_bad_target(Path(target), [source.path])
        self._source, self._form, self._part, self._changes = source, form, part, changes or {}
        if not source.sound:
            raise CannotWriteMedia(
                f"{source.path.name} has no sound that could be written by itself.", path=source.path
            )
        self.channels = sum(s.channels for s in source.sound)
        if self.channels > form.most:
            raise CannotWriteMedia(
                f"{form.label} holds {form.most} channels, and {source.path.name} has {self.channels}; choose Broadcast"
                " WAV.",
                path=source.path,
            )
        self._temporary = TemporaryTarget(target)

    def finish(self) -> None:
        """Read, change and write all of it. Raises CannotWriteMedia."""
        try:
            self._write()
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self.discard()
            raise CannotWriteMedia(
                f"{self._temporary.target.name} could not be written ({error}); free some space or choose another"
                " place.",
                path=self._temporary.target,
            ) from error

    def commit(self) -> None:
        try:
            self._temporary.commit()
        except OSError as failure:
            self.discard()
            raise CannotWriteMedia(
                f"{self._temporary.target.name} could not be written ({failure.strerror or failure}); free some space"
                " or choose another place.",
                path=self._temporary.target,
            ) from failure

    def discard(self) -> None:
        with contextlib.suppress(OSError):
            self._temporary.discard()

    def _write(self) -> None:
        begins = float(self._part.begins - origin_of(self._source)) if self._part else 0.0
        ends = float(self._part.ends - origin_of(self._source)) if self._part else None
        tracks = [_Track(self._source, n, begins, ends, self._changes.get(n)) for n in range(len(self._source.sound))]
        rate = next((t.rate for t in tracks if t.rate), 48000)
        kinds = {t.kind for t in tracks if t.kind}
        deep = (
            "flt"
            if kinds & {"flt", "dbl"} and all(s.codec.startswith("pcm_f") for s in self._source.sound)
            else "s16"
            if kinds <= {"s16", "u8"}
            else "s32"
        )
        flac = self._form.key == "flac"
        encoder = "flac" if flac else {"flt": "pcm_f32le", "s16": "pcm_s16le", "s32": "pcm_s24le"}[deep]
        kind = "s32" if flac and deep == "flt" else deep
        layout = LAYOUTS.get(self.channels) if len(tracks) == 1 else {1: "mono", 2: "stereo"}.get(self.channels)
        layout = layout or f"{self.channels} channels"
        with av.open(
            str(self._temporary.path),
            "w",
            format=self._form.muxer,
            options={} if flac else {"write_bext": "1", "rf64": "auto"},
        ) as out:
            if not flac and self._reference_s is not None:
                out.metadata["time_reference"] = str(round(self._reference_s * rate))
                out.metadata["originator"] = "Skiagraph"
            stream = out.add_stream(encoder, rate=rate, layout=layout, format=kind)
            stream.codec_context.open()
            fitting = av.AudioResampler(
                format=kind, layout=layout, rate=rate, frame_size=stream.codec_context.frame_size or None
            )
            place = 0
            while True:
                blocks = [track.take(_BLOCK, rate) for track in tracks]
                count = max(len(b) for b in blocks)
                if not count:
                    break
                whole = np.concatenate([np.pad(b, ((0, count - len(b)), (0, 0))) for b in blocks], axis=1)
                for frame in fitting.resample(
                    frame_of(
                        as_kind(whole, np.dtype({"s16": "i2", "s32": "i4", "flt": "f4"}[kind])),
                        place,
                        rate,
                        layout,
                        kind,
                    )
                ):
                    out.mux(stream.encode(frame))
                place += count
            for frame in fitting.resample(None):
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))

    @property
    def _reference_s(self) -> float | None:
        """When the file begins, s after midnight by the timecode; None where there is none."""
        text = self._part.timecode if self._part else self._source.timecode
        return float(Timecode.of(self._source.rate, text).first / self._source.rate) if text else None


class _Track:
    """A track from a time on, changed, as float. rate, kind: of its samples, 0 and empty where there are none."""

    def __init__(self, source: ClipInfo, number: int, begins_s: float, ends_s: float | None, change: Change | None):
        self._blocks = placed_blocks(
            source.path,
            source.sound[number].stream,
            origin_of(source),
            begins_s - 60.0 if begins_s > 60 and change is None else None,
        )
        self._channels = source.sound[number].channels
        self._changing: Changing | None = None
        self._ready: list[np.ndarray] = []
        self._ended = False
        first = next(self._blocks, None)
        self.rate, self.kind = (first[0].rate, first[0].kind) if first else (0, "")
        self._begin = self._at = round(begins_s * self.rate)
        self._end = round(ends_s * self.rate) if ends_s is not None else None
        if first is not None:
            self._channels = first[2].shape[1]
            self._changing = change.at(self.rate).begin() if change is not None else None
            self._pass(*first[1:])

    def _pass(self, at: int, block: np.ndarray) -> None:
        for place, ready in self._changing.take(at, block) if self._changing is not None else [(at, block)]:
            self._keep(place, ready)

    def _keep(self, place: int, samples: np.ndarray) -> None:
        samples = samples[max(0, self._at - place) :]
        place = max(place, self._at)
        if self._end is not None:
            samples = samples[: max(0, self._end - place)]
        if len(samples):
            if place > self._at:
                self._ready.append(np.zeros((place - self._at, samples.shape[1])))
            self._ready.append(as_float(samples))
            self._at = place + len(samples)

    def take(self, count: int, rate: int) -> np.ndarray:
        """The next samples at a rate, (n, channels), fewer at the end."""
        while (
            not self._ended
            and sum(map(len, self._ready)) < count
            and not (self._end is not None and self._at >= self._end)
        ):
            entry = next(self._blocks, None)
            if entry is None:
                self._ended = True
                for place, ready in self._changing.rest() if self._changing is not None else ():
                    self._keep(place, ready)
            else:
                self._pass(*entry[1:])
        if rate != self.rate and self.rate:
            raise ValueError(f"its tracks have {rate} and {self.rate} samples a second")
        whole = np.concatenate(self._ready) if self._ready else np.zeros((0, self._channels))
        self._ready = [whole[count:]] if len(whole) > count else []
        return whole[:count]
