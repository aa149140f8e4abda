"""A path: where a head is in every frame of a sighting, as parallel arrays."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

# By what means a row was obtained.
FOUND, FOLLOWED, BRIDGED, PLACED = range(4)
ORIGIN_NAMES = ("found", "followed", "bridged", "placed")


@dataclass(frozen=True, slots=True, eq=False)
class Path:
    """Rows for frames first .. last. cx, cy, width, height: px of the upright clip; angle: degrees clockwise;
    confidence: 0..1; origin: uint8, one of the constants above. Arrays are float32 (n,) and read-only.
    """

    first: int
    cx: np.ndarray
    cy: np.ndarray
    width: np.ndarray
    height: np.ndarray
    angle: np.ndarray
    confidence: np.ndarray
    origin: np.ndarray

    def __post_init__(self):
        n = len(self.cx)
        if n == 0:
            raise ValueError("a path has at least one row")
        for name in ("cx", "cy", "width", "height", "angle", "confidence", "origin"):
            array = np.ascontiguousarray(getattr(self, name), np.uint8 if name == "origin" else np.float32)
            if array.shape != (n,):
                raise ValueError(f"{name} has shape {array.shape}, expected ({n},)")
            if name != "origin" and not np.isfinite(array).all():
                raise ValueError(f"{name} is not finite in every row")
            array.flags.writeable = False
            object.__setattr__(self, name, array)

    def __len__(self) -> int:
        return len(self.cx)

    @property
    def last(self) -> int:
        return self.first + len(self) - 1

    def row(self, frame: int) -> int:
        """Row of a frame; frames outside take the nearest end."""
        return int(np.clip(frame - self.first, 0, len(self) - 1))

    def boxes(self) -> np.ndarray:
        """x0, y0, x1, y1 of every row, float32 (n, 4), without the angle."""
        return np.stack([self.cx - self.width / 2, self.cy - self.height / 2, self.cx + self.width / 2, self.cy + self.height / 2], axis=1)

    def part(self, first: int, last: int) -> Path:
        """The rows of frames first .. last, both included; they must overlap the path."""
        a, b = max(first, self.first) - self.first, min(last, self.last) - self.first + 1
        columns = {name: getattr(self, name)[a:b] for name in ("cx", "cy", "width", "height", "angle", "confidence", "origin")}
        return replace(self, first=self.first + a, **columns)

    @staticmethod
    def from_rows(first: int, rows: np.ndarray, origin: np.ndarray) -> Path:
        """rows: (n, 6) cx, cy, width, height, angle, confidence."""
        return Path(first, *np.asarray(rows, np.float32).T, origin=origin)
