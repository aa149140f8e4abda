"""Anamorphic pictures are searched with square pixels, and what is found lies where it is in the clip."""

import unittest

import numpy as np

from skiagraph.detect.squared import Squared
from tests.track.faces import face


class SquaredTest(unittest.TestCase):
    def test_what_is_found_comes_back_to_where_it_is(self):
        squared = Squared(4 / 3)
        self.assertEqual(squared.picture(np.zeros((90, 120, 3), np.uint8)).shape, (90, 160, 3))
        found = face(80, 40)
        stored = squared.stored(found)
        np.testing.assert_allclose(squared.boxes(stored.boxes), found.boxes, rtol=1e-5)
        np.testing.assert_allclose(stored.landmarks * [4 / 3, 1], found.landmarks, rtol=1e-5)

    def test_square_pixels_are_left_alone(self):
        squared, picture, found = Squared(1.004), np.zeros((9, 12, 3), np.uint8), face(80, 40)
        self.assertIs(squared.picture(picture), picture)
        self.assertIs(squared.stored(found), found)


if __name__ == "__main__":
    unittest.main()
