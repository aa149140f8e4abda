"""Outlines: keyframes hold or fade as they say, growth follows speed and doubt, and the ellipse is the ellipse."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.project.model import Correction, Offset, Sighting
from skiagraph.project.outline import FADE, Outline, contains, cover_outline, offset_at, outline_at, outline_rows
from tests.support import head_path


def sighting(path, **more):
    return Sighting("c1", path, path.first, path.last, **more)


class OutlineTest(unittest.TestCase):
    def test_outside_the_sighting_there_is_none(self):
        s = sighting(head_path(10, 20))
        self.assertIsNone(outline_at(s, 9))
        self.assertIsNone(outline_at(s, 30))
        self.assertIsNone(cover_outline(s, 9, 0.1))

    def test_past_the_path_it_stays_where_the_path_ended(self):
        s = replace(sighting(head_path(10, 20, step=(2, 0))), first=0, last=60)
        self.assertEqual(outline_at(s, 0).cx, outline_at(s, 10).cx)
        self.assertEqual(outline_at(s, 60).cx, outline_at(s, 29).cx)

    def test_a_fading_keyframe_is_whole_there_and_gone_after_its_fade(self):
        s = sighting(head_path(0, 60), corrections=(Correction(30, Offset(dx=0.5, width=2.0)),))
        self.assertAlmostEqual(outline_at(s, 30).width, 60, places=4)
        for frame in (30 - FADE, 30 + FADE):
            self.assertAlmostEqual(outline_at(s, frame).width, 30, places=4)
        self.assertEqual(outline_at(s, 30).confidence, 1.0)
        self.assertTrue(1.0 < offset_at(s, 34).width < 2.0)

    def test_a_holding_keyframe_lasts_to_the_next(self):
        s = sighting(head_path(0, 80), corrections=(Correction(20, Offset(dx=0.5), True), Correction(60, Offset(dx=-0.5), True)))
        plain = outline_at(sighting(head_path(0, 80)), 0).cx
        self.assertAlmostEqual(outline_at(s, 40).cx - plain, 15, places=4)
        self.assertAlmostEqual(outline_at(s, 79).cx - plain, -15, places=4)

    def test_growth_only_ever_adds(self):
        rng = np.random.default_rng(4)
        for _ in range(20):
            path = head_path(0, 30, step=tuple(rng.normal(0, 6, 2)), confidence=float(rng.uniform(0.05, 1)))
            rows = outline_rows(sighting(path))
            self.assertTrue((rows[:, 6] >= 0).all())
            self.assertGreaterEqual(cover_outline(sighting(path), 10, 0.1).width, outline_at(sighting(path), 10).width * 1.1 - 1e-6)

    def test_rows_are_read_only(self):
        with self.assertRaises(ValueError):
            outline_rows(sighting(head_path(0, 5)))[0, 0] = 1

    def test_contains_knows_turned_ellipses(self):
        lying = Outline(0, 0, 20, 60, 90)
        self.assertEqual(contains(lying, np.array([[25, 0], [0, 25], [0, 9], [31, 0]])).tolist(), [True, False, True, False])
