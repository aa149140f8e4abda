"""Exporting a covered clip and its matte. Decoding, covering and encoding overlap; memory does not depend on the length."""

from __future__ import annotations

from contextlib import ExitStack, closing
from fractions import Fraction
from pathlib import Path

from skiagraph.cover.composite import with_layers
from skiagraph.cover.matte import layers, matte
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import stored
from skiagraph.media.formats import ExportFormat, format_for
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import FilmWriter, PictureWriter, refuse_bad_target
from skiagraph.project.model import Project
from skiagraph.project.source import open_source

STEP = "Exporting"


def export_clip(project: Project, clip_key: str, target: Path | str, export: ExportFormat | None = None, *,
                matte_target: Path | str | None = None, control: JobControl | None = None, options: dict | None = None) -> None:
    """Write one clip of the project with its covers, and its matte if wanted.

    Nothing is left behind when it is cancelled or fails. Raises Cancelled, CannotOpenMedia, CannotWriteMedia,
    FrameNotDecoded.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    export = export or format_for(target)
    sources = [c.path for c in project.clips]
    refuse_bad_target(Path(target), sources)
    if matte_target is not None:
        refuse_bad_target(Path(matte_target), sources + [Path(target)])
    info, index = open_source(clip)
    with ExitStack() as stack:
        writer = stack.enter_context(FilmWriter(target, info, export, options=options))
        matte_writer = stack.enter_context(matte_film(matte_target, info)) if matte_target is not None else None
        reader = stack.enter_context(FrameReader(info, index))
        made = stack.enter_context(closing(read_ahead(_covered_frames(project, clip, reader), 6)))
        for done, frame in enumerate(made):
            writer.write(frame)
            if matte_writer is not None:
                matte_writer.write(stored(matte(project, clip_key, frame.number), info.rotation), frame.pts)
            control.report(STEP, done + 1, clip.frames)


def _covered_frames(project, clip, reader):
    for frame in reader.frames(0, clip.frames):
        yield with_layers(frame, layers(project, clip.key, frame.number))


def matte_film(target: Path | str, info: ClipInfo) -> PictureWriter:
    """A writer for mattes: 8-bit grey FFV1, as stored in the source (rotation is a tag), frames at the source's times."""
    return PictureWriter(target, (info.width, info.height), Fraction(info.rate), encoder="ffv1", pixel_format="gray", muxer="matroska",
                         options={"level": "3", "slices": "4"}, time_base=info.time_base, rotation=info.rotation)
