"""The matte: 8-bit grey FFV1, as stored in the source (rotation is a tag), frames at the source's times. 255 is fully covered."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import ClassVar

from skiagraph.cover.layer import matte_of
from skiagraph.handover.writer import Shot, Writer
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import stored
from skiagraph.media.part import Part
from skiagraph.media.writer import PictureWriter
from skiagraph.values import Value

# On one thread it takes a quarter less of the processors, which the covered film needs at the same time (measured).
_ENCODER = {"level": "3", "slices": "4", "threads": "1"}


@Writer.register
class Matte(Writer, Value, frozen=True, tag_field="kind", tag="matte"):
    word: ClassVar[str] = "The matte, as lossless grey film"

    def name(self, stem: str) -> str:
        return f"{stem}-matte.mkv"

    def open(self, target: Path, info: ClipInfo, part: Part | None = None) -> _Matte:
        return _Matte(PictureWriter(target, (info.width, info.height), Fraction(info.rate), encoder="ffv1", pixel_format="gray", muxer="matroska",
                                    options=_ENCODER, time_base=info.time_base, rotation=info.rotation), info, part)


class _Matte:
    def __init__(self, writer: PictureWriter, info: ClipInfo, part: Part | None):
        self._writer, self._info = writer, info
        self._begins = part.ticks(info.time_base) if part else 0
        self.notes = ()
        self.finish, self.commit, self.discard = writer.finish, writer.commit, writer.discard

    def write(self, shot: Shot) -> None:
        matte = matte_of(shot.layers, self._info.upright_size)
        self._writer.write(stored(matte, self._info.rotation), shot.covered.pts - self._begins)
