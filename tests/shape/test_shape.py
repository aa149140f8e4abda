"""Outlines: inside is inside, the raster is complete and soft only outwards, handles pull what they say, and angles
never jump."""

import unittest

import numpy as np

from skiagraph.shape.place import Place, Similarity
from skiagraph.shape.shape import Outline


class OutlineTest(unittest.TestCase):
    def test_contains_knows_turned_ellipses(self):
        lying = Outline.at(0, 0, 20, 60, 90)
        self.assertEqual(
            lying.contains(np.array([[25, 0], [0, 25], [0, 9], [31, 0]])).tolist(), [True, False, True, False]
        )

    def test_between_two_corners_whichever_comes_first(self):
        shape = Outline.at(0, 0, 1, 1).shape
        for a, b in (((10, 20), (50, 40)), ((50, 40), (10, 20)), ((10, 40), (50, 20))):
            self.assertEqual(Outline.between(a, b, shape).box(), (10, 20, 50, 40))
        self.assertEqual(Outline.between((7, 7), (7, 7), shape).width, 1, "a click is no outline without a size")

    def test_the_edge_lies_on_the_edge_also_when_grown(self):
        outline = Outline.at(50, 40, 30, 60, 25)
        for grown in (0.0, 0.3):
            larger = outline.grown_by(grown)
            edge = larger.edge_px()
            inside, outside = (edge - [50, 40]) * 0.99 + [50, 40], (edge - [50, 40]) * 1.01 + [50, 40]
            self.assertTrue(larger.contains(inside).all())
            self.assertFalse(larger.contains(outside).any())

    def test_raster_covers_every_pixel_it_touches(self):
        rng = np.random.default_rng(3)
        for _ in range(40):
            outline = Outline.at(*rng.uniform(10, 90, 2), *rng.uniform(4, 70, 2), rng.uniform(-180, 180)).grown_by(
                rng.uniform(0, 0.5)
            )
            (x0, y0, x1, y1), alpha = outline.raster((100, 100), rng.uniform(0, 0.4))
            y, x = np.nonzero(np.ones((100, 100)))
            corners = [outline.contains(np.stack([x + dx, y + dy], 1)) for dx in (0.01, 0.99) for dy in (0.01, 0.99)]
            touched = np.any(corners, axis=0).reshape(100, 100)
            whole = np.zeros((100, 100), np.uint8)
            whole[y0:y1, x0:x1] = alpha
            self.assertTrue((whole[touched] == 255).all())

    def test_handles_pull_one_side_and_the_opposite_stays(self):
        outline = Outline.at(50, 50, 40, 60, 30)
        for name, (x, y) in outline.handles_px().items():
            opposite = {"left": "right", "right": "left", "top": "bottom", "bottom": "top"}[name]
            away = np.array([x - 50, y - 50]) * 1.5 + 50
            pulled = outline.pulled(name, (x, y), tuple(away))
            np.testing.assert_allclose(pulled.handles_px()[opposite], outline.handles_px()[opposite], atol=1e-6)
            np.testing.assert_allclose(pulled.handles_px()[name], away, atol=1e-6)
            both = outline.pulled(name, (x, y), tuple(away), keep_shape=True)
            self.assertAlmostEqual(both.width / both.height, 40 / 60)
            self.assertAlmostEqual(both.cx, 50)

    def test_turning_all_the_way_round_never_jumps(self):
        outline, angles = Outline.at(50, 50, 40, 60, 0), []
        for degrees in range(0, 721, 15):
            lean = np.radians(degrees - 90)
            outline = outline.pulled("turn", (0, 0), (50 + 40 * np.cos(lean), 50 + 40 * np.sin(lean)))
            angles.append(outline.angle)
        np.testing.assert_allclose(np.diff(angles), 15, atol=1e-6)

    def test_a_place_in_perspective_needs_only_its_matrix(self):
        class Tilted(Place):
            def matrix(self):
                return np.array([[20.0, 0, 50], [0, 30.0, 40], [0.002, 0.004, 1]])

        outline = Outline(Tilted())
        edge = outline.place.to_px(outline.shape.edge())
        self.assertTrue(outline.contains((edge - edge.mean(axis=0)) * 0.98 + edge.mean(axis=0)).all())
        u, v = outline.place.to_unit(edge[:, 0].astype(np.float32), edge[:, 1].astype(np.float32))
        np.testing.assert_allclose(np.hypot(u, v), 1, atol=1e-3)
        self.assertEqual(Similarity.of(Similarity(1, 2, 3, 4, 5).row()), Similarity(1, 2, 3, 4, 5))
