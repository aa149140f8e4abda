"""From what was found and followed to paths: no hole, no lag, no head left outside, and no glide across an absence."""

import unittest

import numpy as np

from skiagraph.track.assembling import SteadySettings, path_of
from skiagraph.track.bridging import Bridge, BridgeSettings, Followed, Lead
from skiagraph.track.chaining import Chain
from skiagraph.track.path import BRIDGED, FOUND
from tests.track.faces import tracklet


class PathTest(unittest.TestCase):
    def path(self, chain, solved=None, rate=25):
        return path_of(chain, solved or Followed(), rate)

    def test_a_blink_is_a_line(self):
        (path,) = self.path(
            Chain((tracklet(1, [n for n in range(30) if n not in (10, 20, 21)], lambda n: 100 + 3 * n),))
        )
        self.assertEqual((path.first, path.last), (0, 29))
        self.assertEqual([int(o) for o in path.origin[[9, 10, 20, 21, 22]]], [FOUND, BRIDGED, BRIDGED, BRIDGED, FOUND])
        np.testing.assert_allclose(path.cx, 100 + 3 * np.arange(30), atol=3)

    def test_the_cover_grows_the_further_it_is_from_what_was_found(self):
        (path,) = path_of(
            Chain((tracklet(1, range(0, 61, 6), 100),)),
            Followed(),
            25,
            BridgeSettings(line_frames=5),
            SteadySettings(size_frames=0.1),
        )
        self.assertTrue((path.width[3::6] > 1.05 * 60).all(), path.width)
        self.assertTrue((path.width[3::6] >= path.width[1:-1:6]).all())
        self.assertTrue((path.width >= 0.99 * 60).all())

    def test_where_somebody_stops_in_a_blink_the_cover_holds_the_curve(self):
        # A head that runs, and stands from frame 20 on; frame 19 is not known, and it may have stopped before it or
        # after.
        (straight,) = self.path(Chain((tracklet(1, [n for n in range(40) if n != 19], lambda n: 100 + 20 * n),)))
        (stops,) = self.path(Chain((tracklet(1, [n for n in range(40) if n != 19], lambda n: 100 + 20 * min(n, 20)),)))
        self.assertGreater(stops.width[19], straight.width[19] + 2 * 20 / 8)
        np.testing.assert_allclose(stops.width[25:], straight.width[25:], atol=0.5)
        (planned,) = path_of(
            Chain((tracklet(1, range(0, 61, 6), lambda n: 100 + 5 * min(n, 30)),)),
            Followed(),
            25,
            BridgeSettings(line_frames=5),
            SteadySettings(size_frames=0.1),
        )
        (even,) = path_of(
            Chain((tracklet(1, range(0, 61, 6), 100),)),
            Followed(),
            25,
            BridgeSettings(line_frames=5),
            SteadySettings(size_frames=0.1),
        )
        np.testing.assert_allclose(planned.width, even.width, atol=0.01)

    def test_a_gap_that_was_followed_is_filled(self):
        chain = Chain((tracklet(1, [*range(12), *range(28, 40)], lambda n: 120 + 2.5 * n),))
        rows = np.column_stack([120 + 2.5 * np.arange(12, 28), *(np.full(16, v) for v in (150, 60, 81, 0, 0.6))])
        (path,) = self.path(chain, Followed({11: Bridge(rows, True)}))
        self.assertEqual(len(path), 40)
        self.assertTrue((path.origin[12:28] == BRIDGED).all())

    def test_a_long_gap_that_does_not_meet_is_two_paths_and_never_bare(self):
        chain = Chain((tracklet(1, range(10), 100), tracklet(2, range(50, 60), 160)))
        followed = Followed(
            {9: Bridge(np.zeros((40, 6)), False)},
            {10: Lead(np.tile([160, 150, 60, 81, 0, 0.5], (8, 1)), False)},
            {9: np.tile([104, 150, 60, 81, 0, 0.5], (5, 1))},
        )
        for solved, tail, lead, ends in (
            (Followed({9: followed.bridges[9]}), 0, 0, (100, 160)),
            (followed, 5, 8, (104, 160)),
        ):
            first, second = self.path(chain, solved)
            self.assertEqual((first.first, first.last, second.first, second.last), (0, 49 - lead, 50 - lead, 59))
            between = first.part(10 + tail, first.last)
            self.assertTrue((between.confidence <= 0.11).all() and (between.origin != FOUND).all())
            np.testing.assert_allclose(between.cx, np.linspace(*ends, len(between) + 2)[1:-1], atol=3)

    def test_a_tail_ends_where_the_lead_of_the_next_head_knows_better(self):
        chain = Chain((tracklet(1, range(10), 100), tracklet(2, range(50, 60), 160)))

        def made(tail, lead, x=160):
            rows = [np.tile([place, 150, 60, 81, 0, sure], (40, 1)) for place, sure in ((104, tail), (x, lead))]
            return self.path(
                chain, Followed({9: Bridge(np.zeros((40, 6)), False)}, {10: Lead(rows[1][:12], False)}, {9: rows[0]})
            )

        first, second = made(0.2, 0.7)
        self.assertEqual((first.last, second.first), (43, 44))
        np.testing.assert_allclose(second.cx[:6], 160, atol=1)
        self.assertTrue((first.cx[38 - first.first :] + first.width[38 - first.first :] / 2 > 160 + 29).all())
        # Of neither is anybody sure: the path before goes on, and in the last frames its cover holds both.
        first, second = made(0.2, 0.3)
        self.assertEqual((first.last, second.first), (49, 50))
        low, high = first.cx - first.width / 2, first.cx + first.width / 2
        self.assertTrue((low[-6:] < 104 - 29).all() and (high[-6:] > 160 + 29).all())
        np.testing.assert_allclose(first.width[20:44], 60, atol=1)
        first, _ = made(0.2, 0.3, 300)
        np.testing.assert_allclose(first.width[20:], 60, atol=1)
        first, second = made(0.8, 0.7)
        self.assertEqual((first.last, second.first), (49, 50))

    def test_who_left_over_the_edge_is_not_covered_until_they_are_back(self):
        chain = Chain((tracklet(1, range(10), 40), tracklet(2, range(50, 60), 40)))
        first, second = self.path(chain, Followed({9: Bridge(np.zeros((40, 6)), False)}, left={9}))
        self.assertEqual((first.last, second.first), (9, 50))

    def test_steadying_never_lags_and_never_leaves_a_face_outside(self):
        rng = np.random.default_rng(3)

        def place(n):
            return 100.0 if n < 30 else 100 + 14.0 * (n - 30)

        noisy = tracklet(1, range(60), lambda n: place(n) + rng.normal(0, 1.0))
        (path,) = self.path(Chain((noisy,)))
        truth = np.array([place(n) for n in range(60)])
        self.assertLess(np.abs(path.cx - truth).max(), 0.12 * 60)
        self.assertLess(
            np.abs(np.diff(path.cx[5:25])).mean(), np.abs(np.diff([h[0] for h in noisy.heads[5:25]])).mean()
        )
        self.assertGreaterEqual(path.width.min(), 0.95 * 60)

    def test_a_face_that_turns_away_does_not_shrink_its_head(self):
        heads = tracklet(1, range(40), 100)
        for n in range(25, 40):
            heads.heads[n] = heads.heads[n] * np.array([1, 1, 0.7, 0.7, 1], np.float32)
            heads.scores[n] = 0.55
        (path,) = self.path(Chain((heads,)))
        self.assertGreater(path.width[38], 0.9 * 60)


if __name__ == "__main__":
    unittest.main()
