"""A layer: the matte of one subject in one frame, and what fills it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from skiagraph.cover.cover import Style
from skiagraph.shape.shape import Outline

FULL = 255


@dataclass(frozen=True, slots=True, eq=False)
class Layer:
    """alpha: uint8 (y1 - y0, x1 - x0), 255 where the cover is complete; box: x0, y0, x1, y1 px of the upright clip, cut to the
    frame; outline: with its margin and growth, inside which alpha is 255."""

    subject: str
    style: Style
    outline: Outline
    box: tuple[int, int, int, int]
    alpha: np.ndarray


def layer_of(subject: str, style: Style, outline: Outline, size: tuple[int, int]) -> Layer | None:
    """The layer of an outline, or None when it lies outside the frame of size (width, height)."""
    drawn = outline.raster(size, style.feather)
    return None if drawn is None else Layer(subject, style, outline, *drawn)


def matte_of(layers: Iterable[Layer], size: tuple[int, int]) -> np.ndarray:
    """The union of mattes in a frame of size (width, height): uint8 (height, width), 255 = fully covered."""
    whole = np.zeros((size[1], size[0]), np.uint8)
    for layer in layers:
        x0, y0, x1, y1 = layer.box
        np.maximum(whole[y0:y1, x0:x1], layer.alpha, out=whole[y0:y1, x0:x1])
    return whole
