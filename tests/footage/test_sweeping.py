"""A strict search lists faces that nobody knows of; it covers nobody by itself, and one click does."""

from fractions import Fraction

import numpy as np

from skiagraph.demo.people import BLUE_CAP, OLD_HAND
from skiagraph.errors import Cancelled
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.footage.sweeping import SWEEP, sweep_clip
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.media.writer import PictureWriter
from skiagraph.project import cast, edits, file
from skiagraph.project.model import Decision, Project, replace
from skiagraph.review.finding import Reason
from skiagraph.review.findings import acceptance_of, findings, open_findings
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.detect.test_finder import scene
from tests.support import TemporaryFolder

FRAMES = 10


class SweepTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        clip = self.folder / "two.mkv"
        with PictureWriter(
            clip,
            (640, 360),
            Fraction(25),
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="matroska",
            options={"crf": "16"},
        ) as writer:
            for n in range(FRAMES):
                # Small: under what a scan of this size looks for.
                writer.write(
                    scene(
                        (640, 360),
                        (BLUE_CAP, 180, 180, 50, 5, 0),
                        *([(OLD_HAND, 450 + 2 * n, 170, 16, 0, 0)] if 2 <= n < 8 else []),
                    )
                )
        known = np.tile([180, 180, 78, 105, 0, 0.9], (FRAMES, 1))
        people = (FoundPerson(1, (Path.from_rows(0, known, np.zeros(FRAMES)),), 0, (0, 0, 9, 9)),)
        self.project = take_in(
            add_clip(Project(), *open_clip(clip)), "c1", ScanResult(people, FaceTable.none(), (), FRAMES), 1
        )

    def swept(self, project=None):
        project = project or self.project
        return replace(project, evidence=project.evidence.with_sweep(sweep_clip(project, "c1")))

    def strange(self, project):
        return [f for f in findings(project) if f.reason == Reason.STRICT]

    def test_a_small_face_that_nobody_knows_of_is_listed_and_not_added(self):
        swept = self.swept()
        found = self.strange(swept)
        self.assertEqual(len(found), 1, found)
        self.assertLessEqual(found[0].first, 4)
        self.assertGreaterEqual(found[0].last, 5)
        self.assertEqual(swept.decisions, self.project.decisions)
        self.assertLess(swept.evidence.sweep_of("c1").smallest, 24)

    def test_somebody_who_lies_is_listed_too(self):
        clip = self.folder / "lies.mkv"
        with PictureWriter(
            clip,
            (640, 360),
            Fraction(25),
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="matroska",
            options={"crf": "16"},
        ) as writer:
            for _ in range(4):
                writer.write(scene((640, 360), (OLD_HAND, 320, 180, 44, 0, -90)))
        lies = self.swept(
            take_in(add_clip(Project(), *open_clip(clip)), "c1", ScanResult((), FaceTable.none(), (), 4), 1)
        )
        (finding,) = self.strange(lies)
        self.assertEqual((finding.first, finding.last), (0, 3))

    def test_whoever_is_in_the_register_is_known_whatever_was_decided(self):
        shown = cast.decide(self.project, ["s1"], Decision.SHOW)
        self.assertEqual(len(self.strange(self.swept(shown))), 1)
        gone = edits.remove_subjects(self.project, ["s1"])
        self.assertEqual(len(self.strange(self.swept(gone))), 2)

    def test_one_click_covers_it(self):
        swept = self.swept()
        finding = self.strange(swept)[0]
        mended = finding.kind.remedied(swept, finding)
        self.assertEqual(self.strange(mended), [])
        somebody = mended.subjects[-1]
        self.assertEqual((somebody.decision, somebody.is_covered), (Decision.COVER, True))
        self.assertTrue(somebody.sightings[0].first <= finding.first and somebody.sightings[0].last >= finding.last)

    def test_it_is_kept_with_the_project_and_can_be_accepted(self):
        swept = self.swept()
        file.save(swept, self.folder / "p.skiagraph")
        opened = file.load(self.folder / "p.skiagraph")
        self.assertEqual(opened, swept)
        finding = self.strange(opened)[0]
        accepted = edits.accept(opened, acceptance_of(opened, finding, "Ida", "a poster"))
        self.assertNotIn(finding, open_findings(accepted))

    def test_it_can_be_stopped(self):
        control = JobControl()
        control.cancel()
        with self.assertRaises(Cancelled):
            sweep_clip(self.project, "c1", control)
        self.assertLess(SWEEP.limit, SWEEP.sure)
