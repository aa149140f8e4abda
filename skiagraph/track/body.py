"""Where somebody's head is by their whole body: an elbow, a knee or a tree is told from a head, also of one that is
seen from behind or is a few px wide.

Network: Bazarevsky et al., BlazePose: on-device real-time body pose tracking, 2020 (MediaPipe pose landmarks, full,
Apache-2.0), 256x256.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np

from skiagraph.detect.networks import weights
from skiagraph.detect.turned import TURNED

_SIDE = 256
# What the network was trained to see: a square around the middle of the hips, a quarter larger than the circle from
# there through the top of the head.
_ROOM = 1.25
# Heights of a head with its middle at 0.935, and hips at 0.53, as shares of the stature (Drillis and Contini, Body
# segment parameters, 1966).
_HEAD, _MIDDLE, _HIP = 0.13, 0.935, 0.53
# Share of the way from the hips to the top of that circle at which the middle of the head is.
HEAD_ON_WAY = (_MIDDLE - _HIP) / (1 - _HIP)
# In heights of a head: how far the hips are below its middle, and the side of that square.
HIPS, _REACH = (_MIDDLE - _HIP) / _HEAD, 2 * _ROOM * (1 - _HIP) / _HEAD
# Of the landmarks, each x, y, z, visibility, presence, the ears stay nearest to the middle of a head that turns (a
# sixth of its width off at most as a rule; the mean of nose, eyes and mouth a third).
_EARS, _LANDMARKS, _EACH = slice(7, 9), 39, 5


@dataclass(frozen=True, slots=True)
class Body:
    """sure: that somebody is there, 0..1; cx, cy: the middle between their ears, px."""

    sure: float
    cx: float
    cy: float


class BodyJudge(Protocol):
    """What the body network tells of a place at which a head may be."""

    def below(self, rgb: np.ndarray, head: np.ndarray) -> Body:
        """The body whose head may be at head (cx, cy, width, height, angle in degrees clockwise, …; px of an RGB
        picture)."""


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
        """The body whose head may be at head (cx, cy, width, height, angle in degrees clockwise, …; px of an RGB
        picture). What lies outside the picture is black."""
        cx, cy, _, height, angle = (float(v) for v in head[:5])
        # Only of somebody who lies the body is to the side; a head may lean on a body that stands.
        lean = np.radians(angle) if abs(angle) >= TURNED.looked_from else 0.0
        height = max(height, 1.0)
        return self._look(
            rgb, cx - HIPS * height * np.sin(lean), cy + HIPS * height * np.cos(lean), _REACH * height, lean
        )

    def around(self, rgb: np.ndarray, hips: np.ndarray, top: np.ndarray) -> Body:
        """The body with hips here and the top of the circle around them there, each x, y px of an RGB picture."""
        up = np.asarray(top, float) - hips
        return self._look(
            rgb,
            float(hips[0]),
            float(hips[1]),
            2 * _ROOM * max(float(np.hypot(*up)), 1.0),
            float(np.arctan2(up[0], -up[1])),
        )

    def _look(self, rgb: np.ndarray, x: float, y: float, side: float, lean: float) -> Body:
        """What is seen in a square with its middle at x, y that leans by so many radians clockwise."""
        scale = _SIDE / side
        upright = scale * np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]])
        move = np.array([_SIDE / 2, _SIDE / 2]) - upright @ (x, y)
        crop = cv2.warpAffine(
            rgb,
            np.column_stack([upright, move]).astype(np.float32),
            (_SIDE, _SIDE),
            flags=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR,
        )
        self._network.set_tensor(self._input, (crop.astype(np.float32) * np.float32(1 / 255))[None])
        self._network.invoke()
        seen = self._network.get_tensor(self._landmarks).reshape(_LANDMARKS, _EACH)[_EARS, :2].mean(axis=0)
        cx, cy = np.linalg.solve(upright, seen - move)
        return Body(float(self._network.get_tensor(self._presence).ravel()[0]), float(cx), float(cy))
