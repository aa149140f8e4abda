"""One function makes a matte from (project, clip, frame). Preview, export, findings and the contact sheet all use it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.project.outline import Outline, cover_outline
from skiagraph.project.model import CoverStyle, Project, Subject

FULL = 255


@dataclass(frozen=True, slots=True, eq=False)
class Layer:
    """The matte of one subject in one frame.

    alpha: uint8 (y1 - y0, x1 - x0), 255 where the cover is complete; box: x0, y0, x1, y1 px of the upright clip, cut to
    the frame; outline: the ellipse inside which alpha is 255.
    """

    subject: str
    style: CoverStyle
    outline: Outline
    box: tuple[int, int, int, int]
    alpha: np.ndarray


def layers(project: Project, clip: str, frame: int, *, subjects: list[Subject] | None = None) -> list[Layer]:
    """The mattes of all covered subjects in a frame, in the order of the register. Undecided counts as covered."""
    source = project.clip(clip)
    found = []
    for subject in project.subjects if subjects is None else subjects:
        if not subject.is_covered:
            continue
        style = project.style_of(subject)
        for sighting in subject.sightings:
            if sighting.clip != clip:
                continue
            outline = cover_outline(sighting, frame, style.margin)
            if outline is None:
                continue
            layer = draw_layer(subject.key, style, outline, (source.width, source.height))
            if layer is not None:
                found.append(layer)
    return found


def draw_layer(subject: str, style: CoverStyle, outline: Outline, size: tuple[int, int]) -> Layer | None:
    """The matte of an outline, or None when it lies outside the frame of size (width, height).

    Inside the outline alpha is 255; the feather only grows outwards.
    """
    a, b = max(outline.width / 2, 0.5), max(outline.height / 2, 0.5)
    soft = max(style.feather, 0.0)
    lean = np.radians(outline.angle)
    reach_x = np.hypot(a * np.cos(lean), b * np.sin(lean)) * (1 + soft)
    reach_y = np.hypot(a * np.sin(lean), b * np.cos(lean)) * (1 + soft)
    x0, x1 = int(max(0, np.floor(outline.cx - reach_x) - 1)), int(min(size[0], np.ceil(outline.cx + reach_x) + 2))
    y0, y1 = int(max(0, np.floor(outline.cy - reach_y) - 1)), int(min(size[1], np.ceil(outline.cy + reach_y) + 2))
    if x0 >= x1 or y0 >= y1:
        return None
    # Half a pixel is added to the axes so that every pixel the ellipse touches is complete.
    dx = (np.arange(x0, x1, dtype=np.float32) + 0.5 - outline.cx)[None, :]
    dy = (np.arange(y0, y1, dtype=np.float32) + 0.5 - outline.cy)[:, None]
    cos, sin = np.float32(np.cos(lean)), np.float32(np.sin(lean))
    u = (dx * cos + dy * sin) * np.float32(1 / (a + 0.75))
    v = (dy * cos - dx * sin) * np.float32(1 / (b + 0.75))
    radius = np.sqrt(u * u + v * v)
    if soft > 0.005:
        alpha = np.clip((1 + np.float32(soft) - radius) * np.float32(FULL / soft), 0, FULL)
    else:
        alpha = (radius <= 1) * np.float32(FULL)
    alpha = (alpha + 0.5).astype(np.uint8)
    alpha[radius <= 1] = FULL
    return Layer(subject, style, outline, (x0, y0, x1, y1), alpha)


def matte(project: Project, clip: str, frame: int) -> np.ndarray:
    """The union of all mattes of a frame: uint8 (height, width) of the upright clip, 255 = fully covered."""
    source = project.clip(clip)
    whole = np.zeros((source.height, source.width), np.uint8)
    for layer in layers(project, clip, frame):
        x0, y0, x1, y1 = layer.box
        np.maximum(whole[y0:y1, x0:x1], layer.alpha, out=whole[y0:y1, x0:x1])
    return whole
