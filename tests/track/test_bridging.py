"""What has to be followed, from both ends of a gap and back from a first sight, and how covers are held where a
follower stops."""

import unittest

import numpy as np

from skiagraph.track.bridging import HOLD, BridgeSettings, Followed, Window, gap_tasks, held, lead_task, loose_ends
from skiagraph.track.chaining import Chain
from tests.track.faces import tracklet
from tests.track.test_following import pictures


class GapTest(unittest.TestCase):
    def test_loose_ends_are_the_ends_and_long_gaps(self):
        chain = Chain((tracklet(1, [*range(10), *range(14, 20), *range(60, 70)], 100),))
        begins, ends = loose_ends(chain, 25)
        self.assertEqual([int(chain.frames[n]) for n in begins], [0, 60])
        self.assertEqual([int(chain.frames[n]) for n in ends], [19, 69])

    def test_planned_waits_are_blinks_and_longer_ones_gaps(self):
        chain = Chain((tracklet(1, [0, 6, 12, 19, 25], 100),))
        self.assertEqual(
            [task.first for task in gap_tasks(chain, (400, 300), None, BridgeSettings(line_frames=5))], [12]
        )
        self.assertEqual(len(gap_tasks(chain, (400, 300), None)), 4)

    def test_a_gap_is_followed_from_both_ends(self):
        views = pictures(40, (2.5, 0))
        chain = Chain((tracklet(1, [*range(12), *range(28, 40)], lambda n: 120 + 2.5 * n),))
        (task,) = gap_tasks(chain, (400, 300), None)
        self.assertEqual((task.first, task.last), (11, 28))
        bridge, solved = task.solve(range(11, 29), [task.window.cut(view) for view in views[11:29]]), Followed()
        self.assertTrue(bridge.agreed)
        np.testing.assert_allclose(bridge.rows[:, 0], 120 + 2.5 * np.arange(12, 28), atol=2.0)
        task.keep(bridge, solved)
        self.assertIs(solved.bridges[11], bridge)


class LeadTest(unittest.TestCase):
    def test_lead_goes_back_through_the_pictures_and_can_go_on(self):
        views = pictures(60, (1.5, 0))
        chain = Chain((tracklet(1, range(50, 60), lambda n: 100 + 1.5 * n),))
        task = lead_task(0, chain, (400, 300), 0, 25, None)
        lead = task.solve(
            range(task.first, task.last + 1), [task.window.cut(view) for view in views[task.first : task.last + 1]]
        )
        rows = lead.rows
        self.assertTrue(lead.goes_on)
        np.testing.assert_allclose(rows[:, 0], 100 + 1.5 * (49 - np.arange(len(rows))), atol=2)
        further = lead_task(0, chain, (400, 300), 0, 25, None, rows)
        more = further.solve(
            range(further.first, further.last + 1),
            [further.window.cut(view) for view in views[further.first : further.last + 1]],
        ).rows
        self.assertGreater(len(more), len(rows))
        np.testing.assert_array_equal(more[: len(rows)], rows)

    def test_lead_stops_at_the_beginning_of_the_shot(self):
        chain = Chain((tracklet(1, range(50, 60), 100),))
        self.assertEqual(lead_task(0, chain, (400, 300), 45, 25, None).first, 45)
        self.assertIsNone(lead_task(0, chain, (400, 300), 50, 25, None))

    def test_lead_begins_with_a_picture_that_is_decoded(self):
        chain = Chain((tracklet(1, range(50, 60), 100),))
        for odd in (0, 1):
            self.assertEqual(
                lead_task(0, chain, (400, 300), 0, 25, None, needed=np.arange(60) % 2 == odd).first % 2, odd
            )

    def test_who_was_seen_once_is_followed_back_a_little_first_and_further_at_the_speed_they_had(self):
        views, chain = pictures(50, (24, 0)), Chain((tracklet(1, [40], 300),))
        task, lead = lead_task(0, chain, (400, 300), 30, 25, None), None
        self.assertIsNone(task.speed)
        self.assertLessEqual(task.last - task.first, 3)
        for _ in range(2):
            lead = task.solve(
                range(task.first, task.last + 1), [task.window.cut(view) for view in views[task.first : task.last + 1]]
            )
            self.assertTrue(lead.goes_on)
            task = lead_task(0, chain, (400, 300), 30, 25, None, lead.rows)
            if task is None:
                break
            np.testing.assert_allclose(task.speed, (-24, 0), atol=1)
        np.testing.assert_allclose(lead.rows[:, 0], 300 - 24 * np.arange(1, 1 + len(lead.rows)), atol=3)
        self.assertEqual(len(lead.rows), 10, "back to where the shot begins")

    def test_a_little_is_at_least_to_a_picture_that_is_decoded(self):
        chain = Chain((tracklet(1, [40], 200),))
        self.assertEqual(lead_task(0, chain, (400, 300), 0, 25, None, needed=np.arange(60) % 8 == 0).first, 32)


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

    def test_who_stands_half_in_the_picture_is_covered_for_as_long_as_leaving_takes(self):
        rows = np.array([[385.0, 150, 60, 80, 0, 0.6]] * 5)
        kept = held(rows, rows[0], np.zeros(2), "lost", 100, (400, 300), 25)
        self.assertEqual(len(kept), 5 + round(HOLD.leaving_s * 25))
        self.assertLess(np.abs(kept[:, 0] - 385).max(), 1)

    def test_who_stood_half_in_the_picture_before_they_were_seen_is_covered_for_as_long(self):
        chain = Chain((tracklet(1, range(50, 60), 390.0),))
        task = lead_task(0, chain, (400, 300), 0, 25, None)
        # Nothing is left of them as soon as one goes back.
        lead = task.solve(range(task.first, 51), [np.full((64, 64, 3), 90, np.uint8)] * (51 - task.first))
        self.assertFalse(lead.goes_on)
        self.assertGreater(len(lead.rows), task.last - task.first, "the cover needs no pictures")
        near = lead_task(0, chain, (400, 300), 40, 25, None)
        self.assertEqual(
            len(near.solve(range(near.first, 51), [np.full((64, 64, 3), 90, np.uint8)] * (51 - near.first)).rows),
            10,
            "no further than the shot",
        )

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


if __name__ == "__main__":
    unittest.main()
