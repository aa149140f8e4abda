"""What is in front stays as it is, only where it lies, only before whom it lies; and it lays nobody open in silence."""

import unittest

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.errors import EditRefused
from skiagraph.footage.scanning import take_in
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import cast, edits, file, outlines, presence
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Cover, Decision, HoldoutSubject, Outline, Style
from skiagraph.project.rows import fronts_of
from skiagraph.review.finding import Reason
from skiagraph.review.findings import findings
from skiagraph.shape.shape import Shape
from skiagraph.track.results import FaceTable
from tests.project.worlds import SIZE, scan_of, world
from tests.support import TemporaryFolder, make_clip

BOX = Shape.kinds["box"]()


def covered_and_held(of=None):
    """A box that covers 100 .. 300 and something in front of its right half, in frame 10."""
    project, thing = outlines.add_subject(world(), "c1", 10, Outline.at(200, 100, 200, 80, shape=BOX))
    return (*outlines.add_holdout(project, "c1", 10, Outline.at(250, 100, 60, 60, shape=BOX), of), thing)


class InFrontTest(unittest.TestCase):
    def test_the_matte_has_no_cover_where_something_is_in_front(self):
        project, holdout, thing = covered_and_held()
        white = matte(project, "c1", 10)
        self.assertEqual((white[100, 150], white[100, 250], white[100, 215]), (255, 0, 255))
        self.assertEqual(
            (project.subject(holdout).name, project.subject(holdout).is_covered, project.subject(holdout).is_in_front),
            ("In front 1", False, True),
        )
        off = cast.decide(project, [holdout], Decision.SHOW)
        self.assertEqual(matte(off, "c1", 10)[100, 250], 255, "switched off it holds nothing")

    def test_only_before_whom_it_is(self):
        project, holdout, thing = covered_and_held([])
        self.assertEqual(matte(project, "c1", 10)[100, 250], 255)
        project = outlines.set_holdout(project, holdout, HoldoutSubject(False, (thing,), 0.1))
        self.assertEqual(matte(project, "c1", 10)[100, 250], 0)
        gone = edits.remove_subjects(project, [thing])
        gone, other = outlines.add_subject(gone, "c1", 10, Outline.at(200, 100, 200, 80, shape=BOX))
        self.assertEqual(
            matte(gone, "c1", 10)[100, 250], 255, "it is not in front of somebody else because somebody is gone"
        )

    def test_people_who_become_one_are_not_uncovered_by_what_was_before_one_of_them(self):
        project, holdout, thing = covered_and_held([])
        project = outlines.set_holdout(project, holdout, HoldoutSubject(False, (thing,)))
        project, other = outlines.add_subject(project, "c1", 60, Outline.at(200, 100, 200, 80, shape=BOX))
        merged = cast.merge_subjects(project, thing, [other])
        self.assertEqual(merged.subject(holdout).of.subjects, ())
        with self.assertRaises(EditRefused):
            cast.merge_subjects(project, thing, [holdout])

    def test_nothing_is_in_front_of_what_is_in_front(self):
        project, holdout, thing = covered_and_held()
        self.assertEqual(fronts_of(project, project.subject(holdout), "c1", 10), [])
        self.assertEqual([h.key for h, _ in fronts_of(project, project.subject(thing), "c1", 10)], [holdout])

    def test_its_edge_goes_inwards(self):
        project, holdout, thing = covered_and_held()
        soft = outlines.set_holdout(project, holdout, HoldoutSubject(True, (), 0.5))
        hard, wide = matte(project, "c1", 10), matte(soft, "c1", 10)
        self.assertTrue((wide >= hard).all() and wide.sum() > hard.sum())

    def test_scans_decisions_for_all_and_the_file_leave_it_alone(self):
        project, holdout, thing = covered_and_held()
        before = project.subject(holdout)
        project = take_in(project, "c1", scan_of([(1, 0, 79, 0.0), (2, 0, 79, 0.0)]), 1)
        self.assertEqual(project.subject(holdout), before)
        for changed in (cast.cover_all(project), cast.invert(project), cast.show_all_but(project, [thing])):
            self.assertEqual(changed.subject(holdout), before)

    def test_a_face_that_lies_in_it_is_a_finding(self):
        project = world()
        seen = scan_of([(1, 0, 79, 0.0)])
        n = np.arange(0, 80, 4)
        centre = np.stack([130 + 0.3 * n, 92 + 20 * np.sin(n / 15 + 1)], axis=1)
        faces = FaceTable(
            n.astype(np.int32), np.hstack([centre - 14, centre + 14]).astype(np.int16), np.full(len(n), 90, np.uint8)
        )
        project = take_in(project, "c1", replace_faces(seen, faces), 1)
        project = cast.cover_all(project)
        self.assertNotIn(Reason.LAID_OPEN, [f.reason for f in findings(project)])
        beside, _ = outlines.add_holdout(project, "c1", 20, Outline.at(300, 150, 60, 60))
        self.assertNotIn(Reason.LAID_OPEN, [f.reason for f in findings(beside)])
        on_it, key = outlines.add_holdout(project, "c1", 20, Outline.at(136, 110, 70, 70))
        (found,) = [f for f in findings(on_it) if f.reason == Reason.LAID_OPEN]
        self.assertEqual((found.subject, found.is_exposing), (project.subjects[0].key, True))
        self.assertGreater(found.worst, 0.5)


