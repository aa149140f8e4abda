"""The faces of one frame as parallel arrays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skiagraph.boxes import area, intersection

# Order of the landmarks along the second axis of Detections.landmarks; left and right are the picture's.
EYE_LEFT, EYE_RIGHT, NOSE, MOUTH_LEFT, MOUTH_RIGHT = range(5)


@dataclass(frozen=True, slots=True)
class Detections:
    """Faces found in one frame.

    boxes: float32 (n, 4) x0, y0, x1, y1 in pixels of the upright frame; brows to chin, square.
    scores: float32 (n,) in 0..1.  landmarks: float32 (n, 5, 2) in pixels, in the order named above.
    rolls: float32 (n,), how far each head leans to its side, degrees clockwise; NaN where nobody measured it, which the
    detector does not.
    """

    boxes: NDArray[np.float32]
    scores: NDArray[np.float32]
    landmarks: NDArray[np.float32]
    rolls: NDArray[np.float32] | None = None

    def __post_init__(self):
        n = len(self.scores)
        if self.rolls is None:
            object.__setattr__(self, "rolls", np.full(n, np.nan, np.float32))
        if self.boxes.shape != (n, 4) or self.landmarks.shape != (n, 5, 2):
            raise ValueError(
                f"expected boxes ({n}, 4) and landmarks ({n}, 5, 2), got {self.boxes.shape} and {self.landmarks.shape}"
            )

    def __len__(self) -> int:
        return len(self.scores)

    @staticmethod
    def none() -> Detections:
        return Detections(np.zeros((0, 4), np.float32), np.zeros(0, np.float32), np.zeros((0, 5, 2), np.float32))

    @staticmethod
    def joined(parts: list[Detections]) -> Detections:
        if not parts:
            return Detections.none()
        return Detections(
            np.concatenate([p.boxes for p in parts]),
            np.concatenate([p.scores for p in parts]),
            np.concatenate([p.landmarks for p in parts]),
            np.concatenate([p.rolls for p in parts]),
        )

    def take(self, rows) -> Detections:
        """The detections at the given rows or where a boolean array is true."""
        return Detections(self.boxes[rows], self.scores[rows], self.landmarks[rows], self.rolls[rows])

    def moved(self, scale: float, dx: float, dy: float) -> Detections:
        """Coordinates times scale, then shifted by (dx, dy) pixels: from a part, or another scale, to the whole
        frame."""
        shift = np.array([dx, dy], np.float32)
        return Detections(
            self.boxes * np.float32(scale) + np.tile(shift, 2),
            self.scores,
            self.landmarks * np.float32(scale) + shift,
            self.rolls,
        )


def suppress(found: Detections, overlap: float = 0.3, alike: float = 0.55) -> Detections:
    """Merge detections of the same face: weighted non-maximum suppression.

    Boxes that overlap the best one by more than alike (IoU) are averaged into it by score; the best score stays. Others
    that overlap it by more than overlap are dropped: they may be half of another face behind it, which would draw it
    aside. Lesser ones mostly inside it, or a few times larger around it, are the same face at a wrong scale and are
    dropped. This steadies boxes.
    Source: Bazarevsky et al., BlazeFace, 2019, section 3.3 (blending instead of suppression).
    """
    if len(found) < 2:
        return found
    found = found.take(np.argsort(-found.scores, kind="stable"))
    common, sizes = intersection(found.boxes, found.boxes), np.maximum(area(found.boxes), 1e-6)
    shared = common / np.maximum(sizes[:, None] + sizes[None] - common, 1e-6)
    near = shared > alike
    # Row: the best one; column: the one that may be the same face.
    same = (
        (shared > overlap)
        | (common / sizes[None] > 0.7)
        | (common / sizes[:, None] > 0.8) & (sizes[None] < 12 * sizes[:, None])
    )
    np.fill_diagonal(near, True)
    np.fill_diagonal(same, True)
    left, bests, groups = np.ones(len(found), bool), [], []
    for best in range(len(found)):
        if left[best]:
            bests.append(best)
            groups.append(left & near[best])
            left &= ~same[best]
    weights = np.array(groups) * found.scores
    weights /= weights.sum(axis=1, keepdims=True)
    marks = found.landmarks.reshape(len(found), -1)
    return Detections(
        weights @ found.boxes,
        found.scores[bests],
        (weights @ marks).reshape(len(bests), *found.landmarks.shape[1:]),
        found.rolls[bests],
    )


def around(boxes, best):
    """Boxes around the best one, up to twelve times its area."""
    low = np.maximum(boxes[:, :2], best[:2])
    high = np.minimum(boxes[:, 2:], best[2:])
    inside = np.prod(np.clip(high - low, 0, None), axis=1) / max(float(np.prod(best[2:] - best[:2])), 1e-6)
    larger = np.prod(np.clip(boxes[:, 2:] - boxes[:, :2], 1e-6, None), axis=1) / max(
        float(np.prod(best[2:] - best[:2])), 1e-6
    )
    return (inside > 0.8) & (larger < 12)
