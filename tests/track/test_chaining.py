"""Which tracklets are one head after a short loss."""

import unittest

import numpy as np

from skiagraph.track.chaining import Chain, chains
from tests.track.faces import tracklet


class ChainTest(unittest.TestCase):
    def test_a_head_that_goes_on_at_its_own_pace_is_one(self):
        pieces = [tracklet(1, range(0, 20), lambda n: 100 + 6 * n), tracklet(2, range(32, 50), lambda n: 100 + 6 * n)]
        self.assertEqual([[t.number for t in c.parts] for c in chains(pieces, 25)], [[1, 2]])

    def test_far_away_other_size_other_shot_or_long_after_is_another(self):
        first = tracklet(1, range(0, 20), 100)
        for other in (
            tracklet(2, range(25, 40), 500),
            tracklet(2, range(25, 40), 100, width=140),
            tracklet(2, range(25, 40), 100, shot=1),
            tracklet(2, range(120, 140), 100),
        ):
            self.assertEqual(len(chains([first, other], 25)), 2)

    def test_other_clothes_are_another(self):
        red, blue = np.eye(4, dtype=np.float32)[:2]
        self.assertEqual(
            len(chains([tracklet(1, range(20), 100, colours=red), tracklet(2, range(25, 40), 100, colours=blue)], 25)),
            2,
        )
        self.assertEqual(
            len(chains([tracklet(1, range(20), 100, colours=red), tracklet(2, range(25, 40), 100, colours=red)], 25)), 1
        )

    def test_a_head_that_goes_on_turning_never_spins_back(self):
        first, second = tracklet(1, range(5), 100), tracklet(2, range(8, 11), 100)
        for piece, angles in ((first, (150, 170, -170, -150, -130)), (second, (-100, 175, -175))):
            for head, angle in zip(piece.heads, angles):
                head[4] = angle
        np.testing.assert_allclose(Chain((first, second)).heads[:, 4], (150, 170, 190, 210, 230, 260, 175, 185))


if __name__ == "__main__":
    unittest.main()
