"""Margin, feather and strength at some frames only: the same reach as hand work, and never a finer cover than was asked
for."""

import unittest

from skiagraph.errors import EditRefused
from skiagraph.project import levels, outlines, presence
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Cover, Outline, Reach, Style, replace
from tests.project.worlds import world

Mosaic, Blur = Cover.kinds["mosaic"], Cover.kinds["blur"]


class World(unittest.TestCase):
    def setUp(self):
        project, key = outlines.add_subject(world(), "c1", 20, Outline.at(200, 100, 60, 60))
        project = project.deciding(style=Style.of(Mosaic(8), 0.1, 0.1))
        self.project, self.key = presence.extend_sighting(project, key, "c1", 20), key


class LevelsTest(World):
    def size(self, project, frame):
        return layers(project, "c1", frame)[0].outline.width

    def wider(self, reach, frame=40, margin=0.5, project=None):
        project = project or self.project
        return levels.set_style_at(
            project, self.key, "c1", frame, replace(project.style_of(project.subject(self.key)), margin=margin), reach
        )

    def test_how_far_a_margin_reaches(self):
        plain, wide = self.size(self.project, 0), 60 * 1.5
        self.assertAlmostEqual(plain, 66)
        for reach, told in (
            (Reach.FRAME, {30: plain, 40: wide, 50: plain}),
            (Reach.ONWARD, {39: plain, 40: wide, 79: wide}),
            (Reach.SIGHTING, {0: wide, 79: wide}),
            (Reach.ALL, {0: wide}),
        ):
            project = self.wider(reach)
            for frame, size in told.items():
                self.assertAlmostEqual(self.size(project, frame), size, places=4, msg=f"{reach} {frame}")
        keyed = self.wider(Reach.KEYFRAME, 60, 0.9, self.wider(Reach.KEYFRAME, 40, 0.5))
        self.assertTrue(self.size(keyed, 40) < self.size(keyed, 50) < self.size(keyed, 60))
        self.assertEqual(
            (keyed.subject(self.key).sightings[0].all_marks(), keyed.subject(self.key).sightings[0].marks()),
            ((40, 60), ()),
        )
        removed = outlines.remove_keyframe(keyed, self.key, "c1", 60)
        self.assertAlmostEqual(self.size(removed, 79), wide)

    def test_strength_and_feather(self):
        stronger = levels.set_style_at(self.project, self.key, "c1", 40, Style.of(Mosaic(4), 0.1, 0.4), Reach.FRAME)
        told = [
            (layers(stronger, "c1", n)[0].style.cover.blocks, round(layers(stronger, "c1", n)[0].style.feather, 3))
            for n in (20, 40)
        ]
        self.assertEqual(told, [(8, 0.1), (4, 0.4)])
        between = layers(stronger, "c1", 36)[0].style.cover.blocks
        self.assertTrue(4 <= between <= 6)
        other = levels.set_style_at(self.project, self.key, "c1", 40, Style.of(Blur(0.2)), Reach.FRAME)
        self.assertEqual(layers(other, "c1", 0)[0].style.cover.kind, "blur", "another kind is for all of it")
        self.assertEqual(Blur(0.2).stronger(2).size, 0.4)

    def test_a_change_for_all_frames_leaves_what_single_frames_have_more(self):
        keyed = self.wider(Reach.FRAME, 40, 0.5)
        changed = levels.set_style_at(keyed, self.key, "c1", 40, Style.of(Mosaic(4), 0.5, 0.1), Reach.ALL)
        self.assertEqual([round(self.size(changed, n)) for n in (0, 40)], [66, 90])
        self.assertEqual(layers(changed, "c1", 0)[0].style.cover.blocks, 4)

    def test_joining_loses_no_margin(self):
        parted = presence.split_sighting(self.wider(Reach.FRAME, 60, 0.9), self.key, "c1", 30)
        before = [self.size(parted, n) for n in (10, 45, 60, 75)]
        self.assertEqual(
            [self.size(presence.join_sightings(parted, self.key, "c1", 10), n) for n in (10, 45, 60, 75)], before
        )
        moved = outlines.move_outline(parted, self.key, "c1", 10, Outline.at(220, 100, 60, 60), Reach.SIGHTING)
        joined = presence.join_sightings(self.wider(Reach.SIGHTING, 50, 0.4, moved), self.key, "c1", 10)
        self.assertEqual(len(joined.subject(self.key).sightings), 1)
        self.assertGreaterEqual(self.size(joined, 60), 60 * 1.89)

    def test_a_cover_is_never_smaller_than_its_outline(self):
        project = self.wider(Reach.FRAME, 40, 0.0)
        project = project.deciding(style=Style.of(Mosaic(8), 0.0, 0.0))
        self.assertGreaterEqual(self.size(project, 40), 60)

    def test_off_at_once_and_in_one_frame(self):
        for reach, on in (
            (Reach.FRAME, {39: True, 40: False, 41: True}),
            (Reach.ONWARD, {39: True, 40: False, 79: False}),
            (Reach.SIGHTING, {0: False, 79: False}),
        ):
            project = levels.switch_off(self.project, self.key, "c1", 40, reach)
            for frame, covered in on.items():
                self.assertEqual(matte(project, "c1", frame).any(), covered, f"{reach} {frame}")
        with self.assertRaises(EditRefused):
            levels.switch_off(
                levels.switch_off(self.project, self.key, "c1", 40, Reach.FRAME), self.key, "c1", 40, Reach.FRAME
            )


