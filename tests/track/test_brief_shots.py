"""Shots of a frame or two: who is there before or after stays covered in them."""

import unittest

from skiagraph.track.brief_shots import BRIEF, brief_shots, held_in_brief
from tests.support import head_path


class BriefShotsTest(unittest.TestCase):
    def test_a_flash_beside_a_cut_and_at_the_ends_of_a_clip_is_a_brief_shot(self):
        self.assertEqual(brief_shots((1, 49, 50, 51, 99), 100), [(0, 0), (49, 50), (99, 99)])

    def test_a_whip_pan_and_shots_are_none(self):
        self.assertEqual(brief_shots((40, 41, 42, 43, 44), 80), [], "a row of cuts")
        self.assertEqual(brief_shots((40, 43), 80), [], "three frames are a shot")
        self.assertEqual(brief_shots((), 80), [])

    def test_who_ends_before_and_who_begins_after_are_held_in_it_and_nobody_else(self):
        brief = [(49, 50)]
        ends, begins, goes_on, elsewhere = (
            head_path(20, 29, cx=60, step=(1, 0)),
            head_path(51, 20, cx=200),
            head_path(20, 60, cx=60),
            head_path(60, 9, cx=60),
        )
        held = held_in_brief(ends, brief)
        self.assertEqual((held.first, held.last), (20, 50))
        self.assertEqual(held.part(20, 48), ends)
        self.assertEqual(held.boxes()[-1].tolist(), ends.boxes()[-1].tolist())
        self.assertLessEqual(held.confidence[-2:].max(), BRIEF.sure)
        self.assertEqual((held_in_brief(begins, brief).first, held_in_brief(begins, brief).last), (49, 70))
        self.assertIs(held_in_brief(goes_on, brief), goes_on)
        self.assertIs(held_in_brief(elsewhere, brief), elsewhere)
