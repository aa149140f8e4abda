"""Heads made from numbers: a skull, a relief, painted features, hair, and what people wear on them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.interpolate import PchipInterpolator

from skiagraph.demo.clouds import TAG_BODY, TAG_FACE, TAG_HEAD, Cloud, ellipsoid, noise, surface, tube

# The head turns about this point (top of the neck).
PIVOT = (0.0, -0.9, -0.15)

_W = PchipInterpolator(
    [-1, -0.96, -0.88, -0.75, -0.6, -0.4, -0.2, 0, 0.1, 0.3],
    [0.08, 0.22, 0.34, 0.45, 0.535, 0.60, 0.64, 0.665, 0.68, 0.68],
)
_F = PchipInterpolator(
    [-1, -0.97, -0.9, -0.75, -0.6, -0.4, -0.2, 0, 0.1, 0.3],
    [0.6, 0.71, 0.755, 0.735, 0.75, 0.735, 0.72, 0.71, 0.745, 0.76],
)
_B = PchipInterpolator(
    [-1, -0.9, -0.8, -0.6, -0.4, -0.2, 0, 0.1, 0.3], [-0.5, -0.2, -0.02, 0.28, 0.52, 0.72, 0.84, 0.88, 0.90]
)
_NOSE = PchipInterpolator([-1, -0.45, -0.42, -0.355, -0.2, 0.02, 0.22, 1], [0, 0, 0.12, 0.225, 0.15, 0.045, 0.012, 0])
_NOSE_WIDTH = PchipInterpolator([-1, -0.45, -0.355, 0.02, 1], [0.12, 0.12, 0.115, 0.055, 0.055])
_HAIRLINE = PchipInterpolator(
    np.deg2rad([0, 30, 60, 72, 80, 95, 110, 130, 180]), [0.64, 0.60, 0.36, 0.12, -0.02, 0.10, -0.25, -0.62, -0.78]
)


@dataclass(frozen=True, slots=True)
class Features:
    """What makes one face unlike another: factors (1 is the mean face) and shifts (0 is the mean face, in units).

    Lines, from above: brow, eyes, nose (its base), mouth. jaw and cheek widen the skull; chin makes it longer below the
    mouth.
    """

    eye_gap: float = 1.0
    eye_open: float = 1.0
    eye_slant: float = 0.0
    brow_shift: float = 0.0
    brow_thick: float = 1.0
    brow_slant: float = 0.0
    nose_shift: float = 0.0
    nose_width: float = 1.0
    nose_size: float = 1.0
    mouth_shift: float = 0.0
    mouth_width: float = 1.0
    lip_full: float = 1.0
    jaw: float = 0.0
    cheek: float = 0.0
    chin: float = 0.0


@dataclass(frozen=True, slots=True)
class Look:
    """How a made-up person looks. Colours are RGB 0..1."""

    skin: tuple = (0.80, 0.60, 0.48)
    hair: tuple = (0.20, 0.13, 0.08)
    hair_style: str = "short"  # short, bun, long, bald
    brows: tuple = (0.14, 0.09, 0.06)
    lips: tuple = (0.66, 0.36, 0.32)
    iris: tuple = (0.30, 0.20, 0.12)
    beard: float = 0.0  # 0 none, 0.4 stubble, 1 full
    hat: str = ""  # cap, beanie, brim, headscarf
    hat_colour: tuple = (0.2, 0.3, 0.45)
    glasses: bool = False
    scarf: tuple | None = None
    mask: tuple | None = None  # a cloth over mouth and nose
    fringe: float = 0.0  # hair over the brows, and at 1 over one eye
    coat: tuple = (0.25, 0.28, 0.32)
    trousers: tuple = (0.20, 0.20, 0.23)
    apron: tuple | None = None
    age: float = 0.3  # 0 smooth, 1 lined
    width: float = 1.0
    features: Features = Features()
    seed: int = 1


def head_ellipse(yaw: float, pitch: float = 0.0) -> tuple[float, float, float, float]:
    """Centre x, y and half width, half height of the head seen under yaw and pitch (degrees), in units, y up.

    Crown to chin and ear to ear when facing; forehead to occiput in profile.
    """
    turned = np.deg2rad(yaw)
    half_width = np.hypot(0.74 * np.cos(turned), 0.88 * np.sin(turned))
    return float(0.06 * np.sin(turned)), -0.02 - 0.12 * np.sin(np.deg2rad(pitch)), float(half_width), 1.03


@lru_cache(maxsize=64)
def head_cloud(look: Look, spacing: float) -> Cloud:
    """The cloud of one head with everything worn on it; spacing: distance of the points in units."""
    parts = [_skull(look, spacing), _ear(look, -1, spacing), _ear(look, 1, spacing), _neck(look, spacing)]
    parts += _hair_parts(look, spacing)
    parts += _hat(look, spacing)
    if look.glasses:
        parts += _glasses(spacing)
    if look.scarf:
        parts.append(_scarf(look, spacing))
    cloud = Cloud.joined(parts)
    if look.width != 1.0:
        cloud.points[:, 0] *= look.width
    return cloud


def _grid(spacing: float) -> tuple[np.ndarray, np.ndarray]:
    """Heights y (rows, 1) and ring angles T (1, columns) of the skull's grid; T = 0 faces the viewer."""
    lower = np.arange(-1.0, 0.3, spacing)
    crown = 0.3 + 0.7 * np.sin(np.arange(0, np.pi / 2 - 0.01, spacing / 0.8))
    y = np.concatenate([lower, crown])[:, None]
    angle = np.linspace(-np.pi, np.pi, int(4.6 / spacing), endpoint=False)[None, :]
    return y, angle


