"""Outlines as people write them on the command line, in px of the upright clip."""

from __future__ import annotations

import math

import numpy as np

from skiagraph.shape.pointed import LEAST_POINTS, MOST_POINTS, Point
from skiagraph.shape.shape import LEAST_PX, Outline, Shape

FORMS = "ellipse:CX,CY,WIDTH,HEIGHT[,ANGLE], box:CX,CY,WIDTH,HEIGHT[,ANGLE], polygon:X,Y;X,Y;X,Y… or curve:X,Y;X,Y;X,Y…"


def outline_of(text: str) -> Outline:
    """An outline from its written form (FORMS). Raises ValueError with a few words on what is wrong."""
    kind, _, rest = text.partition(":")
    try:
        rows = [[float(v) for v in part.split(",")] for part in rest.split(";") if part.strip()]
    except ValueError:
        raise ValueError(f"“{text}” has something in it that is no number") from None
    if not all(math.isfinite(v) and abs(v) <= 1e6 for row in rows for v in row):
        raise ValueError(f"“{text}” has a number in it that is far beyond any picture")
    if kind in ("polygon", "curve") and LEAST_POINTS <= len(rows) <= MOST_POINTS and all(len(row) == 2 for row in rows):
        return outline_through(np.array(rows), kind)
    if kind in ("ellipse", "box") and len(rows) == 1 and len(rows[0]) in (4, 5) and rows[0][2] > 0 and rows[0][3] > 0:
        return Outline.at(*rows[0], shape=Shape.kinds[kind]())
    raise ValueError(f"“{text}” is no outline; write {FORMS}")


def outline_through(points: np.ndarray, kind: str = "polygon") -> Outline:
    """The outline of a polygon, or a curve, through points (n, 2) px; its place is their upright box."""
    low, high = points.min(axis=0), points.max(axis=0)
    middle, half = (low + high) / 2, np.maximum((high - low) / 2, LEAST_PX / 2)
    nodes = tuple(Point(float(u), float(v), kind == "curve") for u, v in (points - middle) / half)
    return Outline.at(*middle, *(2 * half), shape=Shape.kinds[kind]().with_points(nodes))
