"""Where people meet, and how far all assignments of who met tell them apart."""

import unittest

import numpy as np

from skiagraph.track.identity import probability
from skiagraph.track.meetings import marginals, marginals_by_pairs, meetings_of
from skiagraph.track.path import FOLLOWED, FOUND
from tests.track.crossing_paths import RATE, crossing, path_along


class MarginalsTest(unittest.TestCase):
    def test_two_who_look_the_same_are_even(self):
        share = marginals(np.full((2, 2), 4.0))
        np.testing.assert_allclose(share, share[0, 0])
        self.assertAlmostEqual(float(share[0].sum()), 1.0, delta=0.02)

    def test_one_pair_is_its_log_odds(self):
        self.assertAlmostEqual(float(marginals(np.array([[1.5]]))[0, 0]), probability(1.5), places=6)

    def test_what_is_sure_of_one_is_sure_of_the_other(self):
        share = marginals(np.array([[9.0, 1.0], [1.0, 1.0]]))
        self.assertGreater(share[1, 1], share[1, 0] * 5, "the other is taken already")

    def test_of_many_each_pair_is_held_against_every_other(self):
        even = marginals_by_pairs(np.zeros((6, 1)))
        self.assertLess(float(even.max()), 0.4, "six came and one went: it is any of them")
        clear = np.full((6, 6), -6.0)
        np.fill_diagonal(clear, 6.0)
        self.assertTrue((np.diag(marginals_by_pairs(clear)) > 0.98).all())
        clear[0, 1] = clear[1, 0] = clear[0, 0] = clear[1, 1] = 4.0
        share = marginals_by_pairs(clear)
        self.assertLess(share[0, 0], 0.6)
        self.assertGreater(share[3, 3], 0.98)

    def test_more_came_than_went(self):
        share = marginals(np.array([[3.0], [0.0], [0.0]]))
        self.assertLessEqual(float(share.sum()), 1.0 + 1e-9)
        self.assertGreater(share[0, 0], 0.8)


class MeetingsTest(unittest.TestCase):
    def test_paths_that_cross_meet_once(self):
        (meeting,) = meetings_of(crossing(), RATE)
        self.assertEqual(meeting.rows, (0, 1))
        self.assertLess(meeting.first, 50)
        self.assertGreater(meeting.last, 50)
        self.assertTrue(all(abs(at - 50) <= 1 for at in meeting.at))

    def test_paths_that_stay_apart_do_not(self):
        self.assertEqual(meetings_of([path_along(np.full(50, 100.0)), path_along(np.full(50, 300.0))], RATE), [])

    def test_where_a_path_was_only_followed_on_it_meets_nobody(self):
        origin = np.r_[np.full(20, FOUND), np.full(60, FOLLOWED)].astype(np.uint8)
        gone = path_along(np.r_[np.full(20, 100.0), np.linspace(100, 300, 60)], origin=origin)
        self.assertEqual(meetings_of([gone, path_along(np.full(80, 300.0))], RATE), [])

    def test_one_vanishes_behind_somebody_and_one_comes_out(self):
        stays = path_along(np.full(120, 300.0))
        before, after = path_along(np.linspace(100, 290, 40)), path_along(np.linspace(310, 500, 40), first=65)
        (meeting,) = meetings_of([stays, before, after], RATE)
        self.assertEqual(meeting.rows, (0, 1, 2))

    def test_who_was_long_out_of_sight_is_asked_about(self):
        origin = np.full(100, FOUND, np.uint8)
        origin[30:70] = FOLLOWED
        (meeting,) = meetings_of([path_along(np.full(100, 100.0), origin=origin)], RATE)
        self.assertEqual((meeting.first, meeting.last, meeting.rows), (30, 69, (0,)))
