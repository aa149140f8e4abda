"""Whoever a file shows without a face that is found is told of, unless they are covered or agreed."""

from unittest import mock

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.handover.export import export_clip
from skiagraph.media.index import open_clip
from skiagraph.project import cast, edits
from skiagraph.project.layers import layers
from skiagraph.project.model import Decision, Project
from skiagraph.review.exposure import check_file
from skiagraph.review.file_bodies import FileBodies
from skiagraph.review.file_faces import FileSearcher
from skiagraph.review.finding import Reason, sentence
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.support import TemporaryFolder, make_clip
from tests.track.test_body import standing

FRAMES = 20


class FileBodiesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.picture, self.head = standing(30, 30)
        height, width = self.picture.shape[:2]
        clip = make_clip(
            self.folder / "one.mp4",
            FRAMES,
            size=(width, height),
            draw=lambda n, w, h: self.picture,
            options={"crf": 16},
        )
        x, y, w, h, _ = self.head
        path = Path.from_rows(0, np.tile([x, y, 1.2 * w, 1.2 * h, 0, 0.9], (FRAMES, 1)), np.zeros(FRAMES))
        self.project = take_in(
            add_clip(Project(), *open_clip(clip)),
            "c1",
            ScanResult((FoundPerson(1, (path,), 0, (0, 0, 9, 9)),), FaceTable.none(), (), FRAMES),
            1,
        )

    def seen(self, project, frames=(0,), faces=()):
        clip = project.clip("c1")
        with FileBodies(Squared(1.0), 25.0) as bodies:
            return [
                len(
                    bodies.open_faces(
                        project,
                        clip,
                        n,
                        lambda: self.picture,
                        np.array(faces, float).reshape(-1, 4),
                        layers(project, "c1", n),
                    )
                )
                for n in frames
            ]

    def test_covered_or_agreed_nobody_is_told_of(self):
        self.assertEqual(self.seen(self.project), [0])
        self.assertEqual(self.seen(cast.decide(self.project, ["s1"], Decision.SHOW)), [0])

    def test_who_is_neither_is_told_of_twice_a_second(self):
        nobody = edits.remove_subjects(self.project, ["s1"])
        self.assertEqual(self.seen(nobody, range(0, 14)), [1, *[0] * 11, 1, 0])
        self.assertEqual(self.seen(cast.dismiss(self.project, ["s1"])), [1])
        x, y, w, *_ = self.head
        self.assertEqual(
            self.seen(nobody, faces=[[x - w / 3, y - w / 3, x + w / 3, y + w / 3]]),
            [0],
            "a face that was found is judged by itself",
        )

    def test_in_a_file_it_is_a_finding_that_one_click_covers(self):
        nobody, out = edits.remove_subjects(self.project, ["s1"]), self.folder / "out.mp4"
        export_clip(nobody, "c1", out)
        with self.blind():
            (finding,) = check_file(nobody, "c1", out)
        self.assertEqual(
            (finding.reason, finding.first, finding.last, [frame for frame, _ in finding.seen]),
            (Reason.FILE_BODY, 0, FRAMES - 1, [0, 12]),
        )
        self.assertSentence(sentence(nobody, finding), "Somebody")
        mended = finding.kind.remedied(nobody, finding)
        # In the file the rest of them still stands there, and may seem to have a head somewhere else.
        export_clip(mended, "c1", out)
        with self.blind():
            self.assertEqual(check_file(mended, "c1", out), [])

    @staticmethod
    def blind():
        """As where the face detector finds nobody."""
        return mock.patch.object(FileSearcher, "find", lambda searcher, rgb, covers: Detections.none())
