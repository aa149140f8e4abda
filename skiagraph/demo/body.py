"""Bodies under the heads: coats, arms that swing, legs that walk, hands, and the crates they carry."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from skiagraph.demo.clouds import Cloud, ellipsoid, noise, rotation, splat, surface, tube
from skiagraph.demo.head import Look

SHOULDER, HIP, FOOT = -1.60, -6.0, -13.4
PHASES = 16

SPRITE_STEP_DEG = 15


@lru_cache(maxsize=400)
def body_sprite(look: Look, unit_px: float, yaw_step: int, phase: int, pose: str, light: float):
    """Picture of a body below the neck with its origin in the patch: (Patch drawn at (0, 0)).

    yaw_step counts SPRITE_STEP_DEG; phase 0..PHASES-1 of the walk, PHASES stands still; pose: walk, stand, carry, fold.
    """
    cloud = _body(look, round(1 / unit_px / 1.35, 4), phase, pose)
    return splat(cloud, unit_px, rotation(yaw_step * SPRITE_STEP_DEG, 0, 0), (0, 0, -0.2), 0, 0, light=light)


@lru_cache(maxsize=24)
def _body(look: Look, spacing: float, phase: int, pose: str) -> Cloud:
    swing = np.sin(2 * np.pi * phase / PHASES) if phase < PHASES and pose in ("walk", "carry") else 0.0
    lift = np.cos(2 * np.pi * phase / PHASES) if phase < PHASES and pose in ("walk", "carry") else 0.0
    cloth = _cloth(look.coat, look.seed + 11)
    parts = [_torso(look, spacing)]
    for side in (-1, 1):
        shoulder = np.array([side * 1.38, SHOULDER - 0.20, -0.22])
        if pose == "carry":
            elbow, hand = np.array([side * 1.75, -3.9, 0.35]), np.array([side * 1.15, -4.3, 1.75])
        elif pose == "fold":
            elbow, hand = np.array([side * 1.85, -4.0, 0.1]), np.array([-side * 0.7, -3.9, 1.15])
        else:
            reach = -side * swing * 0.9
            elbow, hand = (
                np.array([side * 1.72, -4.0, -0.2 + reach * 0.6]),
                np.array([side * 1.72, -5.9, 0.15 + reach * 1.5]),
            )
        bulge = lambda t: 1 + 0.10 * np.sin(np.pi * t)
        parts.append(tube(shoulder, elbow, 0.47, 0.38, cloth, spacing, profile=bulge))
        parts.append(tube(elbow, hand, 0.38, 0.27, cloth, spacing))
        parts.append(ellipsoid(elbow, (0.38, 0.38, 0.38), np.asarray(look.coat), spacing))
        parts.append(ellipsoid(shoulder, (0.50, 0.46, 0.46), np.asarray(look.coat), spacing))
        along = (hand - elbow) / np.linalg.norm(hand - elbow)
        parts.append(
            ellipsoid(hand + along * 0.25, (0.20, 0.30, 0.22), np.asarray(look.skin) * 0.95, spacing, gloss=0.05)
        )
        step = side * swing * 1.5
        hip, knee = np.array([side * 0.60, HIP - 0.1, -0.25]), np.array([side * 0.66, -9.6, -0.1 + step * 0.75])
        ankle = np.array([side * 0.66, FOOT + 0.35 + 0.5 * max(0, side * lift), -0.25 + step * 1.5])
        denim = _cloth(look.trousers, look.seed + 12)
        parts.append(tube(hip, knee, 0.64, 0.50, denim, spacing))
        parts.append(tube(knee, ankle, 0.52, 0.36, denim, spacing))
        parts.append(
            ellipsoid(ankle + (0, -0.2, 0.35), (0.36, 0.28, 0.72), np.array([0.10, 0.09, 0.08]), spacing, gloss=0.2)
        )
    return Cloud.joined(parts)


def _cloth(colour, seed):
    base = np.asarray(colour, np.float32)

    def paint(along, angle):
        weave = noise(along.shape, seed, (0.5, 0.5)) * 0.025 + noise(along.shape, seed + 1, (8, 8)) * 0.05
        folds = 0.06 * np.sin(along * 22 + np.sin(angle * 2) * 2.2)
        return np.clip(base * (1 + (weave + folds)[..., None]), 0, 1)

    return paint


def _torso(look: Look, spacing: float) -> Cloud:
    y = np.arange(HIP - 0.5, -1.15, spacing)[:, None]
    angle = np.linspace(-np.pi, np.pi, int(8 / spacing), endpoint=False)[None, :]
    share = np.clip((-1.15 - y) / 0.95, 0, 1)
    width = np.where(
        y > -2.10,
        0.50 + 1.08 * np.sqrt(np.clip(1 - (1 - share) ** 2, 0, 1)),
        1.58 - 0.22 * np.clip((-2.10 - y) / 2.4, 0, 1),
    )
    depth = np.where(y > -2.10, 0.50 + 0.42 * share, 0.92)
    x, z = width * np.sin(angle), -0.22 + depth * np.cos(angle)
    yy = y + 0 * x
    weave = noise(x.shape, look.seed + 13, (0.5, 0.5)) * 0.025 + noise(x.shape, look.seed + 14, (12, 12)) * 0.05
    folds = 0.05 * np.sin(yy * 5 + np.sin(angle * 3) * 2)
    colours = np.clip(np.asarray(look.coat) * (1 + (weave + folds)[..., None]), 0, 1)
    front = np.cos(angle) > 0
    seam = (
        front * np.exp(-(((x) / 0.03) ** 2)) * 0.5
        + front * np.exp(-(((np.abs(x) - 0.35 - 0.22 * np.clip(-1.6 - yy, 0, 1.2)) / 0.05) ** 2)) * (yy > -3) * 0.35
    )
    colours = colours * (1 - seam[..., None])
    button = front * (np.abs(x - 0.12) < 0.06) * (np.abs((yy + 9) % 0.85 - 0.4) < 0.06)
    colours = np.where((button > 0)[..., None], np.array([0.55, 0.50, 0.40]), colours)
    if look.apron:
        bib = front * (np.abs(x) < 0.75 + 0.4 * (yy < -3.6)) * (yy < -2.6)
        colours = np.where((bib > 0)[..., None], np.asarray(look.apron) * (1 + (weave + folds)[..., None]), colours)
    return surface(x, yy, z, colours, 0.02)


@lru_cache(maxsize=16)
def crate_cloud(spacing: float, seed: int = 5) -> Cloud:
    """A slatted fish crate about 3.4 wide, 1.5 high and 2 deep, its middle at the origin."""
    parts = []
    half = np.array([1.7, 0.75, 1.0])

    def board(x, y, z, nx, ny, nz, grain_axis):
        shape = x.shape
        wood = np.array([0.66, 0.50, 0.31]) * (
            1 + noise(shape, seed + int(abs(nx * 3 + ny * 5 + nz * 7)), grain_axis)[..., None] * 0.10
        )
        slat = (np.abs((y + 0.75) % 0.5 - 0.47) < 0.03) if not ny else (np.abs((x + 1.7) % 0.6 - 0.57) < 0.03)
        wood = np.where(slat[..., None], wood * 0.35, wood)
        cloud = surface(x, y, z, np.clip(wood, 0, 1), 0.03)
        cloud.normals[:] = (nx, ny, nz)
        return cloud

    u = lambda a: np.arange(-half[a], half[a], spacing)
    for sign in (-1, 1):
        y, x = np.meshgrid(u(1), u(0), indexing="ij")
        parts.append(board(x, y, 0 * x + sign * half[2], 0, 0, sign, (0.3, 8)))
        y, z = np.meshgrid(u(1), u(2), indexing="ij")
        parts.append(board(0 * y + sign * half[0], y, z, sign, 0, 0, (0.3, 8)))
    z, x = np.meshgrid(u(2), u(0), indexing="ij")
    parts.append(board(x, 0 * x + half[1] - 0.25, z, 0, 1, 0, (8, 0.3)))
    rng = np.random.default_rng(seed)
    for _ in range(14):
        centre = (rng.uniform(-1.3, 1.3), half[1] - 0.15, rng.uniform(-0.7, 0.7))
        silver = np.array([0.62, 0.68, 0.72]) * rng.uniform(0.8, 1.1)
        parts.append(ellipsoid(centre, (0.55, 0.13, 0.17), silver, spacing * 1.2, gloss=0.7))
    return Cloud.joined(parts)


@lru_cache(maxsize=8)
def hand_cloud(spacing: float, skin: tuple, sleeve: tuple) -> Cloud:
    """An open hand held up, palm about 1.5 wide at the origin, with its forearm coming from below."""
    skin_colour = lambda points: np.asarray(skin) * (1 - 0.12 * np.cos(points[..., :1] * 9) ** 8)
    parts = [ellipsoid((0, 0, 0), (0.78, 0.85, 0.28), skin_colour, spacing, gloss=0.06)]
    for n, (x, top, lean) in enumerate(
        ((-0.60, 1.75, -0.30), (-0.22, 2.15, -0.08), (0.20, 2.10, 0.08), (0.58, 1.70, 0.28))
    ):
        middle = np.array([x + lean * 0.5, (top + 0.5) / 2 + 0.2, 0.05])
        parts.append(tube((x, 0.45, 0), middle, 0.215, 0.205, np.asarray(skin), spacing, gloss=0.06))
        parts.append(tube(middle, (x + lean, top, 0), 0.205, 0.16, np.asarray(skin) * 1.02, spacing, gloss=0.06))
        parts.append(ellipsoid(middle, (0.212, 0.212, 0.212), np.asarray(skin) * 1.01, spacing, gloss=0.06))
        parts.append(ellipsoid((x + lean, top, 0), (0.16, 0.18, 0.16), np.asarray(skin) * 1.04, spacing, gloss=0.06))
    parts.append(tube((0.38, -0.45, 0.05), (1.22, 0.55, 0.12), 0.30, 0.19, np.asarray(skin), spacing, gloss=0.06))
    parts.append(ellipsoid((1.24, 0.60, 0.12), (0.19, 0.22, 0.19), np.asarray(skin) * 1.03, spacing, gloss=0.06))
    parts.append(tube((0, -0.6, -0.05), (0.1, -2.0, -0.1), 0.55, 0.52, np.asarray(skin) * 0.95, spacing, gloss=0.05))
    parts.append(tube((0.1, -1.8, -0.1), (0.5, -7.5, -0.2), 0.68, 0.95, _cloth(sleeve, 3), spacing))
    return Cloud.joined(parts)
