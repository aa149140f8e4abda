"""From tracklets to paths: no hole, no lag, no head left outside, and no glide across an absence."""

import unittest

import numpy as np

from skiagraph.track.bridging import Bridge, BridgeSettings, Chain, Followed, Lead, Window, chains, gap_tasks, held, lead_task, loose_ends, path_of
from skiagraph.track.linking import Tracklet
from skiagraph.track.path import BRIDGED, FOUND, Path
from tests.track.test_following import pictures


def tracklet(number, frames, x, y=150.0, width=60.0, score=0.9, colours=None, shot=0):
    """x: function of the frame, or a number."""
    place = x if callable(x) else lambda n: x
    heads = [np.array([place(n), y, width, width * 1.35, 0.0], np.float32) for n in frames]
    boxes = [np.array([h[0] - 25, y - 20, h[0] + 25, y + 30], np.float32) for h in heads]
    return Tracklet(number, list(frames), heads, boxes, [score] * len(heads), colours, shot)


class ChainTest(unittest.TestCase):
    def test_a_head_that_goes_on_at_its_own_pace_is_one(self):
        pieces = [tracklet(1, range(0, 20), lambda n: 100 + 6 * n), tracklet(2, range(32, 50), lambda n: 100 + 6 * n)]
        self.assertEqual([[t.number for t in c.parts] for c in chains(pieces, 25)], [[1, 2]])

    def test_far_away_other_size_other_shot_or_long_after_is_another(self):
        first = tracklet(1, range(0, 20), 100)
        for other in (tracklet(2, range(25, 40), 500), tracklet(2, range(25, 40), 100, width=140), tracklet(2, range(25, 40), 100, shot=1),
                      tracklet(2, range(120, 140), 100)):
            self.assertEqual(len(chains([first, other], 25)), 2)

    def test_other_clothes_are_another(self):
        red, blue = np.eye(4, dtype=np.float32)[:2]
        self.assertEqual(len(chains([tracklet(1, range(20), 100, colours=red), tracklet(2, range(25, 40), 100, colours=blue)], 25)), 2)
        self.assertEqual(len(chains([tracklet(1, range(20), 100, colours=red), tracklet(2, range(25, 40), 100, colours=red)], 25)), 1)

    def test_loose_ends_are_the_ends_and_long_gaps(self):
        chain = Chain((tracklet(1, [*range(10), *range(14, 20), *range(60, 70)], 100),))
        begins, ends = loose_ends(chain, 25)
        self.assertEqual([int(chain.frames[n]) for n in begins], [0, 60])
        self.assertEqual([int(chain.frames[n]) for n in ends], [19, 69])


