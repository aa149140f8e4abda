"""The report says what was decided, found, answered and proved, and nothing that it must not."""

import hashlib
import json
from datetime import datetime, timezone
from html.parser import HTMLParser

from skiagraph.errors import SkiagraphError
from skiagraph.handover.export import export_clip
from skiagraph.project import cast, edits
from skiagraph.project.model import Decision, replace
from skiagraph.review.exposure import prove
from skiagraph.review.findings import acceptance_of, findings
from skiagraph.review.report import FORMS, form_for, report_of, write_report
from skiagraph.review.sheet import glance_of, sheet_of
from tests.support import TemporaryFolder, head_path, make_clip, project_on

NOW = datetime(2026, 11, 27, 12, 0, tzinfo=timezone.utc)


class Text(HTMLParser):
    def __init__(self, page):
        super().__init__()
        self.words, self.tags = [], set()
        self.feed(page)

    def handle_data(self, data):
        self.words.append(data)

    def handle_starttag(self, tag, attributes):
        self.tags.add(tag)


class ReportTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(
            self.folder / "quay.mp4",
            50,
            size=(320, 192),
            metadata={"artist": "Somebody Secret", "title": "Hidden"},
            sound=True,
        )
        project = project_on(
            self.clip, head_path(0, 50, confidence=0.1), head_path(5, 20, cx=220), head_path(0, 50, cx=280)
        )
        before, project = project, cast.decide(project, ["s2"], Decision.SHOW)
        self.project = cast.signed(before, project, "Ida Brandt")

    def report(self, project=None, proofs=()):
        return report_of(project or self.project, "quay.skiagraph", proofs, now=NOW)

    def test_people_decisions_and_by_whom(self):
        report = self.report()
        people = {p.name: p for p in report.clips[0].people}
        self.assertEqual(
            (people["Person 2"].decision, people["Person 2"].by, people["Person 2"].cover),
            ("shown, agreed to be seen", "Ida Brandt", ""),
        )
        self.assertEqual((people["Person 1"].decision, people["Person 1"].by), ("undecided, hence covered", ""))
        self.assertEqual((people["Person 2"].seconds, people["Person 2"].spans), (0.8, ((5, 24),)))
        self.assertEqual(people["Person 1"].safety, "safe")

    def test_findings_and_answers_and_what_was_looked_at(self):
        found = [f for f in findings(self.project) if f.subject == "s1"]
        project = edits.accept(self.project, acceptance_of(self.project, found[0], "Ida Brandt", "back of the <head>"))
        project = edits.glance(
            project, [glance_of(project, crop, True, "Ida Brandt") for crop in sheet_of(project, "c1")[:4]]
        )
        report = self.report(project)
        states = [(f.state, f.by, f.note) for f in report.clips[0].findings if f.who == "Person 1"]
        self.assertIn(("accepted", "Ida Brandt", "back of the <head>"), states)
        self.assertEqual((report.clips[0].sheet.fine, report.clips[0].sheet.by), (4, ("Ida Brandt",)))

    def test_hashes_are_those_of_the_files(self):
        out = self.folder / "quay-covered.mp4"
        export_clip(self.project, "c1", out)
        report = self.report(proofs=[prove(self.project, "c1", out)])
        self.assertEqual(report.clips[0].sha256, hashlib.sha256(self.clip.read_bytes()).hexdigest())
        delivered = report.clips[0].delivered[0]
        self.assertEqual(
            (delivered.name, delivered.sha256), ("quay-covered.mp4", hashlib.sha256(out.read_bytes()).hexdigest())
        )
        self.assertTrue(any(fact.what == "Sound track 1" for fact in delivered.facts))

    def test_the_hash_is_of_the_file_that_was_checked_whatever_becomes_of_it(self):
        out = self.folder / "quay-covered.mp4"
        export_clip(self.project, "c1", out)
        checked, proof = hashlib.sha256(out.read_bytes()).hexdigest(), prove(self.project, "c1", out)
        out.write_bytes(b"another")
        self.assertEqual(self.report(proofs=[proof]).clips[0].delivered[0].sha256, checked)
        out.unlink()
        self.assertEqual(self.report(proofs=[proof]).clips[0].delivered[0].sha256, checked)

    def test_another_file_in_the_place_of_a_source_is_not_reported_on(self):
        make_clip(self.clip, 30, size=(320, 192))
        with self.assertRaises(SkiagraphError) as refused:
            self.report()
        self.assertSentence(str(refused.exception), "quay.mp4")

    def test_it_is_good_only_when_nothing_is_open_and_all_is_proved(self):
        self.assertFalse(self.report().good)
        self.assertIn("No exported file of quay.mp4", self.report().verdict)
        project = cast.decide(self.project, ["s1", "s3"], Decision.COVER)
        project = edits.accept(project, *(acceptance_of(project, f, "Ida", "") for f in findings(project)))
        out = self.folder / "quay-covered.mkv"
        export_clip(project, "c1", out)
        report = self.report(project, [prove(project, "c1", out)])
        self.assertTrue(report.good, report.verdict)
        bare = cast.decide(project, ["s1"], Decision.SHOW)
        export_clip(bare, "c1", self.folder / "bare-covered.mkv")
        self.assertIn(
            "The check found something in bare-covered.mkv",
            self.report(project, [prove(project, "c1", self.folder / "bare-covered.mkv")]).verdict,
        )

    def test_all_forms_are_whole_and_hold_no_folder_no_author_and_no_picture(self):
        named = edits.rename(self.project, "s1", "<b>Óscar</b> & Людмила")
        report = self.report(named)
        for suffix in FORMS:
            with self.subTest(suffix):
                target = self.folder / f"report{suffix}"
                write_report(report, target)
                data = target.read_bytes()
                for secret in (b"Somebody Secret", str(self.folder).encode(), b"data:image", b"<img"):
                    self.assertNotIn(secret, data)
        page = Text((self.folder / "report.html").read_text())
        self.assertIn("<b>Óscar</b> & Людмила", "".join(page.words))
        self.assertEqual(page.tags & {"script", "img", "link", "b"}, set())
        self.assertTrue((self.folder / "report.pdf").read_bytes().startswith(b"%PDF-"))
        plain = json.loads((self.folder / "report.json").read_text())
        self.assertEqual(
            (plain["format"], plain["clips"][0]["people"][0]["name"]), ("skiagraph-report", "<b>Óscar</b> & Людмила")
        )

    def test_the_same_report_is_the_same_file(self):
        form = form_for("a.pdf")
        self.assertEqual(form.made(self.report()), form.made(self.report()))

    def test_hundreds_of_findings_and_long_names_lie_on_pages(self):
        many = replace(self.project.subject("s1"), name="W" * 80)
        report = self.report(self.project.with_subject(many))
        clip = report.clips[0]
        import dataclasses

        longer = dataclasses.replace(report, clips=(dataclasses.replace(clip, findings=clip.findings * 400),))
        self.assertGreater(form_for("a.pdf").made(longer).count(b"/Type /Page"), 10)

    def test_a_strange_ending_is_refused_and_a_bad_place_named(self):
        with self.assertRaises(SkiagraphError) as refused:
            form_for("report.doc")
        self.assertSentence(str(refused.exception), "report.doc", ".pdf")
        with self.assertRaises(SkiagraphError) as refused:
            write_report(self.report(), self.folder / "nowhere" / "report.json")
        self.assertSentence(str(refused.exception), "report.json")
