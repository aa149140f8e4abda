"""How something looks: a small upright picture of it, what of that counts, and by which step another picture comes
nearer to it.

Baker and Matthews, Lucas-Kanade 20 Years On, IJCV 2004, with robust weights (Huber), for places that move, grow, turn
and lean.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np

from skiagraph.shape.place import Place
from skiagraph.shape.shape import Shape

# Of looks: part of the surroundings in them, since edges tell most; cells a side for what agrees.
BEYOND, CELLS = 1.12, 4
# A patch whose weaker direction of structure has a deviation under this (grey levels) is plain: nothing tells where
# along it one is.
PLAIN = 1.6
# Pixels of which the eight numbers of a plane are made, at least.
TILT_PIXELS = 1500


class Motion(StrEnum):
    """What may change from frame to frame."""

    POSITION = "position"
    SIZE = "size"
    TURNING = "turning"
    PERSPECTIVE = "perspective"
    AUTO = "auto"

    @staticmethod
    def for_shape(shape: Shape) -> Motion:
        """What may change by itself.

        What is drawn with corners is mostly flat, a plate, a screen, a paper, and is followed in perspective where that
        explains what is seen clearly better; heads and the like are not.
        """
        return Motion.AUTO if shape.kind in ("box", "polygon") else Motion.TURNING


@dataclass(frozen=True, slots=True, eq=False)
class Look:
    """How something looked: picture (rows, columns) float32, mask of what counts in laying it on a picture and core of
    what is compared, and what a Gauss-Newton step needs of it: how the picture changes with place (px of the look),
    size (share) and turning (radians), (n, 4). structure: deviation in grey levels along the weaker direction."""

    picture: np.ndarray
    mask: np.ndarray
    core: np.ndarray
    slopes: np.ndarray
    structure: float

    @staticmethod
    def of(patch: np.ndarray, mask: np.ndarray, core: np.ndarray) -> Look:
        smooth = cv2.GaussianBlur(patch, (0, 0), 0.8)
        across, down = cv2.Sobel(smooth, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(smooth, cv2.CV_32F, 0, 1) / 8
        rows, columns = patch.shape
        y, x = np.mgrid[:rows, :columns].astype(np.float32)
        x, y = x - (columns - 1) / 2, y - (rows - 1) / 2
        slopes = np.stack([across, down, across * x + down * y, down * x - across * y], axis=2)[mask]
        tensor = slopes[:, :2].T @ slopes[:, :2] / max(1, len(slopes))
        return Look(
            smooth,
            mask,
            core,
            slopes,
            float(np.sqrt(max(0.0, np.linalg.eigvalsh(tensor)[0])) if len(slopes) >= 30 else 0.0),
        )

    def tilt_step(self, now: np.ndarray, inside: np.ndarray | None) -> np.ndarray | None:
        """By which homography of the unit frame, (3, 3), a picture has to be changed to come nearer (Baker and
        Matthews, as above, with eight numbers)."""
        counted = np.ones(int(self.mask.sum()), bool) if inside is None else inside[self.mask]
        if counted.sum() < 60:
            return None
        rows, columns = self.picture.shape
        y, x = np.mgrid[:rows, :columns].astype(np.float32)
        x, y = (((x + 0.5) / columns * 2 - 1) * BEYOND)[self.mask], (((y + 0.5) / rows * 2 - 1) * BEYOND)[self.mask]
        across, down = self.slopes[:, 0] * columns / 2 / BEYOND, self.slopes[:, 1] * rows / 2 / BEYOND
        slopes = np.stack(
            [
                across * x,
                across * y,
                across,
                down * x,
                down * y,
                down,
                -(across * x + down * y) * x,
                -(across * x + down * y) * y,
            ],
            axis=1,
        )
        mine, theirs = self.picture[self.mask], cv2.GaussianBlur(now, (0, 0), 0.8)[self.mask]
        if inside is not None:
            slopes, mine, theirs = slopes[counted], mine[counted], theirs[counted]
        # Eight numbers need no more pixels than these.
        thin = max(1, len(mine) // TILT_PIXELS)
        slopes, mine, theirs = slopes[::thin], mine[::thin], theirs[::thin]
        error, weight = self._error(mine, theirs)
        if error is None:
            return None
        weighted = slopes * weight[:, None]
        normal = weighted.T @ slopes
        # What hardly changes the picture is hardly changed: tilts most of all.
        normal[np.diag_indices(8)] += normal[np.diag_indices(8)] * 1e-3 + np.trace(normal) / 8 * np.array(
            [1e-5] * 6 + [1e-3] * 2
        )
        try:
            found = -np.linalg.solve(normal, weighted.T @ error)
        except np.linalg.LinAlgError:
            return None
        found = np.clip(found, -0.12, 0.12)
        return np.array(
            [[1 + found[0], found[1], found[2]], [found[3], 1 + found[4], found[5]], [found[6], found[7], 1.0]]
        )

    @staticmethod
    def _error(mine: np.ndarray, theirs: np.ndarray) -> tuple[np.ndarray, np.ndarray] | tuple[None, None]:
        """Light of now brought to that of then: the difference, and how much each pixel counts (Huber)."""
        deviation = theirs.std()
        if deviation < 1e-3:
            return None, None
        error = (theirs - theirs.mean()) * (mine.std() / deviation) - (mine - mine.mean())
        spread = 1.4826 * np.median(np.abs(error)) + 1e-3
        return error, np.minimum(1.0, 1.5 * spread / np.maximum(np.abs(error), 1e-6))

    def step(self, now: np.ndarray, motion: Motion, inside: np.ndarray | None) -> np.ndarray | None:
        """By how much a picture has to be moved (px of the look along its own axes), sized (share) and turned (radians)
        to come nearer. inside: what of it is to count, None for all."""
        mine, theirs, all_slopes = self.picture[self.mask], cv2.GaussianBlur(now, (0, 0), 0.8)[self.mask], self.slopes
        if inside is not None:
            counted = inside[self.mask]
            if counted.sum() < 30:
                return None
            mine, theirs, all_slopes = mine[counted], theirs[counted], all_slopes[counted]
        error, weight = self._error(mine, theirs)
        if error is None:
            return None
        used = {Motion.POSITION: 2, Motion.SIZE: 3}.get(motion, 4)
        slopes = all_slopes[:, :used]
        weighted = slopes * weight[:, None]
        normal = weighted.T @ slopes
        normal[np.diag_indices(used)] *= 1.0 + 1e-3
        try:
            found = -np.linalg.solve(normal, weighted.T @ error)
        except np.linalg.LinAlgError:
            return None
        return np.concatenate([found, np.zeros(4 - used)])

    def alike(self, now: np.ndarray, inside: np.ndarray | None = None) -> tuple[float, float]:
        """Correlation with a picture, over what agrees at all, and the share of cells that do. inside: as for step."""
        now = cv2.GaussianBlur(now, (0, 0), 0.8)
        counts = self.core if inside is None else self.core & inside
        rows, columns = self.picture.shape
        agreeing, counted, kept = 0, 0, np.zeros_like(self.core)
        if counts.sum() < 20:
            return 0.0, 0.0
        whole = self.picture[self.core].std()
        for m in range(CELLS):
            for n in range(CELLS):
                cell = np.s_[
                    rows * m // CELLS : rows * (m + 1) // CELLS, columns * n // CELLS : columns * (n + 1) // CELLS
                ]
                mask = counts[cell]
                if mask.mean() < 0.3:
                    continue
                mine, theirs = self.picture[cell][mask], now[cell][mask]
                if mine.std() < 0.25 * whole:
                    # Too plain to say anything by itself.
                    kept[cell] = mask
                    continue
                counted += 1
                if correlation(mine, theirs) > 0.5:
                    agreeing += 1
                    kept[cell] = mask
        share = agreeing / counted if counted else 0.0
        if kept.sum() < 20 or not agreeing:
            return correlation(self.picture[counts], now[counts]), share
        return correlation(self.picture[kept], now[kept]), share


def correlation(a: np.ndarray, b: np.ndarray) -> float:
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))


def pixels_of(place: Place, columns: int, rows: int) -> tuple[np.ndarray, np.ndarray]:
    """Where the pixels of a look lie in the frame: px for a column and a row, (2, 2), and where the first one is,
    (2,)."""
    lean, across, down = np.radians(place.angle), place.width * BEYOND / columns, place.height * BEYOND / rows
    cos, sin = np.cos(lean), np.sin(lean)
    turn = np.array([[across * cos, -down * sin], [across * sin, down * cos]])
    return turn, np.array([place.cx, place.cy]) - 0.5 - turn @ ((np.array([columns, rows]) - 1) / 2)


def tilted_pixels(place: Place, columns: int, rows: int) -> np.ndarray:
    """From the pixels of a look to those of the frame, (3, 3)."""
    unit = np.array(
        [
            [2 * BEYOND / columns, 0, (1 / columns - 1) * BEYOND],
            [0, 2 * BEYOND / rows, (1 / rows - 1) * BEYOND],
            [0, 0, 1],
        ]
    )
    return np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]]) @ place.matrix() @ unit
