"""Scans and exports in the real window, as an editor meets them: decide meanwhile, cancel, keep, scan again, undo,
reopen, two windows, another project; and nobody is ever uncovered by it. The scan itself says here what the test tells
it to."""

import threading
from unittest import mock

from PySide6.QtCore import Qt

from skiagraph.desktop.window import MainWindow
from skiagraph.errors import Cancelled
from skiagraph.footage.recognition import Gallery
from skiagraph.footage.scanning import ScanNews
from skiagraph.project import cast, file
from skiagraph.project.model import Decision
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.desktop.support import DesktopTest
from tests.support import head_path, make_clip, project_on
from tests.track.test_identity import signature


def found(*paths, reached=None):
    people = tuple(FoundPerson(int(p.cx[0]), (p,), p.first, (0, 0, 10, 10)) for p in paths)
    return ScanResult(people, FaceTable.none(), (), 60, reached=reached)


class ToldScan:
    """In the place of a job's process: tells what it is given, until it is done or cancelled."""

    def __init__(self):
        self.say, self._next = [], threading.Semaphore(0)

    def tell(self, news):
        self.say.append(news)
        self._next.release()

    def done(self):
        self.tell(None)

    def __call__(self, function, *arguments, control, told=lambda value: None):
        if function.__name__ == "_listen_all":
            # What follows a scan by itself; nothing is heard.
            return 0
        while True:
            while not self._next.acquire(timeout=0.01):
                control.check()
            news = self.say.pop(0)
            if news is None:
                return None
            if isinstance(news, Exception):
                raise news
            told(news)


class LongJobsTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.scan = ToldScan()
        patcher = mock.patch("skiagraph.desktop.long_jobs.run_in_child", self.scan)
        patcher.start()
        self.addCleanup(patcher.stop)
        clip = make_clip(self.folder / "quay.mp4", 60, size=(320, 240))
        self.place = self.folder / "quay.skiagraph"
        self.left, self.right = head_path(0, 60, cx=80, cy=100), head_path(0, 60, cx=220, cy=100)
        file.save(project_on(clip, self.left, self.right), self.place)
        self.window = self.opened(self.place)

    def opened(self, place):
        window = MainWindow()
        self.addCleanup(window.close)
        window.show()
        window.open_project(place)
        self.settle()
        return window

    @property
    def project(self):
        return self.window.document.project

    def names(self):
        return [s.name for s in self.project.subjects]

    def begin(self):
        self.window.scan_clips(["c1"], 1)
        self.scan.tell(ScanNews("c1"))

    def people(self, *paths, reached=20):
        cut = [p.part(p.first, reached - 1) for p in paths]
        self.scan.tell(ScanNews("c1", found(*cut, reached=reached)))

    def end(self, *paths):
        self.scan.tell(ScanNews("c1", found(*paths), Gallery()))
        self.scan.done()
        self.until(lambda: self.window.jobs.running is None)
        self.settle()

    def test_cancelling_a_second_scan_changes_nothing(self):
        before = file.load(self.place)
        self.begin()
        self.people(self.left)
        self.until(lambda: self.project.scan_of("c1").key != "n1")
        self.assertEqual(self.names(), ["Person 1", "Person 2"], "who was not found yet is still there")
        self.window.jobs.cancel()
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        self.assertEqual((self.project.evidence, self.project.decisions), (before.evidence, before.decisions))
        self.assertIn("changed nothing", self.window.notice.text)
        self.window.document.flush()
        self.assertEqual(file.load(self.place).decisions, before.decisions)

    def test_what_was_found_can_be_kept_and_the_rest_is_a_finding(self):
        third = head_path(0, 60, cx=150, cy=180)
        self.begin()
        self.people(self.left, third)
        self.until(lambda: len(self.project.subjects) == 3)
        self.window.jobs.cancel()
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        self.assertEqual(self.names(), ["Person 1", "Person 2"])
        self.window.notice.answer.click()
        self.assertEqual(self.names(), ["Person 1", "Person 2", "Person 3"])
        self.until(
            lambda: any(
                f.reason == "not-scanned" and (f.first, f.last) == (20, 59) for f in self.window.document.findings
            )
        )
        self.assertFalse(self.window.notice.isVisible())

    def test_what_an_older_scan_had_found_never_takes_the_place_of_a_newer_one(self):
        self.begin()
        self.people(self.left)
        self.until(lambda: self.project.scan_of("c1").key != "n1")
        self.window.jobs.cancel()
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        keep = self.window.notice._then
        self.begin()
        self.assertFalse(self.window.notice.isVisible(), "the offer goes with a new scan")
        self.end(self.left, self.right)
        scan = self.project.scan_of("c1")
        keep()
        self.assertIs(self.project.scan_of("c1"), scan)

    def test_deciding_while_a_scan_runs_and_undoing_it(self):
        third = head_path(0, 60, cx=150, cy=180)
        self.begin()
        self.people(self.left, third)
        self.until(lambda: len(self.project.subjects) == 3)
        new = self.project.subjects[2].key
        self.window.session.select([new])
        self.key(self.window, Qt.Key.Key_1)
        self.assertEqual(self.project.subject(new).decision, Decision.COVER)
        self.people(self.left, self.right, third, reached=40)
        self.until(lambda: self.project.subject(new).sightings[0].last == 39)
        self.window.document.undo()
        self.assertEqual(
            (self.project.subject(new).decision, self.project.subject(new).sightings[0].last), (Decision.UNDECIDED, 39)
        )
        self.window.document.redo()
        self.end(self.left, self.right, third)
        self.assertEqual(
            (self.project.subject(new).decision, self.project.subject(new).sightings[0].last), (Decision.COVER, 59)
        )
        self.window.document.undo()
        self.assertEqual(
            (self.project.subject(new).decision, self.project.subject(new).sightings[0].last), (Decision.UNDECIDED, 59)
        )
        self.assertTrue(all(s.is_covered for s in self.project.subjects))

    def test_people_are_known_again_from_one_clip_to_the_next(self):
        self.window.add_clips([make_clip(self.folder / "hall.mp4", 50, size=(320, 240))])
        self.until(lambda: len(self.project.clips) == 2)
        self.window.scan_clips(["c1", "c2"], 1)
        for clip, seed in (("c1", 1), ("c2", 5)):
            result = found(self.left)
            from dataclasses import replace

            known = tuple(replace(p, signature=signature(3, seed=seed)) for p in result.people)
            self.scan.tell(ScanNews(clip))
            # Each word of the job brings a gallery of its own, from another process.
            self.scan.tell(ScanNews(clip, replace(result, people=known), Gallery()))
        self.scan.done()
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        self.assertEqual([sorted({g.clip for g in s.sightings}) for s in self.project.subjects], [["c1", "c2"], ["c1"]])
        self.assertEqual(cast.open_likenesses(self.project), [])

    def test_a_scan_that_misses_somebody_says_so_and_covers_them_still(self):
        self.begin()
        self.end(self.left)
        self.assertIn("Person 2", self.window.notice.text)
        self.assertTrue(self.project.subject("s2").is_covered)
        self.until(
            lambda: any(f.reason == "not-found-again" and f.subject == "s2" for f in self.window.document.findings)
        )
        self.window.document.flush()
        reopened = file.load(self.place)
        self.assertEqual([(s.first, s.last) for s in reopened.subject("s2").sightings], [(0, 59)])

    def test_a_scan_that_fails_is_a_sentence_and_changes_nothing(self):
        before = self.project.decisions
        self.begin()
        self.people(self.left, head_path(0, 60, cx=150, cy=180))
        self.until(lambda: len(self.project.subjects) == 3)
        self.scan.tell(Cancelled())
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        self.assertEqual(self.project.decisions, before)

    def test_what_a_scan_brings_after_another_project_was_opened_goes_nowhere(self):
        other = self.folder / "other.skiagraph"
        file.save(project_on(make_clip(self.folder / "hall.mp4", 60, size=(320, 240)), self.left), other)
        self.begin()
        self.people(self.left)
        self.until(lambda: self.project.scan_of("c1").key != "n1")
        runner = self.window.jobs.running
        self.window.open_project(other)
        self.assertIn("stopped", self.window.notice.text)
        before = self.project
        # A last word of the job that is being stopped arrives late.
        runner.told.emit(ScanNews("c1", found(self.left, self.right, head_path(0, 60, cx=150)), Gallery()))
        self.until(lambda: self.window.jobs.running is None)
        self.settle()
        self.assertEqual((self.project.decisions, self.project.evidence), (before.decisions, before.evidence))
        self.window.document.flush()
        self.assertEqual(len(file.load(other).subjects), 1)

    def test_clips_that_were_being_added_to_a_project_that_was_left_go_nowhere(self):
        self.window.jobs.add([make_clip(self.folder / "late.mp4", 20)])
        self.window.document.begin(self.folder / "new.skiagraph")
        self.until(lambda: self.window.jobs.adding is None)
        self.settle()
        self.assertEqual(self.project.clips, ())

    def test_a_second_window_on_a_project_only_looks(self):
        second = self.opened(self.place)
        self.assertIn("open in", second.notice.text)
        self.assertTrue(second._place.text().endswith("read-only"))
        self.assertFalse(second.document.edit("cover everyone", cast.cover_all))
        second.scan_clips(["c1"], 1)
        self.assertIsNone(second.jobs.running)
        self.assertTrue(self.window.document.edit("cover everyone", cast.cover_all))
        self.window.document.flush()
        second.close()
        self.assertTrue(
            all(s.decision == Decision.COVER for s in file.load(self.place).subjects), "the other's decisions stand"
        )
        copy = self.folder / "copy.skiagraph"
        third = self.opened(self.place)
        with mock.patch("skiagraph.desktop.window.QFileDialog.getSaveFileName", return_value=(str(copy), "")):
            third.notice.answer.click()
        self.assertEqual((third.document.path, third.document.read_only), (copy, ""))
        self.assertTrue(third.document.edit("show", cast.decide, ["s1"], Decision.SHOW))
        third.document.flush()
        self.assertEqual(file.load(copy).subject("s1").decision, Decision.SHOW)
        self.assertEqual(file.load(self.place).subject("s1").decision, Decision.COVER)

    def test_a_file_that_something_else_wrote_is_not_overwritten_and_it_is_said(self):
        file.save(cast.decide(file.load(self.place), ["s1"], Decision.COVER), self.place)
        self.window.document.edit("show", cast.decide, ["s1"], Decision.SHOW)
        self.until(lambda: "not saved" in self.window._place.text())
        self.assertIn("changed on disk", self.window.notice.text)
        self.assertEqual(file.load(self.place).subject("s1").decision, Decision.COVER)
        with mock.patch(
            "skiagraph.desktop.window.QFileDialog.getSaveFileName",
            return_value=(str(self.folder / "mine.skiagraph"), ""),
        ):
            self.window.notice.answer.click()
        self.assertEqual(file.load(self.folder / "mine.skiagraph").subject("s1").decision, Decision.SHOW)

    def test_reopening_the_project_that_is_open(self):
        self.window.document.edit("show", cast.decide, ["s1"], Decision.SHOW)
        self.window.open_project(self.place)
        self.assertEqual((self.project.subject("s1").decision, self.window.document.read_only), (Decision.SHOW, ""))

    def test_recent_projects_are_remembered(self):
        self.assertEqual(self.window.recent_projects(), [str(self.place)])
        self.assertEqual([a.text() for a in self.window.actions_._recent.actions()], ["quay.skiagraph"])


class AddingTest(DesktopTest):
    def test_reading_a_clip_tells_how_far_it_is_and_can_be_cancelled(self):
        window = MainWindow()
        self.addCleanup(window.close)
        window.show()
        clip = make_clip(self.folder / "long.webm", 30, encoder="libvpx-vp9")
        told, go = [], threading.Event()

        def slow(path, control, rate):
            control.report("Reading the clip", 10, 100)
            told.append(path)
            while not go.wait(0.01):
                control.report("Reading the clip", 10, 100)
            raise AssertionError("it should have been cancelled")

        with (
            mock.patch("skiagraph.desktop.long_jobs.open_clip", slow),
            mock.patch("skiagraph.desktop.long_jobs.SHOW_AFTER_MS", 1),
        ):
            window.add_clips([clip])
            self.until(lambda: told and window.intake.isVisible() and window.intake._bar.value() == 100)
            window.intake.cancelPressed.emit()
            self.until(lambda: window.jobs.adding is None)
        self.settle()
        self.assertFalse(window.intake.isVisible())
        self.assertEqual(window.document.project.clips, ())
        window.add_clips([clip])
        self.until(lambda: len(window.document.project.clips) == 1)
