"""Dark pictures made such as a detector knows them, which was trained on daylight: shadows lifted, colours brought near
one another, and the noise that would be lifted with them smoothed away first.

Sources: Immerkaer, Fast noise variance estimation, Computer Vision and Image Understanding 1996; Tomasi and Manduchi,
Bilateral filtering for gray and color images, ICCV 1998.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

# Of a plane the mask gives 0, and of noise of deviation 1 an absolute value of 6 * sqrt(2 / pi) in the mean
# (Immerkaer).
_MASK = np.float32([[1, -2, 1], [-2, 4, -2], [1, -2, 1]])
_OF_NOISE = np.sqrt(np.pi / 2) / 6


@dataclass(frozen=True, slots=True)
class LiftSettings:
    """Which pictures are lifted, and which are smoothed before.

    Of the faces of cellar (dark skin in dark coloured light) the detector missed 15 % of a frame and 20 % of a second
    look; since noise is smoothed away, none, and it takes half as many other things for faces at night (night, club,
    quay dim). Smoothed whatever their noise, far faces in coloured light with hardly any were found less often (crowd,
    lamps).
    """

    # mean brightness, 0..255, below which a picture is lifted; larger: more are
    dark: float = 78.0
    # mean brightness below which nothing is to be found
    black: float = 4.0
    # times `dark` that the mean is brought to
    brighter: float = 1.25
    # the least gamma; smaller: the darkest become brighter, and their noise too
    steepest: float = 0.4
    # by what a channel is made weaker or stronger at most, to be as bright as the others; wider: more of the noise of
    # the weak ones
    balance: tuple[float, float] = (0.7, 1.5)
    # deviation of noise, of 255, in the noisiest channel from which a picture is smoothed; larger: fewer are
    noisy: float = 1.0
    # deviations of noise that a difference in brightness may have to be smoothed away; larger: edges become soft
    noise_kept: float = 12.0
    # px across that are smoothed over, odd; larger: small faces are lost
    reach: int = 7


LIFT = LiftSettings()


def lifted(rgb: np.ndarray, settings: LiftSettings = LIFT) -> np.ndarray:
    """A dark picture (uint8 RGB) with its shadows lifted by a gamma curve and each channel brought to a like mean;
    others as they are."""
    mean = np.array(cv2.mean(np.ascontiguousarray(rgb[::8, ::8]))[:3])
    if mean.mean() >= settings.dark or mean.mean() < settings.black:
        return rgb
    gamma = float(
        np.clip(
            np.log(settings.dark / 255 * settings.brighter) / np.log(max(mean.mean(), 1) / 255), settings.steepest, 1
        )
    )
    balance = np.clip(mean.mean() / np.maximum(mean, 1), *settings.balance)
    steps = np.arange(256)[:, None] * balance
    table = np.clip((np.clip(steps, 0, 255) / 255) ** gamma * 255, 0, 255).astype(np.uint8)
    return cv2.LUT(_without_noise(rgb, settings), table.reshape(1, 256, 3))


def noise_of(rgb: np.ndarray) -> float:
    """Deviation of the noise of a picture (uint8 RGB), of 255, in the channel that has most."""
    if min(rgb.shape[:2]) < 3:
        return 0.0
    return float(_OF_NOISE * np.abs(cv2.filter2D(rgb, cv2.CV_16S, _MASK)[1:-1, 1:-1]).reshape(-1, 3).mean(axis=0).max())


def _without_noise(rgb: np.ndarray, settings: LiftSettings) -> np.ndarray:
    noise = noise_of(rgb)
    return (
        rgb
        if noise < settings.noisy
        else cv2.bilateralFilter(rgb, settings.reach, settings.noise_kept * noise, settings.reach / 2)
    )
