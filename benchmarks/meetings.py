"""Made-up people who meet, by lot: they cross, turn away, stop, turn back, change direction behind one another, stand
three at one place, leave and come back in another order. In unlike and in like clothes, with hats and without, with
heads of 40 to 200 px. Drawn as benchmarks/scenes.py draws, with exact truth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from benchmarks.crowd import look_of
from skiagraph.demo.head import Look
from skiagraph.demo.story import Actor, Scene

WIDTH, SECONDS = 1280, 3.6
_COATS = (
    (0.80, 0.42, 0.12),
    (0.50, 0.50, 0.52),
    (0.16, 0.19, 0.30),
    (0.20, 0.36, 0.30),
    (0.45, 0.14, 0.13),
    (0.66, 0.60, 0.34),
    (0.62, 0.58, 0.50),
    (0.33, 0.20, 0.30),
    (0.12, 0.42, 0.40),
    (0.22, 0.22, 0.24),
)
_HATS = ("", "", "", "cap", "beanie", "brim", "headscarf")


def scenes(name: str, seeds: range, alike: bool) -> tuple[Scene, ...]:
    """A film of meetings cut together, one for each seed. alike: those who meet wear the same."""
    return tuple(_scene(name, seed, alike) for seed in seeds)


def _scene(name: str, seed: int, alike: bool) -> Scene:
    rng = np.random.default_rng((seed, 1 if alike else 0, 2611))
    kinds: tuple[Callable, ...] = (_cross, _turn_back, _behind, _three, _away_and_back)
    size = float(rng.choice((28, 36, 50, 72, 96), p=(0.2, 0.3, 0.25, 0.15, 0.1)))
    looks = [dressed(look_of(int(rng.integers(10_000, 90_000))), rng) for _ in range(3)]
    if alike:
        looks = [
            replace(
                look,
                coat=looks[0].coat,
                trousers=looks[0].trousers,
                hat=looks[0].hat,
                hat_colour=looks[0].hat_colour,
                hair=looks[0].hair,
                hair_style=looks[0].hair_style,
            )
            for look in looks
        ]
    actors = kinds[seed % len(kinds)](rng, size, looks)
    actors = tuple(replace(actor, key=f"{seed}-{n}", name=f"Buyer {n + 1}") for n, actor in enumerate(actors))
    # In turns, so that a cut is seen as one.
    place = ("quay", "hall")[seed % 2]
    return Scene(
        name, "They meet", place, SECONDS, 290, actors, seed=seed + 7, shake=float(rng.uniform(0, 1.5)), sound=place
    )


def dressed(look: Look, rng: np.random.Generator) -> Look:
    """Somebody in a coat, and with a hat or without, by lot."""
    hat = str(rng.choice(_HATS))
    return replace(
        look,
        coat=_COATS[int(rng.integers(len(_COATS)))],
        hat=hat,
        hat_colour=tuple(rng.uniform(0.1, 0.7, 3)),
        glasses=bool(rng.random() < 0.2),
    )


def _way(rng, sign: int, away: bool) -> tuple[tuple, tuple]:
    """Yaw of head and body of somebody on their way, to the right for sign 1. away: who turns their back in the
    middle."""
    side = sign * rng.uniform(45, 75)
    middle = sign * rng.uniform(110, 165) if away else side
    yaw = (
        (0, side),
        (1.1, side),
        (1.6, middle),
        (2.2, middle),
        (2.8, sign * rng.uniform(20, 60)),
        (SECONDS, sign * rng.uniform(0, 50)),
    )
    return yaw, ((0, side), (1.2, side), (1.7, middle * 0.9), (2.3, middle * 0.9), (3.0, side))


def _cross(rng, size, looks) -> list[Actor]:
    """Two pass each other closely; one or both turn away just then."""
    reach, away = min(560, 5 * size + 160), rng.random(2) < 0.6
    actors = []
    for n, sign in enumerate((1, -1)):
        yaw, body = _way(rng, sign, bool(away[n]))
        own = size * (1, rng.uniform(0.84, 0.97))[n]
        actors.append(
            Actor(
                "",
                "",
                looks[n],
                x=((0, 640 - sign * reach), (SECONDS / 2, 640 + rng.uniform(-15, 15)), (SECONDS, 640 + sign * reach)),
                size=((0, own), (1, own)),
                yaw=yaw,
                body_yaw=body,
                pose="walk",
            )
        )
    return actors


def _turn_back(rng, size, looks) -> list[Actor]:
    """Two walk up to each other, stop with one half before the other, and go back to where they came from, or go on."""
    reach, back = min(520, 4.5 * size + 140), rng.random(2) < 0.7
    if not back.any():
        back[0] = True
    actors = []
    for n, sign in enumerate((1, -1)):
        side, close = sign * rng.uniform(40, 70), 640 - sign * rng.uniform(0.1, 0.45) * size
        end = 640 - sign * reach * (1 if back[n] else -1)
        turned = -side if back[n] else side
        own = size * (1, rng.uniform(0.86, 1.0))[n]
        actors.append(
            Actor(
                "",
                "",
                looks[n],
                x=((0, 640 - sign * reach), (1.4, close), (2.0, close + sign * 3), (SECONDS, end)),
                size=((0, own), (1, own)),
                yaw=(
                    (0, side),
                    (1.3, side * 0.8),
                    (1.7, sign * rng.uniform(80, 120)),
                    (2.2, turned),
                    (SECONDS, turned * 0.7),
                ),
                body_yaw=((0, side), (1.5, side), (2.1, turned), (SECONDS, turned)),
                pose="walk",
            )
        )
    return actors


def _behind(rng, size, looks) -> list[Actor]:
    """One goes behind another who stands, and comes out on the same side or on the other, while the first turns
    away."""
    reach, back, sign = min(520, 4.5 * size + 120), rng.random() < 0.6, int(rng.choice((-1, 1)))
    side, end = sign * rng.uniform(50, 75), 640 + (-sign if back else sign) * reach
    turned = -side if back else side
    walks = Actor(
        "",
        "",
        looks[0],
        x=((0, 640 - sign * reach), (1.5, 640 - sign * 0.1 * size), (2.0, 640 + sign * 0.1 * size), (SECONDS, end)),
        size=((0, size * 0.88), (1, size * 0.88)),
        yaw=((0, side), (1.5, side), (2.1, turned), (SECONDS, turned * 0.6)),
        body_yaw=((0, side), (1.6, side), (2.2, turned), (SECONDS, turned)),
        pose="walk",
    )
    spin = sign * rng.uniform(110, 180)
    stands = Actor(
        "",
        "",
        looks[1],
        x=((0, 636), (1.8, 640), (SECONDS, 640 + rng.uniform(-60, 60))),
        size=((0, size), (1, size)),
        yaw=((0, rng.uniform(-25, 25)), (1.2, 10), (1.7, spin), (2.4, spin), (SECONDS, rng.uniform(-30, 30))),
        body_yaw=((0, 0), (1.3, 0), (1.9, spin), (2.5, spin), (SECONDS, 0)),
        pose="fold",
    )
    return [walks, stands]


def _three(rng, size, looks) -> list[Actor]:
    """Two pass each other behind a third, all at one place for a moment."""
    third = Actor(
        "",
        "",
        looks[2],
        x=((0, 650), (SECONDS, 630)),
        size=((0, size * 1.06), (1, size * 1.06)),
        yaw=((0, 15), (1.4, -20), (2, 40), (SECONDS, -10)),
        pose="fold",
    )
    return [*_cross(rng, size, looks), third]


def _away_and_back(rng, size, looks) -> list[Actor]:
    """A group walks off over the edge together, and comes back in another order."""
    order = rng.permutation(3)
    apart, edge = max(1.9 * size, 46), WIDTH + 1.6 * size
    actors = []
    for n in range(3):
        begin, end = 1010 - apart * n, 1080 - apart * int(order[n])
        own = size * rng.uniform(0.9, 1.05)
        actors.append(
            Actor(
                "",
                "",
                looks[n],
                x=((0, begin), (1.3, edge + 6 * n), (1.9 + 0.1 * int(order[n]), edge), (SECONDS, end - 60)),
                size=((0, own), (1, own)),
                yaw=((0, 45), (0.9, 60), (1.5, 60), (1.7, -60), (3.2, -50), (SECONDS, -20)),
                body_yaw=((0, 60), (1.5, 60), (1.7, -60), (SECONDS, -60)),
                pose="walk",
            )
        )
    return actors
