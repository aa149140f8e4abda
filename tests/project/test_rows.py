"""Rows of sightings: tracks, changes, keyframes and repairs together; growth follows speed and doubt."""

import unittest

import numpy as np

from skiagraph.cover.cover import default_style
from skiagraph.project.model import (
    Change,
    Evidence,
    FromScan,
    Keyframe,
    Project,
    Repair,
    Sighting,
    Similarity,
    Style,
    Track,
    replace,
)
from skiagraph.project.rows import GROW, cover_outline, outline_at, outline_rows, rows_at
from skiagraph.track.path import PLACED
from tests.support import head_path

STYLE = default_style()


def on(*paths, **more):
    """A project with only a sighting on tracks of these paths, and the sighting."""
    tracks = tuple(Track(f"t{n}", "c1", p, FromScan("n1")) for n, p in enumerate(paths, 1))
    first, last = min(p.first for p in paths), max(p.last for p in paths)
    sighting = Sighting("g1", "c1", **{"first": first, "last": last, "tracks": tuple(t.key for t in tracks), **more})
    return Project(evidence=Evidence(tracks=tracks)), sighting


class RowsTest(unittest.TestCase):
    def test_outside_the_sighting_there_is_none(self):
        project, s = on(head_path(10, 20))
        self.assertIsNone(outline_at(project, s, 9))
        self.assertIsNone(outline_at(project, s, 30))
        self.assertIsNone(cover_outline(project, s, 9, STYLE))

    def test_past_the_path_it_stays_where_the_path_ended(self):
        project, s = on(head_path(10, 20, step=(2, 0)), first=0, last=60)
        self.assertEqual(outline_at(project, s, 0).cx, outline_at(project, s, 10).cx)
        self.assertEqual(outline_at(project, s, 60).cx, outline_at(project, s, 29).cx)

    def test_a_repair_is_whole_there_and_gone_after_its_ease(self):
        project, s = on(head_path(0, 60), repairs=(Repair(30, Change(dx=0.5, width=2.0), 6, 12),))
        for frame, width in ((30, 60), (24, 30), (42, 30)):
            self.assertAlmostEqual(outline_at(project, s, frame).width, width, places=4)
        self.assertEqual((outline_at(project, s, 30).confidence, outline_at(project, s, 30).origin), (1.0, PLACED))
        self.assertTrue(30 < outline_at(project, s, 36).width < 60)

    def test_keyframes_stay_before_the_first_and_after_the_last(self):
        project, s = on(head_path(0, 80), keyframes=(Keyframe(20, Change(dx=0.5)), Keyframe(60, Change(dx=-0.5))))
        at = [outline_at(project, s, f).cx - 80 for f in (0, 20, 40, 60, 79)]
        np.testing.assert_allclose(at, [15, 15, 0, -15, -15], atol=1e-4)

    def test_of_several_tracks_the_earlier_in_order_counts_and_gaps_are_unsure(self):
        project, s = on(head_path(10, 10, cx=50), head_path(0, 40, cx=20))
        self.assertEqual([outline_at(project, s, f).cx for f in (5, 15, 30)], [20, 50, 20])
        project, s = on(head_path(0, 10, cx=20), head_path(20, 10, cx=40))
        between = outline_at(project, s, 15)
        self.assertTrue(20 < between.cx < 40 and between.confidence == 0)

    def test_placed_without_a_track_it_is_where_it_was_put(self):
        s = Sighting("g1", "c1", 5, 25, base=Similarity(30, 40, 20, 24, 10))
        outline = outline_at(Project(), s, 15)
        self.assertEqual(
            (outline.cx, outline.cy, outline.width, outline.angle, outline.origin), (30, 40, 20, 10, PLACED)
        )

    def test_growth_only_ever_adds(self):
        rng = np.random.default_rng(4)
        for _ in range(20):
            project, s = on(head_path(0, 30, step=tuple(rng.normal(0, 6, 2)), confidence=float(rng.uniform(0.05, 1))))
            self.assertTrue((outline_rows(project, s)[:, GROW] >= 0).all())
            self.assertGreaterEqual(
                cover_outline(project, s, 10, replace(STYLE, margin=0.1)).width,
                outline_at(project, s, 10).width * 1.1 - 1e-6,
            )

    def test_single_frames_and_whole_tables_agree(self):
        rng = np.random.default_rng(8)
        path = head_path(3, 50, step=(1.5, -0.7), confidence=0.6)
        project, s = on(
            path,
            first=0,
            last=60,
            whole=Change(0.1, 0, 1.2, 1, 3),
            keyframes=(Keyframe(9, Change(0.2)), Keyframe(30, Change(0, 0.3, 1.5, 1, 40))),
            repairs=(Repair(20, Change(0.1, 0.1)),),
        )
        rows = outline_rows(project, s)
        for frame in rng.integers(0, 61, 20):
            np.testing.assert_allclose(rows_at(project, s, int(frame), int(frame))[0], rows[frame], atol=1e-9)
        with self.assertRaises(ValueError):
            rows[0, 0] = 1

    def test_tables_are_not_kept_for_ever(self):
        from skiagraph.project import rows

        project, s = on(head_path(0, 4000))
        before = len(rows._TABLES)
        for n in range(200):
            outline_rows(project, replace(s, whole=Change(dx=n / 100)))
        self.assertLessEqual(len(rows._TABLES), before + 1, "a trial that is gone leaves nothing")
        kept = [replace(s, whole=Change(dx=n / 100)) for n in range(600)]
        for one in kept:
            outline_rows(project, one)
        self.assertLess(rows._TABLES.held_bytes, 100 << 20)


class StyleTest(unittest.TestCase):
    def test_a_style_has_at_least_one_cover(self):
        import msgspec

        from skiagraph.values import read

        with self.assertRaises(msgspec.ValidationError):
            read({"covers": []}, Style)
