"""The films of benchmarks.quality as bad cameras and old tapes would give them, with the same truth: dim, in coloured
light, grey, out of focus, blown out, noisy, in few bits, with few frames a second, with flashes, with dissolves for
cuts.

    python -m benchmarks.degraded --hard FOLDER [--every N] [--kinds KIND ...] [NAME ...]

Prints the table of benchmarks.quality, a row for each film and kind. The films are written to FOLDER/degraded, some
minutes for the first time.
"""

from __future__ import annotations

import argparse
import os
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from benchmarks.quality import HEAD, measure
from benchmarks.scenes import FILMS, made
from skiagraph.demo.scene import HeadTruth
from skiagraph.demo.ship import CLIPS, shipped
from skiagraph.demo.truth import ClipTruth, load_truth
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import PictureWriter

# For each, quay shows five people in 720p and crowd eight in 1080p; cut has a cut in its middle.
NAMES = ("quay", "crowd")
# Frames that two scenes lie over each other.
DISSOLVE = 12


@dataclass(frozen=True)
class Kind:
    """change: of one picture (float32 RGB), given seconds and a source of chance; nth: only each n-th frame is kept;
    crf: of H.264, larger is worse; dissolve: of two scenes; lit_ends: flashes in the first and last frame of each of
    two scenes; names: the films it is for."""

    change: Callable[[np.ndarray, float, np.random.Generator], np.ndarray] = lambda rgb, at, rng: rgb
    nth: int = 1
    crf: int = 20
    dissolve: bool = False
    lit_ends: bool = False
    names: tuple[str, ...] = NAMES


def _lamps(rgb: np.ndarray, at: float, rng: np.random.Generator) -> np.ndarray:
    """Lamps that take another colour each 0.7 s."""
    colours = np.random.default_rng(5).uniform(0.2, 1.0, (200, 3))
    colours *= np.random.default_rng(6).uniform(0.5, 0.9, (200, 1)) / colours.max(axis=1, keepdims=True)
    number = int(at / 0.7)
    mix = float(np.clip((at / 0.7 - number - 0.7) / 0.3, 0, 1))
    return rgb * (colours[number] * (1 - mix) + colours[number + 1] * mix).astype(np.float32)


def _grey(rgb: np.ndarray, at: float, rng: np.random.Generator) -> np.ndarray:
    return np.repeat((rgb @ np.float32([0.299, 0.587, 0.114]))[..., None], 3, axis=2)


def _flashes(rgb: np.ndarray, at: float, rng: np.random.Generator) -> np.ndarray:
    """Flashes of photographers, each for one frame, one in about every half second."""
    number = int(at / 0.04 + 0.5)
    return _lit(rgb) if number % 12 == 5 or number % 31 == 20 else rgb


def _lit(rgb: np.ndarray) -> np.ndarray:
    return rgb * 4.0 + 60


KINDS: dict[str, Kind] = {
    "lamps": Kind(_lamps, names=(*NAMES, "meetings")),
    "dim": Kind(
        lambda rgb, at, rng: 0.22 * rgb + rng.normal(0, 4, rgb.shape).astype(np.float32), names=(*NAMES, "cut")
    ),
    "grey": Kind(_grey),
    "soft": Kind(lambda rgb, at, rng: cv2.GaussianBlur(rgb, (0, 0), rgb.shape[0] / 360)),
    "blown out": Kind(lambda rgb, at, rng: 1.8 * rgb),
    "noise": Kind(lambda rgb, at, rng: rgb + rng.normal(0, 18, rgb.shape).astype(np.float32)),
    "few bits": Kind(crf=41),
    "flashes": Kind(_flashes),
    "flashes at cuts": Kind(lit_ends=True, names=("cut",)),
    "12 a second": Kind(nth=2),
    "8 a second": Kind(nth=3),
    "dissolve": Kind(dissolve=True, names=("cut",)),
}


@dataclass(frozen=True, slots=True)
class _EachNth(ClipTruth):
    """The truth of a film of which only each n-th frame was kept."""

    nth: int = 1

    def frames(self) -> Iterator[tuple[np.ndarray, tuple[HeadTruth, ...]]]:
        # What ClipTruth pairs are all frames with all heads.
        whole = ClipTruth(
            self.width,
            self.height,
            self.actors,
            self.names,
            self.agreed,
            tuple(h for heads in self.heads for h in (heads, *((),) * (self.nth - 1))),
            self.film,
        )
        for number, entry in enumerate(whole.frames()):
            if number % self.nth == 0:
                yield entry


def degraded(clip: Path, kind: Kind, target: Path) -> Path:
    """The film of a kind, made if it is not there."""
    if target.exists():
        return target
    info, index = open_clip(clip)
    rng = np.random.default_rng(1)
    unfinished = target.with_suffix(".part.mp4")
    with (
        PictureWriter(
            unfinished,
            info.upright_size,
            Fraction(info.rate) / kind.nth,
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="mp4",
            options={"preset": "veryfast", "crf": str(kind.crf), "g": "50"},
        ) as film,
        FrameReader(info, index) as reader,
    ):
        # The frame with which the second scene begins.
        middle, held = FILMS[clip.stem][0].frames if kind.dissolve or kind.lit_ends else 0, None
        lit = {0, middle - 1, middle, len(index) - 1} if kind.lit_ends else ()
        for frame in reader.frames():
            if frame.number % kind.nth:
                continue
            rgb = frame.rgb().astype(np.float32)
            if kind.dissolve and frame.number == middle - 1:
                held = rgb
            if held is not None and middle <= frame.number < middle + DISSOLVE:
                share = np.float32((frame.number - middle + 1) / (DISSOLVE + 1))
                rgb = held * (1 - share) + rgb * share
            if frame.number in lit:
                rgb = _lit(rgb)
            film.write(np.clip(kind.change(rgb, frame.number / float(info.rate), rng), 0, 255).round().astype(np.uint8))
    unfinished.rename(target)
    return target


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--hard", type=Path, required=True)
    parser.add_argument("--every", type=int, default=1)
    parser.add_argument("--kinds", nargs="*", default=list(KINDS), choices=list(KINDS))
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    folder = options.hard / "degraded"
    folder.mkdir(parents=True, exist_ok=True)
    held = tempfile.TemporaryDirectory()
    os.environ["XDG_CACHE_HOME"] = held.name
    print(HEAD, flush=True)
    for label in options.kinds:
        kind = KINDS[label]
        for name in options.names or kind.names:
            clip = shipped(f"{name}.mp4") if name in CLIPS else made(options.hard, [name])[0]
            truth = load_truth(clip.with_name(f"{name}.truth.json"))
            if kind.nth > 1:
                truth = _EachNth(
                    truth.width,
                    truth.height,
                    truth.actors,
                    truth.names,
                    truth.agreed,
                    truth.heads[:: kind.nth],
                    truth.film,
                    kind.nth,
                )
            print(
                measure(
                    degraded(clip, kind, folder / f"{name}-{label.replace(' ', '-')}.mp4"),
                    options.every,
                    truth,
                    f"{name}, {label}",
                ),
                flush=True,
            )


if __name__ == "__main__":
    main()
