"""Masks: which part of the unit frame of a path's rows is the thing itself, a small bitmap for each frame."""

from __future__ import annotations

import cv2
import numpy as np

# Pixels of a side of a mask: finer than the hundredth part of what it is of is not asked for.
SIDE = 96


class Masks:
    """bits: uint8 (n, SIDE * SIDE / 8), read-only: packed rows of a mask for each frame from `first` on, over -1 .. 1
    of the unit frame. A value."""

    __slots__ = ("first", "bits", "__weakref__")

    def __init__(self, first: int, bits: np.ndarray):
        bits = np.ascontiguousarray(bits, np.uint8)
        if bits.ndim != 2 or bits.shape[1] != SIDE * SIDE // 8 or not len(bits):
            raise ValueError(f"masks have shape {bits.shape}, expected (frames, {SIDE * SIDE // 8})")
        bits.flags.writeable = False
        self.first, self.bits = int(first), bits

    @staticmethod
    def of(first: int, masks: list[np.ndarray]) -> Masks:
        """Masks bool (SIDE, SIDE) of frames in a row."""
        return Masks(first, np.stack([np.packbits(mask.ravel()) for mask in masks]))

    def __len__(self) -> int:
        return len(self.bits)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Masks) and self.first == other.first and np.array_equal(self.bits, other.bits)

    def __hash__(self) -> int:
        return hash((self.first, len(self), int(self.bits[0].sum())))

    def __reduce__(self):
        return Masks, (self.first, self.bits)

    def at(self, frame: int) -> np.ndarray | None:
        """The mask of a frame, bool (SIDE, SIDE), or None where there is none."""
        row = frame - self.first
        return np.unpackbits(self.bits[row]).reshape(SIDE, SIDE).astype(bool) if 0 <= row < len(self) else None

    def share(self, frame: int, u: np.ndarray, v: np.ndarray) -> np.ndarray | None:
        """How much of each place of the unit frame is the thing, float32 0..1, smooth from pixel to pixel of the mask;
        None where there is no mask."""
        mask = self.at(frame)
        if mask is None:
            return None
        x, y = ((np.asarray(c, np.float32) + 1) / 2 * SIDE - 0.5 for c in np.broadcast_arrays(u, v))
        return cv2.remap(
            mask.astype(np.float32),
            np.ascontiguousarray(x),
            np.ascontiguousarray(y),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=0,
        )
