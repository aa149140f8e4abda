"""A market square as a camera high above it sees it: many people with small heads who come over the edge, walk alone
and side by side, stop and talk, turn off, and cross one another's way, by lot. Drawn as benchmarks/scenes.py draws,
with exact truth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from benchmarks.crowd import look_of
from benchmarks.meetings import dressed
from skiagraph.demo.head import Look
from skiagraph.demo.story import Actor, Keys, Scene

SIZE, SECONDS, HORIZON = (1280, 720), 20.0, -150
# Height of a head, px, of who is furthest away and of who is nearest; where their heads are, px from the top.
SMALLEST, LARGEST = 15.0, 30.0
FAR, NEAR = 110.0, 560.0
# Heads a second: 1.3 m/s, a head being 0.23 m high. Who walks away from the camera, from so high above, goes over so
# much less of the picture.
WALK, FORESHORTENED = 5.6, 0.55


# In winter hardly anybody wears another colour.
_DARK = (
    (0.10, 0.11, 0.14),
    (0.16, 0.19, 0.30),
    (0.22, 0.22, 0.24),
    (0.33, 0.32, 0.33),
    (0.20, 0.17, 0.14),
    (0.13, 0.16, 0.15),
)


def square(name: str, seed: int, dark: bool = False, groups: int = 11) -> Scene:
    """groups: of one to three people who go together; dark: all in dark coats and with dark hats, if any."""
    rng = np.random.default_rng((seed, 1201))
    actors: list[Actor] = []
    for group in range(groups):
        at, x, y = _way(rng)
        looks = [
            dressed(look_of(int(rng.integers(10_000, 90_000))), rng)
            for _ in range(int(rng.choice((1, 2, 3), p=(0.5, 0.35, 0.15))))
        ]
        for n, look in enumerate(looks):
            look = (
                replace(
                    look, coat=_DARK[int(rng.integers(len(_DARK)))], hat_colour=_DARK[int(rng.integers(len(_DARK)))]
                )
                if dark
                else look
            )
            beside = n * rng.uniform(1.4, 2.4), n * rng.uniform(-0.5, 0.5)
            actors.append(_actor(f"{seed}-{group}-{n}", f"Buyer {len(actors) + 1}", look, rng, at, x, y, beside))
    return Scene(
        name, "The square from above", "bricks", SECONDS, HORIZON, tuple(actors), seed=seed, shake=0.0, grain=4.0
    )


def _head(y: np.ndarray | float) -> np.ndarray | float:
    """Height of a head, px, by where it is."""
    return SMALLEST + (LARGEST - SMALLEST) * (y - FAR) / (NEAR - FAR)


def _way(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Seconds, and where a group is then, px: from place to place at a walk, half of them from over an edge, with a
    stop now and then."""
    place = lambda: np.array([rng.uniform(60, SIZE[0] - 60), rng.uniform(FAR, NEAR)])
    edge = lambda: np.array([rng.choice((-80.0, SIZE[0] + 80.0)), rng.uniform(FAR, NEAR)])
    where, t = edge() if rng.random() < 0.6 else place(), 0.0
    if where[0] < 0 or where[0] > SIZE[0]:
        t = float(rng.uniform(0, 6))
    times, places = [t], [where]
    while t < SECONDS:
        to = edge() if rng.random() < 0.35 else place()
        way = (to - where) / (1, FORESHORTENED) / _head((to[1] + where[1]) / 2)
        t += float(np.hypot(*way)) / (WALK * rng.uniform(0.75, 1.2))
        times.append(t)
        places.append(to)
        if rng.random() < 0.4:
            t += float(rng.uniform(0.8, 3.5))
            times.append(t)
            places.append(to + rng.normal(0, 2, 2))
        where = places[-1]
        if where[0] < 0 or where[0] > SIZE[0]:
            break
    return np.array(times), *np.array(places).T


def _actor(
    key: str,
    name: str,
    look: Look,
    rng: np.random.Generator,
    at: np.ndarray,
    x: np.ndarray,
    y: np.ndarray,
    beside: tuple[float, float],
) -> Actor:
    """beside: heads beside the group's way and behind it."""
    fine = np.arange(0, SECONDS + 0.01, 0.25)
    px, py = np.interp(fine, at, x), np.interp(fine, at, y)
    # Nobody turns off on the spot.
    soft = np.hanning(5) / np.hanning(5).sum()
    px, py = (np.convolve(np.pad(p, 2, mode="edge"), soft, "valid") for p in (px, py))
    head = _head(py)
    speed_x, speed_y = np.gradient(px) / head, np.gradient(py) / head / FORESHORTENED
    going = np.hypot(speed_x, speed_y) > 0.25
    facing = np.rad2deg(np.arctan2(speed_x, speed_y))
    facing = (
        np.interp(fine, fine[going], np.rad2deg(np.unwrap(np.deg2rad(facing[going]))))
        if going.any()
        else np.full(len(fine), rng.uniform(-60, 60))
    )
    px, py = px + beside[0] * head, py + beside[1] * head
    glances = np.interp(fine, np.arange(0, SECONDS + 2, 2), rng.normal(0, 22, int(SECONDS / 2) + 1))
    size = _head(py) / 2
    return Actor(
        key,
        name,
        look,
        x=_keys(fine, px),
        size=_keys(fine, size),
        yaw=_keys(fine, facing + glances),
        body_yaw=_keys(fine, facing),
        pitch=((0, 12),),
        raised=_keys(fine, HORIZON - py),
        pose="walk",
    )


def _keys(at: np.ndarray, values: np.ndarray) -> Keys:
    return tuple((float(t), float(v)) for t, v in zip(at, values))
