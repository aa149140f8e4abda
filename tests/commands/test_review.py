"""The commands about looking once more, run as a person runs them."""

import json
from types import SimpleNamespace

from skiagraph.project import file
from tests.command_line import CommandLine
from tests.support import head_path, make_clip, project_on


class ReviewCommandTest(CommandLine):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "quay.mp4", 30, size=(320, 192), sound=True)
        self.place = self.folder / "p.skiagraph"
        file.save(project_on(self.clip, head_path(0, 30, cx=100, cy=90, width=40, height=52)), self.place)

    def run_it(self, *arguments):
        return SimpleNamespace(**dict(zip(("code", "out", "err"), self.run_command(*arguments))))

    def test_sheets_are_written_and_kept(self):
        done = self.run_it("review", self.place, "--sheet", self.folder / "sheets")
        self.assertEqual(done.code, 0, done.err)
        self.assertIn("Wrote 1 pages", done.out)
        self.assertEqual([p.suffix for p in (self.folder / "sheets").iterdir()], [".png"])
        again = self.run_it("review", self.place, "--sheet", self.folder / "sheets")
        self.assertEqual(again.code, 2)
        self.assertSentence(again.err.strip().splitlines()[-1], "exists already")
        self.assertEqual(self.run_it("review", self.place, "--sheet", self.folder / "sheets", "--force").code, 0)

    def test_without_a_sheet_it_says_what_there_is(self):
        done = self.run_it("review", self.place)
        self.assertIn("pictures were found fine", done.out)
        self.assertIn("No finding is open.", done.out)

    def test_strict_search_is_kept_in_the_project(self):
        done = self.run_it("review", self.place, "--strict")
        self.assertEqual(done.code, 0, done.err)
        self.assertIsNotNone(file.load(self.place).evidence.sweep_of("c1"))

    def test_a_report_of_checked_files_in_all_forms(self):
        out = self.folder / "quay-covered.mp4"
        self.assertEqual(self.run_it("render", self.place, "-o", out).code, 0)
        for suffix in (".json", ".html", ".pdf"):
            target = self.folder / f"r{suffix}"
            done = self.run_it("report", self.place, "--file", out, "-o", target)
            self.assertEqual(done.code, 0, done.err + done.out)
            self.assertTrue(target.stat().st_size > 500)
        plain = json.loads((self.folder / "r.json").read_text())
        self.assertEqual(plain["clips"][0]["delivered"][0]["findings"], [])
        self.assertEqual(self.run_it("report", self.place, "-o", self.folder / "r.json").code, 2)
        unproved = self.run_it("report", self.place, "-o", self.folder / "open.json")
        self.assertEqual(unproved.code, 3)
        self.assertIn("No exported file of quay.mp4 was checked", unproved.out)

    def test_check_says_what_it_compared_and_ends_with_what_it_found(self):
        out = self.folder / "quay-covered.mp4"
        self.run_it("render", self.place, "-o", out)
        done = self.run_it("check", self.place, "--file", out, "--json", self.folder / "f.json")
        self.assertEqual(done.code, 0, done.out)
        self.assertIn("Sound track 1: aac", done.out)
        self.assertEqual(json.loads((self.folder / "f.json").read_text()), [])

    def test_wrong_use_is_one_sentence(self):
        for arguments, words in (
            (("report", self.place, "-o", self.folder / "r.doc"), ("r.doc",)),
            (("report", self.place, "--file", self.folder / "none.mp4", "-o", self.folder / "r.pdf"), ("none.mp4",)),
            (("review", self.folder / "none.skiagraph"), ("none.skiagraph",)),
            (("report", self.place, "-o", self.clip), ("quay.mp4",)),
        ):
            with self.subTest(arguments[0]):
                done = self.run_it(*arguments)
                self.assertEqual(done.code, 2)
                self.assertSentence(done.err.strip().splitlines()[-1], *words)
