"""The matte: 8-bit grey FFV1, as stored in the source (rotation is a tag), frames at the source's times. 255 is fully
covered."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import ClassVar

from skiagraph.cover.layer import matte_of
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.media.frame import stored
from skiagraph.media.writer import PictureWriter
from skiagraph.values import Value

# On one thread it takes a quarter less of the processors, which the covered film needs at the same time (measured).
_ENCODER = {"level": "3", "slices": "4", "threads": "1"}


@Writer.register
class Matte(Writer, Value, frozen=True, tag_field="kind", tag="matte"):
    word: ClassVar[str] = "The matte, as lossless grey film"
    mark: ClassVar[str] = "-matte"

    @property
    def suffix(self) -> str:
        return ".mkv"

    def open(self, target: Path, material: Material) -> _Matte:
        info = material.info
        return _Matte(
            PictureWriter(
                target,
                (info.width, info.height),
                Fraction(info.rate),
                encoder="ffv1",
                pixel_format="gray",
                muxer="matroska",
                options=_ENCODER,
                time_base=info.time_base,
                rotation=info.rotation,
            ),
            material,
        )


class _Matte:
    def __init__(self, writer: PictureWriter, material: Material):
        self._writer, self._info = writer, material.info
        self._begins = material.part.ticks(material.info.time_base) if material.part else 0
        self.notes = ()
        self.finish, self.commit, self.discard = writer.finish, writer.commit, writer.discard

    def write(self, shot: Shot) -> None:
        matte = matte_of(shot.layers, self._info.upright_size)
        self._writer.write(stored(matte, self._info.rotation), shot.covered.pts - self._begins)
