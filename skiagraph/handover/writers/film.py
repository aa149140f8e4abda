"""The covered film: the clip with its covers, in the shape of the source."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from skiagraph.handover.writer import Shot, Writer
from skiagraph.media.clip import ClipInfo
from skiagraph.media.formats import FORMATS, ExportFormat
from skiagraph.media.part import Part
from skiagraph.media.writer import FilmWriter
from skiagraph.values import Value


@Writer.register
class CoveredFilm(Writer, Value, frozen=True, tag_field="kind", tag="film"):
    """format: a key of media.formats; options: of the encoder, beside the format's own."""

    word: ClassVar[str] = "The covered film"

    format: str = "h264-mp4"
    options: dict[str, str] = {}

    @property
    def export(self) -> ExportFormat:
        return FORMATS[self.format]

    def name(self, stem: str) -> str:
        return f"{stem}-covered{self.export.suffix}"

    def open(self, target: Path, info: ClipInfo, part: Part | None = None) -> _Film:
        return _Film(FilmWriter(target, info, self.export, options=self.options or None, part=part), info)


class _Film:
    def __init__(self, writer: FilmWriter, info: ClipInfo):
        self._writer = writer
        self.notes = [f"The sound was encoded anew, since the format cannot hold it as it was ({what})." for what in writer.encoded_sound]
        if info.fields and not writer.keeps_fields:
            self.notes.append("The picture is interlaced, and this format does not say so: choose H.264, ProRes or FFV1 where that matters.")
        self.finish, self.commit, self.discard = writer.finish, writer.commit, writer.discard

    def write(self, shot: Shot) -> None:
        self._writer.write(shot.covered)