def replace_faces(result, faces):
    import dataclasses

    return dataclasses.replace(result, faces=faces)


class NoRimTest(TemporaryFolder):
    def test_covers_do_not_take_in_the_colour_of_what_is_in_front(self):
        """A white hand before a dark face: the cover around the hand is as dark as without it, and the hand is as it
        was."""

        def draw(n, width, height):
            picture = np.full((height, width, 3), 40, np.uint8)
            picture[:, 100:140] = 240
            return picture

        path = make_clip(self.folder / "a.mkv", 1, size=SIZE, encoder="ffv1", pixel_format="yuv420p", draw=draw)
        with FrameReader(*open_clip(path)) as reader:
            frame = reader.read(0)
        project, thing = outlines.add_subject(world(), "c1", 0, Outline.at(120, 100, 160, 120, shape=BOX))
        project, _ = outlines.add_holdout(project, "c1", 0, Outline.at(120, 100, 40, 200, shape=BOX))
        for kind in ("blur", "mosaic", "dissolve", "haze"):
            with self.subTest(kind=kind):
                styled = project.deciding(style=Style.of(Cover.kinds[kind](), 0, 0))
                made = with_layers(frame, layers(styled, "c1", 0)).planes()[0]
                source = frame.planes()[0]
                np.testing.assert_array_equal(made[60:140, 103:137], source[60:140, 103:137])
                around = made[80:120, 60:99].astype(int)
                # Haze is pale by itself, everywhere alike.
                self.assertLess(
                    np.ptp(around) if kind == "haze" else np.abs(around - source[80:120, 60:99]).max(),
                    6,
                    "no light rim",
                )

    def test_a_dissolve_beside_what_is_in_front_still_holds_nothing_of_what_is_inside(self):
        """The face beside a hand is changed: nothing of that is seen, also where the hand cuts a way into the head."""
        project, thing = outlines.add_subject(world(), "c1", 0, Outline.at(120, 100, 160, 120, shape=BOX))
        project, _ = outlines.add_holdout(project, "c1", 0, Outline.at(120, 100, 40, 100, shape=BOX))
        project = project.deciding(style=Style.of(Cover.kinds["dissolve"](), 0, 0.1))
        inside = np.zeros(SIZE[::-1], bool)
        inside[44:156, 44:196] = True
        inside[48:152, 98:142] = False
        for fields in ("", "top"):
            shown = []
            for face in (30, 220):

                def draw(n, width, height):
                    picture = np.full((height, width, 3), 128, np.uint8)
                    picture[inside] = face
                    return picture

                path = make_clip(
                    self.folder / f"{face}{fields}.mkv",
                    1,
                    size=SIZE,
                    encoder="ffv1",
                    pixel_format="yuv420p",
                    draw=draw,
                    fields=fields,
                )
                with FrameReader(*open_clip(path)) as reader:
                    frame = reader.read(0)
                shown.append(with_layers(frame, layers(project, "c1", 0)).planes()[0].astype(int))
            self.assertLessEqual(np.abs(shown[0] - shown[1])[inside].max(), 3)


