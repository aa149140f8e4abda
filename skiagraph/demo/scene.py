"""Draws a scene frame by frame, with its exact truth."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.demo import body, story
from skiagraph.demo.backdrop import PAD, backdrop
from skiagraph.demo.clouds import TAG_BODY, TAG_FACE, Patch, paste, rotation, splat
from skiagraph.demo.head import PIVOT, head_cloud, head_ellipse

# Values of the identity picture: actor number n (from 1) has its face at n and the rest of its head at HEAD_OFFSET + n.
NOBODY, HEAD_OFFSET, THING = 0, 100, 255


@dataclass(frozen=True, slots=True)
class HeadTruth:
    """Where one head is: ellipse in px of the frame (axes are full lengths, angle in degrees clockwise), and how much
    shows.

    head_visible: share of the head's own pixels inside the frame and not hidden; face_px: visible pixels of the face.
    """

    actor: str
    cx: float
    cy: float
    width: float
    height: float
    angle: float
    yaw: float
    head_visible: float
    face_px: int


def draw(
    scene: story.Scene, frame: int, numbers: list[int] | None = None
) -> tuple[np.ndarray, np.ndarray, list[HeadTruth]]:
    """Frame number frame as uint8 RGB, its identity picture as uint8, and the truth about every head in it.

    numbers: of the scene's actors in the identity picture; from 1 on, in order, if not given.
    """
    numbers = numbers or list(range(1, len(scene.actors) + 1))
    second = frame / story.RATE
    width, height = scene.size
    shift_x, shift_y = _camera(scene, second)
    canvas = backdrop(scene.place, width, height, scene.horizon, scene.seed)
    move = np.float32([[1, 0, -PAD - shift_x * 0.55], [0, 1, -PAD - shift_y * 0.55]])
    picture = cv2.warpAffine(canvas, move, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    ids = np.zeros((height, width), np.uint8)
    placed = sorted(range(len(scene.actors)), key=lambda n: story.value(scene.actors[n].size, second))
    drawn = []
    for n in placed:
        drawn.append((n, _draw_actor(scene, n, numbers[n], second, shift_x, shift_y, picture, ids)))
    if scene.rails:
        _draw_rails(scene, shift_x, picture, ids)
    truth = []
    for n, (ellipse, yaw, own_px) in drawn:
        if own_px == 0:
            continue
        face_px = int(np.count_nonzero(ids == numbers[n]))
        head_px = face_px + int(np.count_nonzero(ids == HEAD_OFFSET + numbers[n]))
        truth.append(
            HeadTruth(
                scene.actors[n].key,
                *(round(v, 2) for v in ellipse),
                round(yaw, 1),
                round(min(1.0, head_px / own_px), 3),
                face_px,
            )
        )
    return _finish(scene, frame, picture), ids, truth


def _draw_rails(scene, shift_x, picture, ids):
    """Upright bars between the camera and everybody."""
    apart, wide = scene.rails
    for n in range(-1, int(scene.size[0] / apart) + 2):
        x = round(n * apart - shift_x * 1.4)
        low, high = max(0, x), min(scene.size[0], x + round(wide))
        if low < high:
            picture[:, low:high] = (46, 48, 47)
            picture[:, low : min(high, low + max(1, round(wide / 5)))] = (84, 86, 82)
            ids[:, low:high] = THING


def _camera(scene, second):
    wobble = scene.shake
    x = story.value(scene.camera_x, second) + wobble * (np.sin(second * 4.1) + 0.6 * np.sin(second * 9.7 + 1))
    y = story.value(scene.camera_y, second) + wobble * (np.sin(second * 3.3 + 2) + 0.6 * np.sin(second * 8.3))
    return x, y


def _draw_actor(scene, n, number, second, shift_x, shift_y, picture, ids):
    """Draw one actor; returns the head's ellipse, its yaw and how many pixels the whole head would have."""
    actor = scene.actors[n]
    unit = story.value(actor.size, second)
    near = unit / 50
    x = story.value(actor.x, second) - shift_x * near
    speed = abs(story.value(actor.x, second + 0.04) - story.value(actor.x, second - 0.04)) / 0.08
    walking = actor.pose in ("walk", "carry") and speed > unit * 0.3
    # One step of the walk covers about 5.5 units; the body rises twice in it.
    phase_exact = (story.value(actor.x, second) / unit / 5.5) % 1 * body.PHASES if walking else body.PHASES
    bob = 0.10 * abs(np.cos(np.pi * 2 * phase_exact / body.PHASES)) if walking else 0.02 * np.sin(second * 1.7 + n)
    y = scene.horizon - shift_y * near - bob * unit - story.value(actor.raised, second)
    yaw, pitch, roll = (story.value(track, second) for track in (actor.yaw, actor.pitch, actor.roll))
    yaw += 1.5 * np.sin(second * 2.3 + n)
    pitch += 1.2 * np.sin(second * 3.1 + n * 2)
    body_yaw = story.value(actor.body_yaw, second) if actor.body_yaw else yaw * 0.4
    code = np.array([NOBODY, THING, number, HEAD_OFFSET + number], np.uint8)
    light = scene.light * (1.0 if unit > 34 else 0.96)
    # An orthographic head turns about its pivot; u moves with the body.
    if x < -6 * unit or x > scene.size[0] + 6 * unit:
        return (0, 0, 0, 0, 0), yaw, 0
    pose = actor.pose if actor.pose in ("carry", "fold") or walking else "stand"
    phase = int(phase_exact) % body.PHASES if walking else body.PHASES
    step = float(np.exp(round(np.log(unit) * 12) / 12))
    sprite = body.body_sprite(
        actor.look, round(step, 2), round(body_yaw / body.SPRITE_STEP_DEG) % 24, phase, pose, light
    )
    paste(
        picture, _placed(sprite, unit / step, x, y, scene.size), ids, np.array([NOBODY, THING, THING, THING], np.uint8)
    )
    size_step = float(np.exp(np.ceil(np.log(unit) * 5) / 5))
    cloud = head_cloud(actor.look, round(1 / size_step / 1.45, 5))
    head = splat(cloud, unit, rotation(yaw, pitch, roll), PIVOT, x, y, light=light, tint=scene.tint)
    own = int(np.count_nonzero((head.tags >= TAG_FACE) & (head.rgba[..., 3] > 127)))
    paste(picture, head, ids, code)
    if actor.crate:
        lift = -3.55 + actor.crate_lift
        crate = splat(
            body.crate_cloud(round(1 / size_step / 1.3, 4)),
            unit,
            rotation(body_yaw * 0.5, 12, 0),
            (0, 0, 0),
            x + np.sin(np.deg2rad(body_yaw)) * 1.9 * unit,
            y - lift * unit,
            light=light,
        )
        paste(picture, crate, ids, np.full(4, THING, np.uint8))
    if actor.hand:
        share = story.value(actor.hand, second)
        if share > 0.01:
            hand = splat(
                body.hand_cloud(round(1 / size_step / 1.3, 4), actor.look.skin, actor.look.coat),
                unit,
                rotation(-8, -6, 24 * (1 - share) - 6),
                (0, 0, 0),
                x + (1.9 - 1.75 * share) * unit,
                y + (3.6 - 3.45 * share) * unit,
                light=light,
                tint=scene.tint,
            )
            paste(picture, hand, ids, np.full(4, THING, np.uint8))
    return _ellipse(x, y, unit, yaw, pitch, roll, actor.look.width), yaw, own