def _mean_face(f: Features, x: np.ndarray, y: np.ndarray):
    """Where each point of somebody's face lies on the mean face, which the relief and the paint are written for."""
    chin = np.clip((-0.70 - y) / 0.3, 0, 1) * f.chin
    lines = [-1.2, -1, -0.63 + f.mouth_shift, -0.445 + f.nose_shift, -0.10, 0.01, 0.16 + f.brow_shift, 0.62, 1.2]
    y_mean = PchipInterpolator(lines, [-1.2, -1, -0.63, -0.445, -0.10, 0.01, 0.16, 0.62, 1.2])(y) + chin
    wide = PchipInterpolator(
        [-1.2, -0.9, -0.66, -0.58, -0.44, -0.32, -0.12, 0.05, 0.3, 1.2],
        [1, 1, f.mouth_width, f.mouth_width, f.nose_width, f.nose_width, f.eye_gap, f.eye_gap, f.eye_gap, 1],
    )(y_mean)
    return x / wide, y_mean


def _ring(y: np.ndarray, angle: np.ndarray, swell: np.ndarray | float = 0.0, features: Features = Features()):
    low = np.minimum(y, 0.3)
    shrink = np.sqrt(np.clip(1 - (np.maximum(y - 0.3, 0) / 0.7) ** 2, 0, 1))
    shape = (
        1 + features.jaw * np.exp(-(((y + 0.68) / 0.24) ** 2)) + features.cheek * np.exp(-(((y + 0.22) / 0.20) ** 2))
    )
    width, front, back = _W(low) * shrink * shape + swell, _F(low) * shrink + swell, _B(low) * shrink + swell
    x = width * np.sin(angle)
    z = (front - back) / 2 + (front + back) / 2 * np.cos(angle)
    return x, z


def _bump(x, y, cx, cy, sx, sy):
    return np.exp(-(((np.abs(x) - cx) / sx) ** 2) - ((y - cy) / sy) ** 2)


