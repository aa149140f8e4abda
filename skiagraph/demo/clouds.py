"""Solid things as clouds of coloured points, and the splatting that turns a cloud into a picture.

Units: one unit is the distance from the eye line to the crown. x right, y up, z to the viewer.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

# What a point belongs to, for the truth: nothing that counts, the visible face, the rest of the head.
TAG_BODY, TAG_FACE, TAG_HEAD = 1, 2, 3

KEY_LIGHT = np.array([-0.45, 0.55, 0.70], np.float32) / np.linalg.norm([-0.45, 0.55, 0.70])
AMBIENT = 0.34
WRAP = 0.25


@dataclass(frozen=True, slots=True)
class Cloud:
    """points, normals and colours: float32 (n, 3), colours RGB 0..1; gloss: float32 (n,); tags: uint8 (n,)."""

    points: np.ndarray
    normals: np.ndarray
    colours: np.ndarray
    gloss: np.ndarray
    tags: np.ndarray

    @staticmethod
    def joined(parts: list[Cloud]) -> Cloud:
        return Cloud(*(np.concatenate([getattr(p, name) for p in parts]) for name in Cloud.__slots__))

    def take(self, rows: np.ndarray) -> Cloud:
        return Cloud(*(getattr(self, name)[rows] for name in Cloud.__slots__))


@dataclass(frozen=True, slots=True)
class Patch:
    """A drawn thing: rgba uint8 (h, w, 4) premultiplied; tags uint8 (h, w); x, y: top left corner in the frame, px."""

    rgba: np.ndarray
    tags: np.ndarray
    x: int
    y: int


def surface(x, y, z, colours, gloss=0.0, tags=TAG_BODY) -> Cloud:
    """A cloud from a grid of points (rows, columns); normals come from the neighbours and point away from the axis."""
    points = np.stack([x, y, z], axis=-1).astype(np.float32)
    down, across = np.gradient(points, axis=0), np.gradient(points, axis=1)
    normals = np.cross(across, down)
    middle = points.mean(axis=1, keepdims=True)
    flip = np.sum(normals * (points - middle), axis=-1, keepdims=True) < 0
    normals = np.where(flip, -normals, normals)
    normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-6)
    shape = points.shape[:2]
    colours = np.broadcast_to(np.asarray(colours, np.float32), shape + (3,))
    return Cloud(
        points.reshape(-1, 3),
        normals.reshape(-1, 3).astype(np.float32),
        colours.reshape(-1, 3).astype(np.float32),
        np.broadcast_to(np.asarray(gloss, np.float32), shape).ravel().copy(),
        np.broadcast_to(np.asarray(tags, np.uint8), shape).ravel().copy(),
    )


def tube(
    start, end, radius_start, radius_end, colours, spacing, *, flat=1.0, gloss=0.0, tags=TAG_BODY, profile=None
) -> Cloud:
    """A tube between two points with round (or, with flat < 1, flattened in depth) sections.

    profile: optional function of 0..1 along the tube that multiplies the radius. colours: RGB or a function
    (share along, angle) → (..., 3).
    """
    start, end = np.asarray(start, float), np.asarray(end, float)
    axis = end - start
    length = max(float(np.linalg.norm(axis)), 1e-6)
    axis = axis / length
    side = np.cross(axis, [0, 0, 1.0])
    if np.linalg.norm(side) < 1e-3:
        side = np.array([1.0, 0, 0])
    side /= np.linalg.norm(side)
    depth = np.cross(side, axis)
    rows = max(3, int(length / spacing) + 1)
    columns = max(8, int(2 * np.pi * max(radius_start, radius_end) / spacing))
    along = np.linspace(0, 1, rows)[:, None]
    angle = np.linspace(0, 2 * np.pi, columns, endpoint=False)[None, :]
    radius = radius_start + (radius_end - radius_start) * along
    if profile is not None:
        radius = radius * profile(along)
    offset = (np.sin(angle) * radius)[..., None] * side + (np.cos(angle) * radius * flat)[..., None] * depth
    points = start + along[..., None] * (end - start) + offset
    if callable(colours):
        colours = colours(along + 0 * angle, angle + 0 * along)
    return surface(points[..., 0], points[..., 1], points[..., 2], colours, gloss, tags)


def ellipsoid(centre, radii, colours, spacing, *, gloss=0.0, tags=TAG_BODY) -> Cloud:
    """An ellipsoid with the given three radii."""
    rows = max(6, int(np.pi * max(radii) / spacing))
    columns = max(8, int(2 * np.pi * max(radii) / spacing))
    v = np.linspace(0.02, np.pi - 0.02, rows)[:, None]
    t = np.linspace(0, 2 * np.pi, columns, endpoint=False)[None, :]
    unit = np.stack([np.sin(v) * np.sin(t), np.cos(v) + 0 * t, np.sin(v) * np.cos(t)], axis=-1)
    points = unit * np.asarray(radii) + np.asarray(centre)
    normals = unit / np.asarray(radii)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    if callable(colours):
        colours = colours(points)
    n = points.shape[0] * points.shape[1]
    return Cloud(
        points.reshape(-1, 3).astype(np.float32),
        normals.reshape(-1, 3).astype(np.float32),
        np.broadcast_to(np.asarray(colours, np.float32), points.shape).reshape(-1, 3).copy(),
        np.full(n, gloss, np.float32),
        np.full(n, tags, np.uint8),
    )


def noise(shape: tuple[int, int], seed: int, scale: tuple[float, float]) -> np.ndarray:
    """Smooth noise of mean 0 and deviation 1; scale: size of its grains along rows and columns, in cells."""
    raw = np.random.default_rng(seed).standard_normal(shape).astype(np.float32)
    smooth = cv2.GaussianBlur(
        raw, (0, 0), sigmaX=max(scale[1], 0.3), sigmaY=max(scale[0], 0.3), borderType=cv2.BORDER_REFLECT
    )
    return (smooth - smooth.mean()) / max(float(smooth.std()), 1e-6)


def rotation(yaw: float, pitch: float, roll: float) -> np.ndarray:
    """Rotation matrix (3, 3); degrees; positive yaw turns the face to the picture's right, positive pitch down."""
    y, p, r = np.deg2rad([yaw, pitch, roll])
    turn = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    nod = np.array([[1, 0, 0], [0, np.cos(p), -np.sin(p)], [0, np.sin(p), np.cos(p)]])
    tilt = np.array([[np.cos(r), np.sin(r), 0], [-np.sin(r), np.cos(r), 0], [0, 0, 1]])
    return (tilt @ nod @ turn).astype(np.float32)


