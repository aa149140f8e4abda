"""How a head looks, in a few numbers: to keep people apart when they cross, and to tell whether a head is where it
should be."""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.detect.shrink import shrunk

_PATCH = 32
# The colours of a head are of px no further from the middle of its face than so many of its sides.
COLOURS_REACH = 1.5

# How alike two are of whom one was not seen.
UNKNOWN = 0.5


def head_colours(frame_rgb: np.ndarray, box_xyxy: np.ndarray) -> np.ndarray | None:
    """Square-rooted histogram of hue, saturation and value of head and shoulders, float32 (n,), or None outside the
    frame.

    box_xyxy: the face; the region reaches from the hat to the collar, upper and lower half apart.
    """
    x0, y0, x1, y1 = box_xyxy
    side = x1 - x0
    height, width = frame_rgb.shape[:2]
    parts = []
    for top, bottom in ((y0 - 0.55 * side, y0 + 0.35 * side), (y0 + 0.35 * side, y1 + 0.9 * side)):
        a, b = int(max(0, x0 - 0.1 * side)), int(min(width, x1 + 0.1 * side))
        c, d = int(max(0, top)), int(min(height, bottom))
        if b - a < 4 or d - c < 4:
            return None
        crop = shrunk(frame_rgb[c:d, a:b], (16, 16))
        hsv = cv2.cvtColor(crop, cv2.COLOR_RGB2HSV)
        parts.append(cv2.calcHist([hsv], [0, 1, 2], None, [8, 4, 4], [0, 180, 0, 256, 0, 256]).ravel() / 256)
    return np.sqrt(np.concatenate(parts) / 2)


def packed(colours: np.ndarray | None) -> np.ndarray | None:
    """Such numbers in a quarter of the memory, uint8; `unpacked` brings them back to 1/255."""
    return (
        colours
        if colours is None or colours.dtype == np.uint8
        else np.clip(colours * 255 + 0.5, 0, 255).astype(np.uint8)
    )


def unpacked(colours: np.ndarray | None) -> np.ndarray | None:
    return colours if colours is None or colours.dtype != np.uint8 else colours.astype(np.float32) / 255


def likeness(a: np.ndarray | None, b: np.ndarray | None) -> float:
    """Bhattacharyya coefficient of two such histograms, 0..1; UNKNOWN when one is missing."""
    return UNKNOWN if a is None or b is None else float(a @ b)


def head_patch(grey: np.ndarray, head: np.ndarray, origin: tuple[float, float] = (0, 0)) -> np.ndarray:
    """A head (cx, cy, width, height, …) as a small picture, float32 (32, 32), from a grey one whose corner is at
    origin."""
    sx, sy = head[2] * 0.95 / _PATCH, head[3] * 0.95 / _PATCH
    move = np.float32([[sx, 0, head[0] - origin[0] - sx * _PATCH / 2], [0, sy, head[1] - origin[1] - sy * _PATCH / 2]])
    small = cv2.warpAffine(
        grey, move, (_PATCH, _PATCH), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    return cv2.GaussianBlur(small.astype(np.float32), (0, 0), 1.0)


def correlation(a: np.ndarray, b: np.ndarray) -> float:
    """Of two pictures of one size, -1..1, whatever their brightness and contrast."""
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))