def _skull(look: Look, spacing: float) -> Cloud:
    y, angle = _grid(spacing)
    own_x, z = _ring(y, angle, features=look.features)
    own_y = np.broadcast_to(y, own_x.shape)
    x, y = _mean_face(look.features, own_x, own_y)
    front = (np.cos(angle) > 0) * np.clip(np.cos(angle) * 3, 0, 1)
    ridge = look.features.nose_size * _NOSE(y) * np.exp(-((x / _NOSE_WIDTH(y)) ** 2))
    relief = (
        ridge
        + 0.055 * _bump(x, y, 0.095, -0.36, 0.05, 0.06)
        - 0.10 * _bump(x, y, 0.275, 0.02, 0.15, 0.12)
        + 0.055 * _bump(x, y, 0.275, 0.01, 0.085, 0.075)
        + 0.035 * _bump(x, y, 0.24, 0.20, 0.2, 0.06)
        + 0.05 * _bump(x, y, 0.37, -0.20, 0.14, 0.12)
        + 0.05 * _bump(x, y, 0.06, -0.575, 0.17, 0.035)
        + 0.05 * _bump(x, y, 0.05, -0.69, 0.15, 0.045)
        - 0.035 * _bump(x, y, 0, -0.63, 0.2, 0.018)
        - 0.045 * _bump(x, y, 0, -0.79, 0.2, 0.05)
        + 0.05 * _bump(x, y, 0, -0.91, 0.14, 0.08)
    )
    z = z + relief * front
    colours = _paint(look, x, y, angle, spacing)
    x, y = own_x, own_y
    hairline = _HAIRLINE(np.abs(angle)) if look.hair_style != "bald" else np.where(np.abs(angle) < 1.5, 0.75, 0.25)
    face = (np.abs(angle) < np.deg2rad(82)) & (y < np.minimum(hairline, 0.62)) & (y > -0.97)
    if look.hat:
        face &= y < 0.36
    gloss = np.where(face, 0.10, 0.03) + 0.10 * _bump(x, y, 0, -0.3, 0.1, 0.2) * front
    return surface(x, y, z, colours, gloss, np.where(face, TAG_FACE, TAG_HEAD))


def _mix(colours, other, share):
    share = np.clip(share, 0, 1)[..., None]
    return colours * (1 - share) + np.asarray(other, np.float32) * share