class EveryParameterTest(World):
    def covers(self, project, frame):
        return layers(project, "c1", frame)[0].style.covers

    def keyed(self, cover, reach, frame=40, project=None):
        project = project or self.project
        return levels.set_style_at(
            project, self.key, "c1", frame, replace(project.style_of(project.subject(self.key)), covers=(cover,)), reach
        )

    def test_whatever_a_cover_says_goes_over_from_key_to_key(self):
        project = self.keyed(
            Mosaic(4, rounded=1.0, grid="picture"),
            Reach.KEYFRAME,
            60,
            self.keyed(Mosaic(8, rounded=0.0), Reach.KEYFRAME, 40),
        )
        (early,), (middle,), (late,) = (self.covers(project, n) for n in (40, 50, 60))
        self.assertEqual((early.rounded, late.rounded, late.grid), (0.0, 1.0, "picture"))
        self.assertTrue(0.3 < middle.rounded < 0.7 and middle.grid == "subject")

    def test_reach(self):
        for reach, told in (
            (Reach.FRAME, {20: 0.0, 40: 1.0, 60: 0.0}),
            (Reach.ONWARD, {39: 0.0, 40: 1.0, 79: 1.0}),
            (Reach.SIGHTING, {0: 1.0, 79: 1.0}),
            (Reach.ALL, {0: 1.0}),
        ):
            project = self.keyed(Mosaic(8, rounded=1.0), reach)
            for frame, rounded in told.items():
                self.assertEqual(self.covers(project, frame)[0].rounded, rounded, f"{reach} {frame}")

    def test_keys_wait_while_another_kind_covers(self):
        project = self.keyed(Mosaic(8, rounded=1.0), Reach.KEYFRAME)
        other = levels.set_style_at(project, self.key, "c1", 40, Style.of(Blur(0.2)), Reach.ALL)
        self.assertEqual(self.covers(other, 40), (Blur(0.2),))
        back = levels.set_style_at(other, self.key, "c1", 40, Style.of(Mosaic(8), 0.1, 0.1), Reach.ALL)
        self.assertEqual(self.covers(back, 40)[0].rounded, 1.0)

    def test_a_change_of_the_whole_sighting_leaves_what_keys_say_beside_it(self):
        project = self.keyed(
            Mosaic(8, rounded=1.0), Reach.KEYFRAME, 60, self.keyed(Mosaic(8, rounded=0.2), Reach.KEYFRAME, 20)
        )
        changed = self.keyed(replace(self.covers(project, 20)[0], tall=2.0), Reach.SIGHTING, 20, project)
        for frame in (20, 60):
            self.assertEqual(
                (self.covers(changed, frame)[0].tall, self.covers(changed, frame)[0].rounded),
                (2.0, self.covers(project, frame)[0].rounded),
            )
        coarser = self.keyed(Mosaic(4, rounded=0.2), Reach.SIGHTING, 20, project)
        self.assertEqual([c[0].blocks for c in (self.covers(coarser, 20), self.covers(coarser, 60))], [4, 4])
        self.assertEqual(self.covers(coarser, 60)[0].rounded, 1.0)