class SightingsTest(unittest.TestCase):
    def test_split_and_join_move_nothing(self):
        project, key = outlines.add_subject(world(), "c1", 20, Outline.at(100, 100, 60, 60))
        project = presence.extend_sighting(project, key, "c1", 20)
        project = outlines.move_outline(project, key, "c1", 50, Outline.at(300, 100, 60, 60), outlines.Reach.KEYFRAME)
        before = [matte(project, "c1", n) for n in range(0, 80, 3)]
        parted = presence.split_sighting(project, key, "c1", 40)
        self.assertEqual([(s.first, s.last) for s in parted.subject(key).sightings], [(0, 39), (40, 79)])
        joined = presence.join_sightings(parted, key, "c1", 10)
        self.assertEqual([(s.first, s.last) for s in joined.subject(key).sightings], [(0, 79)])
        for value in (parted, joined):
            for n, white in zip(range(0, 80, 3), before):
                np.testing.assert_array_equal(matte(value, "c1", n), white)

    def again(self):
        """Seen until frame 32, and placed again at 60, elsewhere."""
        project, key = outlines.add_subject(world(), "c1", 20, Outline.at(100, 100, 60, 60))
        project = presence.trim_sighting(project, key, "c1", 20, 8, 32)
        return outlines.place_again(project, key, "c1", 60, Outline.at(300, 100, 60, 60)), key

    def test_placed_again_what_lies_between_is_bridged_and_a_finding(self):
        project, key = self.again()
        (sighting,) = project.subject(key).sightings
        self.assertEqual((sighting.first, sighting.last), (8, 79))
        white = [np.flatnonzero(matte(project, "c1", n).any(axis=0)).mean() for n in (30, 46, 60)]
        self.assertTrue(abs(white[0] - 100) < 2 < white[1] - 100 and abs(white[2] - 300) < 2, white)
        self.assertIn("unsure", [f.reason for f in findings(project) if f.subject == key])

    def test_or_declared_absent(self):
        project, key = self.again()
        project = presence.trim_sighting(project, key, "c1", 20, 8, 79)
        away = presence.declare_absent(project, key, "c1", 40)
        self.assertEqual([(s.first, s.last) for s in away.subject(key).sightings], [(8, 32), (60, 79)])
        self.assertFalse(matte(away, "c1", 40).any())
        self.assertNotIn("gap", [f.reason for f in findings(away)])
        with self.assertRaisesRegex(EditRefused, "is seen at this frame"):
            presence.declare_absent(project, key, "c1", 20)

    def test_a_gap_that_is_an_absence_is_no_finding(self):
        project, key = outlines.add_subject(world(), "c1", 20, Outline.at(200, 100, 60, 60))
        project = presence.trim_sighting(project, key, "c1", 20, 5, 25)
        project = outlines.move_outline(project, key, "c1", 65, Outline.at(200, 100, 60, 60), outlines.Reach.FRAME)
        self.assertIn("gap", [f.reason for f in findings(project)])
        away = presence.declare_absent(project, key, "c1", 35)
        self.assertNotIn("gap", [f.reason for f in findings(away)])
        self.assertNotIn("ends-inside", [(f.reason) for f in findings(away) if f.at < 60])


