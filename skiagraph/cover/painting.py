"""Laying a picture with transparency on a region: it turns, grows and leans with the outline."""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.cover.region import Region
from skiagraph.remembering import Remembered


def painted(
    region: Region, rgba: np.ndarray, place: tuple[float, float, float, float], opacity: float = 1.0
) -> np.ndarray:
    """A region's samples with a picture laid on them, float32 (y1 - y0, x1 - x0).

    rgba: uint8 (rows, columns, 4), not multiplied; place: its left, top, right and bottom edge in the unit frame of the
    outline as it is covered.
    """
    rows, columns = rgba.shape[:2]
    left, top, right, bottom = place
    u, v = region.unit()
    across = np.broadcast_to((u - left) / (right - left) * columns - 0.5, region.alpha.shape).astype(np.float32)
    down = np.broadcast_to((v - top) / (bottom - top) * rows - 0.5, region.alpha.shape).astype(np.float32)
    # Where many of its px fall into one sample it is made smaller first, or it would shimmer.
    shown = (
        max(1.0, abs(right - left) / 2 * region.outline.width / region.step_x),
        max(1.0, abs(bottom - top) / 2 * region.outline.height / region.step_y),
    )
    fewer = max(1, min(int(columns / shown[0]), int(rows / shown[1])))
    values = _values(region, rgba, fewer)
    if fewer > 1:
        across, down = (across + 0.5) * (values.shape[1] / columns) - 0.5, (down + 0.5) * (values.shape[0] / rows) - 0.5
    laid = cv2.remap(values, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    own, share = region.own(), laid[..., 1] * np.float32(opacity)
    return own * (1 - share) + laid[..., 0] * np.float32(opacity)


def _values(region: Region, rgba: np.ndarray, fewer: int) -> np.ndarray:
    """The picture as samples of the region's plane times its opacity, and its opacity 0..1: float32 (rows, columns,
    2)."""
    frame = region.frame
    return _MADE.get(
        (rgba,),
        (region.number, frame.matrix, frame.full_range, frame.layout.name, fewer),
        lambda: _made(region, rgba, fewer),
    )


def _made(region: Region, rgba: np.ndarray, fewer: int) -> np.ndarray:
    share = rgba[..., 3].astype(np.float32) / 255
    values = np.stack([region.values(rgba[..., :3]) * share, share], axis=-1)
    if fewer > 1:
        values = cv2.resize(
            values, (max(1, values.shape[1] // fewer), max(1, values.shape[0] // fewer)), interpolation=cv2.INTER_AREA
        )
    return np.ascontiguousarray(values, np.float32)


# Pictures as samples of the planes they were laid on.
_MADE = Remembered(128 << 20, size=lambda values: values.nbytes)
