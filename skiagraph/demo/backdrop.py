"""Painted places of the harbour story.

Each is an RGB picture a little larger than the frame, so a camera can move over it.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np

from skiagraph.demo.clouds import noise

PAD = 60  # px around the frame that a moving camera may use


@lru_cache(maxsize=4)
def backdrop(name: str, width: int, height: int, horizon: int, seed: int) -> np.ndarray:
    """uint8 RGB (height + 2 PAD, width + 2 PAD, 3). horizon: row of the eye level within the frame."""
    w, h = width + 2 * PAD, height + 2 * PAD
    eye = horizon + PAD
    canvas = {"quay": _quay, "hall": _hall, "soft": _soft, "bricks": _bricks}[name](w, h, eye, seed)
    return (np.clip(canvas, 0, 1) * 255).astype(np.uint8)


def _sky_and_sea(w, h, eye, seed):
    y = np.arange(h, dtype=np.float32)[:, None]
    x = np.arange(w, dtype=np.float32)[None, :]
    t = np.clip(y / eye, 0, 1)
    top, middle, low = np.array([0.27, 0.33, 0.45]), np.array([0.60, 0.55, 0.58]), np.array([0.96, 0.76, 0.55])
    sky = np.where(
        (t < 0.6)[..., None],
        top + (middle - top) * (t / 0.6)[..., None],
        middle + (low - middle) * ((t - 0.6) / 0.4)[..., None],
    )
    canvas = np.repeat(sky, w, axis=1)
    clouds = noise((h, w), seed, (7, 70)) + 0.6 * noise((h, w), seed + 1, (3, 26))
    warm = np.array([1, 0.74, 0.55])
    share = np.clip(clouds * 0.22 + 0.05, 0, 0.55)[..., None] * (0.3 + 0.7 * t[..., None])
    canvas = canvas * (1 - share) + warm * share
    sun = np.exp(-(((x - w * 0.68) / (w * 0.22)) ** 2 + ((y - eye * 0.93) / (eye * 0.38)) ** 2))
    canvas += sun[..., None] * np.array([0.26, 0.17, 0.06])
    depth = np.clip((y - eye) / (h - eye), 0, 1)
    water = np.array([0.56, 0.53, 0.54]) * (1 - depth[..., None]) + np.array([0.16, 0.24, 0.28]) * depth[..., None]
    rows = [noise((h, w), seed + 2, (1.0, 14)), noise((h, w), seed + 3, (2.2, 46))]
    ripple = rows[0] * 0.5 + rows[1] * 0.8
    glint = np.clip(ripple - 0.5, 0, 2) * np.exp(-(((x - w * 0.68) / (w * 0.13 + (y - eye).clip(0) * 0.7)) ** 2))
    water = np.repeat(water, w, axis=1) * (1 + 0.10 * ripple[..., None]) + glint[..., None] * np.array(
        [0.35, 0.25, 0.13]
    )
    canvas = np.where((y >= eye)[..., None], water, canvas)
    land = eye - 10 - 9 * np.interp(x, np.arange(0, w + 90, 90), np.random.default_rng(seed).random(w // 90 + 2))
    canvas = np.where(
        ((y > land) & (y < eye + 2))[..., None], np.array([0.42, 0.40, 0.45]) + 0.02 * rows[0][..., None], canvas
    )
    return canvas


def _ground(canvas, eye, edge, seed, kind):
    """Cobbles or boards in perspective below the row edge, seen from eye level."""
    h, w = canvas.shape[:2]
    y = np.arange(edge, h, dtype=np.float32)[:, None]
    x = np.arange(w, dtype=np.float32)[None, :]
    depth = 420.0 / (y - eye)
    side = (x - w / 2) * depth / 420.0 * 3.1 + 40
    depth = depth * 3.1
    if kind == "cobbles":
        row = np.floor(depth * 2.6)
        column = np.floor(side * 1.9 + (row % 2) * 0.5)
        stone = np.abs(np.sin(row * 127.1 + column * 311.7) * 43758.5) % 1
        fy, fx = (depth * 2.6) % 1 - 0.5, (side * 1.9 + (row % 2) * 0.5) % 1 - 0.5
        joint = np.clip((np.maximum(np.abs(fx), np.abs(fy)) - 0.38) * 9, 0, 1)
        shade = 0.80 + 0.30 * stone - 0.14 * (fx**2 + fy**2) * 3
        base = np.array([0.44, 0.41, 0.39]) * shade[..., None] * (1 - 0.55 * joint[..., None])
        fade = np.clip((y - eye) / 90, 0, 1)[..., None]
        base = base * fade + np.array([0.40, 0.37, 0.36]) * (1 - fade)
    else:
        board = np.floor(side * 1.35)
        tone = np.abs(np.sin(board * 91.7) * 9631.3) % 1
        gap = np.clip((np.abs((side * 1.35) % 1 - 0.5) - 0.465) * 40, 0, 1)
        grain = np.sin(depth * 19 + tone * 40 + np.sin(side * 23) * 1.5) * 0.035
        base = np.array([0.47, 0.38, 0.29]) * (0.75 + 0.4 * tone + grain)[..., None] * (1 - 0.6 * gap[..., None])
    wet = np.clip(noise((h - edge, w), seed + 20, (6, 60)), -1.2, 2)[..., None]
    base = base * (1 - 0.09 * wet) + np.clip(wet, 0, 2) * np.array([0.07, 0.055, 0.045])
    base *= 1 + 0.05 * noise((h - edge, w), seed + 21, (0.6, 0.8))[..., None]
    canvas[edge:] = base * (0.72 + 0.40 * np.clip((y - edge) / (h - edge), 0, 1))[..., None]


def _boat(canvas, x, waterline, length, colour, name, seed, soft=0.0):
    h, w = canvas.shape[:2]
    layer = (np.clip(canvas, 0, 1) * 255).astype(np.uint8).copy()
    c = lambda rgb, k=1.0: tuple(int(np.clip(v * k, 0, 1) * 255) for v in rgb)
    tall = length * 0.20
    hull = np.array(
        [
            [0, -tall * 1.15],
            [length * 0.06, -tall * 0.4],
            [length * 0.13, tall * 0.15],
            [length * 0.93, tall * 0.15],
            [length * 0.98, -tall * 0.75],
            [length * 0.70, -tall * 0.62],
            [length * 0.30, -tall * 0.72],
        ]
    ) + (x, waterline)
    cv2.fillPoly(layer, [hull.astype(np.int32)], c(colour), cv2.LINE_AA)
    band = np.array(
        [
            [length * 0.105, -tall * 0.06],
            [length * 0.955, -tall * 0.06],
            [length * 0.93, tall * 0.15],
            [length * 0.13, tall * 0.15],
        ]
    ) + (x, waterline)
    cv2.fillPoly(layer, [band.astype(np.int32)], c((0.45, 0.17, 0.13)), cv2.LINE_AA)
    rail = (hull[[0, 6, 5, 4]]).astype(np.int32)
    cv2.polylines(layer, [rail], False, c((0.9, 0.87, 0.8)), max(1, int(length / 160)), cv2.LINE_AA)
    cabin = np.array([[0.52, -0.62], [0.53, -1.65], [0.80, -1.65], [0.83, -0.62]]) * (length, tall) + (x, waterline)
    cv2.fillPoly(layer, [cabin.astype(np.int32)], c((0.80, 0.77, 0.70)), cv2.LINE_AA)
    roof = np.array([[0.50, -1.62], [0.51, -1.80], [0.82, -1.80], [0.83, -1.62]]) * (length, tall) + (x, waterline)
    cv2.fillPoly(layer, [roof.astype(np.int32)], c((0.52, 0.33, 0.22)), cv2.LINE_AA)
    for k in range(3):
        pane = np.array(
            [
                [0.555 + k * 0.085, -1.48],
                [0.555 + k * 0.085, -1.12],
                [0.615 + k * 0.085, -1.12],
                [0.615 + k * 0.085, -1.48],
            ]
        )
        cv2.fillPoly(
            layer, [(pane * (length, tall) + (x, waterline)).astype(np.int32)], c((0.26, 0.31, 0.36)), cv2.LINE_AA
        )
    mast = x + length * 0.40
    thick = max(1, int(length / 130))
    cv2.line(
        layer,
        (int(mast), int(waterline - tall * 0.65)),
        (int(mast), int(waterline - tall * 4.4)),
        c((0.36, 0.28, 0.21)),
        thick + 1,
        cv2.LINE_AA,
    )
    for end in ((0.02, -1.1), (0.96, -0.8), (0.72, -1.75)):
        cv2.line(
            layer,
            (int(mast), int(waterline - tall * 4.2)),
            (int(x + length * end[0]), int(waterline + tall * end[1])),
            c((0.30, 0.27, 0.25)),
            1,
            cv2.LINE_AA,
        )
    cv2.putText(
        layer,
        name,
        (int(x + length * 0.15), int(waterline - tall * 0.22)),
        cv2.FONT_HERSHEY_SIMPLEX,
        length / 520,
        c((0.93, 0.91, 0.85)),
        max(1, int(length / 190)),
        cv2.LINE_AA,
    )
    # The reflection in the water, broken by ripples.
    drawn = layer.astype(np.float32) / 255
    changed = np.any(np.abs(drawn - np.clip(canvas, 0, 1)) > 0.02, axis=2)
    top, bottom = int(waterline + tall * 0.15), int(min(h, waterline + tall * 1.6))
    wobble = noise((h, w), seed, (1.2, 9))
    for row in range(top, bottom):
        source = 2 * top - row
        if source < 0 or source >= h:
            continue
        shift = int(wobble[row].mean() * 2)
        mask = np.roll(changed[source], shift) & (wobble[row] > -0.9)
        canvas[row, mask] = canvas[row, mask] * 0.55 + np.roll(drawn[source], shift, axis=0)[mask] * 0.36
    grain = (
        1 + 0.045 * noise((h, w), seed + 1, (2.5, 5))[..., None] + 0.03 * noise((h, w), seed + 2, (0.5, 0.5))[..., None]
    )
    if soft:
        drawn = cv2.GaussianBlur(drawn, (0, 0), soft)
    canvas[changed] = (drawn * grain)[changed]


def _crates(canvas, x, foot, size, rows, columns, seed):
    rng = np.random.default_rng(seed)
    tall = size * 0.46
    for row in range(rows):
        for column in range(columns - (row == rows - 1) * int(rng.integers(0, 2))):
            x0, y1 = int(x + column * size * 1.02 + rng.normal() * 2), int(foot - row * tall)
            y0, x1 = int(y1 - tall + 2), int(x0 + size)
            if x0 < 0 or x1 >= canvas.shape[1] or y1 >= canvas.shape[0]:
                continue
            tone = np.array(
                [[0.62, 0.47, 0.30], [0.48, 0.52, 0.50], [0.66, 0.52, 0.34], [0.36, 0.45, 0.52]][
                    int(rng.integers(0, 4))
                ]
            ) * rng.uniform(0.85, 1.08)
            patch = np.broadcast_to(tone, (y1 - y0, x1 - x0, 3)).copy()
            patch *= 1 + 0.08 * noise(patch.shape[:2], int(rng.integers(1e6)), (0.6, 7))[..., None]
            k = np.arange(patch.shape[0])[:, None] / patch.shape[0]
            patch *= np.where((np.abs((k * 3) % 1 - 0.5) > 0.43), 0.45, 1)[..., None]
            edge = max(3, int(size * 0.06))
            patch[:, :edge] *= 0.72
            patch[:, -edge:] *= 0.62
            patch *= (1.08 - 0.25 * k)[..., None]
            canvas[y0:y1, x0:x1] = patch
            if row == rows - 1:
                for _ in range(9):
                    cx, cy = int(rng.integers(x0 + 6, max(x0 + 7, x1 - 6))), y0 - int(rng.integers(0, 3))
                    layer = (np.clip(canvas[y0 - 12 : y0 + 8, x0:x1], 0, 1) * 255).astype(np.uint8).copy()
                    cv2.ellipse(
                        layer,
                        (cx - x0, cy - y0 + 12),
                        (int(size * 0.13), int(size * 0.035) + 1),
                        float(rng.normal() * 12),
                        0,
                        360,
                        tuple(int(v) for v in np.array([150, 163, 172]) * rng.uniform(0.75, 1.15)),
                        -1,
                        cv2.LINE_AA,
                    )
                    canvas[y0 - 12 : y0 + 8, x0:x1] = layer / 255.0
    shadow = slice(int(foot), min(canvas.shape[0], int(foot + size * 0.1)))
    canvas[shadow, max(0, int(x)) : int(x + columns * size * 1.05)] *= 0.62


def _bollard(canvas, x, foot, size):
    layer = (np.clip(canvas, 0, 1) * 255).astype(np.uint8).copy()
    for k in range(int(size)):
        share = k / size
        half = size * (0.26 + 0.05 * np.cos(share * 9)) * (1.35 if share > 0.72 else 1)
        for side in range(int(-half), int(half)):
            tone = 0.22 + 0.16 * np.clip(0.6 - side / half, 0, 1.4) ** 2
            layer[int(foot - k), int(x + side)] = np.clip(np.array([tone, tone * 0.95, tone * 0.92]) * 255, 0, 255)
    cv2.ellipse(
        layer,
        (int(x), int(foot - size * 0.35)),
        (int(size * 0.42), int(size * 0.12)),
        0,
        0,
        360,
        (178, 150, 104),
        3,
        cv2.LINE_AA,
    )
    canvas[:] = layer / 255.0


def _quay(w, h, eye, seed):
    canvas = _sky_and_sea(w, h, eye, seed)
    _boat(canvas, w * 0.56, eye + 62, 430, (0.18, 0.34, 0.40), "SK 214", seed + 30)
    _boat(canvas, w * 0.30, eye + 30, 210, (0.50, 0.24, 0.20), "SK 77", seed + 31)
    _shed(canvas, eye, int(w * 0.27), seed)
    edge = eye + 96
    _ground(canvas, eye, edge, seed, "cobbles")
    canvas[edge : edge + 7] = np.array([0.55, 0.51, 0.46]) * (1 + 0.04 * noise((7, w), seed, (1, 5))[..., None])
    canvas[edge + 7 : edge + 11] *= 0.6
    _crates(canvas, w * 0.03, eye + 190, 74, 5, 3, seed + 40)
    _crates(canvas, w * 0.77, eye + 140, 56, 3, 4, seed + 41)
    for x in (0.36, 0.53, 0.70, 0.94):
        _bollard(canvas, w * x, edge + 26, 38)
    return canvas


def _shed(canvas, eye, right, seed):
    """A wooden fish shed at the left, its windows soft so that no detector takes them for eyes."""
    h = canvas.shape[0]
    top, foot = eye - 250, eye + 110
    x = np.arange(right)[None, :]
    board = np.floor(x / 19)
    tone = np.abs(np.sin(board * 91.7) * 9631.3) % 1
    wall = np.array([0.44, 0.32, 0.27]) * (0.8 + 0.3 * tone)[..., None] * np.ones((foot - top, 1, 1))
    wall *= np.where(x % 19 < 2, 0.55, 1)[..., None]
    wall *= 1 + 0.07 * noise(wall.shape[:2], seed + 50, (9, 1))[..., None]
    slope = top + 70 * (x / right) - 20
    y = np.arange(top, foot)[:, None]
    inside = y > slope
    canvas[top:foot, :right] = np.where(inside[..., None], wall, canvas[top:foot, :right])
    roof = (y > slope - 16) & (y <= slope + 5)
    canvas[top:foot, :right] = np.where(roof[..., None], np.array([0.25, 0.22, 0.23]), canvas[top:foot, :right])
    door = slice(eye - 70, foot), slice(int(right * 0.42), int(right * 0.80))
    canvas[door] = canvas[door] * 0.28 + np.array([0.10, 0.07, 0.05])
    canvas[eye - 76 : eye - 70, int(right * 0.40) : int(right * 0.82)] = (0.62, 0.55, 0.46)
    glow = np.exp(-(((x - right * 0.61) / 70) ** 2 + ((np.arange(h)[:, None] - eye + 20) / 90) ** 2))
    canvas[:, :right] += glow[..., None] * np.array([0.30, 0.19, 0.07])


def _hall(w, h, eye, seed):
    y = np.arange(h)[:, None]
    x = np.arange(w)[None, :]
    wall = np.array([0.50, 0.48, 0.44]) * np.ones((h, w, 1))
    tile = (np.floor(x / 46) + np.floor(y / 23)) % 2
    wall *= (0.94 + 0.05 * tile)[..., None]
    joint = np.minimum((x + 23 * (np.floor(y / 23) % 2)) % 46, y % 23) < 1.5
    wall *= np.where(joint, 0.80, 1)[..., None]
    wall *= 1 + 0.05 * noise((h, w), seed, (30, 30))[..., None] + 0.025 * noise((h, w), seed + 1, (0.7, 0.7))[..., None]
    wall *= (0.62 + 0.45 * np.clip(y / eye, 0, 1.2))[..., None]
    canvas = wall
    for left in (0.02, 0.40, 0.79):
        x0, x1 = int(w * left), int(w * (left + 0.19))
        y0, y1 = eye - 240, eye + 60
        light = np.array([0.96, 0.82, 0.64]) * (
            1 - 0.35 * (np.arange(y1 - y0)[:, None, None] / (y1 - y0)) * np.array([0.2, 0.5, 0.8])
        )
        canvas[y0:y1, x0:x1] = light
        sea = eye + 12 - y0
        canvas[y0 + sea : y1, x0:x1] = np.array([0.50, 0.52, 0.55]) * (
            1 + 0.08 * noise((y1 - y0 - sea, x1 - x0), seed + x0, (1, 12))[..., None]
        )
        for k in range(1, 4):
            canvas[y0:y1, x0 + (x1 - x0) * k // 4 - 3 : x0 + (x1 - x0) * k // 4 + 3] = (0.26, 0.24, 0.22)
        for k in range(1, 3):
            canvas[y0 + (y1 - y0) * k // 3 - 3 : y0 + (y1 - y0) * k // 3 + 2, x0:x1] = (0.26, 0.24, 0.22)
        for edge in (slice(x0 - 8, x0), slice(x1, x1 + 8)):
            canvas[y0 - 8 : y1 + 8, edge] = (0.33, 0.30, 0.27)
        canvas[y0 - 8 : y0, x0:x1] = canvas[y1 : y1 + 8, x0:x1] = (0.33, 0.30, 0.27)
    for left in (0.30, 0.69):
        x0 = int(w * left)
        column = np.sin(np.linspace(0.15, 2.6, 46))[None, :, None] * np.array([0.40, 0.46, 0.45])
        canvas[: eye + 130, x0 : x0 + 46] = column * (1 + 0.03 * noise((eye + 130, 46), seed + x0, (3, 2))[..., None])
        canvas[eye + 40 : eye + 56, x0 : x0 + 46] = (0.72, 0.58, 0.22)
    layer = (np.clip(canvas, 0, 1) * 255).astype(np.uint8).copy()
    bx, by = int(w * 0.245), eye - 190
    cv2.rectangle(layer, (bx - 6, by - 6), (bx + 156, by + 126), (92, 70, 48), -1, cv2.LINE_AA)
    cv2.rectangle(layer, (bx, by), (bx + 150, by + 120), (36, 46, 42), -1, cv2.LINE_AA)
    for k, text in enumerate(("LOT 14  COD", "LOT 15  LING", "LOT 16  HAKE", "06:40")):
        cv2.putText(
            layer, text, (bx + 12, by + 28 + k * 27), cv2.FONT_HERSHEY_PLAIN, 1.05, (206, 208, 196), 1, cv2.LINE_AA
        )
    canvas = layer / 255.0
    _ground(canvas, eye, eye + 118, seed, "boards")
    canvas[eye + 112 : eye + 118] = (0.30, 0.27, 0.25)
    _crates(canvas, w * 0.06, eye + 175, 62, 3, 4, seed + 40)
    _crates(canvas, w * 0.74, eye + 185, 66, 4, 4, seed + 41)
    return canvas


def _bricks(w, h, eye, seed):
    """The wall of the ice house: bricks of many tones, patched and stained, with a door."""
    wide, high = 38, 15
    y, x = np.arange(h)[:, None], np.arange(w)[None, :]
    row = y // high
    column = (x + wide // 2 * (row % 2)) // wide
    lot = np.random.default_rng(seed).random((int(row.max()) + 1, int(column.max()) + 1, 2))
    tone, kind = lot[row, column, 0], lot[row, column, 1]
    brick = np.array([0.52, 0.27, 0.20]) * (0.62 + 0.62 * tone)[..., None]
    # Now and then one that was replaced, or is broken away.
    brick = np.where(
        (kind > 0.95)[..., None],
        np.array([0.66, 0.60, 0.50]),
        np.where((kind < 0.04)[..., None], np.array([0.14, 0.11, 0.10]), brick),
    )
    joint = (y % high < 2) | ((x + wide // 2 * (row % 2)) % wide < 2)
    canvas = np.where(joint[..., None], np.array([0.60, 0.57, 0.52]), brick)
    canvas *= 1 + (0.07 * noise((h, w), seed + 1, (26, 40)) + 0.05 * noise((h, w), seed + 2, (0.7, 0.7)))[..., None]
    left = int(w * 0.44)
    canvas[max(0, eye - 150) : eye + 260, left : left + 190] = (
        np.array([0.20, 0.28, 0.30])
        * (1 + 0.06 * noise((eye + 260 - max(0, eye - 150), 190), seed + 3, (60, 2)))[..., None]
    )
    _ground(canvas, eye, eye + 190, seed, "cobbles")
    return canvas


def _soft(w, h, eye, seed):
    """The quay out of focus, for a close-up."""
    canvas = _sky_and_sea(w, h, eye + 40, seed)
    _boat(canvas, w * 0.05, eye + 150, 620, (0.20, 0.36, 0.42), "SK 77", seed + 30)
    _boat(canvas, w * 0.70, eye + 120, 520, (0.52, 0.26, 0.21), "SK 131", seed + 31)
    canvas = cv2.GaussianBlur(canvas.astype(np.float32), (0, 0), 9)
    rng = np.random.default_rng(seed)
    for _ in range(16):
        x, y, r = int(rng.integers(0, w)), int(rng.integers(eye - 120, eye + 260)), int(rng.integers(8, 24))
        dot = np.zeros((h, w), np.float32)
        cv2.circle(dot, (x, y), r, float(rng.uniform(0.08, 0.22)), -1, cv2.LINE_AA)
        canvas += cv2.GaussianBlur(dot, (0, 0), 1.6)[..., None] * np.array([1, 0.78, 0.48], np.float32)
    canvas = (
        canvas * (1 + 0.02 * noise((h, w), seed + 5, (14, 14))[..., None])
        + 0.012 * noise((h, w), seed + 6, (0.5, 0.5))[..., None]
    )
    return canvas
