"""Drawing a scene of the demo anew: the clip with its sound, and its truth."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from skiagraph.demo import story
from skiagraph.demo.scene import draw
from skiagraph.demo.sound import SAMPLE_RATE, soundtrack
from skiagraph.demo.truth import save_truth
from skiagraph.jobs import JobControl
from skiagraph.media.writer import PictureWriter

_TAGS = {"color_primaries": 1, "color_trc": 1, "colorspace": 1, "color_range": 1}


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
