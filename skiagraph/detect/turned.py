"""Faces that lean far to a side, or are upside down: of somebody who lies, or seen by a camera that is not held level.

The detector finds faces that lean by up to about 45 degrees. Whoever leans further is looked at in a picture that is
turned with them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.boxes import area, intersection
from skiagraph.detect.detections import Detections
from skiagraph.detect.shrink import halved


@dataclass(frozen=True, slots=True)
class TurnedSettings:
    """Of the film *turned* of benchmarks/quality.py; presence is what the landmark network says, 0..1: of 222 faces
    that stand 94 % have 0.5 and more, looked at as if they lay 5 and 21 %, upside down 59 %."""

    # degrees to a side from which a head is looked at turned; the detector is as sure of those that lean by less.
    # larger: more are looked at as if they stood
    looked_from: float = 40.0
    # times as coarsely as those who stand those who lie are searched for; larger: less work, larger faces only
    coarser: float = 2.0
    # score from which they are found; smaller: more of whom most stand
    score: float = 0.5
    # share of the smaller of two boxes from which they are of one face that is found as standing and as lying
    one_face: float = 0.3
    # presence of the one that lies from which it does; of 148 that lie 95 % have 0.98 and more. larger: fewer lie
    lies: float = 0.9
    # presence of the one that stands from which that does; larger: more lie
    stands: float = 0.2


TURNED = TurnedSettings()
# Rolls, degrees clockwise, of whom a turned search finds: those who lie on one side or the other, and upside down.
ON_A_SIDE, UPSIDE_DOWN = (90.0, -90.0), (180.0,)
_QUARTERS = {90.0: cv2.ROTATE_90_COUNTERCLOCKWISE, -90.0: cv2.ROTATE_90_CLOCKWISE, 180.0: cv2.ROTATE_180}


def stood_up(picture: np.ndarray, roll: float) -> tuple[np.ndarray, np.ndarray]:
    """A picture turned so that heads of that roll, one of the above, stand upright in it, and the matrix (2, 3) from
    its px to px of the one given."""
    height, width = picture.shape[:2]
    matrix = {
        90.0: ((0, -1, width), (1, 0, 0)),
        -90.0: ((0, 1, 0), (-1, 0, height)),
        180.0: ((-1, 0, width), (0, -1, height)),
    }[roll]
    return cv2.rotate(picture, _QUARTERS[roll]), np.array(matrix, np.float32)


def around_upright(
    picture: np.ndarray, middle: np.ndarray, scale: float, side: int, roll: float
) -> tuple[np.ndarray, np.ndarray]:
    """A square of a picture around a point, (2,), scale times `side` px wide, in which heads of that roll stand
    upright: uint8 (side, side, 3), and the matrix as stood_up has it; mirrored beyond the picture."""
    middle, lean = np.asarray(middle, float), np.radians(roll)
    turned = scale * np.array([[np.cos(lean), -np.sin(lean)], [np.sin(lean), np.cos(lean)]])
    matrix = np.column_stack([turned, middle - turned @ np.full(2, side / 2)])
    reach = scale * side * np.sqrt(0.5) + 2
    x0, y0 = np.maximum(0, middle - reach).astype(int)
    x1, y1 = np.minimum(picture.shape[1::-1], middle + reach).astype(int)
    part, times = picture[y0 : max(y0, y1), x0 : max(x0, x1)], 1
    if not part.size:
        return np.full((side, side, 3), 128, np.uint8), matrix.astype(np.float32)
    while scale >= 2 * times and min(part.shape[:2]) >= 2:
        part, times = halved(part), 2 * times
    # From middles of px to middles of px.
    placed = np.column_stack([turned / times, (matrix @ (0.5, 0.5, 1) - (x0, y0)) / times - 0.5])
    square = cv2.warpAffine(
        part, placed, (side, side), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
    )
    return square, matrix.astype(np.float32)


def turned_back(found: Detections, matrix: np.ndarray, roll: float) -> Detections:
    """What was found in such a picture, in px of the one that it was made of.

    Boxes stay level squares; their rolls are told.
    """
    if not len(found):
        return found
    scale = np.sqrt(abs(float(np.linalg.det(matrix[:, :2]))))
    middle = (found.boxes[:, :2] + found.boxes[:, 2:]) / 2 @ matrix[:, :2].T + matrix[:, 2]
    half = (found.boxes[:, 2:] - found.boxes[:, :2]) / 2 * scale
    return Detections(
        np.concatenate([middle - half, middle + half], axis=1).astype(np.float32),
        found.scores,
        (found.landmarks @ matrix[:, :2].T + matrix[:, 2]).astype(np.float32),
        np.full(len(found), roll, np.float32),
    )


def quarters(rolls: np.ndarray) -> tuple[float, ...]:
    """Which of the rolls above those of heads, (n,) degrees or NaN, are nearest to; none for who stands."""
    kinds = ON_A_SIDE + UPSIDE_DOWN
    return tuple(
        kind for kind in kinds if any(between_rolls(float(roll), kind) < 45 for roll in rolls[~np.isnan(rolls)])
    )


def between_rolls(one: float, other: float) -> float:
    """Degrees from one roll to another, the shorter way round, 0..180."""
    return abs((one - other + 180) % 360 - 180)


def one_way_up(found: Detections, presence: Callable[[np.ndarray, float], float]) -> Detections:
    """Of what looks like a face that stands and like one that lies, or is upside down, one: as the landmark network has
    it, and in doubt the one that stands.

    presence: of a box, (4,), and the roll that it is asked for, 0..1.
    """
    lying = ~np.isnan(found.rolls)
    if not lying.any() or lying.all():
        return found
    kept, over = (
        np.ones(len(found), bool),
        intersection(found.boxes, found.boxes)
        > TURNED.one_face * np.minimum.outer(area(found.boxes), area(found.boxes)),
    )
    for n in np.flatnonzero(lying):
        standing = np.flatnonzero(over[n] & ~lying)
        if len(standing):
            lies = presence(found.boxes[n], float(found.rolls[n])) >= TURNED.lies and all(
                presence(found.boxes[m], 0.0) < TURNED.stands for m in standing
            )
            kept[standing if lies else n] = False
    return found.take(kept)
