"""Films in which the camera sees a part of a larger picture: photographs that are shown one after the other, a wall of
people that it whips over. Drawn as benchmarks/scenes.py draws, with exact truth."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from benchmarks.crowd import look_of
from benchmarks.meetings import dressed
from skiagraph.demo.scene import HEAD_OFFSET, HeadTruth, draw
from skiagraph.demo.story import RATE, Actor, Keys, Scene, value
from skiagraph.demo.write import Drawn

SIZE = 1280, 720
# A face that moves by more than this share of its head's width while the shutter is open cannot be recognised by
# anybody.
BLURRED = 0.35
# The shutter is open for half of each frame's time.
OPEN = 0.5


@dataclass(frozen=True)
class Part:
    """Some seconds of a film. scene: what is drawn, larger than the film; still: only its first frame, as a photograph;
    x, y: px of the scene at the film's left and top edge; zoom: px of the film to a px of the scene; turn: degrees by
    which what is shown is turned clockwise about the film's middle, as by a camera that is not held level.
    """

    scene: Scene
    seconds: float
    still: bool
    x: Keys = ((0, 0),)
    y: Keys = ((0, 0),)
    zoom: Keys = ((0, 1.0),)
    turn: Keys = ((0, 0.0),)

    def sees(self, at: float, size: tuple[int, int]) -> np.ndarray:
        """The matrix (2, 3) from px of the scene to px of a film of this size, at a moment in seconds."""
        x, y, zoom, turn = (value(keys, at) for keys in (self.x, self.y, self.zoom, self.turn))
        half = np.array(size) / 2
        lean = np.deg2rad(turn)
        turned = zoom * np.array([[np.cos(lean), -np.sin(lean)], [np.sin(lean), np.cos(lean)]])
        return np.column_stack([turned, half - turned @ (np.array([x, y]) + half / zoom)])


@dataclass(frozen=True)
class Panned:
    """A film of such parts, cut together."""

    parts: tuple[Part, ...]
    size: tuple[int, int] = SIZE

    @property
    def actors(self) -> list[Actor]:
        return list({a.key: a for part in self.parts for a in part.scene.actors}.values())

    @property
    def frames(self) -> int:
        return sum(round(part.seconds * RATE) for part in self.parts)

    def drawn(self) -> Iterator[Drawn]:
        """Frame by frame what the camera sees."""
        keys = [a.key for a in self.actors]
        for part in self.parts:
            numbers = [keys.index(a.key) + 1 for a in part.scene.actors]
            whole = draw(part.scene, 0, numbers) if part.still else None
            for frame in range(round(part.seconds * RATE)):
                yield _seen(whole or draw(part.scene, frame, numbers), part, frame, numbers, self.size)


def _seen(whole: Drawn, part: Part, frame: int, numbers: Sequence[int], size: tuple[int, int]) -> Drawn:
    """The part of a picture that the camera sees, blurred as it moves."""
    picture, ids, heads = whole
    at = frame / RATE
    zoom, turn = value(part.zoom, at), value(part.turn, at)
    move = part.sees(at, size)
    shown = cv2.warpAffine(
        picture, move, size, flags=cv2.INTER_AREA if zoom < 1 else cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    whose = cv2.warpAffine(ids, move, size, flags=cv2.INTER_NEAREST)
    # The film cannot show what lies between two frames of it, so each has what the shutter saw around its middle.
    middle = np.linalg.solve(move[:, :2], np.array(size) / 2 - move[:, 2])
    way = (part.sees(at + OPEN / RATE / 2, size) - part.sees(at - OPEN / RATE / 2, size)) @ np.append(middle, 1)
    smear = float(np.hypot(*way))
    if smear >= 2:
        shown = cv2.filter2D(shown, -1, _line(way), borderType=cv2.BORDER_REPLICATE)
    rng = np.random.default_rng(part.scene.seed * 7919 + frame)
    shown = np.clip(
        shown.astype(np.int16) + rng.integers(-2, 3, shown.shape[:2], dtype=np.int16)[..., None], 0, 255
    ).astype(np.uint8)
    truth = []
    for head in heads:
        number = numbers[[a.key for a in part.scene.actors].index(head.actor)]
        if smear > BLURRED * head.width * zoom:
            whose[whose == number] = HEAD_OFFSET + number
        face = int(np.count_nonzero(whose == number))
        seen = face + int(np.count_nonzero(whose == HEAD_OFFSET + number))
        before = int(np.count_nonzero((ids == number) | (ids == HEAD_OFFSET + number))) * zoom * zoom
        cx, cy = move @ (head.cx, head.cy, 1)
        # Whoever is wholly hidden is told of as well, as in films of one scene, where they are in the picture.
        if seen or _is_inside((cx, cy), head.width * zoom / 2, size):
            truth.append(
                HeadTruth(
                    head.actor,
                    round(cx, 2),
                    round(cy, 2),
                    round(head.width * zoom, 2),
                    round(head.height * zoom, 2),
                    round(head.angle + turn, 2),
                    head.yaw,
                    round(head.head_visible * min(1.0, seen / max(1.0, before)), 3),
                    face,
                )
            )
    return shown, whose, truth


def _is_inside(middle: tuple[float, float], reach: float, size: tuple[int, int]) -> bool:
    """Whether something around a middle comes into a picture, reaching so many px from it."""
    return all(-reach < at < side + reach for at, side in zip(middle, size))


def _line(way: np.ndarray) -> np.ndarray:
    """What a point leaves while it goes this way (px right, px down) at one speed: weights (n, n) that add up to
    one."""
    side = 2 * int(np.ceil(np.abs(way).max() / 2)) + 1
    weights = np.zeros((side, side), np.float32)
    steps = np.rint(side // 2 + np.linspace(-0.5, 0.5, 4 * side)[:, None] * way).astype(int)
    np.add.at(weights, (steps[:, 1], steps[:, 0]), 1)
    return weights / weights.sum()


def _group(name: str, seed: int, people: int, unit: float, place: str, width: int = 1920) -> Scene:
    """People by lot who stand side by side, in 1080 lines."""
    rng = np.random.default_rng((seed, 331))
    apart = width / (people + 1)
    actors = tuple(
        Actor(
            f"{name}-{seed}-{n}",
            f"Buyer {n + 1}",
            dressed(look_of(int(rng.integers(10_000, 90_000))), rng),
            x=((0, apart * (n + 1) + rng.uniform(-0.12, 0.12) * apart),),
            size=((0, unit * rng.uniform(0.85, 1.1)),),
            yaw=((0, rng.uniform(-50, 50)),),
            pitch=((0, rng.uniform(-8, 12)),),
            roll=((0, rng.uniform(-8, 8)),),
            body_yaw=((0, rng.uniform(-30, 30)),),
            pose=str(rng.choice(("stand", "fold"))),
        )
        for n in range(people)
    )
    return Scene(name, "Photographs", place, 1.0, 430, actors, seed=seed + 3, size=(width, 1080))


def album() -> Panned:
    """Eight photographs of one to six people, on each of which the camera moves slowly; between two of them, side by
    side, it whips."""
    groups = (
        (1, 150, "hall"),
        (4, 62, "bricks"),
        (6, 44, "quay"),
        (2, 110, "bricks"),
        (3, 78, "hall"),
        (5, 52, "quay"),
    )
    parts = []
    for n, (people, unit, place) in enumerate(groups):
        scene = _group("album", 700 + n, people, unit, place)
        side = 40 if n % 2 else 260
        parts.append(
            Part(
                scene,
                2.0,
                True,
                x=((0, side), (2, 300 - side)),
                y=((0, 60), (2, 90)),
                zoom=((0, 0.68 if n % 2 else 0.78), (2, 0.78 if n % 2 else 0.70)),
            )
        )
    two = _group("album", 720, 7, 56, "hall", 3840)
    parts.insert(
        3, Part(two, 3.2, True, x=((0, 60), (1.3, 70), (1.62, 2020), (3.2, 2040)), y=((0, 60),), zoom=((0, 0.72),))
    )
    return Panned(tuple(parts))


def whip() -> Panned:
    """The camera whips to and fro between people at both ends of a wall who talk and turn, twice within three
    seconds."""
    rng = np.random.default_rng(17)
    still = _group("whip", 740, 5, 60, "bricks", 3200)
    turns = tuple(
        replace(a, yaw=((0, a.yaw[0][1]), (1.5, -a.yaw[0][1]), (3, rng.uniform(-60, 60)), (6, a.yaw[0][1])))
        for a in still.actors
    )
    scene = replace(still, actors=turns, shake=1.0)
    return Panned(
        (
            Part(
                scene,
                6.0,
                False,
                x=((0, 40), (1.2, 60), (1.5, 1420), (2.7, 1440), (3.02, 30), (4.2, 50), (4.6, 1400), (6, 1420)),
                y=((0, 100),),
                zoom=((0, 0.70),),
            ),
        )
    )


def bricks() -> Scene:
    """Eight people before a brick wall, of whom two walk."""
    rng = np.random.default_rng(23)
    looks = [dressed(look_of(int(rng.integers(10_000, 90_000))), rng) for _ in range(8)]
    units = (26, 30, 34, 28, 40, 24, 48, 44)
    stand = [
        Actor(
            f"b{n}",
            f"Buyer {n + 1}",
            looks[n],
            x=((0, 110 + 205 * n), (8, 118 + 205 * n)),
            size=((0, units[n]),),
            yaw=((0, rng.uniform(-40, 40)), (3, rng.uniform(-70, 70)), (8, rng.uniform(-40, 40))),
        )
        for n in range(6)
    ]
    walk = [
        Actor(
            f"b{n}",
            f"Buyer {n + 1}",
            looks[n],
            x=((0, 640 - sign * 760), (8, 640 + sign * 700)),
            size=((0, units[n]),),
            yaw=((0, sign * 60), (4, sign * 30), (8, sign * 60)),
            body_yaw=((0, sign * 65),),
            pose="walk",
        )
        for n, sign in ((6, 1), (7, -1))
    ]
    return Scene("bricks", "Before the ice house", "bricks", 8.0, 330, (*stand, *walk), seed=743, shake=1.2)


def cellar() -> Scene:
    """Two in the dark before the bricks of a cellar, in coloured light that swings."""
    rng = np.random.default_rng(29)
    looks = [dressed(look_of(int(rng.integers(10_000, 90_000))), rng) for _ in range(2)]
    sways = ((0, 420), (1, 470), (2, 400), (3, 480), (4, 410), (6, 450))
    red, blue = (
        ((0, 0.62), (1.1, 0.30), (2.3, 0.66), (3.2, 0.22), (4.4, 0.60), (6, 0.4)),
        ((0, 0.30), (1.4, 0.68), (2.6, 0.28), (3.6, 0.7), (5, 0.32), (6, 0.5)),
    )
    return Scene(
        "cellar",
        "In the cellar",
        "bricks",
        6.0,
        300,
        (
            Actor(
                "c0",
                "Dancer",
                looks[0],
                x=sways,
                size=((0, 58),),
                yaw=((0, 0), (1, 50), (2, -40), (3, 70), (4, -20), (6, 30)),
                roll=((0, 0), (1, 10), (2, -10), (3, 8), (6, 0)),
            ),
            Actor(
                "c1",
                "Guest",
                looks[1],
                x=((0, 900), (3, 760), (6, 930)),
                size=((0, 46),),
                yaw=((0, -30), (2, -70), (3.2, 20), (6, 60)),
                body_yaw=((0, -40), (3, 0), (6, 50)),
                pose="walk",
            ),
        ),
        light=0.6,
        grain=8.0,
        lamps=(red, ((0, 0.24), (3, 0.34), (6, 0.24)), blue),
        seed=751,
        shake=2.5,
        sound="hall",
    )
