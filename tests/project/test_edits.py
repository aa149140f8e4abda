"""Edits are pure, keep hand work through a new scan, and apply as far as reach says."""

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.project import cast, edits, outlines, presence
from skiagraph.project.history import History
from skiagraph.project.model import Decision, Outline, Project, Reach
from skiagraph.project.rows import outline_at
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.support import TemporaryFolder, head_path, make_clip, project_on


class EditTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)
        self.project = project_on(self.clip, head_path(0, 60, cx=40, step=(1, 0)))

    def at(self, project, frame):
        return outline_at(project, project.subject("s1").sightings[0], frame)

    def moved(self, reach, dx=10.0, frame=30, project=None):
        project = project or self.project
        now = self.at(project, frame)
        return outlines.move_outline(
            project, "s1", "c1", frame, Outline.at(now.cx + dx, now.cy, now.width * 2, now.height, now.angle), reach
        )

    def test_reach(self):
        before = [self.at(self.project, f).cx for f in range(60)]
        for reach, changed in (
            (Reach.FRAME, lambda f: 22 < f < 38),
            (Reach.ONWARD, lambda f: f >= 30),
            (Reach.SIGHTING, lambda f: True),
        ):
            with self.subTest(reach):
                project = self.moved(reach)
                self.assertAlmostEqual(self.at(project, 30).cx, before[30] + 10, places=4)
                self.assertAlmostEqual(self.at(project, 30).width, 60, places=4)
                for f in range(60):
                    self.assertEqual(abs(self.at(project, f).cx - before[f]) > 1e-6, changed(f), f)

    def test_input_is_never_changed(self):
        before = self.at(self.project, 30)
        self.moved(Reach.ALL)
        cast.decide(self.project, ["s1"], Decision.SHOW)
        self.assertEqual(self.at(self.project, 30), before)
        self.assertEqual(self.project.subject("s1").decision, Decision.UNDECIDED)
        with self.assertRaises(ValueError):
            self.project.evidence.tracks[0].path.cx[0] = 3

    def offsets(self, project):
        return np.array([self.at(project, f).cx - self.at(self.project, f).cx for f in range(60)])

    def test_from_here_on_changes_nothing_before_and_keeps_what_comes_later(self):
        first = self.moved(Reach.ONWARD, 10, 40)
        both = self.moved(Reach.ONWARD, -10, 20, first)
        offsets = self.offsets(both)
        np.testing.assert_allclose(offsets[:20], 0, atol=1e-6)
        np.testing.assert_allclose(offsets[20:40], -10, atol=1e-4)
        np.testing.assert_allclose(offsets[40:], self.offsets(first)[40:], atol=1e-6)

    def test_a_frame_put_right_eases_back_to_what_was_held(self):
        """Not to nothing: the cover must not slip for the rest."""
        held = self.moved(Reach.ONWARD, 10, 10)
        put_right = self.moved(Reach.FRAME, 6, 30, held)
        offsets = self.offsets(put_right)
        self.assertAlmostEqual(offsets[30], 16, places=4)
        np.testing.assert_allclose(offsets[39:], 10, atol=1e-4)
        np.testing.assert_allclose(offsets[10:22], 10, atol=1e-4)

    def test_a_keyframe_where_it_stands_moves_nothing_in_any_frame(self):
        project = self.moved(
            Reach.KEYFRAME,
            -8,
            50,
            self.moved(Reach.KEYFRAME, 12, 25, self.moved(Reach.FRAME, 6, 33, self.moved(Reach.ONWARD, 10, 10))),
        )
        for frame in (0, 9, 10, 17, 25, 29, 33, 44, 50, 58):
            if any(k.frame == frame for k in project.subject("s1").sightings[0].keyframes):
                continue
            keyed = outlines.keyframe_here(project, "s1", "c1", frame)
            for f in range(60):
                now, then = self.at(keyed, f), self.at(project, f)
                np.testing.assert_allclose(
                    [now.cx, now.cy, now.width, now.height, now.angle],
                    [then.cx, then.cy, then.width, then.height, then.angle],
                    atol=1e-6,
                )

    def test_without_a_path_keyframes_are_the_path(self):
        project, key = outlines.add_subject(self.project, "c1", 30, Outline.at(100, 48, 20, 24))
        for frame, cx in ((10, 100), (30, 60), (50, 140)):
            project = outlines.move_outline(project, key, "c1", frame, Outline.at(cx, 48, 20, 24), Reach.FRAME)
        sighting = project.subject(key).sightings[0]
        at = [outline_at(project, sighting, f).cx for f in range(10, 51)]
        self.assertEqual((round(at[0], 3), round(at[20], 3), round(at[40], 3)), (100, 60, 140))
        self.assertTrue(
            np.all(np.diff(at[:21]) <= 1e-9) and np.all(np.diff(at[20:]) >= -1e-9),
            "it goes from one to the other and never back to where it was drawn",
        )

    def test_between_keyframes_it_goes_smoothly_straight_or_is_held(self):
        project, key = outlines.add_subject(
            add_clip(Project(), *_open(self.clip)), "c1", 10, Outline.at(40, 48, 20, 26)
        )
        project = presence.extend_sighting(project, key, "c1", 10)
        for frame, cx in ((5, 40.0), (15, 60.0), (25, 60.0), (35, 100.0)):
            project = outlines.move_outline(project, key, "c1", frame, Outline.at(cx, 48, 20, 26), Reach.KEYFRAME)

        def at(value, *frames):
            (sighting,) = value.subject(key).sightings
            return [round(outline_at(value, sighting, f).cx, 2) for f in frames]

        straight = outlines.set_between(project, key, "c1", 8, "straight")
        self.assertEqual(at(straight, 5, 10, 15, 25, 35), [40, 50, 60, 60, 100])
        held = outlines.set_between(straight, key, "c1", 30, "hold")
        self.assertEqual(at(held, 10, 26, 34, 35, 39), [50, 60, 60, 100, 100])
        self.assertEqual(at(outlines.set_between(held, key, "c1", 25, "smooth"), 25, 35), [60, 100])
        with self.assertRaises(EditRefused):
            outlines.set_between(project, key, "c1", 2, "hold")
        self.assertEqual(
            outlines.keyframe_before(held.subject(key).sightings[0], 38).frame,
            25,
            "after the last it stays, and the last two are meant",
        )

    def test_changing_the_whole_keeps_what_keyframes_said(self):
        keyed = self.moved(Reach.KEYFRAME, 12, 25)
        project = self.moved(Reach.SIGHTING, 5, 40, keyed)
        self.assertAlmostEqual(self.at(project, 40).cx, self.at(keyed, 40).cx + 5, places=4)
        self.assertEqual(project.subject("s1").sightings[0].keyframes, keyed.subject("s1").sightings[0].keyframes)

    def test_turning_goes_on_from_where_it_is(self):
        project, turns = self.project, []
        for angle in (80, 100, 170, -170, -100, -80, 10, 95):
            now = self.at(project, 30)
            project = outlines.move_outline(
                project, "s1", "c1", 30, Outline.at(now.cx, now.cy, now.width, now.height, angle), Reach.KEYFRAME
            )
            turns.append(project.subject("s1").sightings[0].keyframes[0].change.turn)
        self.assertLess(np.abs(np.diff(turns)).max(), 91, "never the long way round")

    def test_outside_every_sighting_a_new_one_is_placed(self):
        short = project_on(self.clip, head_path(0, 10))
        project = outlines.move_outline(short, "s1", "c1", 50, self.at(short, 5), Reach.FRAME)
        first, second = project.subject("s1").sightings
        self.assertEqual((first.last, second.first, second.last), (9, 25, 59))

    def test_ends_stop_at_neighbours_and_at_the_clip(self):
        project = presence.trim_sighting(self.project, "s1", "c1", 30, -20, 500)
        self.assertEqual((project.subject("s1").sightings[0].first, project.subject("s1").sightings[0].last), (0, 59))
        project = presence.trim_sighting(self.project, "s1", "c1", 30, 20, 40)
        self.assertIsNone(self.at(project, 19))
        with self.assertRaises(EditRefused):
            presence.trim_sighting(project, "s1", "c1", 30, 45, 40)

    def scanned(self, *paths):
        people = tuple(FoundPerson(n, (p,), p.first, (0, 0, 10, 10)) for n, p in enumerate(paths, 1))
        return ScanResult(people, FaceTable.none(), (), 60)

    def test_hand_work_and_decisions_survive_a_new_scan(self):
        project = take_in(
            add_clip(Project(), *_open(self.clip)),
            "c1",
            self.scanned(head_path(0, 60, cx=40), head_path(0, 60, cx=120)),
            1,
        )
        self.assertEqual([s.name for s in project.subjects], ["Person 1", "Person 2"])
        self.assertTrue(all(s.decision == Decision.UNDECIDED and s.is_covered for s in project.subjects))
        project = edits.rename(cast.decide(project, ["s2"], Decision.SHOW), "s2", "Clerk")
        project = outlines.move_outline(project, "s1", "c1", 30, Outline.at(50, 48, 30, 40), Reach.FRAME)
        again = take_in(
            project, "c1", self.scanned(head_path(0, 60, cx=121), head_path(0, 60, cx=41), head_path(5, 20, cx=80)), 1
        )
        self.assertEqual(
            [(s.name, s.decision.value) for s in again.subjects],
            [("Person 1", "undecided"), ("Clerk", "show"), ("Person 2", "undecided")],
        )
        self.assertAlmostEqual(outline_at(again, again.subject("s1").sightings[0], 30).cx, 50, places=3)
        self.assertAlmostEqual(outline_at(again, again.subject("s2").sightings[0], 30).cx, 121, places=3)

    def test_merging_never_shows_somebody_by_accident(self):
        project = project_on(self.clip, head_path(0, 20), head_path(30, 20))
        project = cast.decide(project, ["s1"], Decision.SHOW)
        merged = cast.merge_subjects(project, "s1", ["s2"])
        self.assertEqual((len(merged.subjects), merged.subject("s1").decision), (1, Decision.UNDECIDED))
        self.assertEqual(len(merged.subject("s1").sightings), 2)

    def test_refusals_are_sentences(self):
        for function in (
            lambda: edits.rename(self.project, "s1", "  "),
            lambda: outlines.remove_keyframe(self.project, "s1", "c1", 3),
            lambda: add_clip(self.project, *_open(self.clip)),
        ):
            with self.assertRaises(EditRefused) as caught:
                function()
            self.assertSentence(str(caught.exception))

    def test_history_is_an_index(self):
        history = History(self.project)
        history.apply("first", self.moved(Reach.FRAME))
        history.apply("second", self.moved(Reach.ALL))
        self.assertTrue(history.undo())
        self.assertEqual((history.undo_name, history.redo_name), ("first", "second"))
        history.undo()
        self.assertEqual(history.project, self.project)
        history.apply("other", self.moved(Reach.ALL))
        self.assertFalse(history.redo())


def _open(path):
    from skiagraph.media.index import open_clip

    return open_clip(path)
