"""Whoever appears in the middle of a shot is covered a moment before, and nobody who is covered there anyway."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.review.finding import HARDLY, UNSURE
from skiagraph.track.held_before import held_before
from skiagraph.track.path import BRIDGED, FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch

HOLD = 6


def stretch(first, x, speed=0.0, lead=0, frames=20, number=1):
    """A head that is found in so many frames, 60 px wide, after so many in which it was followed back."""
    rows = np.array([[x + speed * n, 150, 60, 80, 0, 0.9] for n in range(frames)])
    return Stretch(
        Path.from_rows(first, rows, np.array([FOLLOWED] * lead + [FOUND] * (frames - lead))),
        (number,),
        (),
        (),
        None,
        False,
        number,
    )


class HeldBeforeTest(unittest.TestCase):
    def held(self, *stretches, shot=0):
        return [s.path for s in held_before(stretches, lambda frame: (shot, 99), (1280, 720), 25.0)]

    def test_the_cover_begins_where_the_head_came_from(self):
        (path,) = self.held(stretch(40, 400, speed=5.0))
        self.assertEqual((path.first, path.last), (40 - HOLD, 59))
        np.testing.assert_allclose(path.cx[5:8], [395, 400, 405], atol=1)
        self.assertTrue((np.diff(path.cx[:HOLD]) > 0).all())
        self.assertTrue((path.origin[:HOLD] == FOLLOWED).all())
        self.assertTrue(
            ((path.confidence[:HOLD] >= UNSURE) & (path.confidence[:HOLD] < HARDLY)).all(), "it asks nothing by itself"
        )
        self.assertTrue((path.confidence[HOLD:] > 0.8).all())

    def test_not_further_than_needed_and_not_into_another_shot(self):
        self.assertEqual([self.held(stretch(40, 400, lead=n))[0].first for n in (2, HOLD, 12)], [40 - HOLD + 2, 40, 40])
        self.assertEqual(self.held(stretch(40, 400), shot=38)[0].first, 38)
        self.assertEqual(self.held(stretch(40, 400), shot=40)[0].first, 40)

    def test_not_where_another_path_goes_on_in_it_or_has_the_same_head(self):
        for other in (stretch(10, 400, frames=30, number=2), stretch(10, 402, frames=60, number=2)):
            self.assertEqual(self.held(stretch(40, 400), other)[0].first, 40)
        # Whoever passes by just then, and is elsewhere where the face is found, covers them for that one frame only.
        passing = stretch(10, 400 - 29 * 30, speed=30, frames=60, number=2)
        self.assertEqual(self.held(stretch(40, 400, lead=2), passing)[0].first, 40 - HOLD + 2)

    def test_who_was_only_followed_to_there_covers_nobody_else(self):
        # Their person may be known to be elsewhere, and then this path of them gives way.
        rows = np.array([[400, 150, 60, 80, 0, 0.5]] * 30)
        for found, first in ((HOLD - 2, 40), (20, 40 - HOLD)):
            origin = np.array([FOUND] * (30 - found) + [FOLLOWED] * found)
            followed = replace(stretch(10, 400, frames=30, number=2), path=Path.from_rows(10, rows, origin))
            self.assertEqual(self.held(stretch(40, 400), followed)[0].first, first)

    def test_nothing_is_held_of_what_is_doubtful_or_was_never_found(self):
        doubtful, followed = replace(stretch(40, 400), doubtful=True), stretch(40, 400)
        followed = replace(followed, path=Path.from_rows(40, followed.path.rows(), np.full(20, BRIDGED)))
        self.assertEqual([p.first for p in self.held(doubtful)], [40])
        self.assertEqual([p.first for p in self.held(followed)], [40])


if __name__ == "__main__":
    unittest.main()
