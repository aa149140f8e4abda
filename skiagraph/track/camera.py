"""What the camera did between two frames of a shot.

Source: sparse optical flow and a robust similarity, as in Aharon et al., BoT-SORT, 2022.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.detect.shrink import shrunk


@dataclass(frozen=True, slots=True)
class CameraSettings:
    """The camera's motion. Set on the films of benchmarks/scenes.py and benchmarks/degraded.py."""

    # px that pictures are made smaller to; larger: finer motion, more work
    work_width: int = 320
    # parts of a picture in which a point is followed; larger: steadier motion, more work
    points: int = 100
    # quality of a corner against the best one; larger: fewer, better points
    corner: float = 0.01
    # points that tell a motion; fewer tell nothing
    least_points: int = 12
    # px around a point that are looked for; larger: surer, and blind to what is small
    window: tuple[int, int] = (13, 13)
    # times a picture is halved for what goes far; larger: faster motion is found
    levels: int = 3
    # share of the points that one motion explains at least, and 10 of them
    agree: float = 0.35
    # change of size in one step beyond which it is a mistake
    zoom: tuple[float, float] = (0.8, 1.25)
    # points left below which they are looked for anew
    enough: int = 40
    # steps after which points are looked for anew in any case
    renew: int = 6
    # frames, of those that are decoded, within which all is as before a flash; larger: longer flashes are known, and
    # shorter shots overlooked (track.cuts)
    flash: int = 3


CAMERA = CameraSettings()
STILL = np.array([[1.0, 0, 0], [0, 1, 0]])


def composed(first: np.ndarray, then: np.ndarray) -> np.ndarray:
    """What one similarity (2, 3) and then another do together, (2, 3)."""
    return then @ np.vstack([first, (0.0, 0.0, 1.0)])


def motion_between(earlier: np.ndarray, later: np.ndarray) -> np.ndarray:
    """The similarity (2, 3) from px of one frame to px of another of the same shot, of which both are known
    (Picture.view)."""
    return composed(cv2.invertAffineTransform(earlier), later)


@dataclass(frozen=True, slots=True, eq=False)
class Views:
    """What the camera did, in frames that were looked at. frames: (n,), in order; similarities: (n, 2, 3), of each from
    px of the first frame of its shot to px of it (Picture.view)."""

    frames: np.ndarray
    similarities: np.ndarray

    @classmethod
    def still(cls) -> Views:
        """A camera that never moved."""
        return cls(np.zeros(1, int), STILL[None])

    def _at(self, frames: np.ndarray) -> np.ndarray:
        """Of each of (m,) frames the similarity of the last one before it that was looked at, (m, 2, 3)."""
        return self.similarities[np.maximum(np.searchsorted(self.frames, frames, side="right") - 1, 0)]

    def scale(self, frames: np.ndarray) -> np.ndarray:
        """How many px of each of (m,) frames are one of the first frame of its shot."""
        at = self._at(frames)
        return np.hypot(at[:, 0, 0], at[:, 1, 0])

    def at_first(self, frames: np.ndarray, points: np.ndarray) -> np.ndarray:
        """Where points, (n, 2) px of each frame, would be in the first frame of their shot had only the camera moved,
        (n, 2)."""
        at = self._at(frames)
        # Back by the inverse of a similarity: turned the other way, and made as large as before.
        return np.einsum("nji,nj->ni", at[:, :, :2], points - at[:, :, 2]) / (self.scale(frames) ** 2)[:, None]

    def down(self, frames: np.ndarray, points: np.ndarray, angles: np.ndarray) -> np.ndarray:
        """How far down some heads are, (n,) px of the first frame of their shot, whatever the camera did since: along
        the lean that they mostly have there. points: (n, 2) px of each frame; angles: of heads, degrees clockwise."""
        turns, there = self._at(frames)[:, :, :2], self.at_first(frames, points)
        # Mean direction: degrees of who is upside down go from 180 to -180.
        leans = np.radians(angles) - np.arctan2(turns[:, 1, 0], turns[:, 0, 0])
        lean = np.arctan2(np.sin(leans).sum(), np.cos(leans).sum())
        return there @ (-np.sin(lean), np.cos(lean))


def newly_seen(earlier: np.ndarray, later: np.ndarray, size: tuple[int, int]) -> float:
    """Share of a frame, 0..1, that was outside an earlier one of its shot. earlier, later: views of both
    (Picture.view); size: of frames, px."""
    corners = np.float32([(0, 0), (size[0], 0), size, (0, size[1])])
    there = cv2.transform(corners[None], motion_between(earlier, later))[0]
    return 1.0 - cv2.intersectConvexConvex(there, corners)[0] / (size[0] * size[1])


def newly_seen_parts(earlier: np.ndarray, later: np.ndarray, size: tuple[int, int], around: float) -> np.ndarray:
    """Parts of a frame, x0, y0, x1, y1 (n, 4), along those of its edges over which more has come into it since an
    earlier one of its shot; around: px by which they reach further in. Others as in newly_seen."""
    width, height = size
    corners = np.float32([(0, 0), (width, 0), (width, height), (0, height)])
    (ax, ay), (bx, by), (cx, cy), (dx, dy) = cv2.transform(corners[None], motion_between(earlier, later))[0].tolist()
    left, top, right, bottom = max(ax, dx), max(ay, by), width - min(bx, cx), height - min(cy, dy)
    parts = [
        (0, 0, left + around, height),
        (0, 0, width, top + around),
        (width - right - around, 0, width, height),
        (0, height - bottom - around, width, height),
    ]
    return (
        np.array([part for part, depth in zip(parts, (left, top, right, bottom)) if depth >= 1.0], float)
        .reshape(-1, 4)
        .clip(0, [width, height, width, height])
    )


