"""How a face is expected to move: a Kalman filter with constant velocity, in units of the face's own size.

Source: Bewley et al., Simple Online and Realtime Tracking, ICIP 2016; noise scaled by size as in Wojke et al., 2017.
"""

from __future__ import annotations

import numpy as np

# Deviations in shares of the face's side: larger values trust the measurement less, or the motion less.
_MEASURED = np.array([0.05, 0.05, 0.06])
_DRIFT = np.array([0.04, 0.04, 0.03, 0.025, 0.025, 0.008])


class FaceMotion:
    """State: centre x, y and side of a face (px), and their change per frame."""

    def __init__(self, box_xyxy: np.ndarray):
        x0, y0, x1, y1 = (float(v) for v in box_xyxy)
        self.state = np.array([(x0 + x1) / 2, (y0 + y1) / 2, max(x1 - x0, 1.0), 0.0, 0.0, 0.0])
        side = self.state[2]
        self.covariance = np.diag((np.array([0.08, 0.08, 0.08, 0.12, 0.12, 0.03]) * side) ** 2)

    @property
    def box(self) -> np.ndarray:
        x, y, side = self.state[:3]
        return np.array([x - side / 2, y - side / 2, x + side / 2, y + side / 2])

    @property
    def spread(self) -> float:
        """Deviation of the predicted centre, px."""
        return float(np.sqrt(max(self.covariance[0, 0], self.covariance[1, 1])))

    def predict(self, frames: int = 1, camera: np.ndarray | None = None) -> None:
        """Move on by a number of frames; camera: the 2x3 similarity that the whole picture made meanwhile."""
        step = np.eye(6)
        step[:3, 3:] = np.eye(3) * frames
        self.state = step @ self.state
        side = max(self.state[2], 4.0)
        self.state[2] = side
        # A face long unseen is as likely to have stopped as to have gone on.
        self.covariance = step @ self.covariance @ step.T + np.diag((_DRIFT * side) ** 2) * frames
        if camera is not None:
            zoom = float(np.hypot(camera[0, 0], camera[1, 0]))
            self.state[:2] = camera[:, :2] @ self.state[:2] + camera[:, 2]
            self.state[2] *= zoom

    def slow_down(self, share: float) -> None:
        self.state[3:5] *= share
        # A face that goes behind something is found ever larger or smaller, and is neither.
        self.state[5] *= share ** 3

    def correct(self, box_xyxy: np.ndarray, weight: float = 1.0) -> None:
        """Take in a measured box; weight under 1 trusts it less."""
        x0, y0, x1, y1 = (float(v) for v in box_xyxy)
        measured = np.array([(x0 + x1) / 2, (y0 + y1) / 2, x1 - x0])
        noise = np.diag((_MEASURED * self.state[2] / max(weight, 0.05)) ** 2)
        seen = self.covariance[:3, :3] + noise
        gain = np.linalg.solve(seen, self.covariance[:3, :]).T
        self.state = self.state + gain @ (measured - self.state[:3])
        self.covariance = (np.eye(6) - gain @ np.eye(3, 6)) @ self.covariance
        self.covariance = (self.covariance + self.covariance.T) / 2