def _paint(look: Look, x, y, angle, spacing):
    """Skin and features of every grid point, (rows, columns, 3). The painted features carry detection."""
    shape, seed = x.shape, look.seed
    front = np.cos(angle) > 0
    f = np.where(front, 1.0, 0.0) * np.ones(shape)
    grain = noise(shape, seed, (0.06 / spacing, 0.06 / spacing)) * 0.030 + noise(shape, seed + 1, (0.4, 0.4)) * 0.015
    colours = np.broadcast_to(np.asarray(look.skin, np.float32), shape + (3,)) * (1 + grain[..., None])
    red = np.array(look.skin) * np.array([1.02, 0.70, 0.68])
    colours = _mix(
        colours, red, f * (0.40 * _bump(x, y, 0.37, -0.25, 0.16, 0.16) + 0.35 * _bump(x, y, 0, -0.34, 0.12, 0.1))
    )
    dark = np.array(look.skin) * 0.50
    soft = (
        0.55 * _bump(x, y, 0.26, 0.05, 0.17, 0.12)
        + 0.40 * _bump(x, y, 0.15, -0.05, 0.06, 0.16)
        + 0.45 * _bump(x, y, 0.17, -0.36, 0.045, 0.07)
        + 0.60 * _bump(x, y, 0, -0.445, 0.15, 0.035)
        + 0.45 * _bump(x, y, 0, -0.785, 0.15, 0.045)
        + 0.25 * _bump(x, y, 0.50, -0.45, 0.1, 0.25)
    )
    colours = _mix(colours, dark, f * soft)
    if look.age > 0.4:
        lines = _bump(x, y, 0.27 + 0.10 * (-0.35 - y), -0.50, 0.020, 0.16) + 0.5 * _bump(x, y, 0.3, -0.10, 0.13, 0.018)
        lines = lines + 0.5 * (_bump(x, y, 0, 0.38, 0.3, 0.014) + _bump(x, y, 0, 0.47, 0.3, 0.014))
        colours = _mix(colours, dark, f * lines * (look.age - 0.3) * 0.9)
    light = np.minimum(np.array(look.skin) * 1.18 + 0.03, 1)
    colours = _mix(
        colours,
        light,
        f
        * (
            0.55 * _bump(x, y, 0, -0.1, 0.05, 0.25)
            + 0.30 * _bump(x, y, 0, 0.42, 0.35, 0.14)
            + 0.35 * _bump(x, y, 0.36, -0.13, 0.1, 0.06)
        ),
    )
    if look.beard:
        zone = np.clip((-0.42 - y) * 6, 0, 1) * np.clip((1.45 - np.abs(angle)) * 4, 0, 1)
        zone = np.maximum(
            zone,
            np.clip((np.abs(angle) - 0.95) * 2.2, 0, 1)
            * np.clip((1.45 - np.abs(angle)) * 5, 0, 1)
            * np.clip((-0.12 - y) * 3, 0, 1),
        )
        zone = zone * (1 - 0.9 * _bump(x, y, 0, -0.63, 0.17, 0.075)) * (1 - 0.5 * _bump(x, y, 0.30, -0.45, 0.12, 0.1))
        strand = 1 + 0.12 * noise(shape, seed + 5, (0.03 / spacing, 0.012 / spacing))
        colours = _mix(colours, np.array(look.hair) * 0.9, zone * look.beard * np.clip(strand, 0.5, 1.2) * 0.92)
    lips = np.maximum(
        np.clip(
            1.35 - ((x / 0.235) ** 2 + ((y + 0.585 + 0.03 * np.cos(x * 12)) / (0.052 * look.features.lip_full)) ** 2),
            0,
            1,
        ),
        np.clip(1.35 - ((x / 0.205) ** 2 + ((y + 0.685) / (0.065 * look.features.lip_full)) ** 2), 0, 1),
    )
    colours = _mix(colours, look.lips, f * lips * 0.9)
    colours = _mix(
        colours,
        np.array(look.lips) * 0.32,
        f * np.clip(1.4 - ((x / 0.22) ** 2 + ((y + 0.632 - 0.015 * np.cos(x * 14)) / 0.016) ** 2), 0, 1),
    )
    colours = _mix(colours, (0.12, 0.06, 0.05), f * 0.85 * _bump(x, y, 0.062, -0.425, 0.034, 0.022))
    colours = _eyes(look, colours, x, y, f)
    arch = 0.19 + 0.045 * np.cos((np.abs(x) - 0.30) * 7) - 0.03 + look.features.brow_slant * (np.abs(x) - 0.275)
    brow = np.exp(-(((np.abs(x) - 0.275) / 0.165) ** 4) - ((y - arch) / (0.034 * look.features.brow_thick)) ** 2) * (
        1 + 0.25 * noise(shape, seed + 2, (0.3, 0.012 / spacing))
    )
    colours = _mix(colours, look.brows, f * brow * 0.95)
    if look.fringe:
        # It falls to one side.
        low = 0.34 - look.fringe * (0.22 + 0.34 * np.clip(x * 3, 0, 1))
        strand = 1 + 0.25 * noise(shape, seed + 9, (0.02 / spacing, 0.2 / spacing))
        colours = _mix(colours, np.array(look.hair), f * np.clip((y - low) * 14, 0, 1) * np.clip(strand, 0.6, 1.2))
    if look.mask:
        folds = (
            1
            - 0.14 * _bump(x, y, 0, -0.47, 0.5, 0.02)
            - 0.14 * _bump(x, y, 0, -0.62, 0.5, 0.02)
            + 0.05 * noise(shape, seed + 11, (0.2 / spacing, 0.05 / spacing))
        )
        cloth = np.clip((-0.20 - y - 0.25 * np.abs(x)) * 20, 0, 1) * np.clip((1.25 - np.abs(angle)) * 14, 0, 1)
        colours = (
            colours * (1 - cloth[..., None]) + np.asarray(look.mask, np.float32) * folds[..., None] * cloth[..., None]
        )
    return colours


