"""A plane in perspective: its corners are where they are put, what is inside is inside, and covers on it are never
smaller than they were drawn."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from skiagraph.project.overlap import distances
from skiagraph.shape.place import Perspective, Similarity, place_of, place_of_matrix, place_through
from skiagraph.shape.shape import CORNERS, Outline, Shape

UNIT = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], float)
planes = st.builds(
    lambda cx, cy, w, h, a, k, p, q: place_of(np.array([cx, cy, w, h, a, k, p, q])),
    st.floats(-200, 900),
    st.floats(-200, 700),
    st.floats(30, 400),
    st.floats(30, 300),
    st.floats(-180, 180),
    st.floats(-0.6, 0.6),
    st.floats(-0.25, 0.25),
    st.floats(-0.24, 0.24),
)


class PerspectiveTest(unittest.TestCase):
    @given(planes)
    def test_corners_give_the_place_again(self, place):
        again = place_through(place.to_px(UNIT))
        np.testing.assert_allclose(again.to_px(UNIT), place.to_px(UNIT), atol=1e-6)
        np.testing.assert_allclose(place_of_matrix(place.matrix()).to_px(UNIT), place.to_px(UNIT), atol=1e-6)
        np.testing.assert_allclose(
            place.linear(),
            super(Perspective, place).linear() if isinstance(place, Perspective) else place.linear(),
            atol=1e-6,
        )

    @given(planes, st.floats(-0.95, 0.95), st.floats(-0.95, 0.95))
    def test_to_px_and_back(self, place, u, v):
        ((x, y),) = place.to_px(np.array([[u, v]]))
        back = place.to_unit(np.array([x]), np.array([y]))
        np.testing.assert_allclose([float(back[0][0]), float(back[1][0])], [u, v], atol=2e-3)

    @given(planes)
    def test_a_cover_holds_all_of_what_it_is_drawn_around(self, place):
        size = (640, 480)
        outline = Outline(place, Shape.kinds["box"]()).grown_by(0.14)
        drawn = outline.raster(size, 0.1)
        grid = np.stack(np.meshgrid(np.arange(size[0]), np.arange(size[1])), -1).reshape(-1, 2)[::97]
        inside = Outline(place, Shape.kinds["box"]()).contains(grid + 0.5)
        alpha = np.zeros(size[::-1], np.uint8)
        if drawn is not None:
            (x0, y0, x1, y1), part = drawn
            alpha[y0:y1, x0:x1] = part
        self.assertTrue((alpha[grid[inside, 1], grid[inside, 0]] == 255).all())

    def test_tables_say_the_same_as_places(self):
        place = Perspective(300, 200, 160, 90, 12, 0.2, 0.15, -0.1)
        points = np.random.default_rng(1).uniform(0, 500, (40, 2))
        row = place.row()
        table = np.array([[*row[:5], 1.0, 0.0, *row[5:]]])
        box = Shape.kinds["box"]()
        np.testing.assert_allclose(
            distances(points[None], table, box)[0], box.distance(*place.to_unit(points[:, 0], points[:, 1])), atol=1e-4
        )

    def test_a_pulled_corner_moves_alone(self):
        outline = Outline(Similarity(300, 200, 160, 90), Shape.kinds["box"]())
        pulled = outline.pulled("pin top right", (380, 155), (400, 140))
        self.assertIsInstance(pulled.place, Perspective)
        corners = pulled.place.to_px(UNIT)
        np.testing.assert_allclose(corners[CORNERS.index("top right")], (400, 140), atol=1e-6)
        for name in ("top left", "bottom right", "bottom left"):
            n = CORNERS.index(name)
            np.testing.assert_allclose(corners[n], outline.place.to_px(UNIT)[n], atol=1e-6)
        self.assertEqual(
            outline.pulled("pin top right", (380, 155), (100, 400)), outline, "corners that cross are no plane"
        )

    def test_corners_on_a_line_are_refused(self):
        with self.assertRaises(ValueError):
            place_through(np.array([(0, 0), (10, 0), (20, 0), (30, 0)]))
        with self.assertRaises(ValueError):
            place_through(UNIT[::-1] * 50)
