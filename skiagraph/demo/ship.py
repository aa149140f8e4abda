"""Putting the demo into a folder: the clips that ship, their truth, and a project.

Light to import: nothing is drawn here.
"""

from __future__ import annotations

import shutil
from importlib import resources
from pathlib import Path

from skiagraph.errors import CannotWriteMedia
from skiagraph.footage.adding import add_clip
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.project.file import save
from skiagraph.project.model import Project

PROJECT_NAME = "quay-inquiry.skiagraph"
CLIPS = ("quay", "hall", "voice")


def shipped(name: str) -> Path:
    """Where a file of the demo lies in the package."""
    return Path(str(resources.files("skiagraph.assets").joinpath("demo", name)))


def write_demo(folder: Path | str, control: JobControl | None = None, *, redraw: bool = False) -> Path:
    """Put the demo's clips, their truth and a project into a folder; returns the project.

    redraw: draw the clips from numbers instead of copying those that ship (some minutes). An existing project is kept.
    Raises CannotWriteMedia.
    """
    folder = Path(folder)
    control = control or JobControl()
    if redraw:
        from skiagraph.demo import story
        from skiagraph.demo.write import write_scene
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in CLIPS:
            if redraw:
                write_scene(story.SCENES[name], folder, control)
            else:
                for suffix in (".mp4", ".truth.json", ".truth.mkv"):
                    target = folder / (name + suffix)
                    if not target.exists():
                        shutil.copyfile(shipped(name + suffix), target)
    except OSError as error:
        raise CannotWriteMedia(
            f"The demo cannot be written to {folder} ({error.strerror}); choose another folder.", path=folder
        ) from error
    place = folder / PROJECT_NAME
    if not place.exists():
        project = Project()
        for name in CLIPS:
            project = add_clip(project, *open_clip(folder / f"{name}.mp4"))
        save(project, place)
    return place