class PathTest(unittest.TestCase):
    def path(self, chain, solved=None, rate=25):
        return path_of(chain, solved or Followed(), rate)

    def test_a_blink_is_a_line(self):
        path, = self.path(Chain((tracklet(1, [n for n in range(30) if n not in (10, 20, 21)], lambda n: 100 + 3 * n),)))
        self.assertEqual((path.first, path.last), (0, 29))
        self.assertEqual([int(o) for o in path.origin[[9, 10, 20, 21, 22]]], [FOUND, BRIDGED, BRIDGED, BRIDGED, FOUND])
        np.testing.assert_allclose(path.cx, 100 + 3 * np.arange(30), atol=3)

    def test_the_cover_grows_the_further_it_is_from_what_was_found(self):
        settings = BridgeSettings(line_frames=5, steady_size_frames=0.1)
        path, = path_of(Chain((tracklet(1, range(0, 61, 6), 100),)), Followed(), 25, settings)
        self.assertTrue((path.width[3::6] > 1.05 * 60).all(), path.width)
        self.assertTrue((path.width[3::6] >= path.width[1:-1:6]).all())
        self.assertTrue((path.width >= 0.99 * 60).all())

    def test_where_somebody_stops_in_a_blink_the_cover_holds_the_curve(self):
        # A head that runs, and stands from frame 20 on; frame 19 is not known, and it may have stopped before it or after.
        straight, = self.path(Chain((tracklet(1, [n for n in range(40) if n != 19], lambda n: 100 + 20 * n),)))
        stops, = self.path(Chain((tracklet(1, [n for n in range(40) if n != 19], lambda n: 100 + 20 * min(n, 20)),)))
        self.assertGreater(stops.width[19], straight.width[19] + 2 * 20 / 8)
        np.testing.assert_allclose(stops.width[25:], straight.width[25:], atol=0.5)
        planned, = path_of(Chain((tracklet(1, range(0, 61, 6), lambda n: 100 + 5 * min(n, 30)),)), Followed(), 25, BridgeSettings(line_frames=5, steady_size_frames=0.1))
        even, = path_of(Chain((tracklet(1, range(0, 61, 6), 100),)), Followed(), 25, BridgeSettings(line_frames=5, steady_size_frames=0.1))
        np.testing.assert_allclose(planned.width, even.width, atol=0.01)

    def test_planned_waits_are_blinks_and_longer_ones_gaps(self):
        chain = Chain((tracklet(1, [0, 6, 12, 19, 25], 100),))
        self.assertEqual([task.first for task in gap_tasks(chain, (400, 300), None, BridgeSettings(line_frames=5))], [12])
        self.assertEqual(len(gap_tasks(chain, (400, 300), None)), 4)

    def test_a_gap_is_followed_from_both_ends(self):
        views = pictures(40, (2.5, 0))
        chain = Chain((tracklet(1, [*range(12), *range(28, 40)], lambda n: 120 + 2.5 * n),))
        task, = gap_tasks(chain, (400, 300), None)
        self.assertEqual((task.first, task.last), (11, 28))
        bridge, solved = task.solve(range(11, 29), [task.window.cut(view) for view in views[11:29]]), Followed()
        self.assertTrue(bridge.agreed)
        np.testing.assert_allclose(bridge.rows[:, 0], 120 + 2.5 * np.arange(12, 28), atol=2.0)
        task.keep(bridge, solved)
        path, = self.path(chain, solved)
        self.assertEqual(len(path), 40)
        self.assertTrue((path.origin[12:28] == BRIDGED).all())

    def test_a_long_gap_that_does_not_meet_is_two_paths_and_never_bare(self):
        chain = Chain((tracklet(1, range(10), 100), tracklet(2, range(50, 60), 160)))
        followed = Followed({9: Bridge(np.zeros((40, 6)), False)}, {10: Lead(np.tile([160, 150, 60, 81, 0, 0.5], (8, 1)), False)}, {9: np.tile([104, 150, 60, 81, 0, 0.5], (5, 1))})
        for solved, tail, lead, ends in ((Followed({9: followed.bridges[9]}), 0, 0, (100, 160)), (followed, 5, 8, (104, 160))):
            first, second = self.path(chain, solved)
            self.assertEqual((first.first, first.last, second.first, second.last), (0, 49 - lead, 50 - lead, 59))
            between = first.part(10 + tail, first.last)
            self.assertTrue((between.confidence <= 0.11).all() and (between.origin != FOUND).all())
            np.testing.assert_allclose(between.cx, np.linspace(*ends, len(between) + 2)[1:-1], atol=3)

    def test_a_tail_ends_where_the_lead_of_the_next_head_knows_better(self):
        chain = Chain((tracklet(1, range(10), 100), tracklet(2, range(50, 60), 160)))

        def made(tail, lead, x=160):
            rows = [np.tile([place, 150, 60, 81, 0, sure], (40, 1)) for place, sure in ((104, tail), (x, lead))]
            return self.path(chain, Followed({9: Bridge(np.zeros((40, 6)), False)}, {10: Lead(rows[1][:12], False)}, {9: rows[0]}))

        first, second = made(0.2, 0.7)
        self.assertEqual((first.last, second.first), (43, 44))
        np.testing.assert_allclose(second.cx[:6], 160, atol=1)
        self.assertTrue((first.cx[38 - first.first:] + first.width[38 - first.first:] / 2 > 160 + 29).all())
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
        path, = self.path(Chain((noisy,)))
        truth = np.array([place(n) for n in range(60)])
        self.assertLess(np.abs(path.cx - truth).max(), 0.12 * 60)
        self.assertLess(np.abs(np.diff(path.cx[5:25])).mean(), np.abs(np.diff([h[0] for h in noisy.heads[5:25]])).mean())
        self.assertGreaterEqual(path.width.min(), 0.95 * 60)

    def test_a_face_that_turns_away_does_not_shrink_its_head(self):
        heads = tracklet(1, range(40), 100)
        for n in range(25, 40):
            heads.heads[n] = heads.heads[n] * np.array([1, 1, 0.7, 0.7, 1], np.float32)
            heads.scores[n] = 0.55
        path, = self.path(Chain((heads,)))
        self.assertGreater(path.width[38], 0.9 * 60)

    def test_lead_goes_back_through_the_pictures_and_can_go_on(self):
        views = pictures(60, (1.5, 0))
        chain = Chain((tracklet(1, range(50, 60), lambda n: 100 + 1.5 * n),))
        task = lead_task(0, chain, (400, 300), 0, 25, None)
        lead = task.solve(range(task.first, task.last + 1), [task.window.cut(view) for view in views[task.first:task.last + 1]])
        rows = lead.rows
        self.assertTrue(lead.goes_on)
        np.testing.assert_allclose(rows[:, 0], 100 + 1.5 * (49 - np.arange(len(rows))), atol=2)
        further = lead_task(0, chain, (400, 300), 0, 25, None, rows)
        more = further.solve(range(further.first, further.last + 1), [further.window.cut(view) for view in views[further.first:further.last + 1]]).rows
        self.assertGreater(len(more), len(rows))
        np.testing.assert_array_equal(more[:len(rows)], rows)

    def test_lead_stops_at_the_beginning_of_the_shot(self):
        chain = Chain((tracklet(1, range(50, 60), 100),))
        self.assertEqual(lead_task(0, chain, (400, 300), 45, 25, None).first, 45)
        self.assertIsNone(lead_task(0, chain, (400, 300), 50, 25, None))

    def test_lead_begins_with_a_picture_that_is_decoded(self):
        chain = Chain((tracklet(1, range(50, 60), 100),))
        for odd in (0, 1):
            self.assertEqual(lead_task(0, chain, (400, 300), 0, 25, None, needed=np.arange(60) % 2 == odd).first % 2, odd)


