"""From the face a detector saw to the head that must be hidden: crown to chin, ear to ear."""

from __future__ import annotations

import numpy as np

from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE, Detections

# Fitted on heads of known geometry, in shares of the box's side: boxes reach from the brows to the chin.
RISE = 0.125
HEIGHT = 1.45
WIDTH = 1.05
# A turned head is wider than its face, and its middle lies behind the face, away from where the nose points.
WIDTH_BY_TURN, BACK_BY_TURN = 0.5, 0.7
# In profile nose and chin stand out in front of any ellipse around the skull; the head is drawn larger, and a little lower.
HEIGHT_BY_TURN, DROP_BY_TURN = 0.24, 0.08
# No head is lower than this for its width.
LOWEST = 1.2
# An eye line shorter than this share of the box belongs to a profile and says nothing about roll.
SHORT_EYE_LINE = 0.22


def head_rows(found: Detections) -> np.ndarray:
    """Head of each detection: float32 (n, 5) cx, cy, width, height in px and angle in degrees clockwise.

    How far the nose stands from the middle of the face tells how far the head is turned.
    """
    boxes, points = found.boxes, found.landmarks
    side = np.maximum(boxes[:, 2] - boxes[:, 0], 1e-3)
    middle = (boxes[:, :2] + boxes[:, 2:]) / 2
    eyes = points[:, EYE_RIGHT] - points[:, EYE_LEFT]
    long_enough = np.hypot(eyes[:, 0], eyes[:, 1]) > SHORT_EYE_LINE * side
    angle = np.where(long_enough & (eyes[:, 0] > 0), np.degrees(np.arctan2(eyes[:, 1], eyes[:, 0])), 0.0)
    lean = np.radians(angle)
    nose = ((points[:, NOSE] - middle) * np.stack([np.cos(lean), np.sin(lean)], 1)).sum(1)
    turn = np.clip(np.abs(nose) / side, 0, 0.5)
    along = -BACK_BY_TURN * np.clip(nose / side, -0.5, 0.5) * side
    rise = (RISE - DROP_BY_TURN * turn) * side
    cx = middle[:, 0] + along * np.cos(lean) + rise * np.sin(lean)
    cy = middle[:, 1] + along * np.sin(lean) - rise * np.cos(lean)
    width = side * (WIDTH + WIDTH_BY_TURN * turn)
    height = side * (HEIGHT + HEIGHT_BY_TURN * turn)
    # What is too low for its width is a face seen from behind the ear: the crown is further up.
    more = np.maximum(0, LOWEST * width - height)
    cx, cy = cx + more / 2 * np.sin(lean), cy - more / 2 * np.cos(lean)
    return np.stack([cx, cy, width, height + more, angle], axis=1).astype(np.float32)