def splat(
    cloud: Cloud,
    unit_px: float,
    turn: np.ndarray,
    pivot,
    x: float,
    y: float,
    *,
    light: float = 1.0,
    tint=(1.0, 1.0, 1.0),
) -> Patch:
    """Draw a cloud with its origin at (x, y) px of the frame, orthographic, rotated about pivot, lit and
    anti-aliased."""
    sample = 2.0 if unit_px < 45 else 1.5 if unit_px < 100 else 1.2
    pivot = np.asarray(pivot, np.float32)
    normals = cloud.normals @ turn.T
    facing = np.flatnonzero(normals[:, 2] > -0.08)
    normals = normals.take(facing, axis=0)
    points = (cloud.points.take(facing, axis=0) - pivot) @ turn.T + pivot
    left, top = int(np.floor(x + points[:, 0].min() * unit_px)) - 2, int(np.floor(y - points[:, 1].max() * unit_px)) - 2
    right, bottom = (
        int(np.ceil(x + points[:, 0].max() * unit_px)) + 2,
        int(np.ceil(y - points[:, 1].min() * unit_px)) + 2,
    )
    width, height = right - left, bottom - top
    fine_w, fine_h = int(round(width * sample)), int(round(height * sample))
    column = ((x + points[:, 0] * unit_px - left) * sample).astype(np.int32)
    row = ((y - points[:, 1] * unit_px - top) * sample).astype(np.int32)
    depth = points[:, 2]
    low, high = float(depth.min()), float(depth.max())
    depth16 = ((depth - low) * (65000 / max(high - low, 1e-6))).astype(np.uint16)
    order = np.argsort(depth16, kind="stable")
    index = np.zeros(fine_h * fine_w, np.int32)
    place = (row * fine_w + column).take(order)
    index[place] = order + 1
    index = _close_holes(index.reshape(fine_h, fine_w), np.concatenate([[0], depth16]).astype(np.int32))
    used = index.ravel()
    seen = np.flatnonzero(used)
    rows = used.take(seen) - 1
    shaded = _shade(
        cloud.colours.take(facing.take(rows), axis=0),
        normals.take(rows, axis=0),
        cloud.gloss.take(facing.take(rows)),
        light,
        tint,
    )
    rgba = np.zeros((fine_h * fine_w, 4), np.float32)
    rgba[seen, :3] = shaded
    rgba[seen, 3] = 1
    tags = np.zeros(fine_h * fine_w, np.uint8)
    tags[seen] = cloud.tags.take(facing.take(rows))
    small = cv2.resize(rgba.reshape(fine_h, fine_w, 4), (width, height), interpolation=cv2.INTER_AREA)
    tags = cv2.resize(tags.reshape(fine_h, fine_w), (width, height), interpolation=cv2.INTER_NEAREST)
    return Patch((np.clip(small, 0, 1) * 255 + 0.5).astype(np.uint8), tags, left, top)