class CameraMotion:
    """Fed one upright grey frame after another, not necessarily each; tells what the camera did since the shot began.

    Points are followed from frame to frame, and their motion is measured over several, in which whoever walks goes
    further than a point may be off. Where it cannot be told, as in a flash, the next frames are held against the one
    before that, for as long as a flash lasts.
    """

    def __init__(self):
        self._before: np.ndarray | None = None
        self._restarted(STILL)

    def _restarted(self, view: np.ndarray) -> None:
        # The frame in which points were looked for: what the camera had done until then, and where they were, at work
        # size; and where they are now.
        self._known = self._view = view
        self._begun: np.ndarray | None = None
        self._points: np.ndarray | None = None
        self._steps = self._failed = 0

    def restart(self, grey: np.ndarray, view: np.ndarray = STILL) -> np.ndarray:
        """Begin anew with this frame: the first of a shot, or one of which it is known what the camera had done."""
        self._before = None
        self._restarted(view)
        return self.step(grey)

    def step(self, grey: np.ndarray) -> np.ndarray:
        """Similarity, float64 (2, 3), from px of the first frame of the shot to px of this one."""
        small, scale = at_work_size(grey)
        before, self._before = self._before, small
        if before is None or self._points is None or before.shape != small.shape:
            self._look_for_points()
            return self._view
        moved, good, _ = cv2.calcOpticalFlowPyrLK(
            before, small, self._points, None, winSize=CAMERA.window, maxLevel=CAMERA.levels
        )
        good = good.ravel() == 1
        # Over several frames, or where that cannot be told any more, from one to the next.
        since, found = self._known, _motion(self._begun[good], moved[good])
        if found is None:
            since, found = self._view, _motion(self._points[good], moved[good])
        if found is None and self._failed < CAMERA.flash:
            self._before, self._failed = before, self._failed + 1
            return self._view
        if found is not None:
            found[:, 2] /= scale
            self._view = composed(since, found)
        renewed = (
            found is None or since is not self._known or good.sum() < CAMERA.enough or self._steps + 1 >= CAMERA.renew
        )
        self._begun, self._points, self._steps, self._failed = self._begun[good], moved[good], self._steps + 1, 0
        if renewed:
            self._look_for_points()
        return self._view

    def _look_for_points(self) -> None:
        points = spread_corners(self._before)
        self._begun = self._points = points if len(points) >= CAMERA.least_points else None
        self._known, self._steps, self._failed = self._view, 0, 0


def at_work_size(grey: np.ndarray) -> tuple[np.ndarray, float]:
    """An upright grey picture as motion is measured in it, and the scale of that."""
    scale = min(1.0, CAMERA.work_width / grey.shape[1])
    return shrunk(grey, (max(16, round(grey.shape[1] * scale)), max(16, round(grey.shape[0] * scale)))), scale


def spread_corners(grey: np.ndarray) -> np.ndarray:
    """The best corner (Shi and Tomasi, CVPR 1994) of each part of a picture that has one, float32 (n, 1, 2).

    So people before a calm sea or sky, who have the best corners, are not taken for what does not move.
    """
    strength = cv2.cornerMinEigenVal(grey, 5)
    side = max(8, round(np.sqrt(grey.size / CAMERA.points)))
    down, across = grey.shape[0] // side, grey.shape[1] // side
    parts = (
        strength[: down * side, : across * side]
        .reshape(down, side, across, side)
        .transpose(0, 2, 1, 3)
        .reshape(down, across, -1)
    )
    best = parts.argmax(axis=2)
    row, column = np.nonzero(parts.max(axis=2) >= CAMERA.corner * strength.max(initial=1e-12))
    y, x = np.divmod(best[row, column], side)
    return np.stack([column * side + x, row * side + y], axis=1).astype(np.float32)[:, None]


def share_moved(before: np.ndarray, after: np.ndarray, most: float) -> float:
    """Share of the corners of a picture, 0..1, that are found in another, and from there again in the first, and that
    one similarity takes there; 0 where half of them go further than `most`. Both at work size, `most` in its px.
    Forward and back: Kalal, Mikolajczyk and Matas, Forward-backward error, ICPR 2010.
    """
    points = spread_corners(before)
    if len(points) < CAMERA.least_points:
        return 0.0
    moved, there, _ = cv2.calcOpticalFlowPyrLK(
        before, after, points, None, winSize=CAMERA.window, maxLevel=CAMERA.levels
    )
    back, again, _ = cv2.calcOpticalFlowPyrLK(after, before, moved, None, winSize=CAMERA.window, maxLevel=CAMERA.levels)
    good = (there.ravel() == 1) & (again.ravel() == 1) & (np.abs(back - points).max(axis=(1, 2)) < 1.0)
    if good.sum() < CAMERA.least_points:
        return 0.0
    _, inliers = cv2.estimateAffinePartial2D(points[good], moved[good], method=cv2.RANSAC, ransacReprojThreshold=1.0)
    if inliers is None or not inliers.any():
        return 0.0
    went = np.linalg.norm((moved - points)[good][inliers.ravel() == 1], axis=2)
    return float(inliers.sum() / len(points)) if np.median(went) <= most else 0.0


def _motion(points: np.ndarray, moved: np.ndarray) -> np.ndarray | None:
    """The similarity (2, 3) that most of the points (n, 1, 2) made, if most made one."""
    if len(points) < CAMERA.least_points:
        return None
    found, inliers = cv2.estimateAffinePartial2D(points, moved, method=cv2.RANSAC, ransacReprojThreshold=1.0)
    if (
        found is None
        or inliers.sum() < max(10, CAMERA.agree * len(points))
        or not CAMERA.zoom[0] < np.hypot(found[0, 0], found[1, 0]) < CAMERA.zoom[1]
    ):
        return None
    return found.copy()
