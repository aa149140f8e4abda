"""Following a head by its picture where no detector sees it.

Pyramidal Lucas-Kanade with a forward-backward check (Kalal et al., Forward-Backward Error, ICPR 2010), a robust
similarity, and a comparison of what was followed with what it looked like. A follower stops when it does not know.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

# Below this correlation with its own recent look, the thing followed is no longer the same thing.
LOST = 0.45
# A step that differs from the steps before by more than this share of the head per frame was made by something in front.
JERK = 0.09
_PATCH = 32


@dataclass(frozen=True, slots=True)
class Followed:
    """rows: float32 (n, 6) cx, cy, width, height, angle, confidence for the frames after the start, as far as known.

    reason: why it stopped: "" at the end, "left" the picture, "lost" it.
    """

    rows: np.ndarray
    reason: str


def follow(pictures: list[np.ndarray], head: np.ndarray, velocity: np.ndarray, origin=(0, 0), size: tuple[int, int] | None = None) -> Followed:
    """Follow a head through pictures[1:], having it at `head` (cx, cy, width, height, angle) in pictures[0].

    pictures: upright grey crops, uint8, all of the same place, whose top left corner is at origin of the frame of `size`
    (width, height). velocity: px per frame (x, y), from before.
    """
    state = np.asarray(head, float).copy()
    speed = np.asarray(velocity, float).copy()
    reference = _patch(pictures[0], state, origin)
    rows: list[np.ndarray] = []
    confidence = 1.0
    for before, after in zip(pictures, pictures[1:]):
        step, trust = _step(before, after, state, origin)
        expected = state.copy()
        expected[:2] += speed
        jerk = np.inf if step is None else np.hypot(*(step[:2] - state[:2] - speed)) / max(state[2], 1)
        if step is None or jerk > JERK + 0.5 * np.hypot(*speed) / max(state[2], 1):
            moved, trust = expected, 0.0
        else:
            moved = step
        looks = _patch(after, moved, origin)
        same = _correlation(reference, looks)
        agreed = min(1.0, max(0.0, (same - LOST) / (0.9 - LOST))) * (0.4 + 0.6 * trust)
        confidence = min(confidence * 0.985, 0.25 + 0.75 * agreed) if agreed > 0 else confidence * 0.6
        if confidence < 0.12:
            return Followed(_stacked(rows), "lost")
        speed = 0.75 * speed + 0.25 * (moved[:2] - state[:2]) if trust else speed * 0.93
        state = moved
        if same > 0.7:
            reference = 0.85 * reference + 0.15 * looks
        rows.append(np.append(state, confidence * 0.8))
        if size is not None and _outside(state, size):
            return Followed(_stacked(rows), "left")
    return Followed(_stacked(rows), "")


def _stacked(rows: list[np.ndarray]) -> np.ndarray:
    return np.array(rows, np.float32).reshape(-1, 6)


def _outside(state, size) -> bool:
    cx, cy, width, height = state[:4]
    return cx + width / 2 < 0 or cy + height / 2 < 0 or cx - width / 2 > size[0] or cy - height / 2 > size[1]


def _step(before, after, state, origin):
    """The head one picture later and how far its points agree (0..1), or (None, 0)."""
    cx, cy = state[0] - origin[0], state[1] - origin[1]
    mask = np.zeros(before.shape, np.uint8)
    cv2.ellipse(mask, (int(cx), int(cy)), (max(2, int(state[2] * 0.48)), max(2, int(state[3] * 0.48))), state[4], 0, 360, 255, -1)
    points = cv2.goodFeaturesToTrack(before, 70, 0.008, max(2, state[2] / 18), mask=mask, blockSize=5)
    if points is None or len(points) < 6:
        return None, 0.0
    window = int(np.clip(state[2] / 4, 9, 31)) | 1
    levels = 3 if state[2] > 60 else 2
    ahead, good, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, winSize=(window, window), maxLevel=levels)
    back, good_back, _ = cv2.calcOpticalFlowPyrLK(after, before, ahead, None, winSize=(window, window), maxLevel=levels)
    error = np.linalg.norm((back - points).reshape(-1, 2), axis=1)
    kept = (good.ravel() == 1) & (good_back.ravel() == 1) & (error < max(0.8, state[2] * 0.012))
    if kept.sum() < 5:
        return None, 0.0
    source, target = points[kept].reshape(-1, 2), ahead[kept].reshape(-1, 2)
    found, inliers = cv2.estimateAffinePartial2D(source, target, method=cv2.RANSAC, ransacReprojThreshold=max(0.8, state[2] * 0.015))
    if found is None:
        return None, 0.0
    zoom = float(np.clip(np.hypot(found[0, 0], found[1, 0]), 0.97, 1.03))
    # The shift at the middle of the head; turning of the picture is left to the detector.
    shift = np.median((target - source)[inliers.ravel() == 1], axis=0)
    moved = state.copy()
    moved[:2] += shift
    moved[2:4] *= zoom
    return moved, float(inliers.sum() / len(points))


def _patch(picture, state, origin) -> np.ndarray:
    """The head as a small normalised grey picture, zero mean, float32."""
    sx, sy = state[2] * 0.95 / _PATCH, state[3] * 0.95 / _PATCH
    move = np.float32([[sx, 0, state[0] - origin[0] - sx * _PATCH / 2], [0, sy, state[1] - origin[1] - sy * _PATCH / 2]])
    small = cv2.warpAffine(picture, move, (_PATCH, _PATCH), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)
    return cv2.GaussianBlur(small.astype(np.float32), (0, 0), 1.0)


def _correlation(a, b) -> float:
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / max(np.sqrt((a * a).sum() * (b * b).sum()), 1e-6))
