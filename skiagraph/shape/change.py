"""What a person changed about where something is: changes, keyframes between which they go over into each other, and
repairs.

A change is relative to the place it is applied to, so hand work holds when what is beneath it is followed again.
Source of the curves: cubic Hermite segments; where no slope was kept, that of Fritsch and Carlson, Monotone Piecewise
Cubic Interpolation, SIAM J. Numer. Anal. 1980, which does not swing beyond the keyframes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import msgspec
import numpy as np

from skiagraph.shape.place import Place
from skiagraph.shape.shape import nearest_turn
from skiagraph.values import Value, replace

Between = Literal["smooth", "straight", "hold"]
FrameNumber = Annotated[int, msgspec.Meta(ge=0, le=10_000_000)]
_Shift = Annotated[float, msgspec.Meta(ge=-10_000, le=10_000)]
_Factor = Annotated[float, msgspec.Meta(ge=0.001, le=10_000)]
_Turn = Annotated[float, msgspec.Meta(ge=-1_000_000, le=1_000_000)]
_Slope = Annotated[float, msgspec.Meta(ge=-1e9, le=1e9)]
# Of a similarity five numbers are enough.
Slope = Annotated[tuple[_Slope, ...], msgspec.Meta(min_length=5, max_length=8)]

NEUTRAL = np.array([0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0])
# Nothing a change says makes an axis smaller than this share of what it was.
LEAST_FACTOR = 0.001


class Change(Value, frozen=True):
    """dx, dy in shares of the width and height it is applied to; factors on both; turn in degrees clockwise; shear and
    tilts are added, for a plane in perspective."""

    dx: _Shift = 0.0
    dy: _Shift = 0.0
    width: _Factor = 1.0
    height: _Factor = 1.0
    turn: _Turn = 0.0
    shear: Annotated[float, msgspec.Meta(ge=-40, le=40)] = 0.0
    tilt_x: Annotated[float, msgspec.Meta(ge=-2, le=2)] = 0.0
    tilt_y: Annotated[float, msgspec.Meta(ge=-2, le=2)] = 0.0

    def row(self) -> np.ndarray:
        return np.array(
            [self.dx, self.dy, self.width, self.height, self.turn, self.shear, self.tilt_x, self.tilt_y], float
        )

    @staticmethod
    def of(row: Sequence[float]) -> Change:
        return Change(*(float(v) for v in row))

    def then(self, other: Change) -> Change:
        """This change with another applied to its result, as one."""
        return Change(
            self.dx + other.dx * self.width,
            self.dy + other.dy * self.height,
            self.width * other.width,
            self.height * other.height,
            self.turn + other.turn,
            self.shear + other.shear,
            self.tilt_x + other.tilt_x,
            self.tilt_y + other.tilt_y,
        )


class Keyframe(Value, frozen=True):
    """A change that holds at a frame. to_next: how it goes over into the next keyframe; before the first and after the
    last it stays.

    arriving, leaving: kept slopes, in change for a frame; None: what suits the neighbours. pin: nobody asked for it; it
    keeps what was before another keyframe as it was, and goes when that does.
    """

    frame: FrameNumber
    change: Change = Change()
    to_next: Between = "smooth"
    arriving: Slope | None = None
    leaving: Slope | None = None
    pin: bool = False


class Repair(Value, frozen=True):
    """One frame put right: a change at a frame that eases back to what is beneath it within some frames before and
    after."""

    frame: FrameNumber
    change: Change
    before: Annotated[int, msgspec.Meta(ge=0, le=100_000)] = 8
    after: Annotated[int, msgspec.Meta(ge=0, le=100_000)] = 8
    ease: Literal["smooth", "straight"] = "smooth"


def moved(rows: np.ndarray, changes: np.ndarray, perspective: int = 5) -> np.ndarray:
    """Rows (n, 8 or more) with a change (8,), or one for each (n, 8), applied.

    They begin with cx, cy, width, height, angle; shear and both tilts are in the columns from `perspective` on.
    """
    changes = np.broadcast_to(changes, (len(rows), 8))
    result = rows.copy()
    result[:, 0] += changes[:, 0] * rows[:, 2]
    result[:, 1] += changes[:, 1] * rows[:, 3]
    result[:, 2:4] *= np.maximum(changes[:, 2:4], LEAST_FACTOR)
    result[:, 4] += changes[:, 4]
    result[:, perspective : perspective + 3] += changes[:, 5:]
    return result


def change_between(now: Place, wanted: Place, then: Change = Change()) -> Change:
    """The change that, followed by another, turns one place into the other. Of all turns the nearest."""
    width, height = wanted.width / (now.width * then.width), wanted.height / (now.height * then.height)
    return Change(
        (wanted.cx - now.cx) / now.width - then.dx * width,
        (wanted.cy - now.cy) / now.height - then.dy * height,
        width,
        height,
        nearest_turn(wanted.angle - now.angle - then.turn),
        *(float(v) for v in wanted.row()[5:] - now.row()[5:] - then.row()[5:]),
    )


# Keyframes


def keyframe_changes(keyframes: Sequence[Keyframe], frames: np.ndarray) -> np.ndarray:
    """What keyframes, in rising order, ask for in each frame: (n, 8)."""
    return _evaluate(keyframes, np.asarray(frames, float))[0]


def change_at(keyframes: Sequence[Keyframe], frame: int) -> Change:
    return Change.of(_evaluate(keyframes, np.array([float(frame)]))[0][0])


def with_keyframe(keyframes: Sequence[Keyframe], frame: int) -> tuple[Keyframe, ...]:
    """The same curve with a keyframe at a frame more: nothing moves, in any frame."""
    ordered = list(keyframes)
    if any(k.frame == frame for k in ordered):
        return tuple(ordered)
    if not ordered:
        return (Keyframe(frame),)
    values, slopes = _evaluate(ordered, np.array([float(frame)]))
    value, slope = Change.of(values[0]), tuple(float(v) for v in slopes[0])
    after = next((n for n, k in enumerate(ordered) if k.frame > frame), len(ordered))
    still = (0.0,) * 8
    if after == 0:
        first = _kept(ordered, 0)
        ordered[0] = replace(first, arriving=still)
        return (Keyframe(frame, value, leaving=still), *ordered)
    if after == len(ordered):
        last = _kept(ordered, len(ordered) - 1)
        ordered[-1] = replace(last, leaving=still)
        return (*ordered, Keyframe(frame, value, ordered[-1].to_next, arriving=still))
    how = ordered[after - 1].to_next
    if how == "smooth":
        ordered[after - 1], ordered[after] = _kept(ordered, after - 1), _kept(ordered, after)
        ordered.insert(after, Keyframe(frame, value, how, slope, slope))
    else:
        ordered.insert(after, Keyframe(frame, value, how))
    return tuple(ordered)


def keyed(keyframes: Sequence[Keyframe], frame: int, change: Change) -> tuple[Keyframe, ...]:
    """A keyframe at a frame asks for a change; it goes over into its neighbours, and what is beyond those stays."""
    ordered = with_keyframe(keyframes, frame)
    place = next(n for n, k in enumerate(ordered) if k.frame == frame)
    return (
        *ordered[:place],
        replace(ordered[place], change=change, arriving=None, leaving=None, pin=False),
        *ordered[place + 1 :],
    )


def held_from(keyframes: Sequence[Keyframe], frame: int, change: Change, first: int) -> tuple[Keyframe, ...]:
    """From a frame on a change holds, until a later keyframe says otherwise.

    Nothing before the frame moves, nothing later goes.

    first: the first frame there is; before it nothing has to be kept as it was.
    """
    ordered = [_kept(keyframes, n) for n in range(len(keyframes))]
    before = [k for k in ordered if k.frame < frame]
    if not before and frame > first:
        ordered.insert(0, Keyframe(first, change_at(ordered, first), "hold", pin=True))
    elif before and before[-1].frame < frame - 1 and before[-1].to_next != "hold" and before[-1] is not ordered[-1]:
        ordered = [
            replace(k, to_next="hold", pin=True) if k.frame == frame - 1 else k
            for k in with_keyframe(ordered, frame - 1)
        ]
    elif before:
        ordered = [replace(k, to_next="hold") if k is before[-1] else k for k in ordered]
    later = [k for k in ordered if k.frame > frame]
    # A pin before a later keyframe kept what is now held.
    while later and later[0].pin:
        later.pop(0)
    return (*(k for k in ordered if k.frame < frame), Keyframe(frame, change, "hold"), *later)


def without_keyframe(keyframes: Sequence[Keyframe], frame: int) -> tuple[Keyframe, ...]:
    """The keyframes without the one at a frame, and without pins that were there only for it."""
    left = [k for k in keyframes if k.frame != frame and not (k.pin and k.frame == frame - 1)]
    return tuple(left) if any(not k.pin for k in left) else ()


def _kept(keyframes: Sequence[Keyframe], n: int) -> Keyframe:
    """A keyframe with the slopes it has now kept, whatever becomes of its neighbours."""
    arriving, leaving = _slopes(keyframes, n)
    k = keyframes[n]
    return replace(
        k,
        arriving=k.arriving or tuple(float(v) for v in arriving),
        leaving=k.leaving or tuple(float(v) for v in leaving),
    )


def _secant(keyframes: Sequence[Keyframe], n: int) -> np.ndarray | None:
    """Slope of the straight line from a keyframe to the next, where they go over into each other smoothly."""
    if not 0 <= n < len(keyframes) - 1 or keyframes[n].to_next != "smooth":
        return None
    a, b = keyframes[n], keyframes[n + 1]
    return (b.change.row() - a.change.row()) / (b.frame - a.frame)


def _slopes(keyframes: Sequence[Keyframe], n: int) -> tuple[np.ndarray, np.ndarray]:
    """Slopes at a keyframe as it is arrived at and left, each (8,)."""
    k, before, after = keyframes[n], _secant(keyframes, n - 1), _secant(keyframes, n)
    if before is None or after is None:
        own = before if before is not None else after if after is not None else np.zeros(8)
    else:
        left, right = k.frame - keyframes[n - 1].frame, keyframes[n + 1].frame - k.frame
        a, b = 2 * right + left, right + 2 * left
        same = before * after > 0
        own = np.where(
            same, (a + b) / np.where(same, a / np.where(same, before, 1) + b / np.where(same, after, 1), 1), 0.0
        )
    return _slope(k.arriving, own), _slope(k.leaving, own)


def _slope(kept: Slope | None, own: np.ndarray) -> np.ndarray:
    """A slope that was kept, or that of its own."""
    return own if kept is None else np.pad(np.array(kept), (0, 8 - len(kept)))


def _evaluate(keyframes: Sequence[Keyframe], times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Values and slopes at times, each (n, 8)."""
    if not keyframes:
        return np.tile(NEUTRAL, (len(times), 1)), np.zeros((len(times), 8))
    knots = np.array([k.frame for k in keyframes], float)
    values = np.array([k.change.row() for k in keyframes])
    place = np.clip(np.searchsorted(knots, times, side="right") - 1, 0, len(knots) - 1)
    result, slopes = values[place].copy(), np.zeros((len(times), 8))
    for n in np.unique(place[(times > knots[0]) & (times < knots[-1])]):
        here = (place == n) & (times > knots[0])
        if keyframes[n].to_next == "hold":
            continue
        length = knots[n + 1] - knots[n]
        t = ((times[here] - knots[n]) / length)[:, None]
        a, b = values[n], values[n + 1]
        if keyframes[n].to_next == "straight":
            result[here], slopes[here] = a + (b - a) * t, (b - a) / length
            continue
        ma, mb = _slopes(keyframes, n)[1] * length, _slopes(keyframes, n + 1)[0] * length
        result[here] = (
            a * (2 * t**3 - 3 * t**2 + 1) + ma * (t**3 - 2 * t**2 + t) + b * (3 * t**2 - 2 * t**3) + mb * (t**3 - t**2)
        )
        slopes[here] = ((a - b) * (6 * t**2 - 6 * t) + ma * (3 * t**2 - 4 * t + 1) + mb * (3 * t**2 - 2 * t)) / length
    return result, slopes


