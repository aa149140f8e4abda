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

    # by so much the middle of the head lies above that of the box
    rise: float = 0.125
    # height of a head that faces the camera
    height: float = 1.5
    # width of a head that faces the camera
    width: float = 1.1
    # wider for each side of the box that the nose stands from its middle
    width_by_turn: float = 0.6
    # higher for each side of the box that the nose stands from its middle
    height_by_turn: float = 0.4
    # the middle lies further back, away from where the nose points, for each side of the box that it stands from its
    # middle
    back_by_turn: float = 0.7
    # a head turns into profile, where boxes say little of its back, while its nose stands from the first to the second
    # of these from the middle of the eyes, in distances of the eyes
    profile: tuple[float, float] = (0.4, 0.65)
    # share by which a head in profile is wider
    wider: float = 0.25
    # share by which a head in profile is higher
    higher: float = 0.15
    # share by which the middle of a head in profile lies further back
    further: float = 0.15
    # share of the box that the eyes are apart at least
    least_gap: float = 0.12
    # height of a head for its width at least
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
