"""A region seen as cells of a grid: their means, and pictures made of these.

Exact to parts of a sample, so that nothing shimmers when the grid moves by less than one.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from skiagraph.cover.region import Region

# Beyond so many deviations a Gaussian takes in nothing that shows.
REACH = 3.0
# Cells of a blur, in deviations of the Gaussian that spreads them again.
PITCH = 1.5


@dataclass(frozen=True, slots=True, eq=False)
class Axis:
    """The cells of a grid along one axis, in samples of the plane.

    edges: float64 (n + 1,), where cells begin and end; low, high: the samples they cover, as far as the picture goes;
    shares: float32 (n, high - low), how much of each sample lies in a cell; first, last: of the region.
    """

    edges: np.ndarray
    low: int
    high: int
    shares: np.ndarray
    first: int
    last: int

    @staticmethod
    def over(first: int, last: int, edges: np.ndarray, limit: int) -> Axis:
        """Of a region first .. last in a picture of `limit` samples, with cells between the edges; those outside the
        picture are left out."""
        inside = (edges[1:] > 0) & (edges[:-1] < limit)
        begins, ends = np.clip(edges[:-1][inside], 0, limit), np.clip(edges[1:][inside], 0, limit)
        low, high = int(np.floor(begins[0])), int(np.ceil(ends[-1]))
        at = np.arange(low, high)[None, :]
        shares = np.maximum(np.minimum(at + 1, ends[:, None]) - np.maximum(at, begins[:, None]), 0)
        return Axis(np.append(begins, ends[-1]), low, high, shares.astype(np.float32), first, last)

    @staticmethod
    @lru_cache(maxsize=64)
    def even(first: int, last: int, origin: float, pitch: float, limit: int, beyond: float = 0.0) -> Axis:
        """The same with cells of one size, of which one begins at the origin; beyond: samples to both sides of the
        region that they cover as well. Kept, since both planes of colour ask for the same."""
        pitch = max(1.0, pitch)
        from_cell, to_cell = np.floor((first - beyond - origin) / pitch), np.ceil((last + beyond - origin) / pitch)
        return Axis.over(first, last, origin + np.arange(from_cell, to_cell + 1) * pitch, limit)

    @property
    def middles(self) -> np.ndarray:
        return (self.edges[1:] + self.edges[:-1]) / 2

    @property
    def members(self) -> np.ndarray:
        """float32 (last - first, n): how much of each sample of the region lies in which cell."""
        return self.shares[:, self.first - self.low : self.last - self.low].T

    @lru_cache(maxsize=64)
    def gaussian(self, sigma: float) -> np.ndarray:
        """float32 (last - first, n): how much each cell says to a sample of the region, under a Gaussian of this
        deviation (samples). Where the picture ends the cells that there are count for more."""
        apart = (np.arange(self.first, self.last)[:, None] + 0.5 - self.middles[None, :]) / max(sigma, 1e-3)
        weights = np.exp(-0.5 * np.minimum(apart * apart, 160.0))
        return (weights / weights.sum(axis=1, keepdims=True)).astype(np.float32)


def means(samples: np.ndarray, rows: Axis, columns: Axis) -> np.ndarray:
    """The mean of each cell of a plane, float32 (rows, columns)."""
    area = samples[rows.low : rows.high, columns.low : columns.high].astype(np.float32)
    return (rows.shares @ area @ columns.shares.T) / (
        rows.shares.sum(axis=1)[:, None] * columns.shares.sum(axis=1)[None, :]
    )


def nearer(values: np.ndarray, to: float, share: float) -> np.ndarray:
    """Values brought nearer to one of them by a share."""
    return values + (np.float32(to) - values) * np.float32(share) if share else values


def coarse(values: np.ndarray, region: Region, steps: int) -> np.ndarray:
    """Values in so many steps of the range: what lies between them is gone for who averages frames or turns a blur
    back."""
    step = (1 << region.frame.layout.depth) / steps
    return np.rint(values / np.float32(step)) * np.float32(step)


def softened(
    region: Region, sigma_x: float, sigma_y: float, steps: int, towards: tuple[float, float] = (0.0, 0.0)
) -> np.ndarray:
    """A region under a Gaussian of the given deviations (samples), float32, by way of so few cells and steps that no
    finer picture can be had from it. towards: a value and how far the cells go towards it, before they are made coarse.

    The cells' pitch is 1.5 deviations of the Gaussian that spreads them again, at which its ripple is under a hundredth
    of a per cent; both together deviate as was asked for. Source: Burt and Adelson, The Laplacian Pyramid as a Compact
    Image Code, IEEE Transactions on Communications 1983, for sampling what a Gaussian leaves.
    """
    x0, y0, x1, y1 = region.box
    height, width = region.samples.shape
    spread_x, spread_y = (sigma / float(np.sqrt(1 + PITCH * PITCH / 12)) for sigma in (sigma_x, sigma_y))
    columns = Axis.even(x0, x1, region.corner_x / region.step_x, PITCH * spread_x, width, REACH * spread_x)
    rows = Axis.even(y0, y1, region.corner_y / region.step_y, PITCH * spread_y, height, REACH * spread_y)
    return (
        rows.gaussian(spread_y)
        @ coarse(nearer(means(region.samples, rows, columns), *towards), region, steps)
        @ columns.gaussian(spread_x).T
    )
