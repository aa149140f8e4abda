"""Light of an unusual colour, or hardly any: pictures are brought back to ordinary light before anybody is looked for
or told from anybody else, and what they tell there counts for less.

Source: the grey-world assumption, Buchsbaum, A spatial processor model for object colour perception, Journal of the
Franklin Institute 1980, with one factor for each channel as von Kries has it. Only what no ordinary scene has is taken
back, so that in ordinary light nothing changes.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np


@dataclass(frozen=True, slots=True)
class LightSettings:
    """What is ordinary light.

    Measured on the films of benchmarks/quality.py: the mean of a channel is 0.79 to 1.22 of the mean of all in daylight
    and at night, 0.38 to 1.92 under coloured lamps (club).
    """

    # times the mean of all channels, or one by so many, that the mean of one channel is in ordinary light; larger: less
    # is taken back
    ordinary: float = 1.35
    # mean brightness, 0..255, under which a picture is made brighter; larger: more is
    dark: float = 45.0
    # times that a channel is made brighter or darker at most; larger: more noise
    most: float = 4.0
    # mean brightness under which nothing can be told
    black: float = 4.0
    # share of what `ordinary` and `dark` allow that a picture's mean colour, where it is known roughly, may take up to
    # be surely in ordinary light; larger: fewer pictures are converted as a whole only to be left as they are
    surely: float = 0.9
    # each so many px are looked at, across and down
    every_px: int = 16
    # the largest factor to the least one from which light is coloured; larger: colours and faces are believed under
    # stranger lamps
    coloured: float = 1.1
    # what a face tells under coloured light of what it tells else; at 0.3 faces of one person under two lamps were
    # taken for two people's (club)
    telling: float = 0.15


LIGHT = LightSettings()


@dataclass(frozen=True, slots=True)
class Lit:
    """A picture as it would look in ordinary light, uint8 RGB; coloured: its light is of such a colour that clothes and
    faces say little of who is who."""

    rgb: np.ndarray
    coloured: bool

    @property
    def telling(self) -> float:
        """What faces in it are worth, 0..1."""
        return LIGHT.telling if self.coloured else 1.0


def surely_ordinary(mean: np.ndarray, settings: LightSettings = LIGHT) -> bool:
    """Whether a picture of about this mean colour, float (3,) of 0..255, is in ordinary light."""
    whole = float(mean.mean())
    cast = mean / max(whole, 1e-6)
    most = 1 + settings.surely * (settings.ordinary - 1)
    return bool(whole * settings.surely >= settings.dark and cast.max() <= most and cast.min() >= 1 / most)


def in_ordinary_light(rgb: np.ndarray, settings: LightSettings = LIGHT) -> Lit:
    """A picture (uint8 RGB) in ordinary light; where it is in that, the very same."""
    gains = gains_of(rgb, settings)
    if np.allclose(gains, 1):
        return Lit(rgb, False)
    table = np.clip(np.arange(256)[:, None] * gains, 0, 255).round().astype(np.uint8)
    return Lit(
        cv2.LUT(np.ascontiguousarray(rgb), table.reshape(1, 256, 3)),
        bool(gains.max() > settings.coloured * gains.min()),
    )


def gains_of(rgb: np.ndarray, settings: LightSettings = LIGHT) -> np.ndarray:
    """What each channel of a picture (uint8 RGB) has to be multiplied by, float (3,); ones in ordinary light."""
    means = rgb[:: settings.every_px, :: settings.every_px].reshape(-1, 3).mean(axis=0)
    whole = float(means.mean())
    if whole < settings.black:
        return np.ones(3)
    cast = means / whole
    taken_back = np.clip(cast, 1 / settings.ordinary, settings.ordinary) / np.maximum(cast, 1e-6)
    return np.clip(taken_back * max(1.0, settings.dark / whole), 1 / settings.most, settings.most)