def _close_holes(index: np.ndarray, depth_of: np.ndarray) -> np.ndarray:
    """Fill pixels that no point hit, or where a clearly nearer neighbour shows that one was missed."""
    for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
        neighbour = np.roll(index, (dy, dx), axis=(0, 1))
        across = np.roll(index, (-dy, -dx), axis=(0, 1))
        own, other, third = depth_of.take(index), depth_of.take(neighbour), depth_of.take(across)
        nearer = (np.minimum(other, third) > own + 6000) | ((index == 0) & (neighbour > 0) & (across > 0))
        index = np.where(nearer, neighbour, index)
    return index


def _shade(colours, normals, gloss, light, tint):
    lambert = normals @ KEY_LIGHT
    key = np.clip((lambert + WRAP) / (1 + WRAP), 0, 1)
    sky = 0.10 * np.clip(normals[:, 1], 0, 1)
    level = (AMBIENT + 0.74 * key + sky) * light
    half = KEY_LIGHT + np.array([0, 0, 1], np.float32)
    half /= np.linalg.norm(half)
    shine = gloss * np.clip(normals @ half, 0, 1) ** 24
    rim = 0.10 * np.clip(1 - normals[:, 2], 0, 1) ** 3 * np.clip(-normals[:, 0] + 0.3, 0, 1)
    return colours * level[:, None] * np.asarray(tint, np.float32) + (shine + rim)[:, None] * light


def paste(frame: np.ndarray, patch: Patch, ids: np.ndarray | None = None, id_of_tag: np.ndarray | None = None) -> None:
    """Draw a patch over frame (uint8 RGB, changed in place) and write its identity into ids (uint8, same size).

    id_of_tag: uint8 (4,) the value written for each tag; where a patch is more than half opaque it hides what was
    there.
    """
    height, width = frame.shape[:2]
    x0, y0 = max(patch.x, 0), max(patch.y, 0)
    x1, y1 = min(patch.x + patch.rgba.shape[1], width), min(patch.y + patch.rgba.shape[0], height)
    if x0 >= x1 or y0 >= y1:
        return
    part = patch.rgba[y0 - patch.y : y1 - patch.y, x0 - patch.x : x1 - patch.x]
    area = frame[y0:y1, x0:x1]
    keep = (255 - part[..., 3:]).astype(np.uint16)
    area[:] = np.minimum(part[..., :3] + (area * keep + 127) // 255, 255).astype(np.uint8)
    if ids is not None:
        tags = patch.tags[y0 - patch.y : y1 - patch.y, x0 - patch.x : x1 - patch.x]
        solid = part[..., 3] > 127
        ids[y0:y1, x0:x1][solid] = id_of_tag.take(tags[solid])
