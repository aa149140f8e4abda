"""Dissolves: found where one place melts into another, in no pan, zoom, cut or change of light; and everybody is
covered over all of them."""

import unittest

import cv2
import numpy as np

from skiagraph.track.cuts import thumbnail
from skiagraph.track.dissolves import DISSOLVE, Dissolve, Dissolves, held_over, with_middles
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND, Path
from tests.support import head_path
from tests.track.test_camera import scene

RATE = 25.0


def melting(begin: int, length: int, frames: int = 80, drift: int = 0) -> list[np.ndarray]:
    """One place that melts into another from a frame on, within so many frames, each drifting by some px a frame."""
    share = np.clip((np.arange(frames) - begin + 1) / (length + 1), 0, 1)
    return [
        np.clip((1 - s) * scene(4, drift * n).astype(float) + s * scene(54, drift * n), 0, 255).astype(np.uint8)
        for n, s in enumerate(share)
    ]


class DissolvesTest(unittest.TestCase):
    def found(self, pictures, every=1):
        dissolves, told = Dissolves(RATE), []
        for n in range(0, len(pictures), every):
            told.append(dissolves.step(n, thumbnail(pictures[n])))
        told.append(dissolves.restart())
        return [d for d in told if d is not None]

    def test_one_place_that_melts_into_another_is_one_dissolve(self):
        for length, drift, every in ((8, 0, 1), (12, 1, 1), (12, 0, 2), (20, 0, 1), (30, 0, 1)):
            with self.subTest(length=length, drift=drift, every=every):
                (dissolve,) = self.found(melting(30, length, drift=drift), every)
                self.assertLessEqual(abs(dissolve.middle - (30 + length / 2)), 0.2 * length + every)
                self.assertTrue(dissolve.first < dissolve.middle < dissolve.last)

    def test_pans_zooms_light_and_cuts_are_none(self):
        pan = [scene(4, 6 * n - 170) for n in range(60)]
        light = [scene(4, light=1 - 0.012 * n) for n in range(60)]
        still = scene(4)
        zoom = [
            cv2.warpAffine(
                still,
                np.float32([[1 + 0.01 * n, 0, -3 * n], [0, 1 + 0.01 * n, -2 * n]]),
                still.shape[::-1],
                borderMode=cv2.BORDER_REFLECT,
            )
            for n in range(60)
        ]
        cut = [scene(4)] * 30 + [scene(54)] * 30
        for name, pictures in (("pan", pan), ("light", light), ("zoom", zoom), ("cut", cut)):
            self.assertEqual(self.found(pictures), [], name)

    def test_what_was_not_told_yet_is_told_when_a_shot_begins(self):
        dissolves = Dissolves(RATE)
        for n, picture in enumerate(melting(30, 8, 42)):
            self.assertIsNone(dissolves.step(n, thumbnail(picture)))
        self.assertIsNotNone(dissolves.restart())
        self.assertIsNone(dissolves.restart())


class HeldOverTest(unittest.TestCase):
    OVER = (Dissolve(20, 26, 32),)

    def test_who_ends_or_begins_in_its_middle_is_covered_over_all_of_it(self):
        (before,) = held_over(head_path(0, 26), self.OVER)
        (after,) = held_over(head_path(26, 30), self.OVER)
        self.assertEqual([(p.first, p.last) for p in (before, after)], [(0, 32), (20, 55)])
        self.assertTrue((before.origin[26:] == FOLLOWED).all() and (after.origin[:6] == FOLLOWED).all())
        np.testing.assert_allclose(before.cx[26:], before.cx[25])
        self.assertTrue((before.confidence[26:] <= DISSOLVE.sure + 1e-6).all())

    def test_who_has_nothing_to_do_with_it_stays_as_they_are(self):
        for path in (head_path(0, 26), head_path(40, 10)):
            self.assertEqual(held_over(path, ()), (path,))
        far = head_path(40, 10)
        self.assertEqual(held_over(far, self.OVER), (far,))

    def test_who_goes_through_it_is_at_both_places(self):
        rows = head_path(0, 60, cx=100).rows().copy()
        rows[28:, 0] = 250
        origin = np.zeros(60, np.uint8)
        origin[26:28] = BRIDGED
        before, after = held_over(Path.from_rows(0, rows, origin), self.OVER)
        self.assertEqual([(p.first, p.last) for p in (before, after)], [(0, 32), (20, 59)])
        self.assertTrue((before.cx == 100).all())
        self.assertTrue((after.cx == 250).all(), "not where they were followed from")
        self.assertGreaterEqual((after.origin == FOUND).sum(), 28)

    def test_who_is_found_only_when_it_is_over_stays_where_they_were_followed_to(self):
        rows = head_path(0, 60, cx=100, step=(2, 0)).rows()
        origin = np.where(np.arange(60) < 20, FOUND, FOLLOWED)
        before, after = held_over(Path.from_rows(0, rows, origin), self.OVER)
        covered = np.zeros(60, bool)
        for part in (before, after):
            covered[part.first : part.last + 1] = True
        self.assertTrue(covered.all())
        np.testing.assert_allclose(after.cx[26 - after.first :], rows[26:, 0], atol=0.01)

    def test_its_middle_begins_a_shot(self):
        self.assertEqual(with_middles([50, 10], [*self.OVER, Dissolve(40, 50, 60)]), [10, 26, 50])


if __name__ == "__main__":
    unittest.main()
