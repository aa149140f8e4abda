"""Filling what is not known in an array from what is."""

from __future__ import annotations

import cv2
import numpy as np


def spread_from(value: np.ndarray, known: np.ndarray) -> np.ndarray:
    """float32 (rows, columns) with what is not known (bool, same shape) filled: means of what is, at the finest size at
    which there is some.

    Source: pull-push, Gortler et al., The Lumigraph, SIGGRAPH 1996.
    """
    levels = [(value.astype(np.float32), known.astype(np.float32))]
    while min(levels[-1][0].shape) > 1 and levels[-1][1].min() == 0:
        now, weight = levels[-1]
        size = -(-now.shape[1] // 2), -(-now.shape[0] // 2)
        sums, weights = (
            cv2.resize(a, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0]) for a in (now * weight, weight)
        )
        levels.append(
            (np.divide(sums, weights, out=np.zeros_like(sums), where=weights > 0), (weights > 0).astype(np.float32))
        )
    now = levels[-1][0]
    for finer, there in levels[-2::-1]:
        grown = cv2.resize(now, finer.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(finer.shape)
        now = np.where(there > 0, finer, grown)
    return now.astype(np.float32)
