"""Films as somebody takes them who walks along: the camera follows one of those who meet, is not held level, zooms and
trembles; upright films of a phone; and talks from so near that heads are cut off by the picture's edge. Drawn as
benchmarks/panned.py draws, with exact truth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from benchmarks.crowd import look_of
from benchmarks.meetings import SECONDS, dressed, scenes
from benchmarks.panned import SIZE, Panned, Part
from skiagraph.demo.story import HALL, QUAY, RATE, Actor, Keys, Scene, value

# Meetings are drawn so much larger, so that a camera has something to move over.
LARGER = 1.5
UPRIGHT = 720, 1280


def handheld(seeds: range = range(200, 208), lot: int = 0) -> Panned:
    """Eight meetings by lot, each of which a camera in the hand follows. lot: of how the first is followed."""
    return Panned(
        tuple(
            _followed(scene, SIZE, n + lot, zoom=(0.68, 1.0), lean=5.0, tremble=7.0)
            for n, scene in enumerate(scenes("handheld", seeds, False))
        )
    )


def phone(seeds: range = range(210, 215), lot: int = 50) -> Panned:
    """Five meetings by lot in an upright picture, with the phone held askew and moved quickly."""
    return Panned(
        tuple(
            _followed(scene, UPRIGHT, n + lot, zoom=(0.75, 1.3), lean=18.0, tremble=10.0)
            for n, scene in enumerate(scenes("phone", seeds, False))
        ),
        UPRIGHT,
    )


def close(seeds: range = range(3)) -> Panned:
    """Three talks of two from so near that heads go over the picture's edges, while a third goes by behind them."""
    return Panned(tuple(_talk(seed) for seed in seeds))


def turned() -> Panned:
    """A camera that is laid on its side and taken up again while it films; a film on its side from beginning to end, as
    without its mark of rotation; and one upside down."""
    return Panned(
        (
            Part(QUAY, 7.0, False, turn=((0, 0), (1, 0), (2, 90), (4.6, 90), (5.6, 0), (7, 0))),
            Part(HALL, 5.0, False, turn=((0, -90),)),
            Part(QUAY, 3.0, False, x=((0, 40),), turn=((0, 180),)),
        )
    )


def _followed(
    scene: Scene, size: tuple[int, int], seed: int, zoom: tuple[float, float], lean: float, tremble: float
) -> Part:
    """A meeting as a camera sees it that goes along with one of those who meet, late and not evenly. zoom: px of the
    film to a px of the scene, from and to; lean: degrees askew, at most; tremble: px."""
    rng = np.random.default_rng((seed, 911))
    width, height = round(1280 * LARGER), round(max(720 * LARGER, size[1] / zoom[0]))
    horizon = round(height * 0.4)
    actors = tuple(
        replace(a, x=tuple((at, x * LARGER) for at, x in a.x), size=tuple((at, s * LARGER) for at, s in a.size))
        for a in scene.actors
    )
    wide = replace(scene, actors=actors, size=(width, height), horizon=horizon, shake=0.0)
    whom = actors[int(rng.integers(len(actors)))]
    at = np.arange(0, SECONDS + 0.01, 0.3)
    closer = np.clip(np.interp(at, (0, SECONDS), rng.permutation(zoom)) + rng.normal(0, 0.03, len(at)), *zoom)
    # The camera is where whom it follows was a little ago.
    x = np.array([value(whom.x, max(0.0, t - 0.25)) for t in at]) - size[0] / closer / 2 + rng.normal(0, 18, len(at))
    y = horizon - size[1] / closer * rng.uniform(0.36, 0.46) + rng.normal(0, 8, len(at))
    frames = np.arange(0, SECONDS, 1 / RATE)
    x = np.interp(frames, at, np.clip(x, 0, width - size[0] / closer)) + rng.normal(0, tremble / 4, len(frames))
    y = np.interp(frames, at, np.clip(y, 0, height - size[1] / closer)) + rng.normal(0, tremble / 6, len(frames))
    askew = np.clip(np.cumsum(rng.normal(0, lean / 4, len(at))) + rng.uniform(-lean / 2, lean / 2), -lean, lean)
    return Part(
        wide, SECONDS, False, x=_keys(frames, x), y=_keys(frames, y), zoom=_keys(at, closer), turn=_keys(at, askew)
    )


def _keys(at: np.ndarray, values: np.ndarray) -> Keys:
    return tuple((float(t), float(v)) for t, v in zip(at, values))


def _talk(seed: int) -> Part:
    """Two who talk, heads of 260 to 440 px in height, cut off by the edges now and then; one has a hand before the
    mouth."""
    rng = np.random.default_rng((seed, 677))
    seconds = 5.0
    looks = [dressed(look_of(int(rng.integers(10_000, 90_000))), rng) for _ in range(3)]
    actors = []
    for n, middle in enumerate((420, 960)):
        unit, side = rng.uniform(130, 220), 1 if n == 0 else -1
        at = np.linspace(0, seconds, 6)
        actors.append(
            Actor(
                f"close-{seed}-{n}",
                f"Buyer {n + 1}",
                looks[n],
                x=_keys(at, middle + rng.normal(0, 0.35 * unit, 6)),
                size=((0, unit), (seconds, unit * rng.uniform(0.9, 1.15))),
                yaw=_keys(at, side * rng.uniform(-20, 80, 6)),
                pitch=_keys(at, rng.uniform(-12, 22, 6)),
                roll=_keys(at, rng.uniform(-16, 16, 6)),
                body_yaw=((0, side * 25.0),),
                hand=((0, 0), (1.6, 0), (2.2, 1), (3.2, 1), (3.8, 0), (5, 0)) if n == seed % 2 else None,
            )
        )
    sign = (1, -1)[seed % 2]
    actors.append(
        Actor(
            f"close-{seed}-2",
            "Passer-by",
            looks[2],
            x=((0, 690 - sign * 900), (seconds, 690 + sign * 900)),
            size=((0, 52),),
            yaw=((0, sign * 60), (2, sign * 20), (seconds, sign * 60)),
            body_yaw=((0, sign * 65),),
            pose="walk",
        )
    )
    scene = Scene(
        "close",
        "From very near",
        ("quay", "hall")[seed % 2],
        seconds,
        420,
        tuple(actors),
        seed=760 + seed,
        size=(1380, 900),
    )
    at = np.linspace(0, seconds, 11)
    return Part(
        scene,
        seconds,
        False,
        x=_keys(at, np.clip(45 + rng.normal(0, 35, 11), 0, 90)),
        y=_keys(at, np.clip(rng.uniform(60, 240, 11), 0, 175)),
        turn=_keys(at, np.clip(rng.normal(0, 3, 11), -6, 6)),
    )
