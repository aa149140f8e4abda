"""A path: where something is in every frame of a stretch, as parallel arrays: a similarity in each row, or a plane in
perspective."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

# By what means a row was obtained.
FOUND, FOLLOWED, BRIDGED, PLACED = range(4)
ORIGIN_NAMES = ("found", "followed", "bridged", "placed")
COLUMNS = ("cx", "cy", "width", "height", "angle", "confidence", "origin")
# Rows are kept to hundredths of a px and of a degree and thousandths of confidence: far finer than anything is known.
PX_STEPS, DEGREE_STEPS, CONFIDENCE_STEPS = 100, 100, 1000
# Shear and tilts are kept so finely: at the edge of what is 1000 px wide, a twentieth of a px.
TILT_STEPS = 10000


class Path:
    """Rows for frames first .. last. cx, cy, width, height: px of the upright clip; angle: degrees clockwise;
    confidence: 0..1; origin: uint8, one of the constants above. Arrays are float32 (n,) and read-only; a path is a
    value.

    lean: float32 (n, 3) shear, tilt_x, tilt_y of places in perspective (shape.place), or None where all are
    similarities.

    A plain class and no dataclass, since the project file has its own, compact form for it.
    """

    __slots__ = ("first", *COLUMNS, "lean", "__weakref__")

    def __init__(self, first: int, cx, cy, width, height, angle, confidence, origin, lean=None):
        n = len(cx)
        if n == 0:
            raise ValueError("a path has at least one row")
        self.first = int(first)
        for name, given in zip(COLUMNS, (cx, cy, width, height, angle, confidence, origin)):
            array = np.ascontiguousarray(given, np.uint8 if name == "origin" else np.float32)
            if array.shape != (n,):
                raise ValueError(f"{name} has shape {array.shape}, expected ({n},)")
            if name != "origin" and not np.isfinite(array).all():
                raise ValueError(f"{name} is not finite in every row")
            array.flags.writeable = False
            setattr(self, name, array)
        self.lean = None
        if lean is not None and np.any(lean):
            array = np.ascontiguousarray(lean, np.float32)
            if array.shape != (n, 3) or not np.isfinite(array).all():
                raise ValueError(f"lean has shape {array.shape}, expected ({n}, 3), all finite")
            array.flags.writeable = False
            self.lean = array

    def __len__(self) -> int:
        return len(self.cx)

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, Path)
            and self.first == other.first
            and all(np.array_equal(getattr(self, n), getattr(other, n)) for n in COLUMNS)
            and np.array_equal(self.leaning(), other.leaning())
        )

    def __hash__(self) -> int:
        return hash((self.first, len(self), float(self.cx[0]), float(self.cy[-1])))

    def __reduce__(self):
        return Path, (self.first, *(getattr(self, name) for name in COLUMNS), self.lean)

    def __repr__(self) -> str:
        return f"Path({self.first} .. {self.last} from ({self.cx[0]:.0f}, {self.cy[0]:.0f}))"

    @property
    def last(self) -> int:
        return self.first + len(self) - 1

    def row(self, frame: int) -> int:
        """Row of a frame; frames outside take the nearest end."""
        return int(min(max(frame - self.first, 0), len(self.cx) - 1))

    def boxes(self) -> np.ndarray:
        """x0, y0, x1, y1 of every row, float32 (n, 4), without the angle."""
        return np.stack(
            [self.cx - self.width / 2, self.cy - self.height / 2, self.cx + self.width / 2, self.cy + self.height / 2],
            axis=1,
        )

    def part(self, first: int, last: int) -> Path:
        """The rows of frames first .. last, both included; they must overlap the path."""
        a, b = max(first, self.first) - self.first, min(last, self.last) - self.first + 1
        return Path(
            self.first + a,
            *(getattr(self, name)[a:b] for name in COLUMNS),
            self.lean[a:b] if self.lean is not None else None,
        )

    def no_surer(self, most: np.ndarray) -> Path:
        """The same, with a confidence of at most so much in each row, (n,)."""
        if not (self.confidence > most).any():
            return self
        rows = self.rows()
        rows[:, 5] = np.minimum(rows[:, 5], most)
        return Path.from_rows(self.first, rows, self.origin, self.lean)

    def held(self, before: int, after: int, sure: float) -> Path:
        """The same with its first row so many frames before it, and its last one so many after it, where nobody is
        surer of it than that."""
        if not before and not after:
            return self
        rows, lean = self.rows(), self.lean
        at_first, at_last = np.repeat(rows[:1], before, axis=0), np.repeat(rows[-1:], after, axis=0)
        for held in (at_first, at_last):
            held[:, 5] = np.minimum(held[:, 5], sure)
        origin = np.concatenate([np.full(before, FOLLOWED), self.origin, np.full(after, FOLLOWED)]).astype(np.uint8)
        if lean is not None:
            lean = np.concatenate([np.repeat(lean[:1], before, axis=0), lean, np.repeat(lean[-1:], after, axis=0)])
        return Path.from_rows(self.first - before, np.concatenate([at_first, rows, at_last]), origin, lean)

    def rows(self) -> np.ndarray:
        """float32 (n, 6) cx, cy, width, height, angle, confidence."""
        return np.stack([self.cx, self.cy, self.width, self.height, self.angle, self.confidence], axis=1)

    def leaning(self) -> np.ndarray:
        """float32 (n, 3) shear, tilt_x, tilt_y; zeros where it has similarities."""
        return self.lean if self.lean is not None else np.zeros((len(self), 3), np.float32)

    def kept(self) -> Path:
        """The same in the steps in which rows are kept, so that what is written is what is read."""
        steps = np.array([PX_STEPS] * 4 + [DEGREE_STEPS, CONFIDENCE_STEPS], np.float64)
        rows = np.round(self.rows().astype(np.float64) * steps) / steps
        rows[:, 2:4] = np.maximum(rows[:, 2:4], 1 / PX_STEPS)
        rows[:, 5] = np.clip(rows[:, 5], 0, 1)
        return Path.from_rows(
            self.first,
            rows,
            self.origin,
            None if self.lean is None else np.round(self.lean.astype(np.float64) * TILT_STEPS) / TILT_STEPS,
        )

    @staticmethod
    def from_rows(first: int, rows: np.ndarray, origin: np.ndarray, lean: np.ndarray | None = None) -> Path:
        """rows: (n, 6) cx, cy, width, height, angle, confidence; lean: (n, 3) shear and tilts, or None."""
        return Path(first, *np.asarray(rows, np.float32).T, origin=origin, lean=lean)


def laid_over(paths: Sequence[Path]) -> Path:
    """Paths as one, the earlier in the order on top; what lies between two is a straight line of which nobody is
    sure."""
    first, last = min(p.first for p in paths), max(p.last for p in paths)
    rows, origin = np.full((last - first + 1, 9), np.nan), np.full(last - first + 1, BRIDGED, np.uint8)
    for path in reversed(paths):
        there = slice(path.first - first, path.last - first + 1)
        rows[there], origin[there] = np.hstack([path.rows(), path.leaning()]), path.origin
    known = ~np.isnan(rows[:, 0])
    every = np.arange(len(rows))
    # By the shorter way round from one path to the next.
    rows[known, 4] = np.unwrap(rows[known, 4], period=360)
    for column in (0, 1, 2, 3, 4, 6, 7, 8):
        rows[:, column] = np.interp(every, every[known], rows[known, column])
    rows[~known, 5] = 0.0
    return Path.from_rows(first, rows[:, :6], origin, rows[:, 6:])
