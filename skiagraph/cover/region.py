"""The part of one plane that is to be hidden, and what a cover may ask about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.media.frame import Frame
from skiagraph.shape.shape import Outline

# Luma weights of red and blue in the colour matrices, ITU-R BT.601, BT.709, BT.2020.
_WEIGHTS = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}


@dataclass(frozen=True, slots=True)
class Region:
    """samples: the whole plane as it is now, with what was laid on it before; box: x0, y0, x1, y1 samples; alpha: uint8
    (y1 - y0, x1 - x0), 0 where neither the cover nor what is in front of it is; step_x, step_y: px for a sample;
    corner_x, corner_y: px of the stored picture, of a corner that moves with what is covered; width, height: of what is
    covered, px of the stored picture, without its margin; number: which plane; frame: whose it is; outline: px of the
    upright clip; subject: whose cover it is; age: frames since that began.
    """

    samples: np.ndarray
    box: tuple[int, int, int, int]
    alpha: np.ndarray
    step_x: int
    step_y: int
    corner_x: float
    corner_y: float
    width: float
    height: float
    number: int
    frame: Frame
    outline: Outline
    subject: str
    age: int

    def own(self) -> np.ndarray:
        """Its samples as they are now, float32 (y1 - y0, x1 - x0)."""
        x0, y0, x1, y1 = self.box
        return self.samples[y0:y1, x0:x1].astype(np.float32)

    def made(self, values: np.ndarray) -> np.ndarray:
        """Values as samples of the plane."""
        top = (1 << self.frame.layout.depth) - 1
        return np.clip(values + np.float32(0.5), 0, top).astype(self.samples.dtype)

    def value(self, colour: tuple[int, int, int]) -> int:
        """Sample value of an RGB colour (0..255)."""
        top = (1 << self.frame.layout.depth) - 1
        return int(min(top, max(0, round(float(self.values(np.array(colour, np.float32)[None])[0])))))

    def values(self, rgb: np.ndarray) -> np.ndarray:
        """Sample values, float32 (...), of RGB colours (..., 3) of 0..255, by the frame's matrix, range and depth."""
        layout, depth = self.frame.layout, self.frame.layout.depth
        r, g, b = (rgb[..., n].astype(np.float32) / np.float32(255) for n in range(3))
        top = (1 << depth) - 1
        if layout.is_rgb:
            return (g, b, r)[self.number] * np.float32(top)
        red, blue = _WEIGHTS[self.frame.matrix]
        luma = red * r + (1 - red - blue) * g + blue * b
        scale = 1 << (depth - 8)
        if self.number == 0:
            return luma * top if self.frame.full_range else (16 + 219 * luma) * scale
        chroma = (b - luma) / (2 * (1 - blue)) if self.number == 1 else (r - luma) / (2 * (1 - red))
        return chroma * top + (top + 1) / 2 if self.frame.full_range else (128 + 224 * chroma) * scale

    def places(self) -> tuple[np.ndarray, np.ndarray]:
        """Where the middles of its samples are, px of the upright clip: x and y, which broadcast to (y1 - y0, x1 -
        x0)."""
        x0, y0, x1, y1 = self.box
        across = ((np.arange(x0, x1, dtype=np.float32) + np.float32(0.5)) * self.step_x)[None, :]
        down = ((np.arange(y0, y1, dtype=np.float32) + np.float32(0.5)) * self.step_y)[:, None]
        width, height = self.frame.size
        rotation = self.frame.rotation
        if rotation == 90:
            return height - down, across
        if rotation == 180:
            return width - across, height - down
        return (down, width - across) if rotation == 270 else (across, down)

    def unit(self) -> tuple[np.ndarray, np.ndarray]:
        """Where the middles of its samples are in the unit frame of the outline as it is covered: ±1 is its edge, its
        margin included."""
        u, v = self.outline.place.to_unit(*self.places())
        grown = np.float32(1 / (1 + self.outline.grown))
        return u * grown, v * grown
