"""Which frames are searched, looked at and left out."""

import unittest

import numpy as np

from skiagraph.track.stepping import plan_of, step_of


class PlanTest(unittest.TestCase):
    def test_every_frame(self):
        plan = plan_of(np.ones(30, bool), 1, 25.0)
        for frames in (plan.searched, plan.looked, plan.needed):
            self.assertTrue(frames.all())

    def test_known_people_are_never_out_of_sight_for_long_whatever_the_stream(self):
        chance = np.random.default_rng(5)
        for non_reference in (
            np.zeros(95, bool),
            np.ones(95, bool),
            np.arange(95) % 2 == 1,
            np.arange(95) % 2 == 0,
            np.arange(95) % 4 > 0,
            chance.random(95) < 0.5,
        ):
            for every in (2, 3, 10, 25):
                with self.subTest(every=every, non_reference=non_reference[:8]):
                    plan = plan_of(non_reference, every, 25.0)
                    self.assertTrue(plan.searched[::every].all() and plan.searched[-1])
                    self.assertTrue((plan.looked | ~plan.searched).all() and (plan.needed | ~plan.looked).all())
                    self.assertTrue((plan.needed | non_reference).all(), "what others are made from is decoded anyway")
                    self.assertLessEqual(np.diff(np.flatnonzero(plan.looked)).max(), plan.interval)
                    self.assertLessEqual(np.diff(np.flatnonzero(plan.needed)).max(), 2)

    def test_the_time_between_looks_is_counted_in_seconds(self):
        for rate, every, interval in (
            (25.0, 1, 1),
            (25.0, 4, 4),
            (25.0, 10, 6),
            (50.0, 10, 10),
            (50.0, 20, 12),
            (5.0, 10, 2),
        ):
            self.assertEqual(plan_of(np.zeros(50, bool), every, rate).interval, interval)

    def test_a_clip_with_few_frames_a_second_is_searched_as_often_as_another(self):
        self.assertEqual([step_of(10, rate) for rate in (60, 25, 12.5, 8, 1, 0.2)], [10, 10, 6, 4, 1, 1])
        self.assertEqual([step_of(1, rate) for rate in (60, 0.2)], [1, 1])
        self.assertEqual(step_of(40, 25), 12)

    def test_half_of_a_common_stream_is_left_out(self):
        self.assertLess(plan_of(np.arange(200) % 2 == 1, 10, 25.0).needed.mean(), 0.51)

    def test_a_clip_of_a_frame_or_none(self):
        self.assertTrue(plan_of(np.ones(1, bool), 10, 25.0).needed.all())
        self.assertEqual(len(plan_of(np.ones(0, bool), 10, 25.0).needed), 0)
