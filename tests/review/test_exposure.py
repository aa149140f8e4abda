"""Proof on the delivered file: faces that nobody agreed to show are found in it, covered ones are not, whoever drew the
cover."""

from fractions import Fraction
from unittest import mock

import msgspec
import numpy as np

from skiagraph.demo.people import BLUE_CAP, OLD_HAND
from skiagraph.detect.finder import FaceFinder
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.handover.export import export_clip
from skiagraph.media.clip import probe
from skiagraph.media.index import open_clip
from skiagraph.media.writer import PictureWriter
from skiagraph.project import cast, edits
from skiagraph.project.model import Cover, Decision, Project, Style, replace
from skiagraph.project.rows import outline_at
from skiagraph.review.exposure import check_file
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.findings import acceptance_of, findings, open_findings
from skiagraph.review.unknown_faces import heads_at
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from skiagraph.track.scan import ScanSettings
from skiagraph.values import read, written
from tests.detect.test_finder import scene
from tests.support import TemporaryFolder, head_path, make_clip, project_on

UNIT, PLACES = 50, ((200, 180), (450, 180))


class ExposureTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = self.filmed(PLACES)

    def filmed(self, places):
        """A clip of two people at these places, and both covered in a project."""
        picture = scene((640, 360), (BLUE_CAP, *places[0], UNIT, 5, 0), (OLD_HAND, *places[1], UNIT, -5, 0))
        self.clip = self.folder / "two.mkv"
        with PictureWriter(
            self.clip,
            (640, 360),
            Fraction(25),
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="matroska",
            options={"crf": "16"},
        ) as writer:
            for _ in range(6):
                writer.write(picture)
        rows = [np.tile([x, y, 1.55 * UNIT, 2.1 * UNIT, 0, 0.9], (6, 1)) for x, y in places]
        people = tuple(
            FoundPerson(n, (Path.from_rows(0, r, np.zeros(6)),), 0, (0, 0, 9, 9)) for n, r in enumerate(rows, 1)
        )
        return take_in(add_clip(Project(), *open_clip(self.clip)), "c1", ScanResult(people, FaceTable.none(), (), 6), 1)

    def check(self, exported, against=None):
        out = self.folder / "out.mp4"
        export_clip(exported, "c1", out)
        return check_file(against or exported, "c1", out)

    def test_covered_people_are_not_found_in_the_file(self):
        for kind in Cover.kinds.values():
            with self.subTest(kind.word):
                self.assertEqual(self.check(edits.set_project_style(self.project, Style.of(kind()))), [])

    def test_half_a_face_at_the_edge_counts_as_far_as_it_is_in_the_picture(self):
        project = self.filmed(((2, 180), PLACES[1]))
        self.assertEqual(self.check(project), [])
        self.assertEqual([f.reason for f in self.check(edits.remove_subjects(project, ["s1"]))], [Reason.FILE_FACE])

    def test_somebody_who_agreed_is_no_finding(self):
        self.assertEqual(self.check(cast.decide(self.project, ["s2"], Decision.SHOW)), [])

    def test_somebody_dismissed_did_not_agree(self):
        dismissed = cast.dismiss(self.project, ["s2"])
        self.assertEqual([f.reason for f in self.check(dismissed)], [Reason.FILE_FACE])

    def test_it_searches_as_finely_as_the_scan_and_in_square_pixels(self):
        asked = []
        find, make = FaceFinder.find, FaceFinder.__init__

        def made(finder, smallest=36, *more):
            asked.append(smallest)
            make(finder, smallest, *more)

        def found(finder, rgb, *more):
            asked.append(rgb.shape[:2])
            return find(finder, rgb, *more)

        wide = make_clip(self.folder / "wide.mkv", 2, size=(320, 240), encoder="libx264", aspect=Fraction(3, 2))
        project = project_on(wide, head_path(0, 2, cx=100, cy=100))
        out = self.folder / "wide-out.mkv"
        export_clip(project, "c1", out)
        with mock.patch.object(FaceFinder, "__init__", made), mock.patch.object(FaceFinder, "find", found):
            check_file(project, "c1", out)
        self.assertEqual(asked, [ScanSettings().smallest_for(probe(wide)), (240, 480), (240, 480)])
        self.assertEqual(asked[0], 24)

    def test_somebody_nobody_knows_of_is_one(self):
        only_one = edits.remove_subjects(self.project, ["s2"])
        found = self.check(only_one)
        self.assertEqual([f.reason for f in found], [Reason.FILE_FACE])
        self.assertEqual((found[0].first, found[0].last), (0, 5))
        # It is told where that is, as it is kept with the file, and one click covers it.
        finding = read(msgspec.json.decode(written(found[0])), Finding)
        self.assertEqual(finding, found[0])
        (head,) = heads_at(only_one, found, "c1", 3)
        known = self.project.subject("s2").sightings[0]
        self.assertLess(
            np.hypot(
                head.outline.cx - outline_at(self.project, known, 3).cx,
                head.outline.cy - outline_at(self.project, known, 3).cy,
            ),
            20,
        )
        mended = finding.kind.remedied(only_one, finding)
        self.assertEqual(heads_at(mended, found, "c1", 3), [])
        self.assertEqual(self.check(mended), [])

    def test_of_two_nobody_knows_of_each_is_one(self):
        nobody = edits.remove_subjects(self.project, ["s1", "s2"])
        found = self.check(nobody)
        self.assertEqual([(f.reason, f.first, f.last) for f in found], [(Reason.FILE_FACE, 0, 5)] * 2)
        self.assertEqual(len(heads_at(nobody, found, "c1", 5)), 2)
        accepted = edits.accept(nobody, acceptance_of(nobody, found[0], "Ida"))
        self.assertEqual(open_findings(accepted, found), found[1:])
        mended = nobody
        for finding in found:
            mended = finding.kind.remedied(mended, finding)
        self.assertEqual(self.check(mended), [])

    def test_a_decision_taken_back_after_the_export_is_noticed(self):
        found = self.check(cast.decide(self.project, ["s2"], Decision.SHOW), self.project)
        self.assertEqual({(f.reason, f.subject) for f in found}, {(Reason.FILE_DIFFERS, "s2")})

    def test_a_file_rendered_in_another_style_is_as_good(self):
        solid = edits.set_project_style(self.project, Style.of(Cover.kinds["solid"]()))
        self.assertEqual(self.check(solid, self.project), [])
        self.assertEqual(self.check(self.project, solid), [])

    def test_too_weak_a_cover_is_named(self):
        weak = edits.set_project_style(self.project, Style.of(Cover.kinds["blur"](0.008), 0.0, 0.0))
        found = self.check(weak, self.project)
        self.assertTrue({f.subject for f in found if f.reason == Reason.FILE_DIFFERS} >= {"s1", "s2"})

    def test_what_agrees_in_shape_only_counts_from_frame_one(self):
        longer = self.project.with_clip(replace(self.project.clip("c1"), frames=5))
        export_clip(longer, "c1", self.folder / "short.mp4")
        self.assertEqual(
            [f.reason for f in check_file(self.project, "c1", self.folder / "short.mp4")], [Reason.FILE_SHAPE]
        )


