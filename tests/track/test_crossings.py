"""One head before another: who is not found there is less sure, and covered more widely."""

import unittest

import numpy as np

from skiagraph.track.crossings import CrossingSettings, less_sure
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND
from tests.track.test_doubtful import stretch


class LessSureTest(unittest.TestCase):
    def confidence(self, *stretches):
        return [[round(float(c), 3) for c in s.path.confidence] for s in less_sure(stretches)]

    def test_only_who_is_not_found_and_lies_on_somebody(self):
        found, followed, apart = (
            stretch(0, 9, x, origin=origin, confidence=0.9, doubtful=False)
            for x, origin in ((100, FOUND), (104, FOLLOWED), (300, BRIDGED))
        )
        most = CrossingSettings().at_most
        self.assertEqual(self.confidence(found, followed, apart), [[0.9] * 10, [most] * 10, [0.9] * 10])

    def test_only_in_the_frames_in_which_they_meet(self):
        before, later = (
            stretch(0, 9, 100, confidence=0.9, origin=FOLLOWED),
            stretch(6, 20, 104, confidence=0.8, origin=FOLLOWED),
        )
        first, second = self.confidence(later, before)[::-1]
        self.assertEqual(first, [0.9] * 6 + [0.36] * 4)
        self.assertEqual(second, [0.36] * 4 + [0.8] * 11)

    def test_faces_found_in_coloured_light_are_less_sure(self):
        alone, unsure = less_sure(
            [stretch(5, 14, x, confidence=c, doubtful=False) for x, c in ((100, 0.9), (300, 0.2))], {3, 7, 8, 40}
        )
        most = CrossingSettings().coloured_at_most
        np.testing.assert_allclose(alone.path.confidence, [0.9, 0.9, most, most] + [0.9] * 6, atol=1e-6)
        np.testing.assert_allclose(unsure.path.confidence, 0.2, atol=1e-6)

    def test_nobody_becomes_surer_or_moves(self):
        one, other = (
            stretch(0, 9, 100, confidence=0.1, origin=FOLLOWED),
            stretch(0, 9, 104, confidence=0.2, origin=FOLLOWED),
        )
        for before, after in zip((one, other), less_sure((one, other))):
            self.assertEqual(before.path, after.path)
        self.assertEqual(less_sure([]), [])


if __name__ == "__main__":
    unittest.main()
