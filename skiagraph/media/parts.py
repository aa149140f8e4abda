"""The colours of a frame in places: most looks at a frame are at a few heads, and converting all of it to RGB for them
costs more than the looks."""

from __future__ import annotations

import numpy as np

from skiagraph.media.frame import Frame

# Side of the squares, px, in which a frame is converted; larger: fewer and larger conversions.
SQUARE = 64
# Where colours are stored at a lower resolution a px depends on its neighbours: so many px around each place are
# converted with it.
MARGIN = 8
# Of each square so wide, px, one px counts for the mean colour.
MEAN_PX = 16


class RgbParts:
    """A frame's upright RGB picture of which only those squares are made that somebody asks for; each px is as
    `Frame.rgb` gives it. May be shared between threads."""

    def __init__(self, frame: Frame):
        self._frame = frame
        width, height = frame.size[::-1] if frame.rotation in (90, 270) else frame.size
        # Memory that nobody writes to is not taken from the system.
        self._rgb = np.zeros((height, width, 3), np.uint8)
        self._made = np.zeros((-(-height // SQUARE), -(-width // SQUARE)), bool)
        # Where colours do not divide the size of the picture, each of them is stretched by the whole of it.
        self._in_parts = all(
            side % (1 << shift) == 0 for shifts in frame.layout.shifts for side, shift in zip(frame.size, shifts)
        )

    def around(self, box: tuple[float, float, float, float]) -> np.ndarray:
        """The picture, uint8 (rows, columns, 3), of which at least a box (x0, y0, x1, y1 px) is filled in; elsewhere it
        may be black."""
        rows, columns = self._made.shape
        c0, r0 = (int(np.clip(at // SQUARE, 0, most)) for at, most in zip(box[:2], (columns, rows)))
        c1, r1 = (int(np.clip(-(-at // SQUARE), 0, most)) for at, most in zip(box[2:], (columns, rows)))
        missing = ~self._made[r0:r1, c0:c1]
        if missing.any():
            down, across = np.flatnonzero(missing.any(axis=1)), np.flatnonzero(missing.any(axis=0))
            self._make(c0 + int(across[0]), r0 + int(down[0]), c0 + int(across[-1]) + 1, r0 + int(down[-1]) + 1)
        return self._rgb

    def mean(self) -> np.ndarray:
        """Mean colour of the whole picture, float (3,) of 0..255, by a px in each square of MEAN_PX; a little off where
        samples lie beyond what RGB can show."""
        one, _ = self._frame.window((0, 0, 8, 8))
        for (shift_x, shift_y), mine, theirs in zip(self._frame.layout.shifts, one.planes(), self._frame.planes()):
            mine[:] = round(float(theirs[:: max(1, MEAN_PX >> shift_y), :: max(1, MEAN_PX >> shift_x)].mean()))
        return one.rgb().reshape(-1, 3).mean(axis=0)

    def _make(self, c0: int, r0: int, c1: int, r1: int) -> None:
        if not self._in_parts:
            self._rgb[:] = self._frame.rgb()
            self._made[:] = True
            return
        height, width = self._rgb.shape[:2]
        x0, y0, x1, y1 = c0 * SQUARE, r0 * SQUARE, min(width, c1 * SQUARE), min(height, r1 * SQUARE)
        part, (left, top) = self._frame.window((x0 - MARGIN, y0 - MARGIN, x1 + MARGIN, y1 + MARGIN))
        self._rgb[y0:y1, x0:x1] = part.rgb()[y0 - top : y1 - top, x0 - left : x1 - left]
        self._made[r0:r1, c0:c1] = True
