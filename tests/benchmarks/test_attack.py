"""The attack on covers: what is right is counted as right, and a cover that hides nothing is told from one that does."""

import unittest

import numpy as np

from benchmarks.attack import Sample, attacked, covered, first, interval, samples
from skiagraph.cover.cover import Cover, Style


class AttackTest(unittest.TestCase):
    def test_right_ones_are_counted_and_the_interval_is_wilsons(self):
        gallery = {"a": np.zeros(3), "b": np.ones(3)}
        self.assertEqual(first([("a", np.full(3, 0.1)), ("b", np.full(3, 0.2)), ("b", np.full(3, 0.9))], gallery), (2, 3))
        low, high = interval(8, 10)
        self.assertAlmostEqual(low, 0.490, places=3)
        self.assertAlmostEqual(high, 0.943, places=3)

    def test_as_shot_people_are_known_and_behind_a_solid_cover_they_are_not(self):
        faces = list(samples(3))
        self.assertTrue(len({f.who for f in faces}) >= 6 and all(isinstance(f, Sample) for f in faces))
        solid = Style.of(Cover.kinds["solid"]())
        told = dict(attacked(faces, {"as shot": None, "solid": solid}))
        right, of = told["as shot"]["shot"]
        hidden, _ = told["solid"]["shot"]
        self.assertGreater(right, 0.6 * of)
        self.assertLess(hidden, 0.5 * right)
        self.assertEqual(told["solid"]["found"][0], 0)
        self.assertGreater(told["as shot"]["found"][0], 0.9 * told["as shot"]["found"][1])

    def test_only_the_head_is_covered(self):
        face = next(samples(1))
        plain, made = covered(face, None), covered(face, Style.of(Cover.kinds["solid"](), 0, 0))
        changed = (plain != made).any(axis=2)
        rows, columns = np.nonzero(changed)
        cx, cy, width, height, _ = face.head
        self.assertTrue(abs(columns.mean() - cx) < 0.1 * width and abs(rows.mean() - cy) < 0.1 * height and changed.sum() < 1.2 * width * height)
