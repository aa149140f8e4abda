"""Pictures made smaller quickly and truly: halved as often as may be, by the mean of whole squares of px, then
scaled."""

from __future__ import annotations

import cv2
import numpy as np


def halved(picture: np.ndarray) -> np.ndarray:
    """At half the size; an odd last row or column is left out, since then the mean of four px is a hundred times as
    quick."""
    height, width = picture.shape[:2]
    return cv2.resize(
        picture[: height & ~1, : width & ~1], (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA
    )


def shrunk(picture: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """At size (width, height)."""
    while picture.shape[1] >= 2 * size[0] and picture.shape[0] >= 2 * size[1]:
        picture = halved(picture)
    return picture if picture.shape[1::-1] == tuple(size) else cv2.resize(picture, size, interpolation=cv2.INTER_LINEAR)
