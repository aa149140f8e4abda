"""A path is a value: checked at birth, read-only, and cut by frames."""

import unittest

import numpy as np

from skiagraph.track.path import Path, laid_over


class PathValueTest(unittest.TestCase):
    def test_a_path_is_checked_at_birth_and_read_only(self):
        good = Path.from_rows(3, np.array([[1, 2, 3, 4, 0, 0.5]] * 4), np.zeros(4))
        self.assertEqual((len(good), good.last, good.row(100), good.row(0)), (4, 6, 3, 0))
        with self.assertRaises(ValueError):
            good.cx[0] = 7
        for rows in (np.zeros((0, 6)), np.full((2, 6), np.nan)):
            with self.assertRaises(ValueError):
                Path.from_rows(0, rows, np.zeros(len(rows)))
        with self.assertRaises(ValueError):
            Path(0, [1, 2], [1], [1], [1], [0], [1], [0])

    def test_between_two_paths_a_head_turns_by_the_shorter_way(self):
        rows = np.array([[100.0, 100, 40, 50, 170, 0.9]] * 3)
        later = rows + [0, 0, 0, 0, -340, 0]
        made = laid_over([Path.from_rows(0, rows, np.zeros(3)), Path.from_rows(6, later, np.zeros(3))])
        np.testing.assert_allclose(made.angle, (170, 170, 170, 175, 180, 185, 190, 190, 190))

    def test_part_keeps_the_frames(self):
        path = Path.from_rows(10, np.column_stack([np.arange(8.0), *[np.ones(8)] * 5]), np.zeros(8))
        part = path.part(12, 14)
        self.assertEqual((part.first, part.last, part.cx.tolist()), (12, 14, [2, 3, 4]))


if __name__ == "__main__":
    unittest.main()