class FormsTest(unittest.TestCase):
    def setUp(self):
        project, key = outlines.add_subject(world(), "c1", 20, Outline.at(100, 100, 60, 60))
        self.project, self.key = (
            outlines.set_shape_kind(presence.extend_sighting(project, key, "c1", 20), key, "c1", 20, "curve"),
            key,
        )

    def shape(self, project, frame):
        return project.subject(self.key).sightings[0].shape_at(frame)

    def wider(self, project, frame, reach, by=1.0):
        from skiagraph.shape.pointed import with_point_moved

        return outlines.set_shape(
            project, self.key, "c1", frame, with_point_moved(self.shape(project, frame), [0], by, 0), reach
        )

    def u(self, project, frame):
        return self.shape(project, frame).points()[0].u - self.shape(self.project, 0).points()[0].u

    def test_the_reach_of_points(self):
        R = outlines.Reach
        for reach, told in (
            (R.SIGHTING, {0: 1, 30: 1, 79: 1}),
            (R.FRAME, {20: 0, 30: 1, 26: 0.5, 60: 0}),
            (R.ONWARD, {29: 0, 30: 1, 79: 1}),
        ):
            with self.subTest(reach=reach):
                project = self.wider(self.project, 30, reach)
                for frame, u in told.items():
                    self.assertAlmostEqual(self.u(project, frame), u, places=6, msg=str(frame))
        keyed = self.wider(self.wider(self.project, 20, R.KEYFRAME), 40, R.KEYFRAME, 1.0)
        self.assertAlmostEqual(self.u(keyed, 30), 1.5)
        self.assertEqual(keyed.subject(self.key).sightings[0].marks(), (20, 40))
        whole = self.wider(keyed, 30, R.SIGHTING, 0.5)
        self.assertAlmostEqual(self.u(whole, 40), 2.5, msg="changing the whole keeps what single keyframes said")

    def test_they_are_moved_and_removed_with_their_keyframes(self):
        keyed = self.wider(self.wider(self.project, 20, outlines.Reach.KEYFRAME), 40, outlines.Reach.KEYFRAME)
        self.assertEqual(
            outlines.move_keyframe(keyed, self.key, "c1", 40, 50).subject(self.key).sightings[0].marks(), (20, 50)
        )
        one = outlines.remove_keyframe(keyed, self.key, "c1", 20)
        self.assertAlmostEqual(self.u(one, 0), 2.0)
        none = outlines.remove_keyframes(keyed, self.key, "c1", 0, 79)
        self.assertEqual(none.subject(self.key).sightings[0].marks(), ())
        import pathlib
        import tempfile

        with tempfile.TemporaryDirectory() as folder:
            file.save(keyed, pathlib.Path(folder) / "p.skiagraph")
            self.assertEqual(file.load(pathlib.Path(folder) / "p.skiagraph").decisions, keyed.decisions)

    def test_a_correction_over_a_stretch(self):
        from skiagraph.project.rows import outline_at
        from skiagraph.shape.change import Change

        project = outlines.repeat_change(self.project, self.key, "c1", 30, 50, Change(dx=0.5))
        (sighting,) = project.subject(self.key).sightings
        self.assertEqual(
            [round(outline_at(project, sighting, n).cx) for n in (0, 29, 30, 40, 50, 51, 79)],
            [100, 100, 130, 130, 130, 100, 100],
        )


class MarkersTest(unittest.TestCase):
    def test_markers(self):
        project = edits.set_marker(edits.set_marker(world(2), "c2", 5, "later"), "c1", 30, "  the  clerk looks up ")
        self.assertEqual(
            [(m.clip, m.frame, m.name) for m in project.decisions.markers],
            [("c1", 30, "the clerk looks up"), ("c2", 5, "later")],
        )
        moved = edits.move_marker(project, "c1", 30, 500)
        self.assertEqual(moved.decisions.markers[0].frame, 79)
        self.assertEqual(len(edits.set_marker(moved, "c1", 79, "").decisions.markers), 1)
        self.assertEqual(len(edits.remove_clip(project, "c2").decisions.markers), 1)
        with self.assertRaises(EditRefused):
            edits.set_marker(project, "c1", 4, "")
