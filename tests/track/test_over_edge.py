"""Who comes in over the edge of the picture, or leaves over it, is covered as far inside as they were found; nobody
else is covered more."""

import unittest

import numpy as np

from skiagraph.track.over_edge import held_over_edge
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch

WIDTH, HEIGHT, RATE, SIZE = 60.0, 80.0, 25.0, (640, 360)


def stretch(xs, found, sure=0.3):
    """A head at each of xs, found in the rows that say so."""
    origin = np.array([FOUND if n in found else FOLLOWED for n in range(len(xs))])
    rows = np.array([[x, 150, WIDTH, HEIGHT, 0, 0.9 if n in found else sure] for n, x in enumerate(xs)], float)
    return Stretch(
        Path.from_rows(0, rows, origin), (1,), tuple((n, np.zeros(4), 0.9) for n in found), (), None, False, 1
    )


class OverEdgeTest(unittest.TestCase):
    def boxes(self, made):
        (path,) = (s.path for s in held_over_edge([made], SIZE, RATE))
        before, after = made.path.boxes().astype(float), path.boxes().astype(float)
        self.assertTrue(
            (after[:, :2] <= before[:, :2] + 0.01).all() and (after[:, 2:] >= before[:, 2:] - 0.01).all(),
            "no row becomes smaller",
        )
        return before, after

    def test_who_comes_in_is_covered_from_where_they_were_found_first(self):
        # Followed back as quickly as they went when they were found, which was too quickly.
        before, after = self.boxes(stretch([790, 760, 730, 700, 670, 640, 610, 600], {6, 7}))
        held = np.flatnonzero((after != before).any(axis=1))
        self.assertEqual(held.tolist(), [1, 2, 3, 4, 5])
        self.assertLessEqual(after[held, 0].max(), 580.5)

    def test_who_leaves_is_covered_until_they_are_out(self):
        before, after = self.boxes(stretch([60, 40, 30, 10, -20, -60, -90, -120], {0, 1, 2}))
        self.assertTrue((after[3:7, 2] >= 59.5).all())
        np.testing.assert_array_equal(after[:3], before[:3])

    def test_who_is_known_or_elsewhere_is_covered_as_before(self):
        for what in (
            stretch([670, 640, 610, 600], {2, 3}, sure=0.8),
            stretch([300, 310, 320], {1, 2}),
            stretch([670, 500, 330, 300], {2, 3}),
        ):
            before, after = self.boxes(what)
            np.testing.assert_allclose(after, before, atol=0.01)


if __name__ == "__main__":
    unittest.main()