class HeldTest(unittest.TestCase):
    def test_inside_the_picture_the_cover_stays_put_for_a_moment(self):
        rows = np.array([[200.0, 150, 60, 80, 0, 0.6]] * 5)
        kept = held(rows, rows[0], np.zeros(2), "lost", 100, (400, 300), 25)
        self.assertEqual(len(kept), 5 + round(BridgeSettings().hold_s * 25))
        self.assertLess(np.abs(kept[:, 0] - 200).max(), 1)
        self.assertTrue((np.diff(kept[5:, 5]) < 0).all())

    def test_at_the_edge_it_goes_out_with_the_motion(self):
        rows = np.array([[350.0 + 6 * n, 150, 60, 80, 0, 0.6] for n in range(5)])
        kept = held(rows, rows[0], np.array([6.0, 0]), "lost", 100, (400, 300), 25)
        self.assertGreater(kept[-1, 0] - kept[-1, 2] / 2, 400)
        self.assertLess(len(kept), 25)

    def test_who_has_left_is_not_held(self):
        rows = np.array([[440.0, 150, 60, 80, 0, 0.6]])
        self.assertEqual(len(held(rows, rows[0], np.array([6.0, 0]), "left", 100, (400, 300), 25)), 1)


class WindowTest(unittest.TestCase):
    def test_large_heads_are_looked_at_smaller_and_rows_come_back(self):
        heads = np.array([[500.0, 400, 300, 400, 5]])
        window = Window.around(heads, (1280, 720))
        self.assertLess(window.scale, 0.5)
        np.testing.assert_allclose(window.outward(window.inward(heads)), heads)
        picture = window.cut(np.zeros((720, 1280, 3), np.uint8))
        self.assertLess(picture.shape[1], 0.5 * (window.box[2] - window.box[0]))

    def test_it_stays_inside_the_frame(self):
        for x, y in ((-50, -50), (1300, 800), (640, 10)):
            x0, y0, x1, y1 = Window.around(np.array([[x, y, 80.0, 100]]), (1280, 720)).box
            self.assertTrue(0 <= x0 < x1 <= 1280 and 0 <= y0 < y1 <= 720)


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

    def test_part_keeps_the_frames(self):
        path = Path.from_rows(10, np.column_stack([np.arange(8.0), *[np.ones(8)] * 5]), np.zeros(8))
        part = path.part(12, 14)
        self.assertEqual((part.first, part.last, part.cx.tolist()), (12, 14, [2, 3, 4]))
