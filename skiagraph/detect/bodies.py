"""Bodies in a picture, at a coarse look: where their hips are and how they stand, also of those who face away, run, or have faces a few px wide.

Network: the detector of Bazarevsky et al., BlazePose: on-device real-time body pose tracking, 2020 (MediaPipe pose detection, Apache-2.0), 224x224. Where it sees somebody is for the landmark network to
confirm (track.body): alone it sees bodies in much that is upright.
"""

from __future__ import annotations

import os
import threading
from concurrent.futures import Future, ThreadPoolExecutor

import cv2
import numpy as np

from skiagraph.detect.networks import weights

_SIDE = 224
# Strides of the anchors and how many lie at each place: makers' settings of the network (pose_detection_cpu.pbtxt).
_ANCHORS = ((8, 2), (16, 2), (32, 6))
# Of the numbers of each anchor: where the hips are, and the top of the circle around them that holds the whole body.
_HIPS, _TOP = slice(4, 6), slice(6, 8)
# Score from which there may be somebody. On recordings of real people balls, wheels and shadows that the landmark network confirmed had less (docs/measured.md); smaller: more are found, and more that are none.
BODY_SCORE = 0.7
# Looks are squares; each overlaps the next by this share, which holds the narrow shape of somebody who stands where one ends.
_OVERLAP = 0.12
# Two in one circle, nearer than this share of its radius, are one.
_ONE = 0.25


class BodyFinder:
    """Looks at pictures in threads of its own. Closes with `close` or as a context."""

    def __init__(self, threads: int | None = None):
        self._pool = ThreadPoolExecutor(threads or min(2, os.cpu_count() or 1), thread_name_prefix="bodies")
        self._of_thread = threading.local()
        self._anchors = _anchors()

    def __enter__(self) -> BodyFinder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def submit(self, rgb: np.ndarray) -> Future[np.ndarray]:
        """Begin to look at an RGB picture with square pixels; for `find`."""
        return self._pool.submit(self.find, rgb)

    def find(self, rgb: np.ndarray) -> np.ndarray:
        """Who may stand where, (n, 5), the surest first: score, hips x and y, top of their circle x and y, px."""
        found = np.concatenate([self._look(rgb[y0:y1, x0:x1]) + (0, x0, y0, x0, y0) for x0, y0, x1, y1 in looks(rgb.shape[1], rgb.shape[0])])
        kept: list[np.ndarray] = []
        for row in found[np.argsort(-found[:, 0], kind="stable")]:
            if all(np.hypot(*(row[1:3] - other[1:3])) > _ONE * np.hypot(*(other[3:5] - other[1:3])) for other in kept):
                kept.append(row)
        return np.array(kept).reshape(-1, 5)

    def _look(self, part: np.ndarray) -> np.ndarray:
        scale = _SIDE / max(part.shape[:2])
        small = cv2.resize(part, (max(1, round(part.shape[1] * scale)), max(1, round(part.shape[0] * scale))), interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
        square = np.zeros((_SIDE, _SIDE, 3), np.uint8)
        square[:small.shape[0], :small.shape[1]] = small
        numbers, logits = self._run((square.astype(np.float32) * np.float32(2 / 255) - 1)[None])
        rows = np.flatnonzero(logits >= np.log(BODY_SCORE / (1 - BODY_SCORE)))
        at = self._anchors[rows] * _SIDE
        return np.column_stack([1 / (1 + np.exp(-logits[rows])), (numbers[rows, _HIPS] + at) / scale, (numbers[rows, _TOP] + at) / scale]).reshape(-1, 5)

    def _run(self, picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Twelve numbers and a logit for each anchor."""
        mine = self._of_thread
        if not hasattr(mine, "network"):
            from ai_edge_litert.interpreter import Interpreter
            mine.network = Interpreter(model_content=weights("body_detector.tflite"), num_threads=1)
            mine.network.allocate_tensors()
            mine.input = mine.network.get_input_details()[0]["index"]
            mine.logits, mine.numbers = (detail["index"] for detail in sorted(mine.network.get_output_details(), key=lambda detail: int(np.prod(detail["shape"]))))
        mine.network.set_tensor(mine.input, picture)
        mine.network.invoke()
        return mine.network.get_tensor(mine.numbers)[0], mine.network.get_tensor(mine.logits)[0, :, 0]


def looks(width: int, height: int) -> list[tuple[int, int, int, int]]:
    """What is looked at, x0, y0, x1, y1 px: all of a picture, in which those are seen who fill its height, and squares along its longer side that hold all of it together."""
    side, long = min(width, height), max(width, height)
    if long == side:
        return [(0, 0, width, height)]
    begins = np.linspace(0, long - side, int(np.ceil((long - _OVERLAP * side) / ((1 - _OVERLAP) * side)))).round().astype(int)
    return [(0, 0, width, height), *((int(b), 0, int(b) + side, side) if width > height else (0, int(b), side, int(b) + side) for b in begins)]


def _anchors() -> np.ndarray:
    """Middles of the anchors, (n, 2), shares of the square."""
    made = []
    for stride, each in _ANCHORS:
        cells = (np.arange(_SIDE // stride) + 0.5) * stride / _SIDE
        y, x = np.meshgrid(cells, cells, indexing="ij")
        made.append(np.repeat(np.stack([x.ravel(), y.ravel()], axis=1), each, axis=0))
    return np.concatenate(made)
