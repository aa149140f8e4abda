"""Faces that belong to nobody: where they are marked, and that one click covers them and nobody less."""

import unittest

import numpy as np

from skiagraph.project import edits
from skiagraph.project.model import Project
from skiagraph.project.rows import outline_at
from skiagraph.review.finding import Reason
from skiagraph.review.findings import acceptance_of, findings, open_findings, was_accepted
from skiagraph.review.unknown_faces import UNKNOWN, heads_at, path_of, runs_of
from skiagraph.track.path import BRIDGED, FOUND
from skiagraph.track.results import FaceTable
from skiagraph.values import replace
from tests.support import TemporaryFolder, head_path, make_clip, project_on, seen


def table(*faces, score=90):
    """A table of faces, (frame, x0, y0, side) each, all as sure."""
    return FaceTable(
        np.array([f[0] for f in faces], np.int32),
        np.array([[x, y, x + side, y + side] for _, x, y, side in faces], np.int16),
        np.full(len(faces), score, np.uint8),
    )


class UnknownHeadTest(unittest.TestCase):
    def test_faces_on_one_way_are_one_run_and_others_are_others(self):
        faces = table((0, 0, 0, 40), (0, 200, 0, 40), (1, 4, 0, 40), (4, 10, 0, 40), (4, 204, 0, 40), (30, 10, 0, 40))
        self.assertEqual(runs_of(faces, range(len(faces))), [[0, 2, 3], [1, 4], [5]])
        self.assertEqual(runs_of(faces, [1, 4]), [[1, 4]])
        self.assertEqual(runs_of(faces, range(len(faces)), unseen=24), [[0, 2, 3, 5], [1, 4]])
        self.assertEqual(
            runs_of(faces, range(len(faces)), (1,)), [[0], [1], [2, 3], [4], [5]], "after a cut it is another face"
        )

    def test_a_head_is_where_its_face_was_found_straight_in_between_and_held_beyond(self):
        faces = table((10, 100, 50, 40), (14, 140, 50, 40))
        path = path_of(faces, [0, 1], 6, 20)
        self.assertEqual((path.first, path.last), (6, 20))
        np.testing.assert_allclose(path.cx, [120] * 5 + [130, 140, 150] + [160] * 7)
        self.assertEqual(path.origin.tolist(), [BRIDGED] * 4 + [FOUND] + [BRIDGED] * 3 + [FOUND] + [BRIDGED] * 6)
        self.assertTrue(
            (np.diff(path.confidence[4::-1]) < 0).all() and (np.diff(path.confidence[8:]) < 0).all(),
            "less and less is known",
        )
        np.testing.assert_allclose(path.confidence[6], 0.9, atol=0.006)
        for corner in (-20, 20):
            self.assertLess(
                np.hypot(corner / (path.width[4] / 2), (corner + UNKNOWN.rise * 40) / (path.height[4] / 2)),
                1,
                "its cover holds all of the box, even without a margin",
            )


class UnknownFacesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)

    def test_one_click_covers_an_unknown_face_and_nobody_is_less_covered(self):
        faces = table((20, 2, 2, 28), (20, 120, 60, 20), (23, 8, 2, 28))
        project = seen(project_on(self.clip, head_path(0, 60)), faces=faces, every=10)
        mended = project
        for finding, last, cx in zip(findings(project), (32, 29), (18, 130), strict=True):
            self.assertEqual((finding.reason, finding.first, finding.last), (Reason.NOBODYS_FACE, 11, last))
            (head,) = heads_at(project, [finding], "c1", 21)
            self.assertEqual((head.seen, round(head.outline.cx), head.outline.width > 30), (False, cx, True))
            mended = finding.kind.remedied(mended, finding)
        self.assertEqual(mended.subjects[:1], project.subjects)
        self.assertEqual(
            [
                (s.is_covered, s.sightings[0].first <= 11, s.sightings[0].last >= last)
                for s, last in zip(mended.subjects[1:], (32, 29), strict=True)
            ],
            [(True, True, True)] * 2,
        )
        self.assertEqual([f for f in findings(mended) if f.is_exposing], [])
        self.assertEqual(heads_at(mended, findings(project), "c1", 21), [])
        self.assertEqual(heads_at(project, findings(project), "c1", 40), [])
        self.assertEqual(heads_at(Project(), findings(project), "c1", 21), [], "the clip is gone")

    def test_of_two_faces_in_the_same_frames_one_is_accepted(self):
        # The left one, a picture on a wall, is there the longer, so that its frames hold those of the right one.
        faces = table((20, 2, 2, 28), (22, 2, 2, 28), (22, 120, 60, 20), (24, 2, 2, 28))
        project = seen(project_on(self.clip, head_path(0, 60)), faces=faces)
        wall, right = findings(project)
        self.assertEqual(
            [(f.first, f.last, f.box) for f in (wall, right)], [(20, 24, (2, 2, 30, 30)), (22, 22, (120, 60, 140, 80))]
        )
        accepted = edits.accept(project, acceptance_of(project, wall, "Ida"))
        self.assertEqual(open_findings(accepted), [right])
        self.assertFalse(was_accepted(accepted, right))
        self.assertEqual(
            [round(head.outline.cx) for head in heads_at(accepted, open_findings(accepted), "c1", 22)], [130]
        )
        # What was accepted by an older Skiagraph says nothing of any one face.
        older = accepted.deciding(accepted=(replace(accepted.accepted[0], box=None),))
        self.assertEqual(open_findings(older), [wall, right])
        self.assertTrue(was_accepted(older, wall))

    def test_one_click_covers_who_may_be_at_the_edge(self):
        sign = FaceTable(
            np.array([59, 59], np.int32),
            np.array([[140, 30, 168, 58], [-10, 30, 18, 58]], np.int16),
            np.array([30, 31], np.uint8),
        )
        project = seen(project_on(self.clip, head_path(0, 60)), faces=sign)
        left, right = sorted(
            (f for f in findings(project) if f.reason == Reason.MAYBE_AT_EDGE),
            key=lambda f: heads_at(project, [f], "c1", 55)[0].outline.cx,
        )
        mended = left.kind.remedied(project, left)
        self.assertEqual([f for f in findings(mended) if f.is_exposing], [right])
        somebody = mended.subjects[-1].sightings[0]
        self.assertTrue(somebody.first <= 51 and somebody.last == 59)
        self.assertLess(max(outline_at(mended, somebody, n).cx for n in range(51, 60)), 10)


if __name__ == "__main__":
    unittest.main()
