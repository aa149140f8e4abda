"""Regions of planes for trying covers on, of any depth and place."""

import numpy as np

from skiagraph.cover.region import Region
from skiagraph.shape.shape import Outline


class Layout:
    def __init__(self, depth: int):
        self.depth, self.is_rgb, self.name = depth, False, f"gray{depth}"


class Still:
    """As much of a frame as covers ask for."""

    def __init__(self, plane: np.ndarray, depth: int = 8, full_range: bool = True):
        self.layout, self.matrix, self.full_range, self.rotation, self.interlaced, self.rate, self.number = (
            Layout(depth),
            "bt709",
            full_range,
            0,
            False,
            25,
            0,
        )
        self.size = plane.shape[::-1]


def noise(shape=(120, 160), depth=8, seed=1):
    return np.random.default_rng(seed).integers(0, 1 << depth, shape).astype(np.uint8 if depth == 8 else np.uint16)


def region(plane, box, *, corner=None, size=(80, 80), depth=8, number=0, alpha=None, age=0, angle=0.0):
    """A region of a grey plane; corner: of what is covered, size: of it, px."""
    x, y = corner if corner is not None else box[:2]
    alpha = np.full((box[3] - box[1], box[2] - box[0]), 255, np.uint8) if alpha is None else alpha
    outline = Outline.at(x + size[0] / 2, y + size[1] / 2, *size, angle)
    return Region(
        plane,
        box,
        alpha,
        1,
        1,
        float(x),
        float(y),
        float(size[0]),
        float(size[1]),
        number,
        Still(plane, depth),
        outline,
        "s1",
        age,
    )