def _eyes(look: Look, colours, x, y, f):
    ax = np.abs(x) - 0.275
    y = (y - 0.01) / look.features.eye_open + 0.01 - look.features.eye_slant * ax
    lid = 0.068 * np.clip(1 - (ax / 0.135) ** 2, 0, 1)
    under = 0.050 * np.clip(1 - (ax / 0.135) ** 2, 0, 1)
    ey = y - 0.01
    opened = np.clip((lid - ey) / 0.012, 0, 1) * np.clip((ey + under) / 0.012, 0, 1) * (np.abs(ax) < 0.135)
    white = np.stack([0.90 - 0.25 * np.clip(ey / 0.06, 0, 1)] * 3, -1) * np.array([1, 0.98, 0.95])
    colours = colours * (1 - (f * opened)[..., None]) + white * (f * opened)[..., None]
    radius = np.hypot(ax, ey - 0.008)
    colours = _mix(colours, np.array(look.iris) * 0.45, f * opened * np.clip((0.072 - radius) / 0.008, 0, 1))
    colours = _mix(colours, look.iris, f * opened * np.clip((0.056 - radius) / 0.01, 0, 1))
    colours = _mix(colours, (0.02, 0.02, 0.02), f * opened * np.clip((0.033 - radius) / 0.006, 0, 1))
    glint = np.hypot(x - np.sign(x) * 0.275 + 0.022, ey - 0.03)
    colours = _mix(colours, (1, 1, 1), f * opened * np.clip((0.019 - glint) / 0.006, 0, 1))
    colours = _mix(colours, (0.06, 0.04, 0.03), f * np.exp(-(((ey - lid) / 0.016) ** 2)) * (np.abs(ax) < 0.145) * 0.95)
    crease = np.exp(-(((ey - lid - 0.045) / 0.014) ** 2)) * (np.abs(ax) < 0.14)
    colours = _mix(colours, np.array(look.skin) * 0.45, f * crease * 0.6)
    return _mix(
        colours,
        np.array(look.skin) * 0.55,
        f * np.exp(-(((ey + under + 0.012) / 0.014) ** 2)) * (np.abs(ax) < 0.12) * 0.5,
    )


def _ear(look: Look, side: int, spacing: float) -> Cloud:
    def colour(points):
        inner = np.exp(-(((points[..., 1] + 0.10) / 0.10) ** 2) - ((points[..., 2] + 0.06) / 0.05) ** 2)
        return np.asarray(look.skin) * (1.0 - 0.40 * inner[..., None]) * np.array([1.02, 0.92, 0.90])

    cloud = ellipsoid((side * 0.715, -0.11, -0.06), (0.055, 0.215, 0.12), colour, spacing, gloss=0.05, tags=TAG_HEAD)
    return cloud


def _neck(look: Look, spacing: float) -> Cloud:
    shade = lambda along, angle: np.asarray(look.skin) * (0.62 + 0.25 * along)[..., None]
    return tube((0, -0.55, -0.18), (0, -1.75, -0.22), 0.40, 0.48, shade, spacing, flat=0.95, gloss=0.03)


def _hair_colour(look: Look, shape, spacing):
    streak = (
        noise(shape, look.seed + 7, (0.20 / spacing, 0.012 / spacing)) * 0.22
        + noise(shape, look.seed + 8, (0.3, 0.3)) * 0.06
    )
    return np.clip(np.asarray(look.hair) * (1 + streak[..., None]) + 0.02, 0, 1)


