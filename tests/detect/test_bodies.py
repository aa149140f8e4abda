"""The heads of all who stand somewhere are found, from every side, close together and small, and none where nobody
is."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from skiagraph.demo import people
from skiagraph.demo.scene import draw
from skiagraph.demo.story import QUAY, Actor
from skiagraph.detect.bodies import BODIES, HEAD_X, HEAD_Y, HIGH, HIPS_Y, SCORE, BodyFinder, _told_apart
from tests.track.test_body import standing


def side_by_side(size, apart):
    """Three people, and the truth of their heads."""
    actors = tuple(
        Actor(
            f"p{n}", f"P{n}", look, x=((0, 500 + n * apart),), size=((0, size),), yaw=((0, yaw),), body_yaw=((0, yaw),)
        )
        for n, (look, yaw) in enumerate(((people.BLUE_CAP, 0), (people.PORTER, 180), (people.SCARF, 40)))
    )
    picture, _, truth = draw(replace(QUAY, name="three", shake=0.0, camera_x=((0, 0),), actors=actors), 0)
    return picture, truth


def sight(score, x, high, y=100.0):
    """What a look tells of somebody, with a likely head."""
    return [score, x, y, x, y + 3 * high, high, 1.0]


class SeveralLooksTest(unittest.TestCase):
    def told(self, *looks):
        return _told_apart([(scale, np.array(rows, float).reshape(-1, 7)) for scale, rows in looks], BODIES)

    def test_a_small_head_that_a_rougher_look_has_elsewhere_is_whom_a_finer_one_sees(self):
        two = [sight(0.8, 100, 20), sight(0.7, 125, 20)]
        told = self.told((0.25, [sight(0.9, 112, 20)]), (1.0, two))
        self.assertEqual(sorted(told[:, HEAD_X]), [100, 125])

    def test_who_is_seen_in_both_is_as_sure_as_in_either(self):
        for x in (104, 125):
            (row,) = self.told((0.25, [sight(0.9, x, 20)]), (1.0, [sight(0.4, 100, 20)]))
            self.assertEqual((row[SCORE], row[HEAD_X]), (0.9, 100))

    def test_who_is_further_away_or_large_in_a_rougher_look_stays(self):
        for other in (sight(0.5, 100 + 1.1 * BODIES.astray * 4 / 0.25, 20), sight(0.5, 120, 80)):
            with self.subTest(other=other):
                self.assertEqual(len(self.told((0.25, [other]), (1.0, [sight(0.8, 100, 20)]))), 2)

    def test_where_a_finer_look_sees_nobody_a_rougher_one_counts(self):
        self.assertEqual(len(self.told((0.25, [sight(0.5, 100, 20)]), (1.0, []))), 1)
        self.assertEqual(
            len(self.told((0.25, [sight(0.5, 100, 20)]), (1.0, [sight(BODIES.least / 2, 100, 20)]))),
            1,
            "in doubt it is nobody",
        )


class BodyFinderTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.finder = BodyFinder(1)
        cls.addClassCleanup(cls.finder.close)

    def check_head(self, row, cx, cy, width, height):
        self.assertGreaterEqual(row[SCORE], BODIES.least)
        self.assertLess(abs(row[HEAD_X] - cx), 0.2 * width)
        self.assertLess(abs(row[HEAD_Y] - cy), 0.2 * height)
        self.assertTrue(0.6 * height < row[HIGH] < 1.1 * height, row[HIGH] / height)
        self.assertGreater(row[HIPS_Y], cy + 1.5 * height)

    def test_a_head_is_where_it_is_from_every_side(self):
        for yaw in (0, 45, 90, 180, -90):
            with self.subTest(yaw=yaw):
                picture, (cx, cy, width, height, _) = standing(yaw, 30)
                (row,) = self.finder.find(picture)
                self.check_head(row, cx, cy, width, height)

    def test_of_several_who_stand_close_together_each_is_found(self):
        picture, truth = side_by_side(30, 80)
        found = self.finder.find(picture)
        self.assertEqual(len(found), 3)
        for row, head in zip(sorted(found.tolist(), key=lambda row: row[HEAD_X]), truth):
            self.check_head(row, head.cx, head.cy, head.width, head.height)

    def test_a_finer_look_finds_who_is_small(self):
        picture, truth = side_by_side(8, 40)
        near = lambda found, head: any(
            np.hypot(row[HEAD_X] - head.cx, row[HEAD_Y] - head.cy) < 0.3 * head.height
            for row in found
            if row[SCORE] > 0.5
        )
        self.assertFalse(all(near(self.finder._look(picture, BODIES.side), head) for head in truth))
        for turn in (1, BODIES.finer_each):
            self.assertTrue(
                all(near(self.finder.find(picture, turn), head) for head in truth),
                "around them, and in the whole picture",
            )

    def test_of_small_ones_side_by_side_a_rougher_look_makes_no_third(self):
        for size, apart in ((8, 30), (12, 40)):
            picture, truth = side_by_side(size, apart)
            for turn in (1, BODIES.all_each):
                with self.subTest(size=size, turn=turn):
                    found = sorted(self.finder.find(picture, turn).tolist(), key=lambda row: row[HEAD_X])
                    self.assertEqual(len(found), len(truth))
                    for row, head in zip(found, truth):
                        self.assertLess(np.hypot(row[HEAD_X] - head.cx, row[HEAD_Y] - head.cy), 0.3 * head.height)

    def test_who_fills_the_picture_has_one_head_in_a_finer_look_too(self):
        picture, head = standing(90, 110)
        for turn in (0, 1):
            with self.subTest(turn=turn):
                self.assertEqual(
                    [
                        round(float(np.hypot(*(row[HEAD_X : HEAD_Y + 1] - head[:2]) / head[2])))
                        for row in self.finder.find(picture, turn)
                    ],
                    [0],
                )

    def looks_at(self, picture, turn):
        """px of the longer side of each look at a whole picture, and how many looks at a part of it there were."""
        with mock.patch.object(self.finder, "_look", wraps=self.finder._look) as look:
            self.finder.find(picture, turn)
        whole = [call.args[1] for call in look.call_args_list if call.args[0] is picture]
        return sorted(whole), len(look.call_args_list) - len(whole)

    def test_where_all_is_clear_and_nobody_is_small_one_look_is_enough(self):
        clear, _ = side_by_side(30, 240)
        small, _ = side_by_side(8, 40)
        s = BODIES
        self.assertEqual(self.looks_at(clear, 1), ([s.side], 0))
        self.assertEqual(self.looks_at(clear, s.finer_each), ([s.side], 0))
        self.assertEqual(self.looks_at(clear, s.all_each), ([s.coarser, s.side, s.finer], 0))
        self.assertEqual(self.looks_at(small, 1), ([s.coarser, s.side], 1))
        self.assertEqual(self.looks_at(small, s.finer_each), ([s.coarser, s.side, s.closer], 0))

    def test_who_is_in_doubt_is_looked_at_more_coarsely_too(self):
        # Half of a head and a shoulder: too large to be sure of it in the finer of the two.
        picture, _ = standing(0, 200)
        signs = self.finder._look(picture, BODIES.side)
        self.assertTrue(((signs[:, SCORE] >= BODIES.doubt) & (signs[:, SCORE] < BODIES.sure)).any(), signs[:, SCORE])
        self.assertIn(BODIES.coarser, self.looks_at(picture, 1)[0])

    def test_a_small_picture_is_enlarged(self):
        picture, (cx, cy, width, height, _) = standing(0, 60)
        (row,) = self.finder.find(np.ascontiguousarray(picture[::5, ::5]))
        self.check_head(row * (1, *[5] * 5), cx, cy, width, height)

    def test_submitted_it_comes_out_the_same(self):
        picture, _ = standing(0, 30)
        for turn in (0, 1):
            np.testing.assert_array_equal(self.finder.submit(picture, turn).result(), self.finder.find(picture, turn))

    def test_nobody_is_seen_on_nothing(self):
        for size in ((300, 500), (500, 31), (1, 1)):
            with self.subTest(size=size):
                self.assertEqual(self.finder.find(np.full((*size, 3), 120, np.uint8), 0).shape, (0, 6))
