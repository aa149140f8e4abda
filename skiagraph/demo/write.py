"""Writing the demo: the clips that ship, or any scene drawn anew, with truth and a project."""

from __future__ import annotations

import shutil
from fractions import Fraction
from importlib import resources
from pathlib import Path

from skiagraph.demo import story
from skiagraph.demo.scene import draw
from skiagraph.demo.sound import SAMPLE_RATE, soundtrack
from skiagraph.demo.truth import save_truth
from skiagraph.errors import CannotWriteMedia
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.media.writer import PictureWriter
from skiagraph.project.edits import add_clip
from skiagraph.project.file import save
from skiagraph.project.model import Project

PROJECT_NAME = "quay-inquiry.skiagraph"
_TAGS = {"color_primaries": 1, "color_trc": 1, "colorspace": 1, "color_range": 1}


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
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for scene in story.SCENES.values():
            if redraw:
                write_scene(scene, folder, control)
            else:
                for suffix in (".mp4", ".truth.json", ".truth.mkv"):
                    target = folder / (scene.name + suffix)
                    if not target.exists():
                        shutil.copyfile(shipped(scene.name + suffix), target)
    except OSError as error:
        raise CannotWriteMedia(f"The demo cannot be written to {folder} ({error.strerror}); choose another folder.", path=folder) from error
    place = folder / PROJECT_NAME
    if not place.exists():
        project = Project()
        for scene in story.SCENES.values():
            project = add_clip(project, *open_clip(folder / f"{scene.name}.mp4"))
        save(project, place)
    return place


def write_scene(scene: story.Scene, folder: Path, control: JobControl | None = None) -> Path:
    """Draw one scene: NAME.mp4 with sound, NAME.truth.json and NAME.truth.mkv (identity film); returns the clip."""
    control = control or JobControl()
    clip, heads = folder / f"{scene.name}.mp4", []
    sound = soundtrack(scene.sound, scene.seconds, scene.seed), SAMPLE_RATE
    rate = Fraction(story.RATE)
    film = PictureWriter(clip, scene.size, rate, encoder="libx264", pixel_format="rgb24", store="yuv420p", muxer="mp4",
                         options={"crf": "21", "preset": "slow", "g": "50"}, mux_options={"movflags": "+faststart"}, sound=sound, tags=_TAGS,
                         time_base=Fraction(1, 512 * story.RATE))
    identity = PictureWriter(folder / f"{scene.name}.truth.mkv", scene.size, rate, encoder="ffv1", pixel_format="gray", muxer="matroska",
                             options={"level": "3", "coder": "1", "context": "1", "g": "25"})
    with film, identity:
        for frame in range(scene.frames):
            picture, ids, truth = draw(scene, frame)
            film.write(picture, frame * 512)
            identity.write(ids)
            heads.append(truth)
            control.report(f"Drawing {scene.name}", frame + 1, scene.frames)
    save_truth(folder / f"{scene.name}.truth.json", scene, heads)
    return clip
