"""Mosaic: blocks, each the mean of what it hides, on a grid that travels with what is covered or stays in the
picture."""

from __future__ import annotations

import zlib
from typing import Annotated, ClassVar, Literal

import msgspec
import numpy as np

from skiagraph.cover.cells import Axis, coarse, means, nearer
from skiagraph.cover.cover import Cover
from skiagraph.cover.hardening import HARDENING
from skiagraph.cover.parameters import Even
from skiagraph.cover.region import Region
from skiagraph.cover.surroundings import colour_around
from skiagraph.values import Value, described, replace

# Lines of the grid that were drawn by lot lie at most so many blocks from where they would be.
JITTERED = 0.42
# Blocks fade over so much of a sample at round corners.
SMOOTH = 0.7


@Cover.register
class Mosaic(Cover, Value, frozen=True, tag_field="kind", tag="mosaic"):
    word: ClassVar[str] = "Mosaic"
    tip: ClassVar[str] = "Blocks that travel with the face"

    blocks: Annotated[
        int,
        msgspec.Meta(ge=1, le=64),
        described("Blocks", "Blocks across the head: fewer hide more.", low=2, high=24, unit=" across"),
    ] = 3
    even: Even = 0.5
    tall: Annotated[
        float,
        msgspec.Meta(ge=0.1, le=10),
        described(
            "Height", "Height of a block against its width.", low=25, high=400, unit=" %", step=5, scale=100, rare=True
        ),
    ] = 1.0
    rounded: Annotated[
        float,
        msgspec.Meta(ge=0, le=1),
        described(
            "Rounded",
            "Round corners, up to dots; between them lies the mean of all blocks.",
            low=0,
            high=100,
            unit=" %",
            scale=100,
            rare=True,
        ),
    ] = 0.0
    jitter: Annotated[
        float,
        msgspec.Meta(ge=0, le=1),
        described(
            "Uneven",
            "How unlike one another blocks are in size; each stays as it is.",
            low=0,
            high=100,
            unit=" %",
            scale=100,
            rare=True,
        ),
    ] = 0.0
    grid: Annotated[
        Literal["subject", "picture"],
        described(
            "Grid",
            "What the blocks keep to.",
            form="choice",
            options={"subject": "moves with the subject", "picture": "stays in the picture"},
            rare=True,
        ),
    ] = "subject"

    def hide(self, region: Region) -> np.ndarray:
        x0, y0, x1, y1 = region.box
        height, width = region.samples.shape
        block = region.width / self.blocks
        corner_x, corner_y = (region.corner_x, region.corner_y) if self.grid == "subject" else (0.0, 0.0)
        columns = self._axis(x0, x1, corner_x / region.step_x, block / region.step_x, width, region.subject + "x")
        rows = self._axis(
            y0, y1, corner_y / region.step_y, block * self.tall / region.step_y, height, region.subject + "y"
        )
        values = coarse(
            nearer(means(region.samples, rows, columns), colour_around(region) if self.even else 0.0, self.even),
            region,
            HARDENING.steps,
        )
        seen = rows.members @ values @ columns.members.T
        if self.rounded:
            share = _rounded(rows, columns, self.rounded)
            seen = seen * share + values.mean() * (1 - share)
        return region.made(seen)

    def _axis(self, first: int, last: int, origin: float, pitch: float, limit: int, name: str) -> Axis:
        """The columns or rows of the grid; whole blocks, also where these reach beyond the region, so that none changes
        with its border."""
        pitch = max(1.0, pitch)
        numbers = np.arange(np.floor((first - origin) / pitch) - 1, np.ceil((last - origin) / pitch) + 2)
        shifts = self.jitter * JITTERED * _lot(numbers, name) if self.jitter else 0.0
        edges = origin + (numbers + shifts) * pitch
        inside = np.flatnonzero((edges[1:] > first) & (edges[:-1] < last))
        return Axis.over(first, last, edges[inside[0] : inside[-1] + 2], limit)

    def strength(self) -> float:
        return 1 / self.blocks

    def stronger(self, factor: float) -> Mosaic:
        # Rounded to what hides more.
        return replace(self, blocks=min(64, max(1, int(self.blocks / factor + 1e-6))))

    def state(self) -> str:
        return f"{self.word}, {self.blocks} across"


def _lot(numbers: np.ndarray, name: str) -> np.ndarray:
    """A number within ±1 for each line of somebody's grid, always the same."""
    return np.array(
        [np.random.default_rng((zlib.crc32(name.encode()), int(n) & 0xFFFF)).uniform(-1, 1) for n in numbers]
    )


def _rounded(rows: Axis, columns: Axis, share: float) -> np.ndarray:
    """How much of each sample lies in a block with round corners, float32 0..1: the distance to a rounded box."""

    def within(axis: Axis) -> tuple[np.ndarray, np.ndarray]:
        middle = np.arange(axis.first, axis.last) + 0.5
        cell = np.clip(np.searchsorted(axis.edges, middle, side="right") - 1, 0, len(axis.edges) - 2)
        half = (axis.edges[cell + 1] - axis.edges[cell]) / 2
        return np.abs(middle - axis.edges[cell] - half), half

    (x, half_x), (y, half_y) = within(columns), within(rows)
    half_x, half_y, x, y = half_x[None, :], half_y[:, None], x[None, :], y[:, None]
    radius = share * np.minimum(half_x, half_y)
    outside = np.hypot(np.maximum(x - half_x + radius, 0), np.maximum(y - half_y + radius, 0)) - radius
    return np.clip(0.5 - outside / SMOOTH, 0, 1).astype(np.float32)
