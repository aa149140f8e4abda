"""Edits are pure, keep hand work through a new scan, and apply as far as reach says."""

from dataclasses import replace

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project import cast, edits
from skiagraph.project.history import History
from skiagraph.project.model import Decision, Project, Reach
from skiagraph.project.outline import outline_at
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.support import TemporaryFolder, head_path, make_clip, project_on


class EditTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)
        self.project = project_on(self.clip, head_path(0, 60, cx=40, step=(1, 0)))

    def at(self, project, frame):
        return outline_at(project.subject("s1").sightings[0], frame)

    def moved(self, reach, dx=10.0, frame=30, project=None):
        project = project or self.project
        now = self.at(project, frame)
        return edits.move_outline(project, "s1", "c1", frame, replace(now, cx=now.cx + dx, width=now.width * 2), reach)

    def test_reach(self):
        before = [self.at(self.project, f).cx for f in range(60)]
        for reach, changed in ((Reach.FRAME, lambda f: 22 < f < 38), (Reach.ONWARD, lambda f: f > 22), (Reach.SIGHTING, lambda f: True)):
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
            self.project.subject("s1").sightings[0].path.cx[0] = 3

    def test_two_keyframes_meet_in_between(self):
        project = self.moved(Reach.ONWARD, 10, 20)
        project = self.moved(Reach.ONWARD, -10, 40, project)
        offsets = [self.at(project, f).cx - self.at(self.project, f).cx for f in range(60)]
        self.assertAlmostEqual(offsets[25], 10, places=4)
        self.assertAlmostEqual(offsets[45], offsets[59], places=4)
        self.assertTrue(np.all(np.diff(offsets[32:41]) < 0))

    def test_outside_every_sighting_a_new_one_is_placed(self):
        short = project_on(self.clip, head_path(0, 10))
        project = edits.move_outline(short, "s1", "c1", 50, self.at(short, 5), Reach.FRAME)
        first, second = project.subject("s1").sightings
        self.assertEqual((first.last, second.first, second.last), (9, 25, 59))

    def test_ends_stop_at_neighbours_and_at_the_clip(self):
        project = edits.trim_sighting(self.project, "s1", "c1", 30, -20, 500)
        self.assertEqual((project.subject("s1").sightings[0].first, project.subject("s1").sightings[0].last), (0, 59))
        project = edits.trim_sighting(self.project, "s1", "c1", 30, 20, 40)
        self.assertIsNone(self.at(project, 19))
        with self.assertRaises(EditRefused):
            edits.trim_sighting(project, "s1", "c1", 30, 45, 40)

    def scanned(self, *paths):
        people = tuple(FoundPerson(n, (p,), p.first, (0, 0, 10, 10)) for n, p in enumerate(paths, 1))
        return ScanResult(people, FaceTable.none(), (), 60)

    def test_hand_work_and_decisions_survive_a_new_scan(self):
        project = cast.apply_scan(edits.add_clip(Project(), *_open(self.clip)), "c1", self.scanned(head_path(0, 60, cx=40), head_path(0, 60, cx=120)), 1)
        self.assertEqual([s.name for s in project.subjects], ["Person 1", "Person 2"])
        self.assertTrue(all(s.decision == Decision.UNDECIDED and s.is_covered for s in project.subjects))
        project = edits.rename(cast.decide(project, ["s2"], Decision.SHOW), "s2", "Clerk")
        project = edits.move_outline(project, "s1", "c1", 30, replace(outline_at(project.subject("s1").sightings[0], 30), cx=50), Reach.FRAME)
        again = cast.apply_scan(project, "c1", self.scanned(head_path(0, 60, cx=121), head_path(0, 60, cx=41), head_path(5, 20, cx=80)), 1)
        self.assertEqual([(s.name, s.decision.value) for s in again.subjects], [("Person 1", "undecided"), ("Clerk", "show"), ("Person 2", "undecided")])
        self.assertAlmostEqual(outline_at(again.subject("s1").sightings[0], 30).cx, 50, places=3)
        self.assertAlmostEqual(outline_at(again.subject("s2").sightings[0], 30).cx, 121, places=3)

    def test_merging_never_shows_somebody_by_accident(self):
        project = project_on(self.clip, head_path(0, 20), head_path(30, 20))
        project = cast.decide(project, ["s1"], Decision.SHOW)
        merged = cast.merge_subjects(project, "s1", ["s2"])
        self.assertEqual((len(merged.subjects), merged.subject("s1").decision), (1, Decision.UNDECIDED))
        self.assertEqual(len(merged.subject("s1").sightings), 2)

    def test_refusals_are_sentences(self):
        for function in (lambda: edits.rename(self.project, "s1", "  "), lambda: edits.remove_keyframe(self.project, "s1", "c1", 3),
                         lambda: edits.add_clip(self.project, *_open(self.clip))):
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
        self.assertIs(history.project, self.project)
        history.apply("other", self.moved(Reach.ALL))
        self.assertFalse(history.redo())


def _open(path):
    from skiagraph.media.index import open_clip
    return open_clip(path)