def _hair_parts(look: Look, spacing: float) -> list[Cloud]:
    if look.hair_style == "bald" and not look.hat:
        return []
    y, angle = _grid(spacing)
    y = y + 0 * angle
    hairline = _HAIRLINE(np.abs(angle)) + 0.02 * noise(y.shape, look.seed + 3, (40, 0.05 / spacing))
    above = np.clip((y - hairline) / 0.16, 0, 1)
    thick = 0.022 + 0.050 * above
    if look.hair_style == "long":
        thick = thick + 0.05 * above
    if look.hat:
        thick = thick * (0.8 - 0.6 * np.clip((y - 0.1) / 0.3, 0, 1))
    thick = thick + 0.008 * noise(y.shape, look.seed + 4, (0.12 / spacing, 0.015 / spacing))
    x, z = _ring(y, angle, thick)
    y = y + thick * np.clip((y - 0.1) / 0.5, 0, 1)
    cloud = surface(x, y, z, _hair_colour(look, x.shape, spacing), 0.14, TAG_HEAD)
    parts = [cloud.take(np.flatnonzero((above > 0).ravel()))]
    if look.hair_style == "bun":
        colour = lambda p: np.asarray(look.hair) * (0.8 + 0.35 * np.sin(p[..., 1:2] * 60 + p[..., 0:1] * 25) * 0.3)
        parts.append(ellipsoid((0, 0.62, -0.98), (0.30, 0.28, 0.26), colour, spacing, gloss=0.12, tags=TAG_HEAD))
    if look.hair_style == "long":
        parts.append(_curtain(look, spacing))
    return parts


def _curtain(look: Look, spacing: float) -> Cloud:
    y = np.arange(-1.75, 0.25, spacing)[:, None]
    angle = np.linspace(np.deg2rad(78), np.deg2rad(282), int(3.4 / spacing))[None, :]
    flare = 0.08 + 0.05 * np.clip(-y, 0, 2) + 0.015 * np.sin(angle * 23)
    x = (0.72 + flare) * np.sin(angle) + 0 * y
    z = -0.10 + (0.84 + flare) * np.cos(angle) + 0 * y
    return surface(x, y + 0 * x, z, _hair_colour(look, x.shape, spacing), 0.14, TAG_HEAD)


