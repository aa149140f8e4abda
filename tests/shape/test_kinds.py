"""Boxes and polygons: inside is inside, distances never overestimate outside, and they are written as people write
them."""

import unittest

import numpy as np

from skiagraph.shape.shape import Outline, Shape
from skiagraph.shape.written import outline_of

Polygon, Box = Shape.kinds["polygon"], Shape.kinds["box"]
STAR = Polygon(
    ((0.0, -1.0), (0.25, -0.25), (1.0, 0.0), (0.25, 0.25), (0.0, 1.0), (-0.25, 0.25), (-1.0, 0.0), (-0.25, -0.25))
)


class KindsTest(unittest.TestCase):
    def test_inside_is_inside(self):
        box = Outline.at(50, 40, 40, 20, 90, shape=Box())
        self.assertEqual(
            box.contains(np.array([[50, 58], [58, 58], [62, 40], [50, 62], [41, 21]])).tolist(),
            [True, True, False, False, True],
        )
        star = Outline.at(50, 50, 80, 80, shape=STAR)
        self.assertEqual(
            star.contains(np.array([[50, 15], [75, 75], [85, 50], [58, 58], [65, 65]])).tolist(),
            [True, False, True, True, False],
        )

    def test_a_distance_is_never_more_than_it_is(self):
        rng = np.random.default_rng(4)
        for shape in (Box(), STAR, Polygon(((-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)))):
            corners = shape.edge()
            edge = np.concatenate(
                [
                    a + (b - a) * t
                    for a, b in zip(corners, np.roll(corners, -1, axis=0))
                    for t in np.linspace(0, 1, 60)[:, None]
                ]
            ).reshape(-1, 2)
            points = rng.uniform(-2, 2, (300, 2))
            true = np.hypot(*(points[:, None] - edge[None]).transpose(2, 0, 1)).min(axis=1)
            told = shape.distance(points[:, 0], points[:, 1])
            outside = told > 0
            self.assertTrue((told[outside] <= true[outside] + 0.02).all())
            np.testing.assert_allclose(shape.distance(edge[:, 0], edge[:, 1]), 0, atol=1e-6)

    def test_every_pixel_that_is_touched_is_covered(self):
        rng = np.random.default_rng(3)
        for shape in (Box(), STAR):
            for _ in range(15):
                outline = Outline.at(
                    *rng.uniform(20, 80, 2), *rng.uniform(8, 70, 2), rng.uniform(-180, 180), shape=shape
                )
                (x0, y0, x1, y1), alpha = outline.raster((100, 100), rng.uniform(0, 0.3))
                y, x = np.nonzero(np.ones((100, 100)))
                touched = np.any(
                    [
                        outline.contains(np.stack([x + dx, y + dy], 1))
                        for dx in (0.01, 0.5, 0.99)
                        for dy in (0.01, 0.5, 0.99)
                    ],
                    axis=0,
                ).reshape(100, 100)
                whole = np.zeros((100, 100), np.uint8)
                whole[y0:y1, x0:x1] = alpha
                self.assertTrue((whole[touched] == 255).all())

    def test_written_as_people_write_them(self):
        self.assertEqual(outline_of("box:10,20,30,40,5"), Outline.at(10, 20, 30, 40, 5, shape=Box()))
        self.assertEqual(outline_of("ellipse:10,20,30,40"), Outline.at(10, 20, 30, 40))
        drawn = outline_of("polygon:10,10;50,10;50,40;10,40")
        self.assertEqual((drawn.cx, drawn.cy, drawn.width, drawn.height), (30, 25, 40, 30))
        np.testing.assert_allclose(drawn.edge_px(), [[10, 10], [50, 10], [50, 40], [10, 40]])
        for text in (
            "box:1,2,3",
            "circle:1,2,3,4",
            "polygon:1,2;3,4",
            "box:1,2,-3,4",
            "ellipse:1,2,3,x",
            "box:nan,2,3,4",
            "box:1e9,2,3,4",
            "",
        ):
            with self.assertRaises(ValueError, msg=text):
                outline_of(text)
