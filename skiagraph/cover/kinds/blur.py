"""Blur: a Gaussian, as wide as a share of what it hides."""

from __future__ import annotations

from typing import Annotated, ClassVar

import cv2
import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Region
from skiagraph.values import Value, described, replace

# Wide Gaussians are made at a size at which their deviation is still this many samples, which removes what they remove anyway.
LEAST_SIGMA = 2.5
# Beyond this many deviations a Gaussian takes in nothing that shows.
REACH = 2.5


@Cover.register
class Blur(Cover, Value, frozen=True, tag_field="kind", tag="blur"):
    word: ClassVar[str] = "Blur"
    tip: ClassVar[str] = "A Gaussian blur"

    size: Annotated[float, msgspec.Meta(gt=0, le=2), described("Blur", "Width of the blur as a share of the head's height.", low=4, high=60, unit=" %", scale=100)] = 0.16

    def hide(self, region: Region) -> np.ndarray:
        sigma = self.size * region.height
        return blurred(region.samples, region.box, sigma / region.step_x, sigma / region.step_y)

    def strength(self) -> float:
        return self.size

    def stronger(self, factor: float) -> Blur:
        return replace(self, size=min(2.0, max(0.001, self.size * factor)))

    def state(self) -> str:
        return f"{self.word}, {self.size * 100:.0f} %"


def blurred(plane: np.ndarray, box: tuple[int, int, int, int], sigma_x: float, sigma_y: float) -> np.ndarray:
    """The box of a plane under a Gaussian of the given deviations (samples). Same dtype as the plane."""
    x0, y0, x1, y1 = box
    shrink_x, shrink_y = max(1, int(sigma_x / LEAST_SIGMA)), max(1, int(sigma_y / LEAST_SIGMA))
    pad_x, pad_y = int(np.ceil(sigma_x * REACH)), int(np.ceil(sigma_y * REACH))
    left, top = max(0, x0 - pad_x), max(0, y0 - pad_y)
    right, bottom = min(plane.shape[1], x1 + pad_x), min(plane.shape[0], y1 + pad_y)
    area = plane[top:bottom, left:right]
    size = max(1, round(area.shape[1] / shrink_x)), max(1, round(area.shape[0] / shrink_y))
    small = cv2.resize(area, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    small = cv2.GaussianBlur(small, (0, 0), sigmaX=max(0.3, sigma_x * size[0] / area.shape[1]), sigmaY=max(0.3, sigma_y * size[1] / area.shape[0]),
                             borderType=cv2.BORDER_REPLICATE)
    if small.ndim != 2:
        small = small.reshape(size[1], size[0])
    large = cv2.resize(small, (area.shape[1], area.shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.rint(large[y0 - top:y1 - top, x0 - left:x1 - left]).astype(plane.dtype)
