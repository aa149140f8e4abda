"""Covers alone, with transparency: what laid over the picture as it was shot gives the covered one, to one code value.

Alpha is straight: over = alpha · colour + (1 − alpha) · picture (Porter and Duff 1984). Where the matte is soft the
colour is that of the cover and not a mixture, so that nothing of the picture is in it; where no colour within the range
of the samples does it, alpha is raised until one does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np


@dataclass(frozen=True, slots=True)
class Scale:
    """Of the samples of one plane: the least and the greatest that may be written, and the greatest that fits (which is
    full alpha, too)."""

    low: int
    high: int
    most: int


def covers_alone(
    source: Sequence[np.ndarray], covered: Sequence[np.ndarray], matte: np.ndarray, scales: Sequence[Scale]
) -> tuple[list[np.ndarray], np.ndarray]:
    """Colour planes and alpha of what covers a picture. source, covered: planes of both, (rows, columns) of whole
    numbers, of which some may be smaller by whole factors; matte: uint8 (rows, columns) of the first; scales: of each
    plane. Alpha has the type and the scale of the first plane; a smaller plane is laid with the mean alpha of the
    pixels that a sample of it stands for. Where alpha is nothing, colour is the lowest value."""
    most = scales[0].most
    needed = matte.astype(np.float32) / 255
    for before, after, scale in zip(source, covered, scales):
        least = _least_alpha(before, after, scale)
        needed = np.maximum(
            needed,
            least
            if least.shape == needed.shape
            else cv2.resize(least, _wider(least, needed), interpolation=cv2.INTER_NEAREST)[
                : needed.shape[0], : needed.shape[1]
            ],
        )
    alpha = np.ceil(np.clip(needed, 0, 1) * most - 1e-4).astype(covered[0].dtype)
    colours = [
        _colour(before, after, _mean_alpha(alpha, before.shape), scale)
        for before, after, scale in zip(source, covered, scales)
    ]
    return colours, alpha


def _wider(small: np.ndarray, large: np.ndarray) -> tuple[int, int]:
    """Columns and rows of a plane whose samples are repeated."""
    x, y = -(-large.shape[1] // small.shape[1]), -(-large.shape[0] // small.shape[0])
    return small.shape[1] * x, small.shape[0] * y


def _least_alpha(before: np.ndarray, after: np.ndarray, scale: Scale) -> np.ndarray:
    """The smallest alpha with which some colour in range turns one into the other; float32, 1 where it has to be that
    colour itself."""
    was, now = before.astype(np.float32), after.astype(np.float32)
    change = now - was
    room = np.where(change > 0, scale.high - was, was - scale.low)
    return np.where(change == 0, 0, np.where(room <= 0, 1, np.minimum(1, np.abs(change) / np.maximum(room, 1)))).astype(
        np.float32
    )


def _mean_alpha(alpha: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Alpha of each sample of a plane that may be smaller."""
    if alpha.shape == shape:
        return alpha.astype(np.float32)
    x, y = -(-alpha.shape[1] // shape[1]), -(-alpha.shape[0] // shape[0])
    whole = cv2.copyMakeBorder(
        alpha, 0, shape[0] * y - alpha.shape[0], 0, shape[1] * x - alpha.shape[1], cv2.BORDER_REPLICATE
    )
    return whole.reshape(shape[0], y, shape[1], x).mean(axis=(1, 3), dtype=np.float32)


def _colour(before: np.ndarray, after: np.ndarray, alpha: np.ndarray, scale: Scale) -> np.ndarray:
    share = alpha / scale.most
    was, now = before.astype(np.float32), after.astype(np.float32)
    # What was shot beyond the range may stay there.
    colour = np.clip(
        was + (now - was) / np.maximum(share, 1e-6), np.minimum(scale.low, now), np.maximum(scale.high, now)
    )
    return np.where(share > 0, np.rint(colour), scale.low).astype(after.dtype)


def laid_over(source: np.ndarray, colour: np.ndarray, alpha: np.ndarray, most: int) -> np.ndarray:
    """What is seen where covers lie over a plane of a picture; alpha as wide as the first plane."""
    share = _mean_alpha(alpha, source.shape) / most
    return np.rint(share * colour + (1 - share) * source.astype(np.float32)).astype(source.dtype)
