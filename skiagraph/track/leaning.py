"""Heads that lean to a side: what stands out of one, and covers that hold two, measured along the head's own axes, and not along those of the picture.

A head is a row (n, ≥5): centre x, centre y, width, height in px and angle in degrees clockwise. It counts as an ellipse, as its cover does.
"""

from __future__ import annotations

import numpy as np

ANGLE = 4


def own_axes(heads: np.ndarray, offsets: np.ndarray) -> np.ndarray:
    """Offsets (n, 2) in px of the picture as they are along and down each head, (n, 2)."""
    lean = np.radians(heads[:, ANGLE])
    cos, sin = np.cos(lean), np.sin(lean)
    return np.stack([offsets[:, 0] * cos + offsets[:, 1] * sin, offsets[:, 1] * cos - offsets[:, 0] * sin], axis=1)


def level_reach(heads: np.ndarray) -> np.ndarray:
    """How far each head (…, ≥5) reaches to the sides, and up and down, in the picture: px from its middle, (…, 2)."""
    return _reach(heads, np.radians(heads[..., ANGLE]))


def standing_out(heads: np.ndarray, others: np.ndarray) -> np.ndarray:
    """By how many px the other head of the same row stands out of each head on its left, above it, on its right and below it, (n, 4), all ≥ 0."""
    heads, others = np.asarray(heads, float), np.asarray(others, float)
    away = own_axes(heads, others[:, :2] - heads[:, :2])
    reach = _reach(others, np.radians(others[:, ANGLE] - heads[:, ANGLE]))
    half = heads[:, 2:4] / 2
    return np.maximum(np.concatenate([reach - away - half, reach + away - half], axis=1), 0)


def grown(heads: np.ndarray, out: np.ndarray) -> np.ndarray:
    """Heads as far larger on each of their sides as (n, 4) says, in px: centre x, centre y, width and height, (n, 4). Their angle stays."""
    heads = np.asarray(heads, float)
    # Back from the head's own axes to those of the picture.
    lean, moved = np.radians(heads[:, ANGLE]), (out[:, 2:] - out[:, :2]) / 2
    cos, sin = np.cos(lean), np.sin(lean)
    middle = heads[:, :2] + np.stack([moved[:, 0] * cos - moved[:, 1] * sin, moved[:, 0] * sin + moved[:, 1] * cos], axis=1)
    return np.concatenate([middle, heads[:, 2:4] + out[:, :2] + out[:, 2:]], axis=1)


def around_both(heads: np.ndarray, others: np.ndarray) -> np.ndarray:
    """Centre x, centre y, width and height, (n, 4), of the smallest heads at each head's angle that reach as far to all of its sides as it and the other of the same row."""
    return grown(heads, standing_out(heads, others))


def _reach(heads: np.ndarray, lean: np.ndarray) -> np.ndarray:
    """Half the extent of ellipses along axes to which they lean by so many radians, (…, 2)."""
    half, cos, sin = np.asarray(heads, float)[..., 2:4] / 2, np.cos(lean), np.sin(lean)
    return np.stack([np.hypot(half[..., 0] * cos, half[..., 1] * sin), np.hypot(half[..., 0] * sin, half[..., 1] * cos)], axis=-1)
