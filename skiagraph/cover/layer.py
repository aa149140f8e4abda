"""A layer: the matte of one subject in one frame, and what fills it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.cover.cover import Cover, Style
from skiagraph.shape.shape import Outline

FULL = 255


@dataclass(frozen=True, slots=True, eq=False)
class Layer:
    """alpha: uint8 (y1 - y0, x1 - x0), 255 where the cover is complete; box: x0, y0, x1, y1 px of the upright clip, cut
    to the frame; outline: with its margin and growth, inside which alpha is 255 but for what is in front. held: uint8
    like alpha, how much of each pixel what is in front keeps, and whole: alpha without that; None where nothing is in
    front. fronts: box px and alpha of each thing in front; began: frame in which it began, which moving covers count
    from; measure: width and height px that strength is measured against, where it is not the outline's; label: it says
    something beside somebody and hides nobody."""

    subject: str
    style: Style
    outline: Outline
    box: tuple[int, int, int, int]
    alpha: np.ndarray
    held: np.ndarray | None = None
    whole: np.ndarray | None = None
    fronts: tuple[tuple[tuple[int, int, int, int], np.ndarray], ...] = ()
    began: int = 0
    measure: tuple[float, float] | None = None
    label: bool = False

    @property
    def covers(self) -> tuple[Cover, ...]:
        """What is laid, in order."""
        return self.style.covers if self.label else self.style.laid

    def behind(self, front: tuple[tuple[int, int, int, int], np.ndarray] | None) -> Layer:
        """The same behind something: box px and alpha (rows, columns) of what stays as it is; None for nothing."""
        if front is None:
            return self
        (ax0, ay0, ax1, ay1), (bx0, by0, bx1, by1) = self.box, front[0]
        x0, y0, x1, y1 = max(ax0, bx0), max(ay0, by0), min(ax1, bx1), min(ay1, by1)
        if x0 >= x1 or y0 >= y1:
            return self
        held = np.zeros_like(self.alpha) if self.held is None else self.held.copy()
        mine = np.s_[y0 - ay0 : y1 - ay0, x0 - ax0 : x1 - ax0]
        held[mine] = np.maximum(held[mine], front[1][y0 - by0 : y1 - by0, x0 - bx0 : x1 - bx0])
        # From the whole alpha, so that two things in front take away no more than the greater of them.
        whole = self.alpha if self.whole is None else self.whole
        left = (whole.astype(np.uint16) * (255 - held) + 127) // 255
        return replace(self, alpha=left.astype(np.uint8), held=held, whole=whole, fronts=(*self.fronts, front))


def layer_of(subject: str, style: Style, outline: Outline, size: tuple[int, int], began: int = 0) -> Layer | None:
    """The layer of an outline, or None when it lies outside the frame of size (width, height)."""
    drawn = outline.raster(size, style.feather)
    return None if drawn is None else Layer(subject, style, outline, *drawn, began=began)


def matte_of(layers: Iterable[Layer], size: tuple[int, int]) -> np.ndarray:
    """The union of mattes in a frame of size (width, height): uint8 (height, width), 255 = fully covered.

    Labels hide nobody.
    """
    whole = np.zeros((size[1], size[0]), np.uint8)
    for layer in layers:
        if layer.label:
            continue
        x0, y0, x1, y1 = layer.box
        np.maximum(whole[y0:y1, x0:x1], layer.alpha, out=whole[y0:y1, x0:x1])
    return whole
