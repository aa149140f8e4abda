"""Exporting a clip: decoding, covering and encoding overlap; memory does not depend on the length.

Either all its files appear, or none.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, closing
from pathlib import Path

from skiagraph.cover.composite import with_layers
from skiagraph.errors import CannotWriteMedia
from skiagraph.footage.hearing import plans
from skiagraph.footage.source import open_source
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.handover.writers.matte import Matte
from skiagraph.jobs import JobControl, read_ahead, single_threaded_calls
from skiagraph.logs import log
from skiagraph.media.formats import ExportFormat, format_for
from skiagraph.media.frame import ahead_of
from skiagraph.media.part import Part
from skiagraph.media.reader import FrameReader
from skiagraph.media.temporary import refuse_bad_target
from skiagraph.project.layers import layers
from skiagraph.project.model import Clip, Project

STEP = "Exporting"
# Covered frames made ahead of the encoder, and bytes that they may take.
AHEAD, AHEAD_BYTES = 6, 300 << 20


def export_clip(
    project: Project,
    clip_key: str,
    target: Path | str,
    export: ExportFormat | None = None,
    *,
    matte_target: Path | str | None = None,
    control: JobControl | None = None,
    options: dict | None = None,
) -> None:
    """Write one clip of the project with its covers, and its matte if wanted.

    As write_clip; an existing file is replaced.
    """
    export = export or format_for(target)
    files: list[tuple[Writer, Path]] = [
        (CoveredFilm(export.key, {str(k): str(v) for k, v in (options or {}).items()}), Path(target))
    ]
    if matte_target is not None:
        files.append((Matte(), Path(matte_target)))
    write_clip(project, clip_key, files, control)


def write_clip(
    project: Project,
    clip_key: str,
    files: Sequence[tuple[Writer, Path]],
    control: JobControl | None = None,
    span: tuple[int, int] | None = None,
) -> list[str]:
    """Write files of one clip: each by a writer to a target. span: first and last frame of the part that is written,
    None for all. Returns what a person should know of how they were made.

    Nothing is left behind when it is cancelled or fails, of none of them. Raises Cancelled, CannotOpenMedia,
    SourceChanged, CannotWriteMedia, FrameNotDecoded.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    taken = [c.path for c in project.files]
    for writer, target in files:
        refuse_bad_target(target, taken, folder=not writer.suffix)
        taken.append(target)
    info, index = open_source(clip, control)
    part = Part.of(info, index, *span) if span else None
    first, last = (part.first, min(part.last, clip.frames - 1)) if part else (0, clip.frames - 1)
    changes = plans(project, clip_key, info)
    with ExitStack() as stack:
        stack.enter_context(single_threaded_calls())
        opened = []
        for writer, target in files:
            opened.append(writer.open(target, Material(info, index, part, changes)))
            stack.callback(opened[-1].discard)
        reader = stack.enter_context(FrameReader(info, index))
        for done, shot in enumerate(
            stack.enter_context(
                closing(
                    read_ahead(
                        _shots(project, clip, reader, first, last, any(writer.needs_source for writer, _ in files)),
                        ahead_of(info, AHEAD, AHEAD_BYTES),
                    )
                )
            )
        ):
            for file in opened:
                file.write(shot)
            control.report(STEP, done + 1, last - first + 1)
        for file in opened:
            file.finish()
        open_source(clip, control)
        for file in opened:
            file.commit()
    return [note for file in opened for note in file.notes] + ([clip.damage] if clip.damage else [])


def _shots(
    project: Project, clip: Clip, reader: FrameReader, first: int, last: int, with_source: bool
) -> Iterator[Shot]:
    for frame in reader.frames(first, last + 1):
        try:
            covers = layers(project, clip.key, frame.number)
            # Where nobody else wants it, nothing of it as it was shot is left.
            covered = with_layers(frame, covers, in_place=not with_source)
        except Exception as error:
            log.exception("a cover could not be drawn")
            raise CannotWriteMedia(
                f"A cover cannot be drawn at {clip.at(frame.number)} in {clip.path.name} ({error}), so nothing was"
                " written; move the outlines there, or choose another cover.",
                path=clip.path,
            ) from error
        yield Shot(covered, covers, frame if with_source else None)