def _hat(look: Look, spacing: float) -> list[Cloud]:
    if not look.hat:
        return []
    base = {"cap": 0.40, "beanie": 0.30, "brim": 0.44, "headscarf": 0.30}[look.hat]
    y, angle = _grid(spacing)
    y = y + 0 * angle
    # A hat sits lower at the nape than at the forehead.
    edge = base - (0.25 if look.hat != "headscarf" else 0.95) * (1 - np.cos(angle)) / 2
    if look.hat == "headscarf":
        edge = np.where(np.abs(angle) < 1.15, base + 0.12, edge - 0.35)
    swell = {"cap": 0.085, "beanie": 0.10, "brim": 0.09, "headscarf": 0.085}[look.hat]
    x, z = _ring(y, angle, swell)
    knit = {
        "cap": noise(y.shape, look.seed + 9, (0.5, 0.5)) * 0.03,
        "beanie": 0.14 * np.sin(angle * 46) + noise(y.shape, look.seed + 9, (1, 1)) * 0.03,
        "brim": 0.06 * np.sin(y * 110) + noise(y.shape, look.seed + 9, (0.6, 0.6)) * 0.06,
        "headscarf": 0.10 * np.sin(y * 26 + np.cos(angle * 2) * 3),
    }[look.hat]
    colours = np.clip(np.asarray(look.hat_colour) * (1 + knit[..., None]), 0, 1)
    fold = (y < edge + 0.20) & (look.hat == "beanie")
    x, z = np.where(fold, x * 1.06, x), np.where(fold, z * 1.06, z)
    colours = np.where(fold[..., None], colours * 0.86, colours)
    lifted = y + 0.10 * np.clip((y - 0.1) / 0.5, 0, 1)
    cloud = surface(x, lifted, z, colours, 0.03, TAG_HEAD)
    parts = [cloud.take(np.flatnonzero((y > edge).ravel()))]
    if look.hat == "cap":
        t = np.linspace(-1.05, 1.05, int(2.4 / spacing))[None, :]
        r = np.linspace(0, 0.48, int(0.6 / spacing))[:, None]
        px, pz = (0.76 + r * 0.25) * np.sin(t), 0.10 + (0.74 + r * np.cos(t * 0.9)) * np.cos(t)
        py = 0.40 - 0.20 * (r / 0.48) ** 1.5 - 0.10 * np.sin(t) ** 2
        for drop, shade in ((0, 0.9), (-0.03, 0.45)):
            brim = surface(px, py + drop, pz, np.asarray(look.hat_colour) * shade, 0.04, TAG_HEAD)
            brim.normals[:] = (0, 0.9, 0.43) if drop == 0 else (0, -0.5, 0.85)
            parts.append(brim)
    if look.hat == "brim":
        t = np.linspace(-np.pi, np.pi, int(7 / spacing), endpoint=False)[None, :]
        r = np.linspace(0, 0.55, int(0.65 / spacing))[:, None]
        px, pz = (0.77 + r) * np.sin(t), -0.04 + (0.86 + r) * np.cos(t)
        py = 0.44 - 0.10 * r - 0.12 * (1 - np.cos(t)) / 2 + 0.05 * np.sin(3 * t) * r
        for drop, shade, normal in ((0, 0.95, (0, 0.95, 0.3)), (-0.03, 0.5, (0, -0.4, 0.9))):
            brim = surface(px, py + drop, pz, np.asarray(look.hat_colour) * shade, 0.02, TAG_HEAD)
            brim.normals[:] = normal
            parts.append(brim)
    return parts


def _glasses(spacing: float) -> list[Cloud]:
    parts, colour = [], (0.07, 0.07, 0.08)
    for side in (-1, 1):
        t = np.linspace(0, 2 * np.pi, 48)
        rim = [
            (side * 0.28 + 0.19 * np.sin(a), 0.0 + 0.15 * np.cos(a), 0.80 - 0.18 * abs(side * 0.28 + 0.19 * np.sin(a)))
            for a in t
        ]
        parts += [tube(a, b, 0.018, 0.018, colour, spacing, gloss=0.4) for a, b in zip(rim, rim[1:])]
        parts.append(
            tube((side * 0.47, 0.03, 0.71), (side * 0.73, 0.02, -0.05), 0.016, 0.016, colour, spacing, gloss=0.3)
        )
    parts.append(tube((-0.09, 0.05, 0.80), (0.09, 0.05, 0.80), 0.016, 0.016, colour, spacing, gloss=0.4))
    return parts


def _scarf(look: Look, spacing: float) -> Cloud:
    t = np.linspace(0, 2 * np.pi, int(4.6 / spacing), endpoint=False)[None, :]
    v = np.linspace(0, 2 * np.pi, int(1.6 / spacing), endpoint=False)[:, None]
    big, small = 0.62, 0.21
    ripple = 1 + 0.05 * np.sin(t * 9 + v * 2)
    x = (big + small * np.cos(v) * ripple) * np.sin(t)
    z = -0.14 + (big + small * np.cos(v) * ripple) * np.cos(t)
    y = -1.32 + small * 1.15 * np.sin(v) * ripple + 0.06 * np.cos(t)
    stripe = 0.85 + 0.25 * (np.sin(t * 30 + v) > 0)
    cloud = surface(x, y, z, np.asarray(look.scarf) * stripe[..., None], 0.02, TAG_BODY)
    ring = np.stack([big * np.sin(t) + 0 * v, -1.32 + 0 * (t + v), -0.14 + big * np.cos(t) + 0 * v], -1).reshape(-1, 3)
    out = cloud.points - ring
    cloud.normals[:] = out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-6)
    return cloud
