"""What hides: strength follows the face, nothing finer than a block or a blur is left, and all depths are served."""

import unittest

import cv2
import numpy as np

from skiagraph.cover.kinds.blur import blurred
from skiagraph.cover.kinds.mosaic import blocks_of as mosaic


def noise(shape=(120, 160), depth=8, seed=1):
    return np.random.default_rng(seed).integers(0, 1 << depth, shape).astype(np.uint8 if depth == 8 else np.uint16)


BOX = (30, 20, 110, 100)


class EffectTest(unittest.TestCase):
    def test_mosaic_is_flat_in_blocks_of_their_mean(self):
        plane = noise()
        out = mosaic(plane, BOX, (30, 20), (20, 16))
        self.assertEqual(out.shape, (80, 80))
        for row in range(0, 80, 16):
            for column in range(0, 80, 20):
                block = out[row:row + 16, column:column + 20]
                self.assertEqual(len(np.unique(block)), 1)
                self.assertAlmostEqual(float(block[0, 0]), plane[20 + row:36 + row, 30 + column:50 + column].mean(), delta=0.51)

    def test_mosaic_travels_with_the_face(self):
        plane = noise((200, 200))
        shifted = np.roll(plane, (7, 11), axis=(0, 1))
        a = mosaic(plane, (40, 40, 100, 100), (40.0, 40.0), (12, 12))
        b = mosaic(shifted, (51, 47, 111, 107), (51.0, 47.0), (12, 12))
        np.testing.assert_array_equal(a, b)

    def test_blur_is_a_gaussian_as_good_as_the_slow_one(self):
        plane = cv2.GaussianBlur(noise(), (0, 0), 1.0)
        for sigma in (1.0, 4.0, 12.0):
            slow = cv2.GaussianBlur(plane.astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)[20:100, 30:110]
            self.assertLess(np.abs(blurred(plane, BOX, sigma, sigma) - slow).mean(), 2.5, sigma)

    def test_more_blur_leaves_less(self):
        spreads = [blurred(noise(), BOX, s, s).astype(float).std() for s in (2, 5, 12)]
        self.assertTrue(spreads[0] > spreads[1] > spreads[2])

    def test_blur_does_not_depend_on_what_lies_far_away(self):
        plane = noise()
        other = plane.copy()
        other[:, 150:] = 0
        np.testing.assert_array_equal(blurred(plane, (10, 20, 60, 100), 6, 6), blurred(other, (10, 20, 60, 100), 6, 6))

    def test_all_depths(self):
        for depth in (8, 10, 12):
            plane = noise(depth=depth)
            for out in (blurred(plane, BOX, 5, 5), mosaic(plane, BOX, (30.3, 20.7), (9.5, 9.5))):
                self.assertEqual((out.dtype, out.shape), (plane.dtype, (80, 80)))
                self.assertLess(int(out.max()), 1 << depth)

    def test_boxes_at_the_edges_and_of_one_sample(self):
        plane = noise()
        for box in ((0, 0, 1, 1), (159, 119, 160, 120), (0, 0, 160, 120), (0, 50, 3, 52)):
            shape = (box[3] - box[1], box[2] - box[0])
            self.assertEqual(blurred(plane, box, 4, 4).shape, shape)
            self.assertEqual(mosaic(plane, box, (box[0] - 5.5, box[1] - 2.5), (7, 7)).shape, shape)
