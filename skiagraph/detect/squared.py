"""Square pixels for the detectors: an anamorphic picture is widened, and what is found in it brought back."""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.detect.detections import Detections


class Squared:
    """aspect: of a pixel, width to height; pictures whose pixels are square within a percent stay as they are."""

    def __init__(self, aspect: float):
        self.aspect = aspect if abs(aspect - 1) >= 0.01 else 1.0

    def picture(self, rgb: np.ndarray) -> np.ndarray:
        if self.aspect == 1.0:
            return rgb
        return cv2.resize(rgb, (round(rgb.shape[1] * self.aspect), rgb.shape[0]), interpolation=cv2.INTER_LINEAR)

    def boxes(self, boxes: np.ndarray) -> np.ndarray:
        return np.asarray(boxes, float) * np.array([self.aspect, 1, self.aspect, 1])

    def stored(self, found: Detections) -> Detections:
        if self.aspect == 1.0:
            return found
        scale = np.array([self.aspect, 1, self.aspect, 1], np.float32)
        return Detections(found.boxes / scale, found.scores, found.landmarks / scale[:2], found.rolls)
