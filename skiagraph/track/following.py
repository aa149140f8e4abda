"""Following a head by its picture where no detector sees it.

Pyramidal Lucas-Kanade with a forward-backward check (Kalal et al., Forward-Backward Error, ICPR 2010), a robust
similarity, and a comparison of what was followed with what it looked like. Now and then the shape of head and shoulders is
asked whether anybody is there at all, and where exactly. A follower stops when it does not know.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.track.appearance import correlation, head_patch
from skiagraph.track.silhouette import SILHOUETTE, Silhouette


@dataclass(frozen=True, slots=True)
class FollowerSettings:
    """The follower of a head by its picture. Set by benchmarks/quality.py (aside) and follow.py."""

    lost: float = 0.45  # correlation with its own recent look below which it is no longer the same thing; larger: stops sooner
    jerk: float = 0.09  # share of the head per frame by which a step that was made by something in front differs from those before; larger: more steps are believed
    ask_every: int = 3  # frames between two questions to the shape, which is asked at once where the picture says little
    absent_most: int = 3  # answers that nobody is there that count at most
    led_most: float = 1.0  # head widths that the shape may lead a head from where its picture went before one of the two must be wrong; by 0.8 at most in all the films with backs turned (aside, behind), by 1.6 on to a shoulder behind bars (railings, each 8th frame: 30 leaks in no finding); larger: less is asked
    led_fades: float = 0.99  # share of that which is left a frame later: pictures drift by and by; larger: more is asked
    astray: float = 0.42  # confidence from there on at most, so that a person looks (review.finding.UNSURE, after the fifth that rows are less sure by)
    tallest: float = 1.6  # times as high as wide that a head is at most: what is seen between bars is narrower than what is behind them; smaller: wider covers
    room: float = 1.0  # head sizes around the head in which a step is looked for; larger: faster moves, more work


FOLLOWER = FollowerSettings()
# So many points are followed on a head; corners are looked for in the head and so many px around it, and flow until it moves less than that (px).
POINTS, MARGIN, ENDED = 50, 6, (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 15, 0.02)


@dataclass(frozen=True, slots=True)
class Followed:
    """rows: float32 (n, 6) cx, cy, width, height, angle, confidence for the frames after the start, as far as known.

    reason: why it stopped: "" at the end, "left" the picture, "lost" it.
    """

    rows: np.ndarray
    reason: str


class Follower:
    """One head on its way. state: cx, cy, width, height (px of the frame), angle; confidence 0..1; reason: empty while it goes on."""

    def __init__(self, picture_rgb: np.ndarray, head: np.ndarray, velocity: np.ndarray, origin=(0, 0), size: tuple[int, int] | None = None,
                 silhouette: Silhouette | None = None):
        """head lies in picture_rgb (a crop whose corner is at origin of the frame of `size`); velocity: px per frame, from before."""
        self.state = np.asarray(head[:5], float).copy()
        self.speed = np.asarray(velocity, float).copy()
        self.confidence, self.reason = 1.0, ""
        self._size, self._silhouette = size, silhouette
        self._reference = head_patch(_grey(picture_rgb), self.state, origin)
        self._since, self._absent, self._seen = 0, 0, False
        self._slack = np.zeros(2)
        # Head widths by which the shape has led it away from where its picture went.
        self._led = np.zeros(2)

    def step(self, before_rgb: np.ndarray, after_rgb: np.ndarray, origin=(0, 0), *, hidden: bool = False, frames: int = 1) -> np.ndarray | None:
        """Go on to the next picture (both crops of the same place); returns the row, or None when it stops, with the reason.

        hidden: somebody else's head is in front, so that nothing in the picture may be believed. frames: from one picture to the other.
        """
        expected = self.state.copy()
        expected[:2] += self.speed * frames
        (before, after), place = _near(self.state, expected, origin, before_rgb, after_rgb)
        step, trust = (None, 0.0) if hidden else _step(before, after, self.state, place)
        width = max(self.state[2], 1)
        jerk = np.inf if step is None else np.hypot(*(step[:2] - expected[:2])) / width
        if step is None or jerk > (FOLLOWER.jerk + 0.5 * np.hypot(*self.speed) / width) * frames:
            moved, trust = expected, 0.0
        else:
            moved = step
        looks = head_patch(after, moved, place)
        same = correlation(self._reference, looks)
        agreed = min(1.0, max(0.0, (same - FOLLOWER.lost) / (0.9 - FOLLOWER.lost))) * (0.4 + 0.6 * trust)
        self.confidence = min(self.confidence * 0.985 ** frames, 0.25 + 0.75 * agreed) if agreed > 0 else self.confidence * (0.85 if hidden else 0.6) ** frames
        old = 0.75 ** frames
        self.speed = old * self.speed + (1 - old) * (moved[:2] - self.state[:2]) / frames if trust else self.speed * 0.93 ** frames
        self.state = moved
        if not hidden:
            self._ask(after_rgb, origin, same, frames)
        self._led *= FOLLOWER.led_fades ** frames
        if np.hypot(*self._led) > FOLLOWER.led_most:
            self.confidence = min(self.confidence, FOLLOWER.astray)
        if self.confidence < 0.12:
            self.reason = "lost"
            return None
        if same > 0.7:
            old = 0.85 ** frames
            self._reference = old * self._reference + (1 - old) * looks
        elif self._seen and self._absent == 0:
            # A head that turns looks different by and by; while its shape is there, what it looks like now is what it looks like.
            old = 0.6 ** frames
            self._reference = old * self._reference + (1 - old) * head_patch(after, self.state, place)
        if self._size is not None and _outside(self.state, self._size):
            self.reason = "left"
        row = np.append(self.state, self.confidence * 0.8)
        row[2:4] += 2 * self._slack
        self._slack *= 0.9 ** frames
        return row

    def _ask(self, picture_rgb, origin, same, frames) -> None:
        """Ask the shape whether the head is there; it lifts or sinks the confidence and takes drift out."""
        self._since += frames
        if self._silhouette is None or self._since < (1 if self._absent or not self._seen or same < 0.6 else FOLLOWER.ask_every):
            return
        self._since = 0
        shape = self._silhouette.shape(picture_rgb, self.state, origin)
        clear = shape.margin >= SILHOUETTE.clear
        if shape.share < SILHOUETTE.gone and not clear:
            self._absent = min(self._absent + 1, FOLLOWER.absent_most)
            self.confidence *= 0.72 if self._absent > 1 else 0.85
            return
        # In noise a shape comes and goes: who was not there twice has to be there twice.
        self._absent = max(0, self._absent - 1)
        if self._absent:
            return
        if clear:
            self.confidence = max(self.confidence, 0.72)
            # The last face seen of somebody who turns away lies at the edge of the head; the shape knows its middle.
            gain = 0.4 if self._seen else 0.8
            off = np.array([shape.cx, shape.cy]) - self.state[:2]
            off = gain * np.clip(off, -0.6 * self.state[2], 0.6 * self.state[2])
            self.state[:2] += off
            self._led += off / max(self.state[2], 1)
            if not self._seen:
                # Both places are covered until the new one has proved itself.
                self._slack = np.abs(off)
            self.state[2] *= float(np.clip(shape.width / max(self.state[2], 1), 1 - 0.15 * gain, 1 + 0.3 * gain))
            # No head is lower than this for its width, from any side, with the chin that stands out in profile.
            self.state[3] += gain * max(0.0, 1.25 * self.state[2] - self.state[3])
            self.state[2] = max(self.state[2], self.state[3] / FOLLOWER.tallest)
            self._seen = True
        elif shape.share >= SILHOUETTE.there:
            self.confidence = max(self.confidence, min(0.5, self.confidence * 1.1))


def follow(pictures: Sequence[np.ndarray], head: np.ndarray, velocity: np.ndarray, origin=(0, 0), size: tuple[int, int] | None = None,
           silhouette: Silhouette | None = None, numbers: Sequence[int] | None = None) -> Followed:
    """Follow a head through pictures[1:], having it at `head` (cx, cy, width, height, angle) in pictures[0].

    pictures: upright crops, uint8 RGB, all of the same place, whose top left corner is at origin of the frame of `size`
    (width, height). velocity: px per frame (x, y), from before. numbers: of the pictures' frames, rising or falling, where some between
    them are left out; rows of those lie between their neighbours'.
    """
    follower = Follower(pictures[0], head, velocity, origin, size, silhouette)
    numbers = range(len(pictures)) if numbers is None else numbers
    rows: list[np.ndarray] = []
    for n in range(1, len(pictures)):
        before, frames = follower.state.copy(), abs(int(numbers[n]) - int(numbers[n - 1]))
        row = follower.step(pictures[n - 1], pictures[n], origin, frames=frames)
        if row is None:
            break
        rows += between(rows[-1] if rows else np.append(before, row[5]), row, frames)
        if follower.reason:
            break
    return Followed(np.array(rows, np.float32).reshape(-1, 6), follower.reason)


def between(before: np.ndarray, row: np.ndarray, frames: int) -> list[np.ndarray]:
    """A row, so many frames after another one, with those that lie between the two."""
    return [before + (row - before) * (n / frames) for n in range(1, frames)] + [row]


def _near(state, expected, origin, *pictures) -> tuple[list[np.ndarray], tuple[float, float]]:
    """What of the pictures lies around a head and where it is expected, grey, and the corner of that: corners and flow cost by the px."""
    reach = FOLLOWER.room * max(state[2], state[3], 8.0)
    height, width = pictures[0].shape[:2]
    low, high = (np.array(pick(state[:2], expected[:2]) - origin) for pick in (np.minimum, np.maximum))
    x0, y0 = (int(np.clip(v, 0, side - 2)) for v, side in zip(low - reach, (width, height)))
    x1, y1 = (int(np.clip(v, at + 2, side)) for v, at, side in zip(high + reach, (x0, y0), (width, height)))
    return [_grey(picture[y0:y1, x0:x1]) for picture in pictures], (origin[0] + x0, origin[1] + y0)


def _grey(picture: np.ndarray) -> np.ndarray:
    return cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY) if picture.ndim == 3 else picture


def _outside(state, size) -> bool:
    cx, cy, width, height = state[:4]
    return cx + width / 2 < 0 or cy + height / 2 < 0 or cx - width / 2 > size[0] or cy - height / 2 > size[1]


def _step(before, after, state, origin):
    """The head one picture later and how far its points agree (0..1), or (None, 0)."""
    points = _points(before, state, origin)
    if points is None or len(points) < 6:
        return None, 0.0
    window = int(np.clip(state[2] / 4, 9, 31)) | 1
    search = dict(winSize=(window, window), maxLevel=3 if state[2] > 60 else 2, criteria=ENDED)
    ahead, good, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, **search)
    back, good_back, _ = cv2.calcOpticalFlowPyrLK(after, before, ahead, None, **search)
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


def _points(grey: np.ndarray, state, origin) -> np.ndarray | None:
    """Points on the head that are easily found again, float32 (n, 1, 2)."""
    middle = np.array([state[0] - origin[0], state[1] - origin[1]])
    reach = max(state[2], state[3]) * 0.5 + MARGIN
    x0, y0 = (int(np.clip(v, 0, side)) for v, side in zip(middle - reach, grey.shape[::-1]))
    x1, y1 = (int(np.clip(v + 1, 0, side)) for v, side in zip(middle + reach, grey.shape[::-1]))
    part = grey[y0:y1, x0:x1]
    if min(part.shape) < 2:
        return None
    mask = np.zeros(part.shape, np.uint8)
    cv2.ellipse(mask, (int(middle[0]) - x0, int(middle[1]) - y0), (max(2, int(state[2] * 0.48)), max(2, int(state[3] * 0.48))), state[4], 0, 360, 255, -1)
    points = cv2.goodFeaturesToTrack(part, POINTS, 0.008, max(2, state[2] / 18), mask=mask, blockSize=5)
    return None if points is None else points + np.float32([x0, y0])
