"""Recognising people across clips: joined where sure, asked where not, never into somebody who is shown, and nothing of
it written."""

from skiagraph.demo.ship import shipped
from skiagraph.footage.adding import add_clip
from skiagraph.footage.recognition import Gallery, ask_who, link_clip, recall
from skiagraph.footage.scanning import Arrival, take_in
from skiagraph.jobs import JobControl
from skiagraph.project import cast, file, outlines
from skiagraph.project.model import Answer, Decision, Likeness, Outline, Project
from skiagraph.track.identity import Signature
from tests.project.test_cast import person, scanned
from tests.support import TemporaryFolder, head_path, make_clip, opened
from tests.track.test_identity import signature


class LinkTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.gallery, self.project = Gallery(), Project()
        for n, name in enumerate(("a", "b")):
            self.project = add_clip(self.project, *opened(make_clip(self.folder / f"{name}.mp4", 40 + n)))

    def scan(self, clip, *who, project=None):
        people = [person(n, head_path(0, 40, cx=30 + 40 * n), signature=s) for n, s in enumerate(who, 1)]
        result = scanned(*people)
        project, carry, _ = Arrival(clip, 1).evidence(project or self.project, result)
        self.gallery.learn(project.scan_of(clip), result)
        return carry(project)

    def test_the_same_person_in_another_clip_becomes_one(self):
        project = self.scan("c1", signature(1, seed=1), signature(2, seed=1))
        project = link_clip(self.scan("c2", signature(2, seed=5), project=project), "c2", self.gallery)
        self.assertEqual([[s.clip for s in subject.sightings] for subject in project.subjects], [["c1"], ["c1", "c2"]])
        self.assertLess(project.subject("s2").sure, 1.0)

    def test_never_into_somebody_who_is_shown(self):
        project = cast.decide(self.scan("c1", signature(1, seed=1)), ["s1"], Decision.SHOW)
        project = link_clip(self.scan("c2", signature(1, seed=5), project=project), "c2", self.gallery)
        self.assertEqual(len(project.subjects), 2)
        self.assertEqual(project.subjects[1].decision, Decision.UNDECIDED)
        self.assertEqual(len(cast.open_likenesses(project)), 1)

    def test_covered_ones_take_their_decision_along(self):
        project = cast.decide(self.scan("c1", signature(1, seed=1)), ["s1"], Decision.COVER)
        project = link_clip(self.scan("c2", signature(1, seed=5), project=project), "c2", self.gallery)
        self.assertEqual([s.decision for s in project.subjects], [Decision.COVER])

    def test_not_sure_is_asked_and_strangers_are_not(self):
        project = self.scan("c1", signature(1, noise=0.28, seed=1), signature(3, seed=1))
        project = link_clip(self.scan("c2", signature(1, noise=0.28, seed=4), project=project), "c2", self.gallery)
        self.assertEqual(len(project.subjects), 3)
        self.assertEqual([(n.one, n.other) for n in cast.open_likenesses(project)], [("s1", "s3")])

    def test_a_no_is_remembered(self):
        project = self.scan("c1", signature(1, seed=1))
        project = self.scan("c2", signature(1, seed=5), project=project)
        project = cast.with_likenesses(project, [Likeness("s1", "s2", 0.0, Answer.NO)])
        self.assertEqual(len(link_clip(project, "c2", self.gallery).subjects), 2)

    def test_two_who_look_alike_are_asked_about_rather_than_taken(self):
        project = self.scan("c1", signature(1, seed=1), signature(1, seed=2))
        project = link_clip(self.scan("c2", signature(1, seed=5), project=project), "c2", self.gallery)
        self.assertEqual(len(project.subjects), 3)
        self.assertEqual(len(cast.open_likenesses(project)), 2)

    def test_who_was_followed_by_hand_is_asked_about_and_never_taken_for_somebody(self):
        project = self.scan("c1", signature(1, seed=1), signature(2, seed=1))
        project, key = outlines.add_subject(project, "c2", 5, Outline.at(80, 60, 30, 40))
        asked = ask_who(project, key, signature(2, seed=7), self.gallery)
        (question,) = cast.open_likenesses(asked)
        self.assertEqual(({question.one, question.other}, len(asked.subjects)), ({"s2", key}, 3))
        self.assertEqual(cast.open_likenesses(ask_who(project, key, signature(9, seed=7), self.gallery)), [])
        refused = cast.answer(asked, question.one, question.other, Answer.NO)
        self.assertEqual(cast.open_likenesses(ask_who(refused, key, signature(2, seed=7), self.gallery)), [])

    def test_nothing_that_tells_who_somebody_is_gets_into_the_file(self):
        project = self.scan("c1", signature(1, seed=1))
        text = file.dump(project, self.folder).decode()
        self.assertNotIn("signature", text)
        self.assertNotIn("descriptor", text)
        self.assertNotIn("vector", text)
        first = float(self.gallery.of(project.subject("s1")).vectors[0, 5])
        self.assertNotIn(f"{first:.6f}"[:8], text)


class RecallTest(TemporaryFolder):
    """A project that was opened anew: faces are looked at again, in the shipped demo."""

    def test_faces_are_recalled_from_the_footage(self):
        import numpy as np

        from skiagraph.demo.truth import load_truth
        from skiagraph.track.path import Path
        from skiagraph.track.results import FaceTable, ScanResult

        truth = load_truth(shipped("quay.truth.json"))
        rows, faces = {}, []
        for frame in range(12):
            for head in truth.heads[frame]:
                rows.setdefault(head.actor, []).append([head.cx, head.cy, head.width, head.height, 0, 0.9])
                side = 0.66 * head.height
                faces.append(
                    (frame, head.cx - side / 2, head.cy - 0.35 * side, head.cx + side / 2, head.cy + 0.65 * side)
                )
        people = tuple(
            person(n, Path.from_rows(0, np.array(rows[actor]), np.zeros(12)))
            for n, actor in enumerate(("clerk", "blue", "scarf"), 1)
        )
        table = FaceTable(
            np.array([f[0] for f in faces], np.int32),
            np.array([f[1:] for f in faces]).astype(np.int16),
            np.full(len(faces), 90, np.uint8),
        )
        project = add_clip(Project(), *opened(shipped("quay.mp4")))
        project = take_in(project, "c1", ScanResult(people, table, (), 250), 1)
        gallery = Gallery()
        self.assertTrue(all(gallery.lacks(s) for s in project.subjects))
        recall(project, gallery, JobControl())
        for subject in project.subjects:
            found: Signature = gallery.of(subject)
            self.assertGreater(len(found), 0, subject.name)
            self.assertIsNotNone(found.colours)
