"""The BlazeFace face detectors, run by LiteRT. One call looks at one square tile.

Source: Bazarevsky et al., BlazeFace: Sub-millisecond Neural Face Detection on Mobile GPUs, 2019.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources

import cv2
import numpy as np

from skiagraph.detect.detections import Detections


@dataclass(frozen=True, slots=True)
class Variant:
    """file: name under assets/models; side: input size in pixels; strides: of the anchor layers; per_cell: anchors a cell."""

    file: str
    side: int
    strides: tuple[int, ...]
    per_cell: tuple[int, ...]


FULL_RANGE = Variant("face_detection_full_range_sparse.tflite", 192, (4,), (1,))
SHORT_RANGE = Variant("face_detection_short_range.tflite", 128, (8, 16), (2, 6))

_LOGIT_LIMIT = 80.0


class BlazeFace:
    """One detector with its interpreter; not to be shared between threads."""

    def __init__(self, variant: Variant = FULL_RANGE, threads: int = 1):
        from ai_edge_litert.interpreter import Interpreter
        self.variant = variant
        weights = resources.files("skiagraph.assets").joinpath("models", variant.file).read_bytes()
        self._interpreter = Interpreter(model_content=weights, num_threads=threads)
        self._interpreter.allocate_tensors()
        self._input = self._interpreter.get_input_details()[0]["index"]
        outputs = sorted(self._interpreter.get_output_details(), key=lambda detail: -detail["shape"][-1])
        self._boxes, self._scores = outputs[0]["index"], outputs[1]["index"]
        self._anchors = _anchor_centres(variant)

    @property
    def side(self) -> int:
        return self.variant.side

    def find(self, square_rgb: np.ndarray, limit: float) -> Detections:
        """Faces with a score of at least limit. square_rgb: uint8 (s, s, 3); coordinates come back in its pixels.

        The result is not suppressed: a face appears several times.
        """
        side, given = self.side, square_rgb.shape[0]
        if square_rgb.shape[:2] != (given, given):
            raise ValueError(f"expected a square tile, got {square_rgb.shape}")
        square_rgb = _sized(square_rgb, side)
        tensor = np.multiply(square_rgb, np.float32(1 / 127.5), dtype=np.float32)
        tensor -= 1
        self._interpreter.set_tensor(self._input, tensor[None])
        self._interpreter.invoke()
        logits = self._interpreter.get_tensor(self._scores)[0, :, 0]
        rows = np.flatnonzero(logits >= np.log(limit / (1 - limit)))
        if not len(rows):
            return Detections.none()
        raw = self._interpreter.get_tensor(self._boxes)[0, rows]
        points = raw.reshape(-1, 8, 2).copy()
        points[:, 0] += self._anchors[rows] * side
        points[:, 2:] += (self._anchors[rows] * side)[:, None]
        centre, size, landmarks = points[:, 0], points[:, 1], points[:, 2:]
        boxes = np.concatenate([centre - size / 2, centre + size / 2], axis=1)
        scores = 1 / (1 + np.exp(-np.clip(logits[rows], -_LOGIT_LIMIT, _LOGIT_LIMIT)))
        return Detections(boxes, scores.astype(np.float32), landmarks).moved(given / side, 0, 0)


def _sized(square: np.ndarray, side: int) -> np.ndarray:
    """A square picture at another size. Shrinking takes the mean over whole numbers of px, which is quick, from a size near the given one."""
    given = square.shape[0]
    if given == side:
        return square
    times = -(-given // side)
    if given != times * side:
        square = cv2.resize(square, (times * side, times * side), interpolation=cv2.INTER_LINEAR)
    return square if times == 1 else cv2.resize(square, (side, side), interpolation=cv2.INTER_AREA)


def _anchor_centres(variant: Variant) -> np.ndarray:
    """Centres of all anchors in 0..1, float32 (n, 2), in the order of the model's output rows."""
    layers = []
    for stride, count in zip(variant.strides, variant.per_cell):
        cells = variant.side // stride
        centre = (np.arange(cells, dtype=np.float32) + 0.5) / cells
        y, x = np.meshgrid(centre, centre, indexing="ij")
        layers.append(np.repeat(np.stack([x.ravel(), y.ravel()], axis=1), count, axis=0))
    return np.concatenate(layers)
