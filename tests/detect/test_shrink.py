"""Small pictures: the mean of what they show, at the right place, whatever the size."""

import unittest

import numpy as np

from skiagraph.detect.shrink import halved, shrunk


class ShrinkTest(unittest.TestCase):
    def test_a_half_is_the_mean_of_four(self):
        picture = np.random.default_rng(1).integers(0, 255, (9, 13, 3)).astype(np.uint8)
        half = halved(picture)
        self.assertEqual(half.shape, (4, 6, 3))
        want = picture[:8, :12].reshape(4, 2, 6, 2, 3).mean(axis=(1, 3))
        self.assertLessEqual(np.abs(half - want).max(), 0.51)

    def test_any_size_keeps_places_and_brightness(self):
        picture = np.tile(np.linspace(0, 240, 801), (301, 1)).astype(np.uint8)
        for size in ((801, 301), (400, 150), (333, 77), (37, 21), (16, 16)):
            with self.subTest(size=size):
                small = shrunk(picture, size)
                self.assertEqual(small.shape, size[::-1])
                want = (np.arange(size[0]) + 0.5) / size[0] * 240
                self.assertLess(np.abs(small.mean(axis=0) - want).max(), 4)

    def test_a_single_px_can_be_halved(self):
        self.assertEqual(halved(np.full((2, 2), 7, np.uint8)).tolist(), [[7]])
