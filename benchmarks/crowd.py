"""Made-up people by lot, for attacks on covers: as many as are asked for, told apart by the face descriptor, each seen
in several short sightings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from skiagraph.demo.clouds import paste, rotation, splat
from skiagraph.demo.head import PIVOT, Features, Look, head_cloud, head_ellipse
from skiagraph.track.descriptor import CHIP_PX, Chip, FaceDescriber

# Size of a picture, and of the unit heads are drawn in: a head is 1.48 units wide.
SIDE, UNIT = 176, 40.0
# Two people of the crowd are at least so far apart by descriptor.
APART = 0.27
# A face within its head: how much of the head's width it has, and how far below its middle it lies, in heights.
FACE, BELOW = 0.92, 0.08
_SKINS = (
    (0.87, 0.70, 0.60),
    (0.80, 0.60, 0.48),
    (0.74, 0.54, 0.40),
    (0.66, 0.46, 0.34),
    (0.58, 0.40, 0.29),
    (0.46, 0.30, 0.21),
    (0.36, 0.23, 0.16),
)
_HAIRS = (
    (0.06, 0.05, 0.05),
    (0.12, 0.08, 0.06),
    (0.25, 0.16, 0.10),
    (0.45, 0.30, 0.15),
    (0.66, 0.46, 0.22),
    (0.55, 0.30, 0.14),
    (0.45, 0.44, 0.43),
    (0.75, 0.72, 0.68),
)


@dataclass(frozen=True, slots=True)
class View:
    """One picture: uint8 RGB (SIDE, SIDE, 3), and the head in it: cx, cy, width, height, angle px."""

    rgb: np.ndarray
    head: tuple[float, float, float, float, float]


def look_of(seed: int) -> Look:
    """Somebody by lot."""
    rng = np.random.default_rng(seed)
    pick = lambda options: options[int(rng.integers(len(options)))]
    features = Features(
        *(
            rng.uniform(low, high)
            for low, high in (
                (0.86, 1.16),
                (0.78, 1.32),
                (-0.24, 0.24),
                (-0.05, 0.05),
                (0.65, 1.9),
                (-0.32, 0.32),
                (-0.05, 0.05),
                (0.8, 1.45),
                (0.76, 1.46),
                (-0.05, 0.05),
                (0.72, 1.35),
                (0.82, 1.7),
                (-0.14, 0.1),
                (-0.09, 0.09),
                (-0.04, 0.04),
            )
        )
    )
    skin, hair = pick(_SKINS), pick(_HAIRS)
    # Hats, glasses and scarfs would be told apart by what they wear.
    return Look(
        skin=skin,
        hair=hair,
        hair_style=pick(("short", "short", "bun", "bald")),
        brows=tuple(c * 0.75 for c in hair),
        iris=pick(((0.30, 0.20, 0.12), (0.25, 0.35, 0.45), (0.2, 0.3, 0.2))),
        beard=pick((0, 0, 0, 0.4, 1.0)),
        age=float(rng.uniform(0, 0.9)),
        features=features,
        seed=int(rng.integers(1, 9999)),
        width=float(rng.uniform(0.94, 1.0)),
    )


def view(
    look: Look,
    seed: int,
    yaw: float,
    pitch: float = 0.0,
    roll: float = 0.0,
    dx: float = 0.0,
    dy: float = 0.0,
    scale: float = 1.0,
) -> View:
    """Somebody before a backdrop and in a light that the seed says."""
    rng = np.random.default_rng((seed, 77))
    ground = cv2.resize(rng.uniform(40, 200, (4, 4, 3)).astype(np.float32), (SIDE, SIDE), interpolation=cv2.INTER_CUBIC)
    picture = np.clip(ground, 0, 255).astype(np.uint8)
    unit, x, y = UNIT * scale, SIDE / 2 + dx, SIDE / 2 + dy
    light, tint = float(rng.uniform(0.85, 1.05)), tuple(rng.uniform(0.96, 1.04, 3))
    paste(
        picture,
        splat(
            head_cloud(look, round(1 / UNIT / 1.45, 5)),
            unit,
            rotation(yaw, pitch, roll),
            PIVOT,
            x,
            y,
            light=light,
            tint=tint,
        ),
    )
    noise = np.random.default_rng((seed, round(yaw * 100) & 0xFFFF, 5)).normal(0, 2.0, picture.shape)
    picture = np.clip(cv2.GaussianBlur(picture, (0, 0), 0.55) + noise, 0, 255).astype(np.uint8)
    ex, ey, half_w, half_h = head_ellipse(yaw, pitch)
    lean = np.deg2rad(roll)
    ex, ey = ex - PIVOT[0], ey - PIVOT[1]
    px, py = PIVOT[0] + ex * np.cos(lean) + ey * np.sin(lean), PIVOT[1] - ex * np.sin(lean) + ey * np.cos(lean)
    return View(picture, (x + px * unit, y - py * unit, 2 * half_w * look.width * unit, 2 * half_h * unit, roll))


def sighting(look: Look, seed: int, frames: int) -> list[View]:
    """Somebody for some frames, moving, nodding and turning a little, from parts of a px to some px."""
    rng = np.random.default_rng((seed, 3))
    yaw, pitch, step = rng.uniform(-14, 14), rng.uniform(-5, 5), rng.uniform(-1.3, 1.3, 2)
    return [
        view(
            look,
            seed,
            yaw + 7 * np.sin(n * 0.45),
            pitch + 2 * np.sin(n * 0.7),
            2 * np.sin(n * 0.3),
            step[0] * n,
            step[1] * n,
            1 + 0.004 * n,
        )
        for n in range(frames)
    ]


@lru_cache(maxsize=2)
def crowd(count: int) -> tuple[Look, ...]:
    """So many people, the first by lot that the descriptor tells from all before: always the same."""
    describer, chosen, known = FaceDescriber(), [], np.zeros((0, 128), np.float32)
    for seed in range(5000):
        look = look_of(seed)
        seen = view(look, 1, 4.0)
        vector = describer.describe(Chip(cut_out(seen.rgb, seen.head), 1.0, 0.0, 1.0))
        if not len(known) or np.linalg.norm(known - vector, axis=1).min() >= APART:
            chosen.append(look)
            known = np.concatenate([known, vector[None]])
        if len(chosen) == count:
            return tuple(chosen)
    raise ValueError(f"fewer than {count} people can be told apart")


def cut_out(picture: np.ndarray, head, side: int = CHIP_PX) -> np.ndarray:
    """The face of a head, cut out by the truth and not by landmarks: a cover may not keep an attacker from aligning it.

    (side, side, 3), dtype of the picture.
    """
    cx, cy, width, height, angle = head
    cut = cv2.getRotationMatrix2D((cx, cy + BELOW * height), angle, side / (FACE * width))
    cut[:, 2] += side / 2 - np.array([cx, cy + BELOW * height])
    return cv2.warpAffine(picture, cut, (side, side), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def people(count: int, sightings: int, frames: int) -> Iterator[tuple[int, int, list[View]]]:
    """(who, which sighting, its views) of everybody in the crowd."""
    for who, look in enumerate(crowd(count)):
        for n in range(sightings):
            yield who, n, sighting(look, 1000 * n + who, frames)