# Repairs


def repair_changes(repairs: Sequence[Repair], frames: np.ndarray) -> np.ndarray:
    """What repairs, in rising order, ask for in each frame: (n, 8).

    Where two reach into each other, the one goes over into the other.
    """
    frames = np.asarray(frames, float)
    result = np.tile(NEUTRAL, (len(frames), 1))
    for n, repair in enumerate(repairs):
        value = repair.change.row()
        result[frames == repair.frame] = value
        for side, other in ((-1, repairs[n - 1] if n else None), (1, repairs[n + 1] if n + 1 < len(repairs) else None)):
            reach = repair.after if side > 0 else repair.before
            if other is not None:
                room = abs(other.frame - repair.frame)
                if room < reach + (other.before if side > 0 else other.after) + 1:
                    if side > 0:
                        _ease(result, frames, repair.frame, value, other.frame, other.change.row(), repair.ease)
                    continue
            if reach:
                _ease(result, frames, repair.frame, value, repair.frame + side * reach, NEUTRAL, repair.ease)
    return result


def _ease(
    result: np.ndarray, frames: np.ndarray, start: int, value: np.ndarray, end: int, to: np.ndarray, ease: str
) -> None:
    """Fill the frames between two, from one value to another."""
    low, high = min(start, end), max(start, end)
    here = (frames > low) & (frames < high)
    t = (np.abs(frames[here] - start) / (high - low))[:, None]
    t = t * t * (3 - 2 * t) if ease == "smooth" else t
    result[here] = value + (to - value) * t