def _ellipse(x, y, unit, yaw, pitch, roll, width):
    ex, ey, half_w, half_h = head_ellipse(yaw, pitch)
    r = np.deg2rad(roll)
    # roll about the pivot
    dx, dy = ex - PIVOT[0], ey - PIVOT[1]
    px, py = PIVOT[0] + dx * np.cos(r) + dy * np.sin(r), PIVOT[1] - dx * np.sin(r) + dy * np.cos(r)
    return (x + px * unit, y - py * unit, 2 * half_w * width * unit, 2 * half_h * unit, roll)


def _placed(sprite: Patch, scale: float, x: float, y: float, size: tuple[int, int]) -> Patch:
    """The sprite scaled and moved to a fraction of a pixel, cut to the frame."""
    corner_x, corner_y = x + sprite.x * scale, y + sprite.y * scale
    left, top = int(np.floor(corner_x)), int(np.floor(corner_y))
    x0, y0 = max(left, 0), max(top, 0)
    x1 = min(left + int(sprite.rgba.shape[1] * scale) + 3, size[0])
    y1 = min(top + int(sprite.rgba.shape[0] * scale) + 3, size[1])
    if x1 <= x0 or y1 <= y0:
        return Patch(np.zeros((1, 1, 4), np.uint8), np.zeros((1, 1), np.uint8), -10, -10)
    move = np.float32([[scale, 0, corner_x - x0], [0, scale, corner_y - y0]])
    rgba = cv2.warpAffine(sprite.rgba, move, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR)
    return Patch(rgba, np.full(rgba.shape[:2], TAG_BODY, np.uint8), x0, y0)


def _finish(scene, frame, picture):
    """What light, a lens and a sensor add: colour and flicker, a little softness, vignette and grain."""
    soft = cv2.GaussianBlur(picture, (0, 0), 0.55)
    height, width = soft.shape[:2]
    rng = np.random.default_rng(scene.seed * 100003 + frame)
    shade = _vignette(width, height)
    if scene.lamps:
        shade = shade * np.array([story.value(lamp, frame / story.RATE) for lamp in scene.lamps], np.float32)
    if scene.flicker or scene.cast != (1.0, 1.0, 1.0):
        # Lamps on the mains beat against the shutter; now and then one fails for a moment.
        swing = 1 + scene.flicker * (0.6 * np.sin(frame * 2.3) + 0.4 * rng.uniform(-1, 1))
        shade = shade * (np.asarray(scene.cast, np.float32) * np.float32(swing))
    half = height // 2 + 1, width // 2 + 1
    if scene.grain == 3.0:
        grain = rng.integers(-3, 4, half, dtype=np.int16)
    else:
        grain = rng.normal(0, scene.grain, half).astype(np.int16)
    grain = cv2.resize(grain, (width, height), interpolation=cv2.INTER_LINEAR)
    out = cv2.multiply(soft, shade, dtype=cv2.CV_16S) + grain[..., None]
    return np.clip(out, 0, 255).astype(np.uint8)


_shades: dict = {}


def _vignette(width, height):
    if (width, height) not in _shades:
        y, x = np.mgrid[0:height, 0:width].astype(np.float32)
        r = np.hypot((x - width / 2) / width, (y - height / 2) / height)
        _shades[width, height] = np.repeat((1.02 - 0.30 * r**2)[..., None], 3, axis=2).astype(np.float32)
    return _shades[width, height]
