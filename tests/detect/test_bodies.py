"""Bodies are seen where people stand, and all of a picture is looked at."""

import unittest

import numpy as np

from skiagraph.detect.bodies import BODY_SCORE, BodyFinder, looks
from tests.track.test_body import standing


class BodyFinderTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.finder = BodyFinder(1)
        cls.addClassCleanup(cls.finder.close)

    def test_somebody_is_seen_with_their_hips_below_their_head(self):
        for yaw in (0, 90):
            with self.subTest(yaw=yaw):
                picture, head = standing(yaw, 30)
                found = self.finder.find(picture)
                self.assertEqual(len(found), 1)
                score, *ends = found[0]
                self.assertGreaterEqual(score, BODY_SCORE)
                hips, top = np.array(ends[:2]), np.array(ends[2:])
                self.assertLess(abs(hips[0] - head[0]), head[2])
                self.assertGreater(hips[1], head[1] + 1.5 * head[3])
                self.assertLess(np.hypot(*(top - head[:2])), 1.5 * head[3], "the top of their circle is at the head")

    def test_submitted_it_comes_out_the_same(self):
        picture, _ = standing(0, 30)
        np.testing.assert_array_equal(self.finder.submit(picture).result(), self.finder.find(picture))

    def test_nobody_is_seen_on_nothing(self):
        self.assertEqual(self.finder.find(np.full((300, 500, 3), 120, np.uint8)).shape, (0, 5))

    def test_all_of_a_picture_is_looked_at_and_squares_that_hold_it_and_overlap(self):
        self.assertEqual(looks(500, 500), [(0, 0, 500, 500)])
        for width, height in ((1920, 1080), (1080, 1920), (640, 480), (3000, 400), (401, 400)):
            with self.subTest(size=(width, height)):
                whole, *parts = looks(width, height)
                self.assertEqual(whole, (0, 0, width, height))
                seen = np.zeros((height, width), bool)
                for x0, y0, x1, y1 in parts:
                    self.assertEqual((x1 - x0, y1 - y0), (min(width, height),) * 2)
                    seen[y0:y1, x0:x1] = True
                self.assertTrue(seen.all())
                for one, other in zip(parts, parts[1:]):
                    shared = max(one[2] - other[0] if width > height else one[3] - other[1], 0)
                    self.assertGreaterEqual(shared, 0.11 * min(width, height))
