"""Heads that lean to a side: what stands out of one, and covers that hold two, measured along the head's own axes, and
not along those of the picture.

A head is a row (n, ≥5): centre x, centre y, width, height in px and angle in degrees clockwise. It counts as an
ellipse, as its cover does.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

ANGLE = 4


@dataclass(frozen=True, slots=True)
class HoldingSettings:
    """corners: share of a head that is held at its corners, beside all of its extent along the axes.

    Heads are taken for a twentieth larger than they are (track.heads), what is at their corners is hair, and covers
    have a margin. Larger: wider covers. Set by benchmarks/quality.py (quay and handheld-2, every frame: where corners
    are not held at all a leak each, with 0.9 none; handheld and turned: an eighth less cover that is not needed than
    with 1).
    """

    corners: float = 0.9


HOLDING = HoldingSettings()

# Directions of points on an ellipse that stand for all of it.
_AROUND = np.linspace(0, 2 * np.pi, 32, endpoint=False)


def own_axes(heads: np.ndarray, offsets: np.ndarray) -> np.ndarray:
    """Offsets (n, 2) in px of the picture as they are along and down each head, (n, 2)."""
    lean = np.radians(heads[:, ANGLE])
    cos, sin = np.cos(lean), np.sin(lean)
    return np.stack([offsets[:, 0] * cos + offsets[:, 1] * sin, offsets[:, 1] * cos - offsets[:, 0] * sin], axis=1)


def level_reach(heads: np.ndarray) -> np.ndarray:
    """How far each head (…, ≥5) reaches to the sides, and up and down, in the picture: px from its middle, (…, 2)."""
    return _reach(heads, np.radians(heads[..., ANGLE]))


def sides_beyond(heads: np.ndarray, size: tuple[int, int], share: float = 1.0) -> np.ndarray:
    """Which edges of a picture of some size, px, left, top, right and bottom, so much of each head (…, ≥5) reaches
    over: bool (…, 4)."""
    middle, reach = heads[..., :2], share * level_reach(heads)
    return np.concatenate([middle - reach < 0, middle + reach > size], axis=-1)


def standing_out(heads: np.ndarray, others: np.ndarray) -> np.ndarray:
    """By how many px the other head of the same row stands out of each head on its left, above it, on its right and
    below it, (n, 4), all ≥ 0."""
    heads, others = np.asarray(heads, float), np.asarray(others, float)
    away = own_axes(heads, others[:, :2] - heads[:, :2])
    reach = _reach(others, np.radians(others[:, ANGLE] - heads[:, ANGLE]))
    half = heads[:, 2:4] / 2
    return np.maximum(np.concatenate([reach - away - half, reach + away - half], axis=1), 0)


def holding(heads: np.ndarray, at: np.ndarray, others: np.ndarray, corners: float = HOLDING.corners) -> np.ndarray:
    """Centre x, centre y, width and height, (n, 4), of heads that hold themselves and others, (m, ≥5), each of which is
    to be held by the head of the row that `at` says, (m,). Angles stay.

    Of two ellipses side by side the ellipse around both has to be a tenth higher than either where they are half of one
    apart: corners count. corners: share of each that is held at its corners.
    """
    heads, at, others = np.asarray(heads, float), np.asarray(at, int), np.asarray(others, float)
    out = np.zeros((len(heads), 4))
    np.maximum.at(out, at, standing_out(heads[at], others))
    made = np.concatenate([_grown(heads, out), heads[:, ANGLE:]], axis=1)
    larger = np.ones(len(heads))
    for held in (heads[at], others):
        np.maximum.at(larger, at, _times(made[at], held, corners))
    made[:, 2:4] *= larger[:, None]
    return made[:, :4]


def around_both(heads: np.ndarray, others: np.ndarray, corners: float = HOLDING.corners) -> np.ndarray:
    """Centre x, centre y, width and height, (n, 4), of heads that hold each head and the other of the same row, at the
    angle of the first. corners: as for holding."""
    return holding(heads, np.arange(len(heads)), others, corners)


def _grown(heads: np.ndarray, out: np.ndarray) -> np.ndarray:
    """Heads as far larger on each of their sides as (n, 4) says, in px: centre x, centre y, width and height, (n,
    4)."""
    # Back from the head's own axes to those of the picture.
    lean, moved = np.radians(heads[:, ANGLE]), (out[:, 2:] - out[:, :2]) / 2
    cos, sin = np.cos(lean), np.sin(lean)
    middle = heads[:, :2] + np.stack(
        [moved[:, 0] * cos - moved[:, 1] * sin, moved[:, 0] * sin + moved[:, 1] * cos], axis=1
    )
    return np.concatenate([middle, heads[:, 2:4] + out[:, :2] + out[:, 2:]], axis=1)


def _times(heads: np.ndarray, held: np.ndarray, share: float) -> np.ndarray:
    """How many times as large each head would have to be to hold the one of the same row at a share of its size,
    (n,)."""
    lean = np.radians(held[:, ANGLE] - heads[:, ANGLE])[:, None]
    across, down = share * held[:, 2:3] / 2 * np.cos(_AROUND), share * held[:, 3:4] / 2 * np.sin(_AROUND)
    away = own_axes(heads, held[:, :2] - heads[:, :2])
    x, y = (
        away[:, :1] + across * np.cos(lean) - down * np.sin(lean),
        away[:, 1:] + across * np.sin(lean) + down * np.cos(lean),
    )
    return np.hypot(x / (heads[:, 2:3] / 2), y / (heads[:, 3:4] / 2)).max(axis=1, initial=0.0)


def _reach(heads: np.ndarray, lean: np.ndarray) -> np.ndarray:
    """Half the extent of ellipses along axes to which they lean by so many radians, (…, 2)."""
    half, cos, sin = np.asarray(heads, float)[..., 2:4] / 2, np.cos(lean), np.sin(lean)
    return np.stack(
        [np.hypot(half[..., 0] * cos, half[..., 1] * sin), np.hypot(half[..., 0] * sin, half[..., 1] * cos)], axis=-1
    )
