"""From the face a detector saw to the head that must be hidden: crown to chin, ear to ear."""

from __future__ import annotations

from dataclasses import dataclass
import numpy as np

from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE, Detections


@dataclass(frozen=True, slots=True)
class HeadBoxSettings:
    """The head of a face's box, in shares of the box's side.

    Fitted on heads of known geometry (tests/track/test_heads.py), and a twentieth more: boxes reach from the brows to
    the chin. Larger covers more.
    """

    # of the head's middle above the box's
    rise: float = 0.125
    # of the head
    height: float = 1.5
    # of the head, facing
    width: float = 1.1
    # more of it for each part of the side that the nose stands from the middle
    width_by_turn: float = 0.6
    # the same of its height
    height_by_turn: float = 0.4
    # and of its middle, away from where the nose points
    back_by_turn: float = 0.7
    # from the first to the second of these, which are how far the nose stands from the middle of the eyes, in distances
    # of the eyes, a head is in profile, where boxes say little of its back
    profile: tuple[float, float] = (0.4, 0.65)
    # then it is wider by this share
    wider: float = 0.25
    # higher
    higher: float = 0.15
    # and further back
    further: float = 0.15
    # no eyes are nearer to each other than this share of the box
    least_gap: float = 0.12
    # no head is lower than this for its width
    lowest: float = 1.2


HEAD_BOX = HeadBoxSettings()


def head_rows(found: Detections, roll: float | np.ndarray = 0.0) -> np.ndarray:
    """Head of each detection: float32 (n, 5) cx, cy, width, height in px and angle in degrees clockwise. roll: where it
    was not measured, for all or for each."""
    boxes, points = found.boxes, found.landmarks
    side = np.maximum(boxes[:, 2] - boxes[:, 0], 1e-3)
    middle = (boxes[:, :2] + boxes[:, 2:]) / 2
    eyes = points[:, EYE_RIGHT] - points[:, EYE_LEFT]
    angle = np.where(np.isnan(found.rolls), roll, found.rolls).astype(float)
    lean = np.radians(angle)
    along = np.stack([np.cos(lean), np.sin(lean)], 1)
    nose = ((points[:, NOSE] - middle) * along).sum(1) / side
    between = ((points[:, NOSE] - (points[:, EYE_LEFT] + points[:, EYE_RIGHT]) / 2) * along).sum(1) / np.maximum(
        (eyes * along).sum(1), HEAD_BOX.least_gap * side
    )
    turn, profile = (
        np.minimum(np.abs(nose), 0.5),
        np.clip((np.abs(between) - HEAD_BOX.profile[0]) / (HEAD_BOX.profile[1] - HEAD_BOX.profile[0]), 0, 1),
    )
    back = -(HEAD_BOX.back_by_turn * np.clip(nose, -0.5, 0.5) + HEAD_BOX.further * profile * np.sign(between)) * side
    rise = HEAD_BOX.rise * side
    cx = middle[:, 0] + back * np.cos(lean) + rise * np.sin(lean)
    cy = middle[:, 1] + back * np.sin(lean) - rise * np.cos(lean)
    width = side * (HEAD_BOX.width + HEAD_BOX.width_by_turn * turn + HEAD_BOX.wider * profile)
    height = side * (HEAD_BOX.height + HEAD_BOX.height_by_turn * turn + HEAD_BOX.higher * profile)
    # What is too low for its width is a face seen from behind the ear: the crown is further up.
    more = np.maximum(0, HEAD_BOX.lowest * width - height)
    cx, cy = cx + more / 2 * np.sin(lean), cy - more / 2 * np.cos(lean)
    return np.stack([cx, cy, width, height + more, angle], axis=1).astype(np.float32)
