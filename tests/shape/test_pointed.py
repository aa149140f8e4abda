"""Polygons and curves: the edge goes through the points, changes of points change just them, and changing the kind
covers no less than it can."""

import unittest

import numpy as np

from skiagraph.shape.pointed import (
    Point,
    as_kind,
    blended,
    nearest_line,
    reshaped,
    with_point_added,
    with_point_moved,
    with_points_turned,
    without_points,
)
from skiagraph.shape.shape import Shape
from skiagraph.shape.written import outline_of

Box, Ellipse, Polygon, Curve = (Shape.kinds[k] for k in ("box", "ellipse", "polygon", "curve"))
STAR = Curve((Point(0, -1), Point(0.9, -0.2, False), Point(0.4, 0.9), Point(-0.6, 0.7)))


class CurveTest(unittest.TestCase):
    def test_the_edge_goes_through_the_points_smoothly_or_with_a_corner(self):
        edge = STAR.edge()
        for n, p in enumerate(STAR.nodes):
            at = int(np.flatnonzero(STAR.edge_owners() == n)[0])
            np.testing.assert_allclose(edge[at], (p.u, p.v))
            before, after = edge[at] - edge[at - 1], edge[(at + 1) % len(edge)] - edge[at]
            cos = before @ after / np.hypot(*before) / np.hypot(*after)
            self.assertEqual(cos > 0.8, p.smooth, f"point {n}")

    def test_inside_and_outside(self):
        self.assertLess(float(STAR.distance(np.float32(0), np.float32(0))), 0)
        self.assertGreater(float(STAR.distance(np.float32(1.2), np.float32(1.2))), 0)

    def test_points_are_moved_added_removed_and_turned(self):
        moved = with_point_moved(STAR, [0, 2], 0.1, 0.2)
        self.assertEqual(
            [(round(p.u, 3), round(p.v, 3)) for p in moved.nodes], [(0.1, -0.8), (0.9, -0.2), (0.5, 1.1), (-0.6, 0.7)]
        )
        added = with_point_added(STAR, 3, -0.5, -0.3)
        self.assertEqual((len(added.nodes), added.nodes[4].u), (5, -0.5))
        self.assertEqual(without_points(added, [4]), STAR)
        self.assertEqual(without_points(STAR, [0, 1]), STAR, "three stay at least")
        self.assertEqual([p.smooth for p in with_points_turned(STAR, [0, 1]).nodes], [False, True, True, True])
        self.assertEqual(
            with_points_turned(as_kind(Box(), "polygon"), [0]).kind, "curve", "a polygon with a smooth point is a curve"
        )
        n, away = nearest_line(STAR, *STAR.edge()[13])
        self.assertEqual((n, round(away, 6)), (1, 0.0))

    def test_another_kind_is_around_what_it_was_around(self):
        around = np.linspace(0, 2 * np.pi, 300)
        for kind in ("polygon", "curve"):
            shape = as_kind(Ellipse(), kind)
            self.assertLess(
                float(shape.distance(np.cos(around).astype(np.float32), np.sin(around).astype(np.float32)).max()),
                0.02,
                kind,
            )
            corners = np.float32([-1, 1, 1, -1]) * 0.999, np.float32([-1, -1, 1, 1]) * 0.999
            self.assertLess(float(as_kind(Box(), kind).distance(*corners).max()), 1e-3)
        self.assertEqual(as_kind(as_kind(STAR, "polygon"), "curve").points()[1].u, 0.9)
        self.assertEqual(as_kind(STAR, "ellipse"), Ellipse())

    def test_one_shape_goes_over_into_another(self):
        other = with_point_moved(STAR, [1], 1.0, 0.0)
        self.assertAlmostEqual(blended(STAR, other, 0.25).nodes[1].u, 1.15)
        self.assertEqual((blended(STAR, Box(), 0.9), blended(STAR, Box(), 1)), (STAR, Box()))
        self.assertAlmostEqual(reshaped(other, STAR, with_point_moved(STAR, [1], 0.0, 0.5)).nodes[1].v, 0.3)

    def test_a_curve_is_written_as_its_points(self):
        outline = outline_of("curve:10,10;110,20;100,90;20,80")
        np.testing.assert_allclose(outline.edge_px()[::8], [(10, 10), (110, 20), (100, 90), (20, 80)], atol=1e-9)
        with self.assertRaises(ValueError):
            outline_of("curve:10,10;110,20")