class BehindTest(TemporaryFolder):
    """Findings know who cannot be seen."""

    def project(self, *paths):
        from tests.support import make_clip, project_on

        return project_on(make_clip(self.folder / "a.mp4", 60), *paths)

    def reasons(self, project):
        return [(f.reason, f.subject) for f in findings(project)]

    def test_unsure_behind_somebody_elses_cover_is_no_finding(self):
        from tests.support import head_path

        alone = self.project(head_path(0, 60, confidence=0.1))
        self.assertEqual(self.reasons(alone), [(Reason.UNSURE, "s1")])
        behind = self.project(head_path(0, 60, confidence=0.1), head_path(0, 60, width=60, height=80))
        self.assertEqual(self.reasons(behind), [])
        shown = cast.decide(behind, ["s2"], Decision.SHOW)
        self.assertEqual(self.reasons(shown), [(Reason.UNSURE, "s1")])

    def test_who_comes_out_from_behind_somebody_was_unsure_before(self):
        from tests.support import head_path

        cx = np.where(np.arange(60) < 40, 80.0, 140.0)
        over = head_path(0, 60, width=60, height=80).rows()
        over[:, 0] = cx
        unsure = head_path(0, 60).rows().copy()
        unsure[30:50, 5] = 0.1
        project = self.project(Path.from_rows(0, unsure, np.zeros(60)), Path.from_rows(0, over, np.zeros(60)))
        found = [f for f in findings(project) if f.reason == Reason.UNSURE]
        self.assertEqual(
            [(f.subject, f.first, f.last) for f in found],
            [("s1", 30, 49)],
            "from where nobody was sure, not only from where it can be seen",
        )
        self.assertGreaterEqual(found[0].at, 40)

    def test_who_is_hidden_for_a_while_meanwhile_is_one_finding(self):
        from tests.support import head_path

        unsure = head_path(0, 60).rows().copy()
        unsure[10:50, 5] = np.where(np.arange(40) < 20, 0.2, 0.1)
        over = head_path(20, 14, width=60, height=80)
        found = [
            f
            for f in findings(self.project(Path.from_rows(0, unsure, np.zeros(60)), over))
            if f.reason == Reason.UNSURE
        ]
        self.assertEqual([(f.subject, f.first, f.last, f.worst) for f in found], [("s1", 10, 49, 0.1)])

    def test_two_doubts_about_one_person_within_half_a_second_are_one_finding(self):
        for gap, told in ((8, [(10, 39)]), (16, [(10, 23), (40, 51)])):
            rows = head_path(0, 60).rows().copy()
            again = 24 + gap
            rows[10:24, 5], rows[again : told[-1][1] + 1, 5] = 0.2, 0.1
            found = [
                f for f in findings(self.project(Path.from_rows(0, rows, np.zeros(60)))) if f.reason == Reason.UNSURE
            ]
            self.assertEqual([(f.first, f.last) for f in found], told)
            self.assertEqual(found[-1].worst, 0.1)

    def test_dismissed_and_doubtful_have_no_findings(self):
        from tests.support import head_path

        project = self.project(head_path(10, 20, confidence=0.1))
        self.assertTrue(self.reasons(project))
        self.assertEqual(self.reasons(cast.dismiss(project, ["s1"])), [])
        doubtful = project.with_subject(replace(project.subject("s1"), doubtful=True))
        self.assertEqual(self.reasons(doubtful), [])

    def test_one_event_is_one_finding(self):
        import numpy as np

        from skiagraph.track.path import Path
        from tests.support import head_path

        sure = head_path(0, 30)
        confidence = np.concatenate([np.full(22, 0.9), np.full(8, 0.1)])
        fading = Path(0, sure.cx, sure.cy, sure.width, sure.height, sure.angle, confidence, sure.origin)
        found = findings(self.project(fading))
        self.assertEqual([f.reason for f in found], [Reason.ENDS_INSIDE])
        self.assertEqual((found[0].first, found[0].at), (22, 29))
