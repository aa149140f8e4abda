"""How a face is expected to move: a Kalman filter with constant velocity, in units of the face's own size.

Source: Bewley et al., Simple Online and Realtime Tracking, ICIP 2016; noise scaled by size as in Wojke et al., 2017.
Place and size along each axis are filtered on their own, since nothing in the model ties them together.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class MotionSettings:
    """Deviations of x, y and size, in shares of the face's side; speeds a frame.

    Chosen as in Wojke et al. (a twentieth of the size for places), and held against benchmarks/quality.py (starts,
    jackets).
    """

    measured: tuple[float, float, float] = (0.05, 0.05, 0.06)  # of a found face; larger: measurements are trusted less
    drift: tuple[float, float, float] = (0.04, 0.04, 0.03)  # of the motion, a frame; larger: the motion is trusted less
    drift_of_speed: tuple[float, float, float] = (0.025, 0.025, 0.008)
    begin: tuple[float, float, float] = (0.08, 0.08, 0.08)  # of a face seen for the first time
    begin_of_speed: tuple[float, float, float] = (0.12, 0.12, 0.03)
    least_side: float = 4.0  # px that a face is expected to have at least
    least_weight: float = 0.05  # share that a measurement counts with at least


MOTION = MotionSettings()


class _Axis:
    """One value and its change per frame, with the variances of both and their covariance.

    In plain numbers, since a scan asks often.
    """

    __slots__ = ("value", "speed", "_of_value", "_of_both", "_of_speed")

    def __init__(self, value: float, deviation: float, speed_deviation: float):
        self.value, self.speed = value, 0.0
        self._of_value, self._of_both, self._of_speed = deviation**2, 0.0, speed_deviation**2

    @property
    def variance(self) -> float:
        return self._of_value

    def predict(self, frames: int) -> None:
        self.value += frames * self.speed
        self._of_value += frames * (2 * self._of_both + frames * self._of_speed)
        self._of_both += frames * self._of_speed

    def drift(self, variance: float, speed_variance: float) -> None:
        self._of_value += variance
        self._of_speed += speed_variance

    def correct(self, measured: float, variance: float) -> None:
        seen = self._of_value + variance
        gain, speed_gain, off = self._of_value / seen, self._of_both / seen, measured - self.value
        self.value += gain * off
        self.speed += speed_gain * off
        self._of_speed -= speed_gain * self._of_both
        self._of_value *= 1 - gain
        self._of_both *= 1 - gain


class FaceMotion:
    """Centre x, y and side of a face (px), and their change per frame."""

    def __init__(self, box_xyxy: np.ndarray):
        x, y, side = _measures(box_xyxy)
        side = max(side, 1.0)
        self._axes = [
            _Axis(value, a * side, b * side) for value, a, b in zip((x, y, side), MOTION.begin, MOTION.begin_of_speed)
        ]

    @property
    def centre_and_side(self) -> tuple[float, float, float]:
        return tuple(axis.value for axis in self._axes)

    @property
    def box(self) -> np.ndarray:
        x, y, side = self.centre_and_side
        return np.array([x - side / 2, y - side / 2, x + side / 2, y + side / 2])

    @property
    def spread(self) -> float:
        """Deviation of the predicted centre, px."""
        return math.sqrt(max(self._axes[0].variance, self._axes[1].variance))

    def predict(self, frames: int = 1, camera: np.ndarray | None = None) -> None:
        """Move on by a number of frames; camera: the 2x3 similarity that the whole picture made meanwhile."""
        x, y, size = self._axes
        for axis in self._axes:
            axis.predict(frames)
        size.value = max(size.value, MOTION.least_side)
        # A face long unseen is as likely to have stopped as to have gone on.
        for axis, a, b in zip(self._axes, MOTION.drift, MOTION.drift_of_speed):
            axis.drift(frames * (a * size.value) ** 2, frames * (b * size.value) ** 2)
        if camera is not None:
            (a, b, right), (c, d, down) = camera.tolist()
            x.value, y.value = a * x.value + b * y.value + right, c * x.value + d * y.value + down
            size.value *= math.hypot(a, c)

    def slow_down(self, share: float) -> None:
        x, y, size = self._axes
        x.speed *= share
        y.speed *= share
        # A face that goes behind something is found ever larger or smaller, and is neither.
        size.speed *= share**3

    def correct(self, box_xyxy: np.ndarray, weight: float = 1.0) -> None:
        """Take in a measured box; weight under 1 trusts it less."""
        unit = self._axes[2].value / max(weight, MOTION.least_weight)
        for axis, measured, deviation in zip(self._axes, _measures(box_xyxy), MOTION.measured):
            axis.correct(measured, (deviation * unit) ** 2)


def _measures(box_xyxy: np.ndarray) -> tuple[float, float, float]:
    x0, y0, x1, y1 = (float(v) for v in box_xyxy)
    return (x0 + x1) / 2, (y0 + y1) / 2, x1 - x0
