"""Pictures that are turned, and what was found in them told in the px of the whole."""

import unittest

import numpy as np

from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN, around_upright, stood_up, turned_back
from tests.track.faces import face


class TurnedTest(unittest.TestCase):
    def test_a_px_is_where_the_matrix_says(self):
        picture = np.random.default_rng(1).integers(0, 255, (40, 60, 3), np.uint8)
        for roll in ON_A_SIDE + UPSIDE_DOWN:
            upright, matrix = stood_up(picture, roll)
            for x, y in ((0, 0), (7, 30), (upright.shape[1] - 1, upright.shape[0] - 1)):
                column, row = np.floor(matrix @ (x + 0.5, y + 0.5, 1)).astype(int)
                np.testing.assert_array_equal(upright[y, x], picture[row, column])

    def test_quarter_turns_and_any_turn_agree(self):
        rng = np.random.default_rng(2)
        picture = np.kron(rng.integers(0, 255, (10, 10, 3)), np.ones((8, 8, 1))).astype(np.uint8)
        for roll in ON_A_SIDE + UPSIDE_DOWN:
            whole, _ = stood_up(picture, roll)
            square, matrix = around_upright(picture, np.array([40.0, 40.0]), 1.0, 80, roll)
            self.assertGreater(np.corrcoef(square[4:-4, 4:-4].ravel(), whole[4:-4, 4:-4].ravel())[0, 1], 0.99)
            np.testing.assert_allclose(matrix @ (40, 40, 1), (40, 40), atol=1e-4)

    def test_outside_a_picture_there_is_something_grey(self):
        square, _ = around_upright(np.zeros((20, 20, 3), np.uint8), np.array([500.0, 500.0]), 1.0, 32, 70)
        self.assertEqual((square.shape, int(square.mean())), ((32, 32, 3), 128))

    def test_what_was_found_keeps_its_size_and_tells_its_roll(self):
        found = face(30, 40, side=20)
        _, matrix = around_upright(np.zeros((300, 300, 3), np.uint8), np.array([100.0, 120.0]), 2.0, 64, 90)
        back = turned_back(found, matrix, 90)
        np.testing.assert_allclose(
            back.boxes[0, 2:] - back.boxes[0, :2], 2 * (found.boxes[0, 2:] - found.boxes[0, :2]), atol=1e-3
        )
        self.assertEqual(back.rolls.tolist(), [90])
        # To the right in a head that leans to the right by a quarter is down in the picture.
        across = back.landmarks[0, 1] - back.landmarks[0, 0]
        np.testing.assert_allclose(
            across,
            (
                -2 * (found.landmarks[0, 1] - found.landmarks[0, 0])[1],
                2 * (found.landmarks[0, 1] - found.landmarks[0, 0])[0],
            ),
            atol=1e-3,
        )
        self.assertEqual(len(turned_back(found.take([]), matrix, 90)), 0)
