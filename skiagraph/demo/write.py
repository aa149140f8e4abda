"""Drawing scenes of the demo anew: the clip with its sound, and its truth."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np

from skiagraph.demo import story
from skiagraph.demo.scene import HeadTruth, draw
from skiagraph.demo.sound import SAMPLE_RATE, soundtrack
from skiagraph.demo.truth import save_truth
from skiagraph.jobs import JobControl
from skiagraph.media.writer import PictureWriter

# uint8 RGB, uint8 identities, and the truth about every head.
Drawn = tuple[np.ndarray, np.ndarray, list[HeadTruth]]
_TAGS = {"color_primaries": 1, "color_trc": 1, "colorspace": 1, "color_range": 1}


def write_scene(scene: story.Scene, folder: Path, control: JobControl | None = None) -> Path:
    """Draw one scene: NAME.mp4 with sound, NAME.truth.json and NAME.truth.mkv (identity film); returns the clip."""
    return write_film(scene.name, (scene,), folder, control)


def write_film(name: str, scenes: Sequence[story.Scene], folder: Path, control: JobControl | None = None) -> Path:
    """Draw scenes of one size, cut together; who appears in several is the same person. Returns the clip."""
    actors = list({a.key: a for s in scenes for a in s.actors}.values())
    sound = np.concatenate([soundtrack(s.sound, s.seconds, s.seed) for s in scenes], axis=1)

    def drawn() -> Iterator[Drawn]:
        for scene in scenes:
            numbers = [[a.key for a in actors].index(a.key) + 1 for a in scene.actors]
            for frame in range(scene.frames):
                yield draw(scene, frame, numbers)

    return write_drawn(name, drawn(), sum(s.frames for s in scenes), scenes[0].size, actors, sound, folder, control)


def write_drawn(
    name: str,
    frames: Iterable[Drawn],
    total: int,
    size: tuple[int, int],
    actors: Sequence[story.Actor],
    sound: np.ndarray,
    folder: Path,
    control: JobControl | None = None,
) -> Path:
    """Write what was drawn, frame by frame, as `write_scene` does. total: how many frames there will be; size: width,
    height; actors: in the order of their numbers in the identity pictures, from 1."""
    control = control or JobControl()
    clip, heads, rate = folder / f"{name}.mp4", [], Fraction(story.RATE)
    film = PictureWriter(
        clip,
        size,
        rate,
        encoder="libx264",
        pixel_format="rgb24",
        store="yuv420p",
        muxer="mp4",
        options={"crf": "21", "preset": "slow", "g": "50"},
        mux_options={"movflags": "+faststart"},
        sound=(sound, SAMPLE_RATE),
        tags=_TAGS,
        time_base=Fraction(1, 512 * story.RATE),
    )
    identity = PictureWriter(
        folder / f"{name}.truth.mkv",
        size,
        rate,
        encoder="ffv1",
        pixel_format="gray",
        muxer="matroska",
        options={"level": "3", "coder": "1", "context": "1", "g": "25"},
    )
    with film, identity:
        for picture, ids, truth in frames:
            film.write(picture, len(heads) * 512)
            identity.write(ids)
            heads.append(truth)
            control.report(f"Drawing {name}", len(heads), total)
    save_truth(folder / f"{name}.truth.json", size, actors, heads)
    return clip
