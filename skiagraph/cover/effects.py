"""What hides a region: Gaussian blur, mosaic, solid. Each works on one plane of samples and knows nothing of colour.

Strength is measured against the face, so that it holds when somebody walks towards the camera.
"""

from __future__ import annotations

import cv2
import numpy as np


def blurred(plane: np.ndarray, box: tuple[int, int, int, int], sigma_x: float, sigma_y: float) -> np.ndarray:
    """The box of a plane under a Gaussian of the given deviations (samples). Same dtype as the plane.

    Wide Gaussians are done at reduced resolution, which removes what a wide Gaussian removes anyway.
    """
    x0, y0, x1, y1 = box
    shrink_x, shrink_y = max(1, int(sigma_x / 2.5)), max(1, int(sigma_y / 2.5))
    pad_x, pad_y = int(np.ceil(sigma_x * 2.5)), int(np.ceil(sigma_y * 2.5))
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


def mosaic(plane: np.ndarray, box: tuple[int, int, int, int], origin: tuple[float, float], block: tuple[float, float]) -> np.ndarray:
    """The box of a plane in blocks, each the mean of what it hides. Same dtype as the plane.

    origin: a corner of the grid, block: width and height of a block, in samples. The grid travels with the face, so that
    movement does not sample the face at ever new places.
    """
    x0, y0, x1, y1 = box
    block_x, block_y = max(1.0, block[0]), max(1.0, block[1])
    column = np.floor((np.arange(x0, x1) + 0.5 - origin[0]) / block_x).astype(int)
    row = np.floor((np.arange(y0, y1) + 0.5 - origin[1]) / block_y).astype(int)
    starts_x = np.flatnonzero(np.diff(column, prepend=column[0] - 1))
    starts_y = np.flatnonzero(np.diff(row, prepend=row[0] - 1))
    # Blocks at the border of the box may reach beyond it; their mean is then of the part inside.
    area = plane[y0:y1, x0:x1].astype(np.float32)
    sums = np.add.reduceat(np.add.reduceat(area, starts_y, axis=0), starts_x, axis=1)
    counts_x = np.diff(np.append(starts_x, x1 - x0))
    counts_y = np.diff(np.append(starts_y, y1 - y0))
    means = np.rint(sums / (counts_y[:, None] * counts_x[None, :])).astype(plane.dtype)
    return np.repeat(np.repeat(means, counts_y, axis=0), counts_x, axis=1)


def solid(plane: np.ndarray, box: tuple[int, int, int, int], value: int) -> np.ndarray:
    """The box filled with one sample value."""
    x0, y0, x1, y1 = box
    return np.full((y1 - y0, x1 - x0), value, plane.dtype)
