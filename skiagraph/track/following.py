"""Following a head by its picture where no detector sees it.

Pyramidal Lucas-Kanade with a forward-backward check (Kalal et al., Forward-Backward Error, ICPR 2010), a robust
similarity, and a comparison of what was followed with what it looked like. Now and then the shape of head and shoulders
is asked whether anybody is there at all, and where exactly. A follower stops when it does not know.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.track.appearance import correlation, head_patch
from skiagraph.track.silhouette import SILHOUETTE, Shape, Silhouette


@dataclass(frozen=True, slots=True)
class FlowSettings:
    """One step by optical flow.

    Shares are of the head's width unless they say otherwise, with a least in px for small heads. Set by
    benchmarks/quality.py (aside, jackets).
    """

    # points that are followed on a head; larger: more work, steadier steps
    points: int = 50
    # corners that a head needs for its flow to tell anything
    least_points: int = 6
    # points that have to come back to where they began for a step to count
    least_agreed: int = 5
    # quality of a corner against the best one (Shi and Tomasi, CVPR 1994); larger: fewer, better corners
    corner: float = 0.008
    # corners that stand side by side across a head at most, 2 px apart at least; larger: more corners at one place
    corners_across: float = 18.0
    # width of the window that is compared around a point, 9 to 31 px
    patch: float = 0.25
    # width of a head from which a fourth level of the pyramid is worth it
    large_px: float = 60.0
    # shares of the head's width and height within which points lie on it and not on what is behind
    inside: float = 0.48
    # px around the head in which corners are looked for
    margin: int = 6
    # head widths by which a point may miss where it began when it is followed back, 0.8 px at least (Kalal); larger:
    # more points, worse ones
    back_off: float = 0.012
    # head widths by which a point may be off the motion of all, 0.8 px at least (RANSAC)
    fits: float = 0.015
    # least and most change of size in one step, times
    zoom: tuple[float, float] = (0.97, 1.03)
    # way in one step, in head widths, from which points are looked for where the speed leads too, and not only where
    # they were; smaller: more work
    guessed: float = 0.35


FLOW = FlowSettings()
# Flow is refined until it moves less than that, px, or so many times.
_ENDED = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 15, 0.02)


@dataclass(frozen=True, slots=True)
class ConfidenceSettings:
    """How sure a follower is, 0..1.

    Values "a frame" are powers: over n frames their n-th. Set by benchmarks/quality.py (aside); larger values keep
    followers going for longer, and covers on what may be nobody.
    """

    # correlation with its own recent look below which what is followed is no longer the same thing; larger: stops
    # sooner
    lost: float = 0.45
    # correlation from which it surely is the same thing
    the_same: float = 0.9
    # how much of the confidence of one step hangs on the share of its points that agree, 0..1; the rest hangs on the
    # correlation
    points_count: float = 0.6
    # confidence of a step after which it hardly looks like itself
    least: float = 0.25
    # confidence that is left after each frame, whatever the picture shows (a power)
    fades: float = 0.985
    # confidence that is left after each frame in which somebody else is in front (a power)
    fades_hidden: float = 0.85
    # confidence that is left after each frame in which it does not look like itself (a power)
    fades_unlike: float = 0.6
    # confidence that is left when the shape network says for the first time that no head is there
    absent_once: float = 0.85
    # confidence that is left each further time that the shape network says so
    absent_again: float = 0.72
    # confidence at least where the shape of head and shoulders is clear
    shaped: float = 0.72
    # confidence at most to which a shape that is there, but not clear, lifts it
    half_shaped: float = 0.5
    # times that each such shape lifts the confidence
    half_lifts: float = 1.1
    # confidence under which the follower does not know where its head is, and stops
    stops: float = 0.12
    # share of its confidence that is written into the path: no face was found there
    told: float = 0.8


CONFIDENCE = ConfidenceSettings()


@dataclass(frozen=True, slots=True)
class FollowerSettings:
    """The follower of a head by its picture.

    Values "a frame" are powers: over n frames their n-th. Set by benchmarks/quality.py (aside).
    """

    # share of the head a frame by which a step may differ from those before; a step that differs more was made by
    # something in front; larger: more steps are believed
    jerk: float = 0.09
    # share of its speed by which a step may differ beside that
    jerk_of_speed: float = 0.5
    # share of the former speed that is kept in each frame in which it was seen to move (a power); larger: slower to
    # turn
    speed_kept: float = 0.75
    # share of its speed that is kept in each frame in which nothing was seen of it (a power)
    speed_unseen: float = 0.93
    # share of its speed that is kept in each frame in which somebody else is in front (a power): who walks by behind
    # somebody walks on (stepping, with 0.93: 17 leaks of veiled, 19 of unseen-4); larger: covers of who stops there go
    # too far
    speed_hidden: float = 0.98
    # correlation from which its present look is learned; larger: drifts less, is lost sooner
    looks_like: float = 0.7
    # share of the former look that is kept in each frame in which the present one is learned (a power)
    look_kept: float = 0.85
    # the same where the head turns away, for which the shape network vouches
    turning_kept: float = 0.6
    # frames between two questions to the shape network, which is asked at once where the picture says little
    ask_every: int = 3
    # correlation under which the picture says little, and the shape network is asked at once
    ask_unlike: float = 0.6
    # answers in a row that no head is there that count at most
    absent_most: int = 3
    # at the first clear shape the follower moves by this share of the way to its middle: the last face seen of somebody
    # who turns away lies at the edge of their head
    first_gain: float = 0.8
    # share of that way at each later shape; larger: follows shapes that are not its own
    gain: float = 0.4
    # head widths from the follower's place at most at which the middle of a shape is believed
    shape_off: float = 0.6
    # share by which one shape may make the head narrower
    narrower: float = 0.15
    # share by which one shape may make the head wider
    wider: float = 0.3
    # height of a head against its width at least, from any side, with the chin that stands out in profile
    lowest: float = 1.25
    # height of a head against its width at most: what is seen between bars is narrower than what is behind them;
    # smaller: wider covers
    tallest: float = 1.6
    # when the shape moves the head for the first time, the cover holds both places; share of that widening that is left
    # after each frame (a power); larger: wider covers for longer
    slack_kept: float = 0.9
    # head widths that the shape may lead a head from where its picture went before one of the two must be wrong; by 0.8
    # at most in all the films with backs turned (aside, behind), by 1.6 on to a shoulder behind bars (railings, each
    # 8th frame: 30 leaks in no finding); larger: less is asked
    led_most: float = 1.0
    # share of what the shape has led that is left a frame later, since pictures drift by and by (a power); larger: more
    # is asked
    led_fades: float = 0.99
    # confidence at most once the shape has led it further than that, so that a person looks (review.finding.UNSURE,
    # after the fifth that rows are less sure by)
    astray: float = 0.42
    # head widths a frame at most within which a head of unknown speed is looked for at its first step, and twice as
    # many in all; larger: faster ones are found, and more that are others
    sought: float = 1.5
    # share of the head's width and height, around its middle, that is compared there
    sought_part: float = 0.7
    # correlation of that part from which it is the head; larger: fewer, surer ones
    sought_like: float = 0.8
    # size at most against that at which it began, times: who comes nearer than that is found by their face; larger:
    # what is behind a small head is taken for it (square)
    grown: float = 2.0
    # head sizes around the head in which a step is looked for; larger: faster moves, more work
    room: float = 1.0


FOLLOWER = FollowerSettings()


@dataclass(frozen=True, slots=True)
class Followed:
    """rows: float32 (n, 6) cx, cy, width, height, angle, confidence for the frames after the start, as far as known.

    reason: why it stopped: "" at the end, "left" the picture, "lost" it.
    """

    rows: np.ndarray
    reason: str


class Follower:
    """One head on its way. state: cx, cy, width, height (px of the frame), angle; confidence 0..1; reason: empty while
    it goes on."""

    def __init__(
        self,
        picture_rgb: np.ndarray,
        head: np.ndarray,
        velocity: np.ndarray | None,
        origin=(0, 0),
        size: tuple[int, int] | None = None,
        silhouette: Silhouette | None = None,
    ):
        """head lies in picture_rgb (a crop whose corner is at origin of the frame of `size`); velocity: px per frame,
        from before; None where that is not known, since it was seen once.
        """
        self.state = np.asarray(head[:5], float).copy()
        self._largest = FOLLOWER.grown * self.state[2:4]
        self.speed = np.zeros(2) if velocity is None else np.asarray(velocity, float).copy()
        self.speed_known = velocity is not None
        self.confidence, self.reason = 1.0, ""
        self._size, self._silhouette = size, silhouette
        self._reference = head_patch(_grey(picture_rgb), self.state, origin)
        self._since, self._absent, self._seen = 0, 0, False
        self._slack = np.zeros(2)
        # Head widths by which the shape has led it away from where its picture went.
        self._led = np.zeros(2)

    def step(
        self, before_rgb: np.ndarray, after_rgb: np.ndarray, origin=(0, 0), *, hidden: bool = False, frames: int = 1
    ) -> np.ndarray | None:
        """Go on to the next picture (both crops of the same place); returns the row, or None when it stops, with the
        reason.

        hidden: somebody else's head is in front, so that nothing in the picture may be believed. frames: from one
        picture to the other.
        """
        if not self.speed_known and not hidden:
            self.speed_known = True
            self.speed = _sought(_grey(before_rgb), _grey(after_rgb), self.state, origin, frames)
        expected = self.state.copy()
        expected[:2] += self.speed * frames
        (before, after), place = _near(self.state, expected, origin, before_rgb, after_rgb)
        moved, trust = (expected, 0.0) if hidden else self._moved(before, after, expected, place, frames)
        looks = head_patch(after, moved, place)
        same = correlation(self._reference, looks)
        self._weigh(same, trust, hidden, frames)
        old = FOLLOWER.speed_kept**frames
        self.speed = (
            old * self.speed + (1 - old) * (moved[:2] - self.state[:2]) / frames
            if trust
            else self.speed * (FOLLOWER.speed_hidden if hidden else FOLLOWER.speed_unseen) ** frames
        )
        self.state = moved
        if not hidden:
            self._ask(after_rgb, origin, same, frames)
        self.state[2:4] = np.minimum(self.state[2:4], self._largest)
        self._led *= FOLLOWER.led_fades**frames
        if np.hypot(*self._led) > FOLLOWER.led_most:
            self.confidence = min(self.confidence, FOLLOWER.astray)
        if self.confidence < CONFIDENCE.stops:
            self.reason = "lost"
            return None
        if same > FOLLOWER.looks_like:
            self._learn(looks, FOLLOWER.look_kept**frames)
        elif self._seen and self._absent == 0:
            # A head that turns looks different by and by; its shape vouches for it that this is still the same head.
            self._learn(head_patch(after, self.state, place), FOLLOWER.turning_kept**frames)
        if self._size is not None and _outside(self.state, self._size):
            self.reason = "left"
        row = np.append(self.state, self.confidence * CONFIDENCE.told)
        row[2:4] += 2 * self._slack
        self._slack *= FOLLOWER.slack_kept**frames
        return row

    def _moved(
        self, before: np.ndarray, after: np.ndarray, expected: np.ndarray, place: tuple[float, float], frames: int
    ) -> tuple[np.ndarray, float]:
        """The head in the next picture, and how far its points agree; where it is expected, and 0, when they do not or
        when something else must have moved them."""
        step, trust = _step(before, after, self.state, place, expected[:2] - self.state[:2])
        if step is None:
            return expected, 0.0
        width = max(self.state[2], 1)
        jerk = np.hypot(*(step[:2] - expected[:2])) / width
        most = (FOLLOWER.jerk + FOLLOWER.jerk_of_speed * np.hypot(*self.speed) / width) * frames
        return (expected, 0.0) if jerk > most else (step, trust)

    def _weigh(self, same: float, trust: float, hidden: bool, frames: int) -> None:
        """Update the confidence. same: correlation with its recent look; trust: how far its points agree."""
        alike = min(1.0, max(0.0, (same - CONFIDENCE.lost) / (CONFIDENCE.the_same - CONFIDENCE.lost)))
        agreed = alike * (1 - CONFIDENCE.points_count + CONFIDENCE.points_count * trust)
        if agreed > 0:
            self.confidence = min(
                self.confidence * CONFIDENCE.fades**frames, CONFIDENCE.least + (1 - CONFIDENCE.least) * agreed
            )
        else:
            self.confidence *= (CONFIDENCE.fades_hidden if hidden else CONFIDENCE.fades_unlike) ** frames

    def _learn(self, looks: np.ndarray, kept: float) -> None:
        """Take a look of the head into what it is compared with, of which so much is kept."""
        self._reference = kept * self._reference + (1 - kept) * looks

    def _ask(self, picture_rgb, origin, same, frames) -> None:
        """Ask the shape whether the head is there, which lifts or lowers the confidence, and where, which takes drift
        out."""
        self._since += frames
        at_once = self._absent or not self._seen or same < FOLLOWER.ask_unlike
        if self._silhouette is None or self._since < (1 if at_once else FOLLOWER.ask_every):
            return
        self._since = 0
        shape = self._silhouette.shape(picture_rgb, self.state, origin)
        clear = shape.margin >= SILHOUETTE.clear
        if shape.share < SILHOUETTE.gone and not clear:
            self._absent = min(self._absent + 1, FOLLOWER.absent_most)
            self.confidence *= CONFIDENCE.absent_again if self._absent > 1 else CONFIDENCE.absent_once
            return
        # In noise a shape comes and goes: who was not there twice has to be there twice.
        self._absent = max(0, self._absent - 1)
        if self._absent:
            return
        if clear:
            self.confidence = max(self.confidence, CONFIDENCE.shaped)
            self._go_to(shape)
        elif shape.share >= SILHOUETTE.there:
            self.confidence = max(self.confidence, min(CONFIDENCE.half_shaped, self.confidence * CONFIDENCE.half_lifts))

    def _go_to(self, shape: Shape) -> None:
        """Move towards the head that a clear shape shows, and take on some of its size."""
        gain = FOLLOWER.gain if self._seen else FOLLOWER.first_gain
        most = FOLLOWER.shape_off * self.state[2]
        off = gain * np.clip(np.array([shape.cx, shape.cy]) - self.state[:2], -most, most)
        self.state[:2] += off
        self._led += off / max(self.state[2], 1)
        if not self._seen:
            # Both places are covered until the new one has proved itself.
            self._slack = np.abs(off)
        self.state[2] *= float(
            np.clip(shape.width / max(self.state[2], 1), 1 - FOLLOWER.narrower * gain, 1 + FOLLOWER.wider * gain)
        )
        self.state[3] += gain * max(0.0, FOLLOWER.lowest * self.state[2] - self.state[3])
        self.state[2] = max(self.state[2], self.state[3] / FOLLOWER.tallest)
        self._seen = True


def follow(
    pictures: Sequence[np.ndarray],
    head: np.ndarray,
    velocity: np.ndarray | None,
    origin=(0, 0),
    size: tuple[int, int] | None = None,
    silhouette: Silhouette | None = None,
    numbers: Sequence[int] | None = None,
    hidden: Callable[[int, np.ndarray], bool] | None = None,
) -> Followed:
    """Follow a head through pictures[1:], having it at `head` (cx, cy, width, height, angle) in pictures[0].

    pictures: upright crops, uint8 RGB, all of the same place, whose top left corner is at origin of the frame of `size`
    (width, height). velocity: px per frame (x, y), from before, or None where it is not known. numbers: of the
    pictures' frames, rising or falling, where some between them are left out; rows of those lie between their
    neighbours'. hidden: whether somebody else is in front of a head, (5,) like this one, in a frame; asked once it is
    known how fast it goes.
    """
    follower = Follower(pictures[0], head, velocity, origin, size, silhouette)
    numbers = range(len(pictures)) if numbers is None else numbers
    rows: list[np.ndarray] = []
    for n in range(1, len(pictures)):
        before, frames = follower.state.copy(), abs(int(numbers[n]) - int(numbers[n - 1]))
        expected = follower.state.copy()
        expected[:2] += follower.speed * frames
        row = follower.step(
            pictures[n - 1],
            pictures[n],
            origin,
            hidden=hidden is not None and follower.speed_known and hidden(int(numbers[n]), expected),
            frames=frames,
        )
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
    """What of the pictures lies around a head and where it is expected, grey, and the corner of that: corners and flow
    cost by the px."""
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


def _sought(before: np.ndarray, after: np.ndarray, state: np.ndarray, origin, frames: int) -> np.ndarray:
    """px a frame, (2,), at which a head went from one grey picture to the next, wherever it is found again near its
    place; 0 where it is not."""
    middle = state[:2] - origin
    half = FOLLOWER.sought_part / 2 * state[2:4]
    part, (x, y) = _around(before, middle, half)
    reach = half + state[2] * min(FOLLOWER.sought * frames, 2 * FOLLOWER.sought)
    place, (left, top) = _around(after, middle, reach)
    if min(part.shape) < 4 or part.std() < 1 or any(a < b for a, b in zip(place.shape, part.shape)):
        return np.zeros(2)
    _, like, _, (across, down) = cv2.minMaxLoc(cv2.matchTemplate(place, part, cv2.TM_CCOEFF_NORMED))
    return (
        np.array([left + across - x, top + down - y], float) / frames if like >= FOLLOWER.sought_like else np.zeros(2)
    )


def _around(picture: np.ndarray, middle: np.ndarray, half: np.ndarray) -> tuple[np.ndarray, tuple[int, int]]:
    """What lies around a place, and its corner."""
    x0, y0 = (int(np.clip(v, 0, side)) for v, side in zip(middle - half, picture.shape[::-1]))
    x1, y1 = (int(np.clip(np.ceil(v), 0, side)) for v, side in zip(middle + half, picture.shape[::-1]))
    return picture[y0:y1, x0:x1], (x0, y0)


def _step(before, after, state, origin, way):
    """The head one picture later and how far its points agree (0..1), or (None, 0). way: px that it is expected to
    go."""
    points = _points(before, state, origin)
    if points is None or len(points) < FLOW.least_points:
        return None, 0.0
    # A speed may be wrong: where it leads far, points are looked for there and where they were, and the way counts on
    # which more of them agree.
    far = np.hypot(*way) > FLOW.guessed * state[2]
    found = [
        _moved_points(before, after, state, points, guess) for guess in ((np.zeros(2), way) if far else (np.zeros(2),))
    ]
    return max(found, key=lambda step: step[1])


def _moved_points(before, after, state, points, guess):
    """The head one picture later and how far its points agree (0..1), or (None, 0). guess: px from where they were at
    which they are looked for."""
    window = int(np.clip(FLOW.patch * state[2], 9, 31)) | 1
    search = dict(winSize=(window, window), maxLevel=3 if state[2] > FLOW.large_px else 2, criteria=_ENDED)
    guessed = bool(np.any(guess))
    if guessed:
        search["flags"] = cv2.OPTFLOW_USE_INITIAL_FLOW
    ahead, good, _ = cv2.calcOpticalFlowPyrLK(
        before, after, points, points + np.float32(guess) if guessed else None, **search
    )
    back, good_back, _ = cv2.calcOpticalFlowPyrLK(
        after, before, ahead, ahead - np.float32(guess) if guessed else None, **search
    )
    error = np.linalg.norm((back - points).reshape(-1, 2), axis=1)
    kept = (good.ravel() == 1) & (good_back.ravel() == 1) & (error < max(0.8, state[2] * FLOW.back_off))
    if kept.sum() < FLOW.least_agreed:
        return None, 0.0
    source, target = points[kept].reshape(-1, 2), ahead[kept].reshape(-1, 2)
    found, inliers = cv2.estimateAffinePartial2D(
        source, target, method=cv2.RANSAC, ransacReprojThreshold=max(0.8, state[2] * FLOW.fits)
    )
    if found is None:
        return None, 0.0
    zoom = float(np.clip(np.hypot(found[0, 0], found[1, 0]), *FLOW.zoom))
    # The shift at the middle of the head; turning of the picture is left to the detector.
    shift = np.median((target - source)[inliers.ravel() == 1], axis=0)
    moved = state.copy()
    moved[:2] += shift
    moved[2:4] *= zoom
    return moved, float(inliers.sum() / len(points))


def _points(grey: np.ndarray, state, origin) -> np.ndarray | None:
    """Points on the head that are easily found again, float32 (n, 1, 2)."""
    middle = np.array([state[0] - origin[0], state[1] - origin[1]])
    reach = max(state[2], state[3]) * 0.5 + FLOW.margin
    x0, y0 = (int(np.clip(v, 0, side)) for v, side in zip(middle - reach, grey.shape[::-1]))
    x1, y1 = (int(np.clip(v + 1, 0, side)) for v, side in zip(middle + reach, grey.shape[::-1]))
    part = grey[y0:y1, x0:x1]
    if min(part.shape) < 2:
        return None
    mask = np.zeros(part.shape, np.uint8)
    cv2.ellipse(
        mask,
        (int(middle[0]) - x0, int(middle[1]) - y0),
        (max(2, int(state[2] * FLOW.inside)), max(2, int(state[3] * FLOW.inside))),
        state[4],
        0,
        360,
        255,
        -1,
    )
    points = cv2.goodFeaturesToTrack(
        part, FLOW.points, FLOW.corner, max(2, state[2] / FLOW.corners_across), mask=mask, blockSize=5
    )
    return None if points is None else points + np.float32([x0, y0])
