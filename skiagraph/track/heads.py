"""From the face a detector saw to the head that must be hidden: crown to chin, ear to ear."""

from __future__ import annotations

import numpy as np

from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE, Detections

# Fitted on heads of known geometry, in shares of the box's side, and a twentieth more: boxes reach from the brows to the chin.
RISE = 0.125
HEIGHT = 1.5
WIDTH = 1.1
# A turned head is wider than its face, and its middle lies behind the face, away from where the nose points: so many parts of
# how far the nose stands from the middle of the box.
WIDTH_BY_TURN, HEIGHT_BY_TURN, BACK_BY_TURN = 0.6, 0.4, 0.7
# In profile boxes say little of the back of the head, and the cover has to hold it: from the first to the second of these, which are how far
# the nose stands from the middle of the eyes, in distances of the eyes, heads become wider, higher and further back by this.
PROFILE, WIDER, HIGHER, FURTHER = (0.4, 0.65), 0.25, 0.15, 0.15
# No eyes are nearer to each other than this share of the box.
LEAST_GAP = 0.12
# No head is lower than this for its width.
LOWEST = 1.2


def head_rows(found: Detections, roll: float | np.ndarray = 0.0) -> np.ndarray:
    """Head of each detection: float32 (n, 5) cx, cy, width, height in px and angle in degrees clockwise. roll: where it was not measured, for all or for each."""
    boxes, points = found.boxes, found.landmarks
    side = np.maximum(boxes[:, 2] - boxes[:, 0], 1e-3)
    middle = (boxes[:, :2] + boxes[:, 2:]) / 2
    eyes = points[:, EYE_RIGHT] - points[:, EYE_LEFT]
    angle = np.where(np.isnan(found.rolls), roll, found.rolls).astype(float)
    lean = np.radians(angle)
    along = np.stack([np.cos(lean), np.sin(lean)], 1)
    nose = ((points[:, NOSE] - middle) * along).sum(1) / side
    between = ((points[:, NOSE] - (points[:, EYE_LEFT] + points[:, EYE_RIGHT]) / 2) * along).sum(1) / np.maximum((eyes * along).sum(1), LEAST_GAP * side)
    turn, profile = np.minimum(np.abs(nose), 0.5), np.clip((np.abs(between) - PROFILE[0]) / (PROFILE[1] - PROFILE[0]), 0, 1)
    back = -(BACK_BY_TURN * np.clip(nose, -0.5, 0.5) + FURTHER * profile * np.sign(between)) * side
    rise = RISE * side
    cx = middle[:, 0] + back * np.cos(lean) + rise * np.sin(lean)
    cy = middle[:, 1] + back * np.sin(lean) - rise * np.cos(lean)
    width = side * (WIDTH + WIDTH_BY_TURN * turn + WIDER * profile)
    height = side * (HEIGHT + HEIGHT_BY_TURN * turn + HIGHER * profile)
    # What is too low for its width is a face seen from behind the ear: the crown is further up.
    more = np.maximum(0, LOWEST * width - height)
    cx, cy = cx + more / 2 * np.sin(lean), cy - more / 2 * np.cos(lean)
    return np.stack([cx, cy, width, height + more, angle], axis=1).astype(np.float32)
