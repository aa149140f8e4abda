"""The covered film: the clip with its covers, in the shape of the source unless something else is asked for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import ClassVar

from skiagraph.errors import CannotWriteMedia
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.media.clip import ClipInfo
from skiagraph.media.formats import ExportFormat, format_named
from skiagraph.media.frame import planar_name, plane_layout
from skiagraph.media.sizes import size_named
from skiagraph.media.soundtrack import AS_SHOT, SILENT
from skiagraph.media.writer import FilmWriter
from skiagraph.values import Value


@Writer.register
class CoveredFilm(Writer, Value, frozen=True, tag_field="kind", tag="film"):
    """format: a key of media.formats; grade: of its GRADES; size: a key of media.sizes; sound: of
    media.soundtrack.WAYS; options: of the encoder, beside the format's own."""

    word: ClassVar[str] = "The covered film"
    mark: ClassVar[str] = "-covered"

    format: str = "h264-mp4"
    options: dict[str, str] = {}
    grade: str = "near"
    size: str = "source"
    sound: str = AS_SHOT

    @property
    def export(self) -> ExportFormat:
        return format_named(self.format)

    @property
    def suffix(self) -> str:
        return self.export.suffix

    @property
    def told(self) -> str:
        return self.export.label

    def open(self, target: Path, material: Material) -> _Film:
        info = material.info
        _refuse_rate(self.export, material)
        writer = FilmWriter(
            target,
            info,
            self.export,
            sound=self.sound,
            grade=self.grade,
            size=size_named(self.size),
            options=self.options or None,
            part=material.part,
            changes=material.changes,
        )
        return _Film(writer, self, info)


def _refuse_rate(export: ExportFormat, material: Material) -> None:
    """Raise CannotWriteMedia where a container cannot hold the times of a clip."""
    rates = export.container.rates
    if not rates:
        return
    name, rate = material.info.path.name, material.info.rate
    if material.index.is_variable:
        raise CannotWriteMedia(
            f"{name} has frames of different length, and {export.container.label} counts frames at one steady rate;"
            " choose MOV, MP4 or MKV.",
            path=material.info.path,
        )
    if rate not in rates:
        raise CannotWriteMedia(
            f"{name} has {float(rate):.6g} frames a second, which {export.container.label} cannot count; choose MOV,"
            " MP4 or MKV.",
            path=material.info.path,
        )


class _Film:
    def __init__(self, writer: FilmWriter, kind: CoveredFilm, info: ClipInfo):
        self._writer = writer
        self.notes = list(_notes(writer, kind, info))
        self.finish, self.commit, self.discard = writer.finish, writer.commit, writer.discard

    def write(self, shot: Shot) -> None:
        self._writer.write(shot.covered)


def told_of_voices(changed: Sequence[str]) -> Iterator[str]:
    """What became of tracks in which voices are disguised."""
    if changed:
        yield (
            f"Voices are disguised in {len(changed)} sound track{'s' if len(changed) > 1 else ''}, encoded anew"
            f" ({', '.join(changed)}); what was not disguised is as it was."
        )


def _notes(writer: FilmWriter, kind: CoveredFilm, info: ClipInfo):
    """What of the film is otherwise than in the source."""
    export = kind.export
    for what in writer.encoded_sound:
        yield (
            "The sound was encoded anew,"
            f" {'since the format cannot hold it as it was' if kind.sound == AS_SHOT else 'as asked for'} ({what})."
        )
    yield from told_of_voices(writer.changed_sound)
    if kind.sound == SILENT and info.sound:
        yield "The sound was left out, as asked for."
    if not export.container.languages and any(s.language for s in info.sound) and kind.sound != SILENT:
        yield f"{export.container.label} does not say which language a track is in; their order is kept."
    if info.fields and not export.codec.interlaced:
        yield (
            "The picture is interlaced, and this format does not say so: choose H.264, ProRes or FFV1 where that"
            " matters."
        )
    if writer.size != (info.width, info.height):
        width, height = writer.size[::-1] if info.rotation in (90, 270) else writer.size
        yield (
            f"The picture was scaled from {info.upright_size[0]} × {info.upright_size[1]} to {width} × {height}"
            " (Lanczos)."
        )
    was, now = plane_layout(planar_name(info.pixel_format)), plane_layout(planar_name(writer.pixel_format))
    if now.depth < info.bit_depth:
        yield (
            f"{export.codec.label} holds {now.depth} bits, and the source has {info.bit_depth}: choose DNxHR HQX,"
            " ProRes, H.265 or FFV1 to keep them."
        )
    elif export.codec.key == "h264" and now.depth > 8:
        yield (
            f"The film keeps the {info.bit_depth} bits of the source, which many players of H.264 do not show: choose"
            " H.265 or AV1 for those."
        )
    if not was.is_rgb and len(was.shifts) > 2 and now.shifts[1] > was.shifts[1]:
        yield (
            f"{export.codec.label} holds less colour than the source ({writer.pixel_format} instead of"
            f" {info.pixel_format})."
        )
    if info.mastering and not export.codec.hdr:
        yield (
            "What the source says of the display it was graded on cannot be kept in this format; choose H.265, H.264 or"
            " AV1 where that matters."
        )
