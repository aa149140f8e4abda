"""Scanning the clips of a project: what is told on the way, and how it is taken in."""

from dataclasses import replace
from unittest import mock

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.footage.adding import add_clip
from skiagraph.footage.recognition import Gallery
from skiagraph.footage.scanning import scan_clip, scan_clips, take_in
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.project import file
from skiagraph.project.model import Project
from skiagraph.review.finding import Reason, sentence
from skiagraph.review.findings import findings
from skiagraph.review.overview import clip_rows
from skiagraph.track.identity import Signature
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.support import TemporaryFolder, head_path, make_clip, opened


def somebody(key: int, vector: np.ndarray, first: int = 0) -> FoundPerson:
    signature = Signature(np.repeat(vector[None], 4, axis=0).astype(np.float32), np.ones(4, np.float32), None)
    return FoundPerson(key, (head_path(first, 10),), first + 2, (60, 30, 90, 70), signature=signature)


class ScanningTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = Project()
        for name, frames in (("quay", 20), ("hall", 22)):
            self.project = add_clip(self.project, *opened(make_clip(self.folder / f"{name}.mp4", frames)))
        self.face = np.zeros(128)
        self.face[0] = 1.0

    def scanned(self, project, *people_of_clips):
        """Run scan_clips with given results instead of networks, and take in what is told as the window does."""
        results = iter([ScanResult(people, FaceTable.none(), (), 20) for people in people_of_clips])

        def pretend(info, index, settings, control, partial, *, keep=False):
            result = next(results)
            partial(replace(result, people=result.people[:1]))
            return result

        told = []
        with mock.patch("skiagraph.track.scan.scan", pretend), mock.patch("skiagraph.footage.scanning.recall"):
            scan_clips(
                project, [c.key for c in project.clips][: len(people_of_clips)], 5, Gallery(), JobControl(), told.append
            )
        for news in told:
            if news.gallery is not None:
                project = take_in(project, news.clip, news.result, 5, news.gallery)
        return project, told

    def test_each_clip_is_begun_told_of_and_finished_in_turn(self):
        _, told = self.scanned(self.project, (somebody(1, self.face),), ())
        self.assertEqual(
            [(n.clip, n.result is None, n.gallery is not None) for n in told],
            [
                ("c1", True, False),
                ("c1", False, False),
                ("c1", False, True),
                ("c2", True, False),
                ("c2", False, False),
                ("c2", False, True),
            ],
        )

    def test_a_clip_counts_as_scanned_only_when_it_is_done(self):
        project, told = self.scanned(self.project, (somebody(1, self.face), somebody(2, -self.face, first=10)))
        self.assertEqual((project.scan_of("c1").every, project.scan_of("c1").reached), (5, 20))
        self.assertEqual(len(project.subjects), 2)
        half = take_in(self.project, "c1", replace(told[1].result, reached=8), 5)
        self.assertEqual((half.scan_of("c1").reached, len(half.subjects)), (8, 1))
        self.assertEqual(
            [(f.reason, f.first, f.last) for f in findings(half) if f.clip == "c1" and not f.subject],
            [("not-scanned", 8, 19)],
        )

    def test_the_same_face_in_two_clips_is_one_subject(self):
        project, _ = self.scanned(self.project, (somebody(1, self.face),), (somebody(1, self.face + 0.01),))
        self.assertEqual([len(s.sightings) for s in project.subjects], [2])
        apart, _ = self.scanned(self.project, (somebody(1, self.face),), (somebody(1, -self.face),))
        self.assertEqual([len(s.sightings) for s in apart.subjects], [1, 1])


class PartTest(TemporaryFolder):
    def test_only_a_part_is_scanned_and_the_rest_is_a_finding(self):
        """On the demo: from in to out, with places and frames of the whole clip."""
        info, index = open_clip(shipped("quay.mp4"))
        project = add_clip(Project(), info, index)
        result = scan_clip(project, "c1", 12, Gallery(), JobControl(), parts=[(60, 110)])
        self.assertTrue(40 <= result.begun <= 60 and result.reached == 111 and result.frames == 250)
        self.assertTrue(
            result.people
            and all(result.begun <= path.first and path.last <= 110 for p in result.people for path in p.paths)
        )
        truth = load_truth(shipped("quay.truth.json"))
        path = max((path for p in result.people for path in p.paths), key=len)
        head = min(truth.heads[100], key=lambda h: abs(h.cx - path.cx[path.row(100)]))
        self.assertLess(abs(head.cx - path.cx[path.row(100)]), 0.3 * head.width)
        project = take_in(project, "c1", result, 12)
        missing = [(f.first, f.last) for f in findings(project) if f.reason == Reason.NOT_SCANNED]
        self.assertEqual(missing, [(0, result.begun - 1), (111, 249)])
        self.assertEqual(clip_rows(project)[0].partly, True)

    def test_parts_far_apart_are_scanned_alone_and_what_lies_between_is_a_finding(self):
        info, index = open_clip(shipped("quay.mp4"))
        project = add_clip(Project(), info, index)
        told = []
        result = scan_clip(
            project, "c1", 10, Gallery(), JobControl(), told.append, parts=[(200, 230), (10, 30), (20, 40)]
        )
        ((gap_first, gap_last),) = result.gaps
        self.assertTrue(result.begun <= 10 and gap_first == 41 and 150 < gap_last < 200 and result.end == 231)
        self.assertTrue(all(path.last < gap_first or path.first > gap_last for p in result.people for path in p.paths))
        both = [p for p in result.people if p.paths[0].first < gap_first and p.paths[-1].first > gap_last]
        self.assertTrue(both or result.likely, "whoever is seen again is known, or asked about")
        project = take_in(project, "c1", result, 10)
        self.assertIn(
            (gap_first, gap_last), [(f.first, f.last) for f in findings(project) if f.reason == Reason.NOT_SCANNED]
        )
        self.assertSentence(
            next(
                sentence(project, f)
                for f in findings(project)
                if f.first == gap_first and f.reason == Reason.NOT_SCANNED
            ),
            "was not scanned from",
        )
        self.assertTrue(clip_rows(project)[0].partly)
        place = self.folder / "p.skiagraph"
        file.save(project, place)
        self.assertEqual(file.load(place).scan_of("c1").gaps, result.gaps)
