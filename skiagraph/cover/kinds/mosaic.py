"""Mosaic: blocks, each the mean of what it hides, on a grid that travels with what is covered."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Region
from skiagraph.values import Value, described, replace


@Cover.register
class Mosaic(Cover, Value, frozen=True, tag_field="kind", tag="mosaic"):
    word: ClassVar[str] = "Mosaic"
    tip: ClassVar[str] = "Blocks that travel with the face"

    blocks: Annotated[int, msgspec.Meta(ge=1, le=64), described("Blocks", "Blocks across the head: fewer hide more.", low=3, high=24, unit=" across")] = 7

    def hide(self, region: Region) -> np.ndarray:
        block = region.width / max(1, self.blocks)
        return blocks_of(region.samples, region.box, (region.corner_x / region.step_x, region.corner_y / region.step_y), (block / region.step_x, block / region.step_y))

    def strength(self) -> float:
        return 1 / self.blocks

    def stronger(self, factor: float) -> Mosaic:
        # Rounded to what hides more.
        return replace(self, blocks=min(64, max(1, int(self.blocks / factor + 1e-6))))

    def state(self) -> str:
        return f"{self.word}, {self.blocks} across"


def blocks_of(plane: np.ndarray, box: tuple[int, int, int, int], origin: tuple[float, float], block: tuple[float, float]) -> np.ndarray:
    """The box of a plane in blocks. Same dtype as the plane.

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
