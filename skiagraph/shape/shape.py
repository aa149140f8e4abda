"""Shapes, and an outline: a shape on a place.

Mattes, findings, followers, the picture and the check of a file all ask here.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np

from skiagraph.shape.place import Perspective, Place, Similarity, place_through
from skiagraph.values import Family, replace

# Every pixel that an outline touches is complete: so far beyond its edge in px a pixel's middle may lie.
TOUCHED_PX = 0.75
# Nothing is made smaller by its handles than this, px.
LEAST_PX = 8.0


class Shape(Family):
    """The form of what must be hidden, in the unit frame of its place.

    A kind gives its distance and its edge; the rest follows. word: how people call it.

    Margins and feathers are distances in the unit frame, so that they grow with what they are around.
    """

    __slots__ = ()
    word: ClassVar[str] = ""

    def distance(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        """Signed distance from the edge in the unit frame, negative inside; u and v broadcast.

        It may be an underestimate outside, which makes a cover larger, never an overestimate.
        """
        raise NotImplementedError

    def edge(self) -> np.ndarray:
        """The closed edge as points of the unit frame, (n, 2), n at least 3."""
        raise NotImplementedError

    def points(self) -> tuple:
        """The points it is drawn through (pointed.Point), in order; none where it has none of its own."""
        return ()

    def with_points(self, points: tuple) -> Shape:
        """The same through other points, as another kind where it needs to be."""
        raise NotImplementedError

    def edge_owners(self) -> np.ndarray:
        """For each point of the edge, the number of the last of its own points before it."""
        return np.arange(len(self.edge()))

    def half_extents(self, linear: np.ndarray, beyond: float) -> np.ndarray:
        """Half width and height in px of the upright box around the shape grown by a distance. linear: (2, 2) px for a
        unit."""
        reach = np.abs(self.edge()).max(axis=0) + beyond
        return np.abs(linear) @ reach

    def handles(self) -> dict[str, tuple[float, float]]:
        """Names of the handles and where they are, in the unit frame."""
        return {"right": (1.0, 0.0), "left": (-1.0, 0.0), "bottom": (0.0, 1.0), "top": (0.0, -1.0)}


@dataclass(frozen=True, slots=True)
class Outline:
    """A shape on a place. grown: distance by which it is larger than the shape, in its unit frame; confidence 0..1;
    origin: by what means the place is known, a constant of track.path."""

    place: Place
    shape: Shape = field(default_factory=lambda: Shape.kinds["ellipse"]())
    grown: float = 0.0
    confidence: float = 1.0
    origin: int = 0

    @staticmethod
    def at(
        cx: float, cy: float, width: float, height: float, angle: float = 0.0, shape: Shape | None = None
    ) -> Outline:
        """An outline on a similarity; an ellipse unless said otherwise."""
        place = Similarity(float(cx), float(cy), float(width), float(height), float(angle))
        return Outline(place, shape) if shape is not None else Outline(place)

    @staticmethod
    def between(a: tuple[float, float], b: tuple[float, float], shape: Shape) -> Outline:
        """An upright outline that fills the box between two corners, px, and has a pixel at least each way."""
        (ax, ay), (bx, by) = a, b
        return Outline.at((ax + bx) / 2, (ay + by) / 2, max(1.0, abs(ax - bx)), max(1.0, abs(ay - by)), shape=shape)

    # Where and how large it is. Of a place in perspective these tell of its middle.

    @property
    def cx(self) -> float:
        return self.place.cx

    @property
    def cy(self) -> float:
        return self.place.cy

    @property
    def width(self) -> float:
        return self.place.width * (1 + self.grown)

    @property
    def height(self) -> float:
        return self.place.height * (1 + self.grown)

    @property
    def angle(self) -> float:
        return self.place.angle

    def grown_by(self, distance: float) -> Outline:
        """The same with its edge further out by a distance in the unit frame."""
        return Outline(self.place, self.shape, self.grown + distance, self.confidence, self.origin)

    def on(self, place: Place) -> Outline:
        """The same shape at another place."""
        return Outline(place, self.shape, self.grown, self.confidence, self.origin)

    def contains(self, points: np.ndarray) -> np.ndarray:
        """Which of the points (n, 2) px lie inside, bool (n,)."""
        points = np.asarray(points, float)
        return self.shape.distance(*self.place.to_unit(points[:, 0], points[:, 1])) <= self.grown + 1e-6

    def edge_px(self) -> np.ndarray:
        """The edge in px, (n, 2), closed."""
        edge = self.shape.edge()
        if self.grown:
            step = 1e-3
            u, v = edge[:, 0], edge[:, 1]
            slope = np.stack(
                [
                    self.shape.distance(u + step, v) - self.shape.distance(u - step, v),
                    self.shape.distance(u, v + step) - self.shape.distance(u, v - step),
                ],
                axis=1,
            )
            edge = edge + self.grown * slope / np.maximum(np.hypot(*slope.T), 1e-9)[:, None]
        return self.place.to_px(edge)

    def box(self, beyond: float = 0.0) -> tuple[float, float, float, float]:
        """x0, y0, x1, y1 px of the upright box around it, further by a distance in the unit frame."""
        if isinstance(self.place, Perspective):
            x, y = np.abs(self.shape.edge()).max(axis=0) + self.grown + beyond
            corners = self.place.to_px(np.array([(-x, -y), (x, -y), (x, y), (-x, y)]))
            (x0, y0), (x1, y1) = corners.min(axis=0), corners.max(axis=0)
            return float(x0), float(y0), float(x1), float(y1)
        half_w, half_h = self.shape.half_extents(self.place.linear(), self.grown + beyond)
        cx, cy = self.place.cx, self.place.cy
        return float(cx - half_w), float(cy - half_h), float(cx + half_w), float(cy + half_h)

    def raster(
        self, size: tuple[int, int], feather: float = 0.0
    ) -> tuple[tuple[int, int, int, int], np.ndarray] | None:
        """Its pixels in a picture of (width, height): a box x0, y0, x1, y1 px and uint8 alpha (y1 - y0, x1 - x0), or
        None outside.

        255 in every pixel that the outline touches; feather: width of the soft edge outside of that, as a share of its
        size. The edge only ever grows outwards.
        """
        complete = self.grown + TOUCHED_PX / self._least_px()
        soft = max(feather, 0.0) * (1 + self.grown)
        drawn = self._distances(size, complete - self.grown + soft)
        if drawn is None:
            return None
        (x0, y0, x1, y1), distance = drawn
        alpha = (distance <= np.float32(complete)).astype(np.uint8)
        alpha *= np.uint8(255)
        if soft > 0.005:
            edge = np.float32(complete + soft) - distance
            edge *= np.float32(255 / soft)
            edge += np.float32(0.5)
            alpha |= np.minimum(np.maximum(edge, np.float32(0.5), out=edge), np.float32(255.5), out=edge).astype(
                np.uint8
            )
        return (x0, y0, x1, y1), alpha

    def raster_within(
        self, size: tuple[int, int], feather: float = 0.0
    ) -> tuple[tuple[int, int, int, int], np.ndarray] | None:
        """As raster, for what is to stay seen: 255 only where a pixel's middle is inside, and the soft edge goes
        inwards, never outwards."""
        drawn = self._distances(size, 0.0)
        if drawn is None:
            return None
        box, distance = drawn
        soft = max(feather, 0.5 / self._least_px())
        return box, np.clip((self.grown - distance) * np.float32(255 / soft), 0, 255).astype(np.uint8)

    def _least_px(self) -> float:
        """Px for a unit of distance, where these are fewest."""
        (p, q), (r, s) = self.place.linear().tolist()
        a, b = math.sqrt(p * p + r * r), math.sqrt(q * q + s * s)
        if isinstance(self.place, Perspective):
            # Of a plane in perspective the far side is the smallest.
            a, b = np.array([a, b]) / (1 + abs(self.place.tilt_x) + abs(self.place.tilt_y)) ** 2
        return float(min(a, b))

    def _distances(self, size: tuple[int, int], beyond: float) -> tuple[tuple[int, int, int, int], np.ndarray] | None:
        """The box of pixels around it in a picture of (width, height), and the distance of each pixel's middle; None
        outside the picture."""
        x0, y0, x1, y1 = (min(max(v, -1e6), 1e6) for v in self.box(beyond))
        x0, y0, x1, y1 = (
            max(0, math.floor(x0) - 1),
            max(0, math.floor(y0) - 1),
            min(size[0], math.ceil(x1) + 1),
            min(size[1], math.ceil(y1) + 1),
        )
        if x0 >= x1 or y0 >= y1:
            return None
        x = (np.arange(x0, x1, dtype=np.float32) + np.float32(0.5))[None, :]
        y = (np.arange(y0, y1, dtype=np.float32) + np.float32(0.5))[:, None]
        return (x0, y0, x1, y1), self.shape.distance(*self.place.to_unit(x, y))

    # Handles

    def handles_px(self) -> dict[str, tuple[float, float]]:
        """Where its handles are in px, by name.

        The handle for turning is not among them: how far it stands off is for the screen.
        """
        named = self.shape.handles()
        return dict(zip(named, (tuple(p) for p in self.place.to_px(np.array(list(named.values()))).tolist())))

    def pulled(
        self, handle: str, start: tuple[float, float], to: tuple[float, float], keep_shape: bool = False
    ) -> Outline:
        """What it becomes when a handle, "move" or "turn" is pulled from a point to another, px.

        A side moves by itself while the opposite one stays; keep_shape: both axes grow together around the middle.
        Angles go on from where they are, without a jump. "pin" and a corner: that corner alone moves, and the outline
        lies in perspective.
        """
        place = self.place
        if handle == "move":
            return self.on(replace(place, cx=place.cx + to[0] - start[0], cy=place.cy + to[1] - start[1]))
        if handle.startswith("pin "):
            return self._pinned(handle[4:], to)
        dx, dy = to[0] - place.cx, to[1] - place.cy
        if handle == "turn":
            wanted = math.degrees(math.atan2(dy, dx)) + 90
            return self.on(replace(place, angle=place.angle + nearest_turn(wanted - place.angle)))
        side_u, side_v = self.shape.handles()[handle]
        lean = math.radians(place.angle)
        along, across = dx * math.cos(lean) + dy * math.sin(lean), dy * math.cos(lean) - dx * math.sin(lean)
        if keep_shape:
            factor = (
                max(along * side_u / place.width if side_u else 0.0, across * side_v / place.height if side_v else 0.0)
                * 2
            )
            factor = max(factor, LEAST_PX / min(place.width, place.height))
            return self.on(replace(place, width=place.width * factor, height=place.height * factor))
        width = max(LEAST_PX, place.width / 2 + along * np.sign(side_u)) if side_u else place.width
        height = max(LEAST_PX, place.height / 2 + across * np.sign(side_v)) if side_v else place.height
        shift_u, shift_v = (width - place.width) / 2 * np.sign(side_u), (height - place.height) / 2 * np.sign(side_v)
        return self.on(
            replace(
                place,
                width=float(width),
                height=float(height),
                cx=float(place.cx + shift_u * math.cos(lean) - shift_v * math.sin(lean)),
                cy=float(place.cy + shift_u * math.sin(lean) + shift_v * math.cos(lean)),
            )
        )

    def _pinned(self, corner: str, to: tuple[float, float]) -> Outline:
        unit = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], float)
        corners = self.place.to_px(unit)
        corners[CORNERS.index(corner)] = to
        try:
            place = place_through(corners)
        except ValueError:
            return self
        if min(place.width, place.height) < LEAST_PX:
            return self
        return self.on(replace(place, angle=self.place.angle + nearest_turn(place.angle - self.place.angle)))


# The corners of the unit frame in order, as a box names its handles.
CORNERS = ("top left", "top right", "bottom right", "bottom left")


def nearest_turn(degrees: float) -> float:
    """The same turn within -180 .. 180 degrees, so that angles stay continuous."""
    return (degrees + 180.0) % 360.0 - 180.0


def disc_points(rows: int = 9) -> np.ndarray:
    """Points spread evenly over the unit disc, (n, 2), within ±1: samples of a head or a face."""
    grid = (np.stack(np.meshgrid(np.arange(rows), np.arange(rows)), -1).reshape(-1, 2) + 0.5) / rows * 2 - 1
    return grid[np.hypot(*grid.T) <= 1.0]
