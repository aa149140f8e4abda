"""Where somebody's head is by their whole body: an elbow, a knee or a tree is told from a head, also of one that is seen from behind or is a few px wide.

Network: Bazarevsky et al., BlazePose: on-device real-time body pose tracking, 2020 (MediaPipe pose landmarks, full, Apache-2.0), 256x256.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np

from skiagraph.detect.networks import weights
from skiagraph.detect.turned import TURNED

_SIDE = 256
# What the network was trained to see: a square around the middle of the hips, a quarter larger than the circle from there through the top of the head. With a head of 0.13 of the stature and
# hips at 0.53 of it (Drillis and Contini, Body segment parameters, 1966) its side is so many heads, and its middle so many heads below that of the head.
_REACH, HIPS = 9.0, 3.1
# Nose, eyes, ears and mouth are the first of the landmarks, each x, y, z, visibility, presence.
_OF_HEAD, _LANDMARKS, _EACH = 11, 39, 5


@dataclass(frozen=True, slots=True)
class Body:
    """sure: that somebody is there, 0..1; cx, cy: the middle of their eyes, ears, nose and mouth, px."""

    sure: float
    cx: float
    cy: float


class BodyJudge(Protocol):
    """What the body network tells of a place at which a head may be."""

    def below(self, rgb: np.ndarray, head: np.ndarray) -> Body:
        """The body whose head may be at head (cx, cy, width, height, angle in degrees clockwise, …; px of an RGB picture)."""


class BodyLandmarks:
    """The network; not to be shared between threads."""

    def __init__(self):
        from ai_edge_litert.interpreter import Interpreter
        self._network = Interpreter(model_content=weights("body_landmarks.tflite"), num_threads=1)
        self._network.allocate_tensors()
        self._input = self._network.get_input_details()[0]["index"]
        outputs = {int(np.prod(detail["shape"])): detail["index"] for detail in self._network.get_output_details()}
        self._landmarks, self._presence = outputs[_LANDMARKS * _EACH], outputs[1]

    def below(self, rgb: np.ndarray, head: np.ndarray) -> Body:
        """The body whose head may be at head (cx, cy, width, height, angle in degrees clockwise, …; px of an RGB picture). What lies outside the picture is black."""
        cx, cy, _, height, angle = (float(v) for v in head[:5])
        # Only of somebody who lies the body is to the side; a head may lean on a body that stands.
        lean = np.radians(angle) if abs(angle) >= TURNED.looked_from else 0.0
        scale = _SIDE / (_REACH * max(height, 1.0))
        stands = scale * np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]])
        at = np.array([_SIDE / 2, _SIDE / 2 - scale * HIPS * height])
        crop = cv2.warpAffine(rgb, np.column_stack([stands, at - stands @ (cx, cy)]).astype(np.float32), (_SIDE, _SIDE), flags=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
        self._network.set_tensor(self._input, (crop.astype(np.float32) * np.float32(1 / 255))[None])
        self._network.invoke()
        seen = self._network.get_tensor(self._landmarks).reshape(_LANDMARKS, _EACH)[:_OF_HEAD, :2].mean(axis=0)
        x, y = np.linalg.solve(stands, seen - at) + (cx, cy)
        return Body(float(self._network.get_tensor(self._presence).ravel()[0]), float(x), float(y))
