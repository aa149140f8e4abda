"""Where the outline of a sighting is in every frame: its path, with a person's corrections on top."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from skiagraph.project.model import Offset, Sighting

# Over how many frames a keyframe that does not hold fades, on each side.
FADE = 8
# Growth of the cover where the path is unsure or fast, in shares of the head.
UNSURE_BELOW, UNSURE_GROWTH, UNSURE_MOST = 0.8, 0.45, 0.25
SPEED_GROWTH, SPEED_MOST = 0.25, 0.25


@dataclass(frozen=True, slots=True)
class Outline:
    """An ellipse in the upright clip: centre and full axes in px, angle in degrees clockwise; confidence 0..1."""

    cx: float
    cy: float
    width: float
    height: float
    angle: float
    confidence: float = 1.0
    origin: int = 0

    def scaled(self, factor: float) -> Outline:
        return Outline(self.cx, self.cy, self.width * factor, self.height * factor, self.angle, self.confidence, self.origin)


@lru_cache(maxsize=4096)
def outline_rows(sighting: Sighting) -> np.ndarray:
    """Every row of a sighting from first to last: float64 (n, 7) cx, cy, width, height, angle, confidence, growth.

    growth: how much larger than the head the cover has to be for speed and doubt, as a share. Read-only.
    """
    frames = np.arange(sighting.first, sighting.last + 1)
    path = sighting.path
    row = np.clip(frames - path.first, 0, len(path) - 1)
    base = np.stack([path.cx, path.cy, path.width, path.height, path.angle, path.confidence], axis=1).astype(float)[row]
    speed = np.hypot(np.gradient(path.cx), np.gradient(path.cy))[row] / np.maximum(base[:, 2], 1) if len(path) > 1 else np.zeros(len(row))
    doubt = np.clip((UNSURE_BELOW - base[:, 5]) * UNSURE_GROWTH, 0, UNSURE_MOST)
    growth = doubt + np.clip(speed * SPEED_GROWTH, 0, SPEED_MOST)
    rows = _moved(base, _as_array(sighting.offset))
    if sighting.corrections:
        rows = _moved(rows, _corrections(sighting, frames))
        placed = np.isin(frames, [c.frame for c in sighting.corrections])
        rows[placed, 5] = 1.0
    rows = np.column_stack([rows, growth])
    rows.flags.writeable = False
    return rows


def _as_array(offset: Offset) -> np.ndarray:
    return np.array([offset.dx, offset.dy, offset.width, offset.height, offset.turn])


_NEUTRAL = np.array([0.0, 0.0, 1.0, 1.0, 0.0])


def _moved(rows: np.ndarray, offset: np.ndarray) -> np.ndarray:
    """rows with an offset, or one offset for each row, applied."""
    offset = np.broadcast_to(offset, (len(rows), 5))
    moved = rows.copy()
    moved[:, 0] += offset[:, 0] * rows[:, 2]
    moved[:, 1] += offset[:, 1] * rows[:, 3]
    moved[:, 2:4] *= np.maximum(offset[:, 2:4], 0.05)
    moved[:, 4] += offset[:, 4]
    return moved


def _corrections(sighting: Sighting, frames: np.ndarray) -> np.ndarray:
    """The offset of every frame that the keyframes ask for, (n, 5).

    Knots carry the offsets; between knots they are interpolated. A keyframe that holds adds a knot just before the next
    one's fade, one that does not adds neutral knots FADE frames to each side, unless a neighbour is nearer.
    """
    ordered = sorted(sighting.corrections, key=lambda c: c.frame)
    knots: list[tuple[float, np.ndarray]] = []
    for n, correction in enumerate(ordered):
        value = _as_array(correction.offset)
        before = ordered[n - 1] if n else None
        after = ordered[n + 1] if n + 1 < len(ordered) else None
        room_before = correction.frame - before.frame if before else np.inf
        if before is None:
            knots.append((correction.frame - FADE, _NEUTRAL))
        elif not before.holds and room_before > 2 * FADE:
            knots.append((correction.frame - FADE, _NEUTRAL))
        elif before.holds and room_before > FADE:
            knots.append((correction.frame - FADE, _as_array(before.offset)))
        knots.append((correction.frame, value))
        if not correction.holds and (after is None or after.frame - correction.frame > 2 * FADE):
            knots.append((correction.frame + FADE, _NEUTRAL))
    times = np.array([k[0] for k in knots], float)
    values = np.array([k[1] for k in knots])
    return np.stack([np.interp(frames, times, values[:, c]) for c in range(5)], axis=1)


def offset_at(sighting: Sighting, frame: int) -> Offset:
    """What the keyframes of a sighting ask for at one frame."""
    if not sighting.corrections:
        return Offset()
    return Offset(*(float(v) for v in _corrections(sighting, np.array([frame]))[0]))


def outline_at(sighting: Sighting, frame: int) -> Outline | None:
    """The outline at a frame, or None outside the sighting."""
    if not sighting.first <= frame <= sighting.last:
        return None
    row = outline_rows(sighting)[frame - sighting.first]
    return Outline(*(float(v) for v in row[:6]), origin=int(sighting.path.origin[sighting.path.row(frame)]))


def cover_outline(sighting: Sighting, frame: int, margin: float) -> Outline | None:
    """The outline with its margin and its growth: inside it the cover is complete."""
    outline = outline_at(sighting, frame)
    if outline is None:
        return None
    growth = float(outline_rows(sighting)[frame - sighting.first, 6])
    return outline.scaled(1 + margin + growth)


def contains(outline: Outline, points: np.ndarray) -> np.ndarray:
    """Which of the points (n, 2) px lie inside the ellipse."""
    lean = np.radians(outline.angle)
    dx, dy = points[:, 0] - outline.cx, points[:, 1] - outline.cy
    u = dx * np.cos(lean) + dy * np.sin(lean)
    v = -dx * np.sin(lean) + dy * np.cos(lean)
    return (u / max(outline.width / 2, 1e-6)) ** 2 + (v / max(outline.height / 2, 1e-6)) ** 2 <= 1.0
