"""The scenes for following: their truth is true, and what is wrong is counted as wrong."""

import unittest

import numpy as np

from benchmarks.follow import SCENES, measured


class FollowScenesTest(unittest.TestCase):
    def scene(self, part):
        return next(s for s in SCENES if part in s.name)

    def test_a_short_run_is_exact_and_a_tracker_that_stays_where_it_was_is_off(self):
        class Staying:
            def init(self, picture, box):
                self.box = box

            def update(self, picture):
                return True, self.box

        results = measured(self.scene("boat"), 16, {"staying": Staying})
        self.assertGreater(results["ours"].overlap, 0.97)
        self.assertEqual(results["ours"].silent, 0)
        self.assertLess(results["staying"].overlap, 0.7)
        self.assertGreater(results["staying"].silent, 0.3)

    def test_nobody_is_sure_of_a_blank_wall(self):
        result = measured(self.scene("blank"), 6, {})["ours"]
        self.assertEqual((result.until, result.silent), (0, 0))

    def test_the_truth_is_where_the_card_is(self):
        scene = self.scene("logo")
        for n, picture in enumerate(scene.frames(3)):
            low, high = scene.truth(n).min(axis=0), scene.truth(n).max(axis=0)
            self.assertTrue((low > 0).all() and (high < np.array([1920, 1080])).all())
            self.assertEqual(picture.shape, (1080, 1920, 3))
