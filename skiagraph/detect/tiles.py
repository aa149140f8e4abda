"""Which squares of a frame the detector looks at, so that small faces are large enough for it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

# Measured with the full-range model: a face is found surely when it spans this many px of the model's input.
SURE_SPAN = 17.0
MOST_FINER = 2.7
# Levels of up to so many squares are coarse. The squares of a fine one are spread over no more frames than this.
COARSE, MOST_TURNS = 3, 12


@dataclass(frozen=True, slots=True)
class Tile:
    """A square of the frame: left, top, side in px. It may reach beyond the frame; the rest is then grey."""

    left: int
    top: int
    side: int


def tile_plan(width: int, height: int, smallest: int = 36, turn: int | None = None, worth: int = 3) -> tuple[Tile, ...]:
    """Squares that together cover the frame at several scales, the finest fit for faces of `smallest` px.

    Neighbours overlap by more than the largest face that only their level sees surely, so that no
    face is cut in all the tiles that could see it. Each level is at most MOST_FINER times finer than the one above it.
    turn: None for all of them; a number for a part: about `worth` squares of each fine level, and all coarse levels if they have
    fewer squares than that, or one of them, so that any `turns` numbers in a row together give all.
    """
    levels = _levels(width, height, smallest)
    if turn is None:
        return tuple(tile for level in levels for tile in level)
    coarse = [level for level in levels if len(level) <= COARSE]
    if coarse and sum(map(len, coarse)) >= worth:
        coarse = coarse[turn % len(coarse):][:1]
    chosen = [tile for level in coarse for tile in level]
    for level in levels:
        if len(level) > COARSE:
            chosen += level[turn % _turns(level, worth)::_turns(level, worth)]
    return tuple(chosen)


def turns(width: int, height: int, smallest: int = 36, worth: int = 3) -> int:
    """Over how many frames the squares are spread when each frame takes its turn."""
    levels = _levels(width, height, smallest)
    return max(max(_turns(level, worth) for level in levels), sum(len(level) <= COARSE for level in levels))


def _turns(level: tuple[Tile, ...], worth: int) -> int:
    return 1 if len(level) <= COARSE else min(MOST_TURNS, max(1, round(len(level) / worth)))


@lru_cache(maxsize=16)
def _levels(width: int, height: int, smallest: int, input_side: int = 192) -> tuple[tuple[Tile, ...], ...]:
    finest = max(input_side, round(smallest * input_side / SURE_SPAN))
    # The whole frame comes first: a face as high as the frame is cut by every smaller square.
    sides = [max(width, height)]
    if sides[0] > 1.15 * min(width, height):
        sides.append(min(width, height))
    top = sides[-1]
    if finest < top * 0.95:
        steps = int(np.ceil(np.log(top / finest) / np.log(MOST_FINER)))
        sides += [round(top * (finest / top) ** (n / steps)) for n in range(1, steps + 1)]
    return tuple(tuple(Tile(x, y, side) for y in _spread(height, side, round(side * 0.21)) for x in _spread(width, side, round(side * 0.21)))
                 for side in sides)


def _spread(length: int, side: int, overlap: int) -> list[int]:
    if side >= length:
        return [(length - side) // 2]
    count = int(np.ceil((length - overlap) / (side - overlap)))
    return [round(p) for p in np.linspace(0, length - side, count)]


def cut(frame_rgb: np.ndarray, tile: Tile) -> np.ndarray:
    """The tile's pixels, uint8 (side, side, 3); grey beyond the frame."""
    height, width = frame_rgb.shape[:2]
    x0, y0 = max(tile.left, 0), max(tile.top, 0)
    x1, y1 = min(tile.left + tile.side, width), min(tile.top + tile.side, height)
    if x1 - x0 == tile.side and y1 - y0 == tile.side:
        return frame_rgb[y0:y1, x0:x1]
    square = np.full((tile.side, tile.side, 3), 128, np.uint8)
    if x1 > x0 and y1 > y0:
        square[y0 - tile.top:y1 - tile.top, x0 - tile.left:x1 - tile.left] = frame_rgb[y0:y1, x0:x1]
    return square


def shrunk(frame_rgb: np.ndarray, sides: Iterable[int], input_side: int) -> dict[int, np.ndarray]:
    """For each side the whole frame scaled so that squares of that side become squares of input_side: once for a level, not for
    each tile. Each level is made from the one above it, halved where it can be."""
    height, width = frame_rgb.shape[:2]
    levels, source = {}, frame_rgb
    for side in sorted(sides):
        scale = input_side / side
        size = max(1, round(width * scale)), max(1, round(height * scale))
        while source.shape[1] >= 2 * size[0] and source.shape[0] >= 2 * size[1]:
            source = cv2.resize(source, (source.shape[1] // 2, source.shape[0] // 2), interpolation=cv2.INTER_AREA)
        levels[side] = source if source.shape[1::-1] == size else cv2.resize(source, size, interpolation=cv2.INTER_LINEAR)
    return levels
