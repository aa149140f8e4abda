"""What is copied is the same elsewhere, and nothing that was there goes."""

import unittest

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project import outlines, presence
from skiagraph.project.copying import copied_keyframes, copied_sighting, with_keyframes, with_sighting
from skiagraph.project.layers import matte
from skiagraph.project.model import Outline, Reach
from skiagraph.project.rows import outline_at
from skiagraph.review.way import last_seen, stops, way_of
from tests.project.worlds import world


class CopyingTest(unittest.TestCase):
    def setUp(self):
        project, key = outlines.add_subject(world(2), "c1", 20, Outline.at(100, 100, 60, 60))
        project = presence.extend_sighting(project, key, "c1", 20)
        for frame, x in ((10, 100), (20, 160), (30, 130)):
            project = outlines.move_outline(project, key, "c1", frame, Outline.at(x, 100, 60, 60), Reach.KEYFRAME)
        self.project, self.key = project, key

    def x(self, project, frame, key=None):
        sighting = presence.sighting_at(project.subject(key or self.key), "c1", frame)
        return round(outline_at(project, sighting, frame).cx, 3)

    def test_keyframes_to_other_frames(self):
        copied = copied_keyframes(self.project, self.key, "c1", 10, 30)
        self.assertEqual(len(copied), 3)
        project = with_keyframes(self.project, self.key, "c1", 50, copied)
        self.assertEqual([self.x(project, n) for n in (10, 20, 30, 50, 60, 70)], [100, 160, 130, 100, 160, 130])
        self.assertEqual(project.subject(self.key).sightings[0].marks(), (10, 20, 30, 50, 60, 70))
        with self.assertRaises(EditRefused):
            copied_keyframes(self.project, self.key, "c1", 40, 60)

    def test_a_sighting_to_somebody_else_and_to_another_clip(self):
        copied = copied_sighting(self.project, self.key, "c1", 20)
        project, other = outlines.add_subject(self.project, "c1", 5, Outline.at(300, 60, 30, 30))
        project = with_sighting(project, other, "c1", 40, copied)
        self.assertEqual([self.x(project, n, self.key) for n in (10, 20, 30)], [100, 160, 130])
        placed = [s for s in project.subject(other).sightings if len(s.tracks)]
        self.assertAlmostEqual(outline_at(project, placed[0], 20).cx, 160, delta=0.02)
        self.assertTrue((matte(project, "c1", 5) >= matte(self.project, "c1", 5)).all())
        elsewhere = with_sighting(project, other, "c2", 40, copied)
        (there,) = elsewhere.subject(other).in_clip("c2")
        self.assertEqual((there.first, there.last), (40, 79))
        np.testing.assert_allclose(outline_at(elsewhere, there, 60).cx, 160, atol=0.05)

    def test_the_way_and_the_last_place(self):
        (sighting,) = self.project.subject(self.key).sightings
        way = way_of(self.project, sighting, 20)
        self.assertIn((20, 160.0, 100.0), [(n, round(x, 6), round(y, 6)) for n, x, y in way])
        self.assertTrue(all(b[0] - a[0] == 1 for a, b in zip(way, way[1:])))
        trimmed = presence.trim_sighting(self.project, self.key, "c1", 20, 8, 31)
        subject = trimmed.subject(self.key)
        self.assertEqual([last_seen(trimmed, subject, "c1", n)[0] for n in (50, 2)], [31, 8])
        self.assertIsNone(last_seen(trimmed, subject, "c2", 2))
        self.assertEqual(stops(trimmed, subject, "c1"), [8, 31])
