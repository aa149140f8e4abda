"""The face detector, run by onnxruntime. One call looks at one picture, or a part of one, at one scale.

Source: Wu, Peng and Yu, YuNet: A Tiny Millisecond-level Face Detector, Machine Intelligence Research, 2023 (see
tools/convert_detector.py).
"""

from __future__ import annotations

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.detect.networks import onnx_network

STRIDES = (8, 16, 32)
# The network's boxes reach from the middle of the forehead to below the chin, 1.3 times as high as wide; ours are
# squares of the same area, lower by this share of that height.
LOWER = 0.03


class FaceDetector:
    """May be shared between threads."""

    def __init__(self):
        self._net = onnx_network("face_detector.onnx")

    def find(self, picture_rgb: np.ndarray, limit: float) -> Detections:
        """Faces with a score of at least limit. picture_rgb: uint8 (rows, columns, 3); coordinates come back in its
        pixels.

        Seen surely are faces of 16 to 600 px. The result is not suppressed: a face appears several times.
        """
        rows, columns = (-(-length // STRIDES[-1]) * STRIDES[-1] for length in picture_rgb.shape[:2])
        if picture_rgb.shape[:2] != (rows, columns):
            filled = np.zeros((rows, columns, 3), np.uint8)
            filled[: picture_rgb.shape[0], : picture_rgb.shape[1]] = picture_rgb
            picture_rgb = filled
        scores, found = self._net.run(None, {"picture": np.ascontiguousarray(picture_rgb)[None]})
        places = np.flatnonzero(scores[:, 0] >= limit)
        if not len(places):
            return Detections.none()
        corner, stride = _places(places, rows, columns)
        points = found[places].reshape(-1, 7, 2) * stride[:, None]
        middle, size, landmarks = (
            corner + points[:, 0],
            np.exp(found[places, 2:4]) * stride,
            corner[:, None] + points[:, 2:],
        )
        half = np.sqrt(size.prod(axis=1, keepdims=True)) / 2
        middle[:, 1] += LOWER * size[:, 1]
        return Detections(np.concatenate([middle - half, middle + half], axis=1), scores[places, 0], landmarks)


def _places(places: np.ndarray, rows: int, columns: int) -> tuple[np.ndarray, np.ndarray]:
    """Corner x, y in px, float32 (n, 2), and stride, float32 (n, 1), of rows of the network's output."""
    counts = [(rows // stride) * (columns // stride) for stride in STRIDES]
    starts = np.concatenate([[0], np.cumsum(counts)])
    level = np.searchsorted(starts, places, side="right") - 1
    stride, inside = np.array(STRIDES)[level], places - starts[level]
    corner = np.stack([inside % (columns // stride), inside // (columns // stride)], axis=1) * stride[:, None]
    return corner.astype(np.float32), stride[:, None].astype(np.float32)
