"""The harbour story: who stands where, when, and which way they look. Numbers only; drawn by scene.py."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PchipInterpolator

from skiagraph.demo.head import Look
from skiagraph.demo.people import (
    BLUE_CAP,
    CLERK,
    FAR_BUYER,
    HEADSCARF,
    LONG_HAIR,
    OLD_HAND,
    PORTER,
    RED_CAP,
    SCARF,
    WORKER,
)

RATE = 25

Keys = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Actor:
    """One made-up person in one clip. Every track is ((second, value), …), eased between its keys.

    x: px of the frame at eye level; size: px per unit (a head is two units high); yaw, pitch, roll: degrees of the
    head; body_yaw: degrees, or None to follow the head loosely; pose: stand, walk, carry, fold.
    """

    key: str
    name: str
    look: Look
    x: Keys
    size: Keys
    yaw: Keys = ((0, 0),)
    pitch: Keys = ((0, 0),)
    roll: Keys = ((0, 0),)
    body_yaw: Keys | None = None
    pose: str = "stand"
    raised: Keys = ((0, 0),)
    hand: Keys | None = None  # a hand before the face: 0 away, 1 in front
    crate: bool = False
    crate_lift: float = 0.0
    agreed: bool = False


@dataclass(frozen=True)
class Scene:
    """One clip: a place, its people, and how the camera moves (x, y tracks in px)."""

    name: str
    title: str
    place: str
    seconds: float
    horizon: int
    actors: tuple[Actor, ...]
    camera_x: Keys = ((0, 0),)
    camera_y: Keys = ((0, 0),)
    shake: float = 0.0
    light: float = 1.0
    tint: tuple = (1.04, 1.0, 0.95)
    seed: int = 7
    size: tuple[int, int] = (1280, 720)
    sound: str = "quay"
    grain: float = 3.0  # deviation of the sensor's noise, of 255
    flicker: float = 0.0  # how far the light swings, as a share
    cast: tuple = (1.0, 1.0, 1.0)  # colour of the light over everything
    lamps: tuple[Keys, Keys, Keys] | None = None  # how red, green and blue the light is over time, 0 for dark
    rails: tuple[float, float] | None = None  # bars before everything: distance and width, px

    @property
    def frames(self) -> int:
        return round(self.seconds * RATE)


def value(keys: Keys, second: float) -> float:
    """The track at a moment; held before the first and after the last key."""
    if len(keys) == 1:
        return float(keys[0][1])
    times, values = zip(*keys)
    if len(keys) == 2:
        t = np.clip((second - times[0]) / (times[1] - times[0]), 0, 1)
        return float(values[0] + (values[1] - values[0]) * t)
    return float(PchipInterpolator(times, values)(np.clip(second, times[0], times[-1])))


QUAY = Scene(
    "quay",
    "Dawn on the quay",
    "quay",
    10.0,
    268,
    seed=7,
    shake=0.6,
    camera_x=((0, -6), (10, 8)),
    actors=(
        Actor(
            "clerk",
            "Auction clerk",
            CLERK,
            x=((0, 905), (4, 912), (10, 900)),
            size=((0, 46), (1, 46)),
            yaw=((0, -20), (2, -8), (3.5, 22), (5.5, 10), (7.5, -25), (10, -10)),
            pitch=((0, 6), (3, 0), (6, 8), (10, 0)),
            body_yaw=((0, 0),),
            pose="fold",
            agreed=True,
        ),
        Actor(
            "blue",
            "Deckhand, blue cap",
            BLUE_CAP,
            x=((0, 470), (2, 468), (4, 474), (10, 470)),
            size=((0, 58), (1, 58)),
            yaw=((0, 10), (1.6, 25), (3.2, 5), (5, 0), (6.2, 95), (7, 185), (7.8, 270), (8.8, 355), (10, 365)),
            pitch=((0, 2), (5, -3), (10, 3)),
            roll=((0, 0), (2, 5), (4, -2), (10, 0)),
            body_yaw=((0, 0), (5.2, 0), (6.4, 90), (7.1, 180), (7.9, 270), (8.9, 360), (10, 360)),
            pose="stand",
        ),
        Actor(
            "porter",
            "Porter with crate",
            PORTER,
            x=((0, -150), (2.0, -150), (6.9, 1430), (10, 1430)),
            size=((0, 68), (1, 68)),
            yaw=((0, 62), (3.2, 58), (4.2, 35), (5, 60), (10, 62)),
            body_yaw=((0, 60),),
            pose="carry",
            crate=True,
            crate_lift=0.0,
        ),
        Actor(
            "scarf",
            "Woman with scarf",
            SCARF,
            x=((0, 690), (2.2, 700), (4.2, 705), (5.4, 1010), (6.0, 1400), (7.3, 1400), (9.0, 1085), (10, 1075)),
            size=((0, 36), (4, 36), (6, 40), (10, 40)),
            yaw=((0, 12), (1.5, -30), (3, 10), (4.2, 60), (6, 70), (7.2, -65), (8.6, -40), (9.2, -10), (10, 0)),
            body_yaw=((0, 10), (4, 20), (4.6, 75), (6.2, 75), (7.2, -75), (8.8, -50), (9.4, 0), (10, 0)),
            pose="walk",
        ),
        Actor(
            "old",
            "Old hand",
            OLD_HAND,
            x=((0, 236), (10, 244)),
            size=((0, 30), (1, 30)),
            yaw=((0, 30), (3, -12), (6, 40), (8, 10), (10, 22)),
            pose="stand",
        ),
    ),
)

HALL = Scene(
    "hall",
    "The morning's sale",
    "hall",
    11.0,
    282,
    seed=19,
    camera_x=((0, -46), (3, -30), (8, 34), (11, 46)),
    camera_y=((0, 0), (6, -6), (11, 2)),
    shake=1.2,
    light=0.97,
    sound="hall",
    tint=(1.02, 1.0, 0.97),
    actors=(
        Actor(
            "clerk",
            "Auction clerk",
            CLERK,
            x=((0, 640), (11, 650)),
            size=((0, 44), (1, 44)),
            yaw=((0, 0), (2, 25), (4, -30), (6, 0), (8, 28), (11, 0)),
            pitch=((0, 0), (3, 8), (5, 0), (11, 4)),
            body_yaw=((0, 0),),
            pose="fold",
            agreed=True,
        ),
        Actor(
            "long",
            "Buyer, long hair",
            LONG_HAIR,
            x=((0, 300), (2, 310), (6.6, 940), (11, 960)),
            size=((0, 50), (2, 50), (7, 54), (11, 54)),
            yaw=((0, 20), (2, 45), (6, 50), (7.2, 0), (9, -25), (11, -5)),
            body_yaw=((0, 20), (2, 65), (6.2, 65), (7.2, 0), (11, 0)),
            pose="walk",
        ),
        Actor(
            "red",
            "Deckhand, red cap",
            RED_CAP,
            x=((0, 985), (1.5, 980), (6.4, 330), (11, 318)),
            size=((0, 60), (1.5, 60), (7, 62), (11, 62)),
            yaw=((0, -10), (1.5, -45), (6, -48), (7.4, 0), (8.6, 20), (11, 0)),
            body_yaw=((0, 0), (1.6, -70), (6, -70), (7.2, 0), (11, 0)),
            pose="walk",
        ),
        Actor(
            "headscarf",
            "Gutter, headscarf",
            HEADSCARF,
            x=((0, 1420), (4.6, 1420), (7.4, 1130), (11, 1128)),
            size=((0, 42), (5, 42), (8, 40), (11, 40)),
            yaw=((0, -55), (6.6, -40), (8, -5), (9.4, 20), (11, 5)),
            body_yaw=((0, -70), (6.8, -70), (7.8, 0), (11, 0)),
            pose="walk",
        ),
        Actor(
            "old",
            "Old hand",
            OLD_HAND,
            x=((0, 150), (3, 140), (5.4, -120), (8.2, -120), (10.2, 120), (11, 124)),
            size=((0, 40), (1, 40)),
            yaw=((0, 0), (2.2, -20), (3.2, -65), (5.4, -70), (8, 65), (9.8, 40), (10.6, 0), (11, 0)),
            body_yaw=((0, 0), (2.6, -20), (3.2, -75), (5.6, -75), (8, 75), (10, 70), (10.6, 0), (11, 0)),
            pose="walk",
        ),
        Actor(
            "far",
            "Far buyer",
            FAR_BUYER,
            x=((0, 800), (11, 790)),
            size=((0, 28), (1, 28)),
            yaw=((0, -15), (3, 15), (6, 35), (9, -20), (11, 0)),
            pose="stand",
        ),
    ),
)

VOICE = Scene(
    "voice",
    "The seasonal worker speaks",
    "soft",
    9.0,
    330,
    seed=23,
    shake=0.9,
    sound="voice",
    camera_x=((0, 3), (4.5, -4), (9, 2)),
    actors=(
        Actor(
            "worker",
            "Seasonal worker",
            WORKER,
            x=((0, 540), (2, 548), (4, 530), (6, 556), (9, 545)),
            size=((0, 168), (4, 172), (6.5, 178), (9, 170)),
            yaw=((0, 14), (1.5, -8), (3, 20), (5.6, 38), (6.6, 75), (7.3, 70), (8.2, 12), (9, 8)),
            pitch=((0, 0), (1.2, 6), (2.4, -3), (5, 5), (7, 0), (9, 3)),
            roll=((0, 0), (1.6, 5), (3.2, -4), (6, 3), (9, 0)),
            body_yaw=((0, 12),),
            hand=((0, 0), (3.4, 0), (4.0, 1), (4.7, 1), (5.2, 0), (9, 0)),
        ),
        Actor(
            "far",
            "Passer-by, red cap",
            RED_CAP,
            x=((0, 1360), (0.8, 1360), (5.6, -90), (9, -90)),
            size=((0, 44), (1, 44)),
            yaw=((0, -52), (3, -35), (4, -60), (9, -55)),
            body_yaw=((0, -75),),
            pose="walk",
        ),
        Actor(
            "listener",
            "Woman with scarf",
            SCARF,
            x=((0, 1010), (9, 1000)),
            size=((0, 62), (1, 62)),
            yaw=((0, -30), (2, -40), (4, -10), (6, -35), (9, -20)),
            pitch=((0, 0), (3, 6), (5, 0), (9, 5)),
            body_yaw=((0, -15),),
            pose="fold",
        ),
    ),
)

SCENES = {scene.name: scene for scene in (QUAY, HALL, VOICE)}
