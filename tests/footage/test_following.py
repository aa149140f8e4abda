"""Following through a real film: the path becomes evidence, what was placed stays, and nothing that was covered is less
so."""

import csv

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.follow.step import Why
from skiagraph.footage.adding import add_clip
from skiagraph.footage.following import Direction, FollowedOutline, end_sentences, follow_outline
from skiagraph.footage.scanning import take_in
from skiagraph.project import file, outlines, presence
from skiagraph.project.decisions import ThingSubject
from skiagraph.project.layers import matte
from skiagraph.project.listing import COLUMNS, write_tracks
from skiagraph.project.model import Outline, Project, Reach
from skiagraph.project.rows import outline_at, outline_rows
from skiagraph.review.findings import findings
from skiagraph.shape.shape import Shape
from skiagraph.track.results import FaceTable, ScanResult
from tests.follow.test_follower import SIZE, Scene, texture
from tests.support import TemporaryFolder, head_path, make_clip, opened, with_people

BOX = Shape.kinds["box"]()


class FollowingTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.scene = Scene(lambda n: (120 + 6 * n, 180 + 20 * np.sin(n / 9), 1, 0))
        clip = make_clip(
            self.folder / "quay.mp4",
            60,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(self.scene.frame(n)[..., None], 3, axis=2),
        )
        self.project = add_clip(Project(), *opened(clip))

    def outline(self, n):
        return Outline(self.scene.truth(n), BOX)

    def followed(self, frame=20, **how):
        project, key = outlines.add_subject(self.project, "c1", frame, self.outline(frame), ThingSubject())
        found = follow_outline(project, "c1", frame, self.outline(frame), **how)
        return outlines.rest_on_followed(project, key, "c1", frame, found.path, "turning"), key, found

    def away(self, project, key, n):
        (sighting,) = project.subject(key).sightings
        place, truth = outline_at(project, sighting, n).place, self.scene.truth(n)
        return float(np.hypot(place.cx - truth.cx, place.cy - truth.cy))

    def test_both_ways_through_the_whole_clip(self):
        project, key, found = self.followed()
        self.assertEqual(
            ([why for _, why, _ in found.ends], found.path.first, found.path.last), ([Why.END, Why.END], 0, 59)
        )
        self.assertLess(max(self.away(project, key, n) for n in range(60)), 1.0)
        self.assertEqual(
            (project.subject(key).name, project.subject(key).is_covered, project.subject(key).sightings[0].shape),
            ("Thing 1", True, BOX),
        )
        place = self.folder / "p.skiagraph"
        file.save(project, place)
        self.assertEqual(file.load(place), project)

    def test_where_it_was_placed_in_the_middle_is_a_look_of_its_own_and_both_sides_meet(self):
        project, key, _ = self.followed()
        placed = Outline.at(self.scene.truth(40).cx + 1.5, self.scene.truth(40).cy, 92, 64, shape=BOX)
        project = outlines.move_outline(project, key, "c1", 40, placed, Reach.FRAME)
        (sighting,) = project.subject(key).sightings
        found = follow_outline(project, "c1", 20, outline_at(project, sighting, 20), subject=key)
        self.assertEqual((found.path.first, found.path.last, len(found.ends)), (0, 59, 2))
        np.testing.assert_allclose(found.path.rows()[40, :2], (placed.cx, placed.cy), atol=0.02)
        # The look at 40 is a little off; the nearer it is the more it counts.
        off = [found.path.cx[n] - self.scene.truth(n).cx for n in (22, 30, 38, 55)]
        self.assertTrue(abs(off[0]) < 0.5 < off[2] < 2.0 and off[0] < off[1] < off[2] and off[3] > 1, off)
        after = outlines.rest_on_followed(project, key, "c1", 20, found.path)
        self.assertAlmostEqual(outline_at(after, after.subject(key).sightings[0], 40).cx, placed.cx, delta=0.05)

    def test_what_is_in_front_is_not_looked_at(self):
        """A bar that moves with something else: with it in front the path is as without."""

        def bar(n, picture):
            x = int(self.scene.truth(n).cx + 60 - 3 * n)
            picture[:, max(0, x) : max(0, x + 24)] = 250

        scene = Scene(lambda n: (120 + 6 * n, 180, 1, 0), over=bar)
        self.scene = Scene(lambda n: (120 + 6 * n, 180, 1, 0))
        clip = make_clip(
            self.folder / "bar.mp4",
            40,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(scene.frame(n)[..., None], 3, axis=2),
        )
        project = add_clip(Project(), *opened(clip))
        project, key = outlines.add_subject(project, "c1", 0, self.outline(0), ThingSubject())
        truth = self.scene.truth
        project, front = outlines.add_holdout(
            project, "c1", 0, Outline.at(truth(0).cx + 72, 180, 30, 500, shape=BOX), [key]
        )
        for n in (10, 20, 30, 39):
            project = outlines.move_outline(
                project, front, "c1", n, Outline.at(truth(n).cx + 72 - 3 * n, 180, 30, 500, shape=BOX), Reach.FRAME
            )
            project = presence.extend_sighting(project, front, "c1", 0)
        found = follow_outline(project, "c1", 0, self.outline(0), subject=key)
        self.assertEqual(found.path.last, 39)
        self.assertLess(max(abs(found.path.cx[n] - truth(n).cx) for n in range(40)), 1.0)

    def test_one_way_and_between_marks(self):
        _, _, found = self.followed(direction=Direction.ON, last=40)
        self.assertEqual((found.path.first, found.path.last), (20, 40))
        _, _, found = self.followed(direction=Direction.BACK, first=5)
        self.assertEqual((found.path.first, found.path.last), (5, 20))

    def test_what_was_placed_stays_when_it_is_followed_again(self):
        project, key = outlines.add_subject(self.project, "c1", 20, self.outline(20), ThingSubject())
        wanted = Outline.at(260, 150, 100, 70, 5, shape=BOX)
        project = outlines.move_outline(project, key, "c1", 30, wanted, Reach.KEYFRAME)
        (before,) = project.subject(key).sightings
        for _ in range(2):
            found = follow_outline(project, "c1", 20, self.outline(20), Direction.ON)
            project = outlines.rest_on_followed(project, key, "c1", 20, found.path)
            (sighting,) = project.subject(key).sightings
            np.testing.assert_allclose(outline_at(project, sighting, 30).place.row(), wanted.place.row(), atol=0.02)
            self.assertLessEqual(sighting.first, before.first)
            self.assertGreaterEqual(sighting.last, before.last)
        self.assertEqual(sighting.marks(), (30,))

    def test_where_it_is_lost_the_cover_stays_as_far_as_it_was(self):
        project, key = outlines.add_subject(self.project, "c1", 20, self.outline(20), ThingSubject())
        (before,) = project.subject(key).sightings
        found = follow_outline(project, "c1", 20, self.outline(20), Direction.ON, last=24)
        (after,) = outlines.rest_on_followed(project, key, "c1", 20, found.path).subject(key).sightings
        self.assertEqual((after.first, after.last), (before.first, before.last))

    def test_following_somebody_whom_a_scan_found_leaves_nothing_less_covered(self):
        seen = with_people(self.project, head_path(0, 60, cx=120, cy=180, width=90, height=64, step=(6, 0)))
        seen = outlines.move_outline(seen, "s1", "c1", 50, Outline.at(440, 190, 120, 90), Reach.SIGHTING)
        before = [matte(seen, "c1", n) for n in range(60)]
        (sighting,) = seen.subject("s1").sightings
        value = seen
        for frame in (20, 30):
            found = follow_outline(value, "c1", frame, outline_at(value, sighting, frame), Direction.ON)
            value = outlines.rest_on_followed(value, "s1", "c1", frame, found.path)
        self.assertEqual(len(value.subject("s1").sightings), 2, "followed again, it is the one beside that goes on")
        self.assertIn(sighting, value.subject("s1").sightings)
        for n in range(60):
            self.assertTrue((matte(value, "c1", n) >= before[n]).all(), n)

    def test_what_was_made_larger_by_hand_stays_so_where_it_is_not_followed_again(self):
        project, key, _ = self.followed()
        for reach in (Reach.SIGHTING, Reach.KEYFRAME):
            place = self.outline(30).place
            larger = outlines.move_outline(
                project, key, "c1", 30, Outline.at(place.cx, place.cy, 150, 110, shape=BOX), reach
            )
            before = [matte(larger, "c1", n) for n in range(60)]
            (sighting,) = larger.subject(key).sightings
            found = follow_outline(larger, "c1", 30, outline_at(larger, sighting, 30), Direction.ON)
            value = outlines.rest_on_followed(larger, key, "c1", 30, found.path)
            for n in range(30):
                self.assertTrue((matte(value, "c1", n) >= before[n]).all(), (reach, n))

    def test_a_scan_afterwards_leaves_what_was_followed_covered(self):
        project, key, _ = self.followed()
        before = [matte(project, "c1", n) for n in range(0, 60, 7)]
        scanned = take_in(project, "c1", ScanResult((), FaceTable.none(), (), 60), 1)
        for n, was in zip(range(0, 60, 7), before):
            self.assertTrue((matte(scanned, "c1", n) >= was).all(), n)

    def test_nothing_to_hold_on_to_is_said(self):
        clip = make_clip(
            self.folder / "wall.mp4", 10, size=SIZE, draw=lambda n, w, h: np.full((h, w, 3), 120, np.uint8)
        )
        project = add_clip(Project(), *opened(clip))
        with self.assertRaises(EditRefused) as caught:
            follow_outline(project, "c1", 2, Outline.at(200, 200, 80, 60))
        self.assertSentence(str(caught.exception), "edge")
        found = FollowedOutline(
            head_path(0, 8), ((Direction.ON, Why.HIDDEN, 7), (Direction.BACK, Why.END, 0)), (head_path(12, 5),), (14,)
        )
        self.assertEqual(
            end_sentences(project, "c1", "Plate", found),
            ["Plate was lost sight of at 00:00:00:07.", "It was found again at 00:00:00:14."],
        )

    def test_what_was_hidden_for_long_is_found_again_and_covered_in_between(self):
        """It may come out of its hiding before it is known again: nothing is left bare there, and it is a finding."""

        def wall(n, picture):
            if 20 <= n < 60:
                picture[100:260] = texture(9, SIZE[0], 160)

        hidden, self.scene = (
            Scene(lambda n: (120 + 3 * n, 180, 1, 0), over=wall),
            Scene(lambda n: (120 + 3 * n, 180, 1, 0)),
        )
        clip = make_clip(
            self.folder / "wall.mp4",
            90,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(hidden.frame(n)[..., None], 3, axis=2),
        )
        project = add_clip(Project(), *opened(clip))
        project, key = outlines.add_subject(project, "c1", 2, self.outline(2), ThingSubject())
        found = follow_outline(project, "c1", 2, self.outline(2), subject=key)
        self.assertEqual((found.path.first, found.path.last, found.again, len(found.back)), (0, 89, (), 1))
        project = outlines.rest_on_followed(project, key, "c1", 2, found.path)
        self.assertTrue(all(matte(project, "c1", n).any() for n in range(90)))
        self.assertIn("unsure", [f.reason for f in findings(project)])

    def test_what_leaves_and_comes_back_is_found_again(self):
        def x(n):
            return 500 + 9 * n if n < 40 else 1130 - 9 * (n - 40)

        self.scene = Scene(lambda n: (x(n), 180, 1, 0))
        clip = make_clip(
            self.folder / "back.mp4",
            120,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(self.scene.frame(n)[..., None], 3, axis=2),
        )
        project = add_clip(Project(), *opened(clip))
        project, key = outlines.add_subject(project, "c1", 2, self.outline(2), ThingSubject())
        found = follow_outline(project, "c1", 2, self.outline(2), subject=key)
        (again,) = found.again
        self.assertTrue(found.path.last < 20 and 70 < again.first < 100 and again.last == 119, (found.path, again))
        project = outlines.also_seen(
            outlines.rest_on_followed(project, key, "c1", 2, found.path), key, "c1", 2, found.again
        )
        sightings = project.subject(key).sightings
        self.assertEqual(len(sightings), 2)
        for n in range(again.first + 3, 120):
            self.assertLess(abs(outline_at(project, sightings[1], n).cx - x(n)), 3, n)
        self.assertFalse(matte(project, "c1", 50).any(), "away it has no cover")

    def test_rows_for_other_programs(self):
        project, key, _ = self.followed()
        self.assertEqual(write_tracks(project, self.folder / "t.csv"), 60)
        with open(self.folder / "t.csv", newline="") as opened_file:
            rows = list(csv.DictReader(opened_file))
        self.assertEqual(tuple(rows[0]), COLUMNS)
        table = outline_rows(project, project.subject(key).sightings[0])
        self.assertEqual(
            [(r["subject"], r["clip"], int(r["frame"])) for r in rows], [(key, "quay.mp4", n) for n in range(60)]
        )
        np.testing.assert_allclose([float(r["cx"]) for r in rows], table[:, 0], atol=0.01)
        self.assertEqual((rows[20]["origin"], rows[3]["origin"]), ("placed", "followed"))
