"""The exact edge of something inside a loose outline: GrabCut (Rother, Kolmogorov and Blake, SIGGRAPH 2004) on the
picture in the outline, begun in each frame from what was found in the frame before, so that it is steady over time."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.shape.place import Place
from skiagraph.shape.shape import Outline
from skiagraph.track.masks import SIDE


@dataclass(frozen=True, slots=True)
class CutSettings:
    """beyond: how much larger than the outline the picture is that is looked at, so that what is around it is known;
    larger tells more of the background. core: share of the outline, from its middle, that is taken for the thing at
    first. rounds: of the method in the first frame, and in later ones. keep: share of the frame before in the prior, so
    that a single frame does not jump. least: share of the outline under which nothing was found, and the outline stays
    as it is."""

    beyond: float = 1.35
    core: float = 0.6
    rounds: tuple[int, int] = (5, 2)
    keep: float = 0.5
    least: float = 0.08


class EdgeFinder:
    """Fed frames in order, from the one in which the outline lies best."""

    def __init__(self, settings: CutSettings = CutSettings()):
        self.settings = settings
        self._before: np.ndarray | None = None

    def step(self, rgb: np.ndarray, outline: Outline) -> np.ndarray:
        """What of the outline's unit frame is the thing: bool (SIDE, SIDE), rows down, over -1 .. 1. rgb: the upright
        frame, uint8. Nothing lies outside the outline."""
        settings = self.settings
        side = round(SIDE * settings.beyond)
        patch = _upright(rgb, outline.place, side, settings.beyond)
        grid = ((np.arange(side) + 0.5) / side * 2 - 1) * settings.beyond
        away = outline.shape.distance(grid[None, :].astype(np.float32), grid[:, None].astype(np.float32))
        inside, core = away <= 0, away <= -(1 - settings.core) * float(-away.min())
        if self._before is None:
            prior = core.astype(np.float32)
        else:
            prior = np.pad(self._before.astype(np.float32), (side - SIDE) // 2)[:side, :side]
            prior = np.pad(prior, ((0, side - prior.shape[0]), (0, side - prior.shape[1])))
        labels = np.where(inside, np.where(prior > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD), cv2.GC_BGD).astype(np.uint8)
        if not (labels == cv2.GC_PR_FGD).any() or not (labels == cv2.GC_BGD).any():
            return self._kept(inside, side)
        try:
            cv2.grabCut(
                patch,
                labels,
                None,
                np.zeros((1, 65)),
                np.zeros((1, 65)),
                settings.rounds[self._before is not None],
                cv2.GC_INIT_WITH_MASK,
            )
        except cv2.error:
            return self._kept(inside, side)
        found = (labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD)
        if found.sum() < settings.least * inside.sum():
            return self._kept(inside, side)
        if self._before is not None:
            # Between two answers that differ, what both neighbours say.
            found = (
                cv2.GaussianBlur(found.astype(np.float32) * (1 - settings.keep) + prior * settings.keep, (0, 0), 1.2)
                > 0.5
            )
        else:
            found = cv2.GaussianBlur(found.astype(np.float32), (0, 0), 1.2) > 0.5
        return self._kept(found & inside, side)

    def _kept(self, found: np.ndarray, side: int) -> np.ndarray:
        edge = (side - SIDE) // 2
        self._before = found[edge : edge + SIDE, edge : edge + SIDE]
        return self._before


def _upright(rgb: np.ndarray, place: Place, side: int, beyond: float) -> np.ndarray:
    """The picture in the unit frame of a place, so much beyond it: uint8 (side, side, 3)."""
    unit = np.array(
        [[2 * beyond / side, 0, (1 / side - 1) * beyond], [0, 2 * beyond / side, (1 / side - 1) * beyond], [0, 0, 1]]
    )
    to_frame = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]]) @ place.matrix() @ unit
    return cv2.warpPerspective(
        rgb, to_frame, (side, side), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
