"""Bringing clips in: from a file to what a project keeps of it."""

from __future__ import annotations

from skiagraph.footage.source import contents_of
from skiagraph.media.clip import ClipInfo, readable
from skiagraph.media.index import FrameIndex
from skiagraph.project import edits
from skiagraph.project.model import Clip, Project


def facts_of(info: ClipInfo, index: FrameIndex) -> Clip:
    """What a project keeps of a file; the key is given when it is added.

    Reads some megabytes of it. Raises CannotOpenMedia.
    """
    width, height = info.upright_size
    with readable(info.path):
        contents = contents_of(info.path)
    return Clip(
        "new",
        info.path,
        info.file_size,
        contents,
        width,
        height,
        info.rate,
        len(index),
        len(index),
        info.timecode,
        index.damage,
    )


def add_clip(project: Project, info: ClipInfo, index: FrameIndex) -> Project:
    """The project with a file as a clip more. Raises EditRefused when its contents are in it already."""
    return edits.add_clip(project, facts_of(info, index))
