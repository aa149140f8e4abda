"""What the camera did between two frames, and whether it was the same shot at all.

Source: sparse optical flow and a robust similarity, as in Aharon et al., BoT-SORT, 2022.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

WORK_WIDTH = 480
# Two pictures of one shot that are this unlike have not been seen; cuts are well above.
CUT_DIFFERENCE, CUT_CORRELATION = 22.0, 0.55


@dataclass(frozen=True, slots=True)
class CameraStep:
    """similarity: float64 (2, 3), px of the former frame to px of this one; cut: true where a new shot begins."""

    similarity: np.ndarray
    cut: bool


class CameraMotion:
    """Fed one upright grey frame after another."""

    def __init__(self):
        self._before: np.ndarray | None = None
        self._points: np.ndarray | None = None

    def step(self, grey: np.ndarray) -> CameraStep:
        scale = min(1.0, WORK_WIDTH / grey.shape[1])
        size = max(16, round(grey.shape[1] * scale)), max(16, round(grey.shape[0] * scale))
        small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
        still = np.array([[1.0, 0, 0], [0, 1, 0]])
        before, points = self._before, self._points
        self._before = small
        self._points = cv2.goodFeaturesToTrack(small, 160, 0.01, 9, blockSize=5)
        if before is None:
            return CameraStep(still, False)
        if is_cut(before, small):
            return CameraStep(still, True)
        if points is None or len(points) < 12:
            return CameraStep(still, False)
        moved, good, _ = cv2.calcOpticalFlowPyrLK(before, small, points, None, winSize=(15, 15), maxLevel=3)
        good = good.ravel() == 1
        if good.sum() < 12:
            return CameraStep(still, False)
        found, inliers = cv2.estimateAffinePartial2D(points[good], moved[good], method=cv2.RANSAC, ransacReprojThreshold=1.0)
        if found is None or inliers.sum() < max(10, 0.35 * good.sum()):
            return CameraStep(still, False)
        found = found.copy()
        found[:, 2] /= scale
        zoom = np.hypot(found[0, 0], found[1, 0])
        return CameraStep(found if 0.8 < zoom < 1.25 else still, False)


def is_cut(before: np.ndarray, after: np.ndarray) -> bool:
    """True when two grey pictures of equal size cannot be neighbours in one shot."""
    a = cv2.resize(before, (64, 36), interpolation=cv2.INTER_AREA).astype(np.float32)
    b = cv2.resize(after, (64, 36), interpolation=cv2.INTER_AREA).astype(np.float32)
    if np.abs(a - b).mean() < CUT_DIFFERENCE:
        return False
    a, b = a - a.mean(), b - b.mean()
    correlation = float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))
    return correlation < CUT_CORRELATION
