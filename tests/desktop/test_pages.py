"""The pages and what stands behind them: shown from values, told by signals."""

from unittest import mock

import cv2
import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QLabel, QPushButton

from skiagraph.desktop.document import Document
from skiagraph.desktop.footage_page import FootagePage
from skiagraph.desktop.handover_page import HandoverPage
from skiagraph.desktop.help_sheet import HelpSheet
from skiagraph.desktop.job_strip import JobStrip
from skiagraph.desktop.picture_server import PictureServer, Wish
from skiagraph.desktop.portraits import Portraits, closeup_of, cropped
from skiagraph.desktop.queue_view import QueueView
from skiagraph.desktop.review_page import ReviewPage
from skiagraph.desktop.session import Session, View
from skiagraph.footage.adding import add_clip
from skiagraph.footage.source import SourceState
from skiagraph.handover.preset import FIRST
from skiagraph.handover.queue import Job, State, Target
from skiagraph.handover.worker import News
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.jobs import Progress
from skiagraph.media.index import open_clip
from skiagraph.project import cast, edits, file
from skiagraph.project.model import Decision, Portrait, Project, replace
from skiagraph.review.findings import acceptance_of, findings
from skiagraph.review.overview import ClipRow, clip_rows
from skiagraph.review.proof import Fact
from tests.desktop.support import DesktopTest
from tests.support import head_path, make_clip, project_on


class PageTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "quay.mp4", 60, size=(320, 240))
        self.project = project_on(
            self.clip, head_path(0, 60, cx=160, cy=120, width=60, height=80), head_path(0, 60, confidence=0.1)
        )

    def keep(self, widget):
        self.addCleanup(widget.deleteLater)
        widget.resize(1200, 640)
        widget.show()
        self.settle()
        return widget


class FootageTest(PageTest):
    def test_few_clips_have_larger_pictures_and_none_is_cut_off(self):
        page, clip, heights = self.keep(FootagePage()), self.project.clip("c1"), []
        for count in (1, 3, 40):
            page.set_clips([ClipRow(replace(clip, key=f"c{n}")) for n in range(count)], lambda c: None, False)
            self.settle()
            heights.append(page._cards[0].thumbnail.height())
            for width in (1000, 1200):
                page.resize(width, 640)
                self.settle()
                self.assertLessEqual(page._body.width(), page._scroll.viewport().width())
        self.assertGreater(heights[0], heights[1])
        self.assertGreater(heights[1], heights[2])

    def test_cards_say_what_is_and_offer_what_can_be_done(self):
        page = self.keep(FootagePage())
        clip = self.project.clip("c1")
        lost = replace(clip, key="c3", damage="quay.mp4 is damaged at 00:00:01:00.")
        page.set_clips(
            [
                ClipRow(clip),
                ClipRow(replace(clip, key="c2"), True, False, 3, 1),
                ClipRow(lost, True, False, 1, 0, 0, SourceState.MISSING),
            ],
            lambda c: None,
            False,
        )
        self.settle()
        new, scanned, lost = page._cards
        self.assertEqual(
            (new.scan.text(), scanned.scan.text(), lost.scan.isEnabled(), lost.open.isEnabled()),
            ("Scan", "Scan again", False, False),
        )
        asked = self.heard(page.scanPressed)
        page.scan_all.click()
        self.assertEqual(asked, [(["c1"], 1)])
        page.way.button("step").click()
        page.step.setValue(8)
        new.scan.click()
        self.assertEqual(asked[-1], (["c1"], 8))
        self.assertFalse(page._empty.isVisible())


class ReviewTest(PageTest):
    def page(self):
        page = self.keep(ReviewPage())
        self.addCleanup(page.close_workers)
        return page

    def count(self, page):
        return sum(page.list.rows.rowCount(page.list.rows.index(n, 0)) for n in range(page.list.rows.rowCount()))

    def test_worst_first_and_accepted_ones_apart(self):
        page = self.page()
        found = findings(self.project)
        page.set_findings(self.project, found)
        self.settle()
        self.assertEqual(self.count(page), len(found))
        looked = self.heard(page.lookWanted)
        page.list.select(found[0])
        page.look.click()
        self.assertEqual(looked, [found[0]])
        f = found[0]
        accepted = edits.accept(self.project, acceptance_of(self.project, f, "Ida", "back of the head"))
        page.set_findings(accepted, found)
        self.settle()
        self.assertEqual(self.count(page), len(found) - 1)
        page.filter.button("accepted").click()
        self.assertEqual(self.count(page), 1)
        taken = self.heard(page.withdrawn)
        page.list.select(f)
        page.accept.click()
        self.assertEqual(taken, [[accepted.accepted[0]]])

    def test_thousands_of_findings_are_all_listed_and_only_those_on_the_screen_are_worded(self):
        page = self.page()
        from dataclasses import replace as with_fields

        found = [
            with_fields(findings(self.project)[0], first=n % 60, last=n % 60, at=n % 60, worst=n / 10000)
            for n in range(5000)
        ]
        page.set_findings(self.project, found)
        self.settle()
        self.assertEqual(self.count(page), 5000)
        page.list.viewport().grab()
        self.assertLess(len(page.list.rows._sentences), 60)

    def test_several_are_accepted_at_once_and_only_with_a_name(self):
        page = self.page()
        found = findings(self.project)
        page.set_findings(self.project, found)
        self.settle()
        accepted, missing = self.heard(page.accepted), self.heard(page.nameMissing)
        page.name.clear()
        page.list.selectAll()
        page.accept.click()
        self.assertEqual((len(missing), accepted), (1, []))
        page.name.setText("Ida")
        page.accept.click()
        self.assertEqual((set(accepted[0][0]), accepted[0][1]), (set(found), "Ida"))

    def test_groups_fold_and_say_how_many_they_hold(self):
        page = self.page()
        found = findings(self.project)
        page.set_findings(self.project, found)
        self.settle()
        page.by.set_value("reason")
        page.by.chosen.emit("reason")
        titles = {page.list.rows.data(page.list.rows.index(n, 0)) for n in range(page.list.rows.rowCount())}
        self.assertEqual(titles, {f.kind.word for f in found})

    def test_without_findings_it_says_so(self):
        page = self.page()
        page.set_findings(self.project, [])
        self.settle()
        self.assertTrue(page._none.isVisible())
        self.assertFalse(page.list.isVisible())


class HandoverTest(PageTest):
    def page(self, project=None, waiting=0, exposing=0, **more):
        page = self.keep(HandoverPage())
        self.addCleanup(page.close_workers)
        page.set_clips(clip_rows(project or self.project), waiting, exposing, **more)
        return page

    def test_what_is_chosen_is_ordered(self):
        page = self.page(waiting=2, exposing=1)
        asked, side = self.heard(page.ordered), page.side
        side.format.setCurrentIndex(side.format.findData("ffv1-mkv"))
        side.format.activated.emit(0)
        side.matte.setChecked(True)
        side.alpha.setChecked(True)
        side.companions["otio"].setChecked(True)
        page.press_export()
        (order,) = asked
        self.assertEqual(
            (order.clips, order.folder, order.check, order.parts, order.pattern),
            (("c1",), self.folder / "covered", True, None, "{clip}"),
        )
        self.assertEqual(
            (order.film, [w.kind for w in order.beside], [c.kind for c in order.companions]),
            (CoveredFilm("ffv1-mkv"), ["matte", "covers-only"], ["otio"]),
        )
        self.assertEqual(
            (side.preset.currentText(), side.grade.isHidden(), side._set_grade.text()),
            ("Set by hand", True, "without loss"),
        )
        self.assertIn("2 findings are open, 1 of them may show somebody", side.warning.text())
        page._boxes[0][1].click()
        self.assertEqual(page.order().clips, ())

    def test_few_clips_show_what_leaves_and_a_click_goes_there(self):
        page = self.page()
        page.show_results(self.project)
        (strip,) = page._strips
        self.until(lambda: all(p.image is not None for p in strip.pictures))
        first = strip.pictures[0]
        source = self.page(project := add_clip(Project(), *open_clip(self.clip)))
        source.show_results(project)
        plain = source._strips[0].pictures[0]
        self.until(lambda: plain.image is not None)
        self.assertEqual(plain.crop, first.crop)
        middle = first.image.width() // 2, first.image.height() // 2
        self.assertNotEqual(first.image.pixel(*middle), plain.image.pixel(*middle), "the result, not the source")
        wanted = self.heard(page.pictureWanted)
        strip.pictures[1].click()
        self.assertEqual(wanted, [strip.pictures[1].crop])
        shown = cast.decide(self.project, ["s1"], Decision.SHOW)
        page.show_results(shown)
        self.until(lambda: first.image.pixel(*middle) == plain.image.pixel(*middle))

    def test_pictures_are_the_smaller_the_more_there_is_and_nothing_scrolls_for_them(self):
        page, clip, heights = self.page(), self.project.clip("c1"), []
        for count, jobs in ((1, []), (2, []), (2, [self.job("one")]), (12, [])):
            page.show_jobs(jobs, False)
            page.set_clips([ClipRow(replace(clip, key=f"c{n}"), True) for n in range(count)], 0, 0)
            self.settle()
            heights.append(sum(p.height() for strip in page._strips for p in strip.pictures[:1]) // count)
            if page._strips:
                self.assertLessEqual(page._scroll.widget().height(), page._scroll.height())
                for strip in page._strips:
                    self.assertLessEqual(strip.pictures[-1].geometry().right(), strip.width())
        self.assertEqual(heights[-1], 0, "many have none")
        self.assertTrue(heights[0] >= heights[1] >= heights[2] > 0, heights)
        page.set_clips([ClipRow(clip, True, source=SourceState.MISSING)], 0, 0)
        self.assertEqual(page._strips, [], "what is not there has no picture")

    def test_a_preset_fills_all_of_it_and_one_of_ones_own_is_kept_and_forgotten(self):
        side = self.page().side
        side.preset.setCurrentIndex(side.preset.findData("Web"))
        side.preset.activated.emit(0)
        self.assertEqual(side.film, CoveredFilm("h264-mp4", grade="good", size="most-1080", sound="aac"))
        side.size.setCurrentIndex(side.size.findData("720"))
        side.size.activated.emit(0)
        with mock.patch("skiagraph.desktop.handover_side.QInputDialog.getText", return_value=("Evening news", True)):
            side.keep.click()
        self.assertEqual(
            (side.preset.currentData(), side.film.size, side.keep.text()), ("Evening news", "720", "Forget")
        )
        again = self.page().side
        again.take_kept(side.kept)
        self.assertEqual(again.film, side.film)
        side.keep.click()
        self.assertEqual((side.preset.currentData(), side.preset.findData("Evening news")), (FIRST, -1))

    def test_a_clip_nobody_searched_is_handed_over_only_by_choice(self):
        bare = add_clip(Project(), *open_clip(self.clip))
        page = self.page(bare)
        self.assertEqual(page.chosen, [])
        self.assertIn("nobody in it is covered", " ".join(label.text() for label in page.findChildren(QLabel)))
        page._boxes[0][1].click()
        page.set_clips(clip_rows(bare), 0, 0)
        self.assertEqual(page.chosen, ["c1"])

    def test_only_what_a_programme_uses(self):
        page = self.page(parts={"c1": [(2, 5), (8, 9)]}, programme="evening.otio")
        self.assertIn("evening.otio", page.side.marked.text())
        page.side.marked.setChecked(True)
        self.settle()
        self.assertEqual(page.order().parts, {"c1": [(2, 5), (8, 9)]})
        self.assertIn("2 parts, 6 frames", [label.text() for label in page._parts_labels])
        page.set_clips(clip_rows(self.project), 0, 0, {}, "evening.otio")
        self.assertEqual(page.chosen, [], "what it does not use stays")

    def test_sizes_are_told_for_each_and_for_all(self):
        page = self.page()
        page.show_estimates({"c1": 12_400_000}, False)
        self.assertEqual(
            (page._boxes[0][2].text(), page.side.estimate.text()),
            ("about 12.4 MB", "About 12.4 MB for the films, 41.3 Mbit/s."),
        )
        page.show_estimates({}, True)
        self.assertIn("Estimating", page.side.estimate.text())

    def job(self, key, **changes):
        return Job(
            key,
            "b",
            f"{key}.mp4",
            self.folder,
            "c1",
            (Target(CoveredFilm(), self.folder / f"{key}.mp4"),),
            frames=50,
            pixels=100,
            **changes,
        )

    def test_the_queue_shows_what_runs_first_and_what_may_be_done_with_each(self):
        view = self.keep(QueueView())
        jobs = [
            self.job(
                "done",
                state=State.DONE,
                said="Written and checked.",
                findings=0,
                facts=(Fact("Covers", "all as decided"), Fact("Depth", "less", False)),
            ),
            self.job("one"),
            self.job("two"),
            self.job("now", state=State.RUNNING),
            self.job("bad", state=State.FAILED, said="The disk is full."),
        ]
        wished = self.heard(view.wished)
        view.show_jobs(jobs, False)
        self.settle()
        self.assertEqual(list(view.rows), ["now", "one", "two", "done", "bad"])
        buttons = {
            key: [b.toolTip() or b.text() for b in row.findChildren(QAbstractButton) if b.isEnabled()]
            for key, row in view.rows.items()
        }
        self.assertEqual(buttons["one"][0], "Do this later")
        self.assertEqual(buttons["two"][0], "Do this earlier")
        for key, text in (("bad", "Try again"), ("now", "Cancel"), ("done", "Open folder")):
            next(b for b in view.rows[key].findChildren(QPushButton) if b.text() == text).click()
        self.assertEqual(wished, [("retry", "bad"), ("cancel", "now"), ("open", "done")])
        view.show_news(News(jobs[3], Progress("Exporting", 30, 60, 3.0, 10.0), None, 3.0, 125.0))
        self.assertEqual(
            (view.rows["now"].text, view.rows["now"]._far.text(), view.summary),
            ("Exporting", "30 / 60, 10 frames/s · 3 s left", "3 left · 2 min 05 s"),
        )
        view._wish("unfold", "done")
        self.settle()
        texts = [label.text() for label in view.rows["done"].findChildren(QLabel)]
        self.assertTrue({"Covers", "all as decided", "less"} <= set(texts))
        view.show_jobs(jobs, True)
        self.assertEqual((view.pause.text(), view.summary, view.rows["now"].text), ("Go on", "3 left · paused", "Held"))
        kept = view.rows["one"]
        view.show_jobs(
            [job if job.key != "two" else replace(job, state=State.CANCELLED, said="Cancelled.") for job in jobs], False
        )
        self.assertEqual((list(view.rows), view.rows["two"].text), (["now", "one", "done", "two", "bad"], "Cancelled."))
        self.assertIsNot(view.rows["one"], kept, "it is the last of those that wait now")
        self.assertEqual([view._list.itemAt(n).widget() for n in range(5)], list(view.rows.values()))
        view.show_jobs([], False)
        self.settle()
        self.assertTrue(view._empty.isVisible() and not view.clear.isVisible())

    def test_strip_shows_progress_and_time_left_and_says_what_cancel_does(self):
        strip = self.keep(JobStrip("Stop the export; whole files stay"))
        strip.begin("Exporting")
        strip.show_progress("Exporting", Progress("Exporting", 30, 60, 3.0))
        self.assertTrue(strip.isVisible())
        self.assertEqual((strip.text, strip._bar.value(), strip._left.text()), ("Exporting", 500, "3 s left"))
        cancelled = self.heard(strip.cancelPressed)
        (button,) = strip.findChildren(QPushButton)
        self.assertIn("whole files stay", button.toolTip())
        button.click()
        self.assertEqual(len(cancelled), 1)


class DocumentTest(PageTest):
    def opened(self):
        place = self.folder / "p.skiagraph"
        file.save(self.project, place)
        document = Document()
        self.addCleanup(document.close)
        document.open(place)
        return document

    def test_edits_undo_and_findings(self):
        document = self.opened()
        self.until(lambda: document.findings)
        self.assertTrue(document.edit("cover everybody", cast.cover_all))
        self.assertEqual(document.undo_name, "cover everybody")
        document.undo()
        self.assertEqual(document.redo_name, "cover everybody")
        refused = self.heard(document.refused)
        self.assertFalse(document.edit("rename", edits.rename, "s1", " "))
        self.assertSentence(refused[0])

    def test_gallery_goes_with_the_project(self):
        document = self.opened()
        first = document.gallery
        document.begin(self.folder / "other.skiagraph")
        self.assertIsNot(document.gallery, first)


class SessionTest(PageTest):
    def test_everything_is_kept_within_what_exists(self):
        document = Document()
        self.addCleanup(document.close)
        document.begin(self.folder / "p.skiagraph")
        session = Session(document)
        document.edit("x", lambda project: self.project)
        session.set_clip("c1")
        session.set_frame(500)
        self.assertEqual(session.frame, 59)
        session.select(["s1", "s2"])
        document.edit("remove", edits.remove_subjects, ["s2"])
        self.assertEqual(session.selected, ["s1"])
        session.set_mark("in", 40)
        session.set_mark("out", 20)
        self.assertEqual(session.marks, (None, 20))
        session.set_peek(True)
        self.assertEqual((session.view, session.chosen_view), (View.SOURCE, View.RESULT))
        document.edit("remove clip", edits.remove_clip, "c1")
        self.assertIsNone(session.clip)


class PictureServerTest(PageTest):
    def setUp(self):
        super().setUp()
        self.server = PictureServer()
        self.addCleanup(self.server.close)

    def test_the_newest_wish_is_served(self):
        made = self.heard(self.server.made)
        for n in range(30):
            self.server.ask(Wish(self.project, "c1", n, View.RESULT, 320, 240))
        self.until(lambda: made and made[-1].wish.frame == 29)
        self.assertLess(len(made), 30)
        self.assertEqual(made[-1].image.width(), 320)

    def test_each_still_carries_the_number_of_its_wish(self):
        made = self.heard(self.server.made)
        numbers = [self.server.ask(Wish(self.project, "c1", n, View.RESULT, 320, 240)) for n in range(12)]
        self.assertEqual(numbers, sorted(set(numbers)))
        self.until(lambda: made and made[-1].wish.number == numbers[-1])
        self.assertEqual([p.wish.number for p in made], sorted(p.wish.number for p in made))

    def test_split_brings_both_and_smaller_is_smaller(self):
        made = self.heard(self.server.made)
        self.server.ask(Wish(self.project, "c1", 3, View.SPLIT, 160, 120))
        self.until(lambda: bool(made))
        self.assertIsNotNone(made[0].other)
        self.assertEqual((made[0].image.width(), made[0].image.height()), (160, 120))

    def test_a_lost_clip_is_a_sentence(self):
        failed = self.heard(self.server.failed)
        self.clip.unlink()
        self.server.ask(Wish(self.project, "c1", 3, View.RESULT, 320, 240))
        self.until(lambda: bool(failed))
        self.assertSentence(failed[0], "quay.mp4")

    def test_playing_makes_pictures_ahead_in_both_directions(self):
        for step, first in ((1, 0), (-1, 59)):
            self.server.play(Wish(self.project, "c1", first, View.RESULT, 320, 240), step, 0, 59)
            self.until(lambda: len(self.server._ready) >= 4)
            frames = [p.wish.frame for p in self.server._ready[:4]]
            self.assertEqual(frames, [first + step * n for n in range(4)])
            taken = self.server.take(first + 2 * step, step)
            self.assertEqual(taken.wish.frame, first + 2 * step)
        self.server.stop()


class SmallPicturesTest(PageTest):
    def test_faces_and_first_frames_are_made_once(self):
        portraits = Portraits()
        self.addCleanup(portraits.close)
        portrait = Portrait("c1", 5, (140, 90, 180, 130))
        made = []
        portraits.made.connect(lambda: made.append(True))
        self.assertIsNone(portraits.face(self.project, portrait))
        self.until(lambda: bool(made))
        self.assertEqual(portraits.face(self.project, portrait).width(), 96)
        self.assertIsNone(portraits.face(self.project, None))
        self.assertIsNone(portraits.face(self.project, Portrait("gone", 1, (0, 0, 1, 1))))

    def test_pictures_that_nobody_asked_for_longest_make_room_and_are_made_again(self):
        portraits = Portraits()
        self.addCleanup(portraits.close)
        faces = [Portrait("c1", frame, (140, 90, 180, 130)) for frame in range(6)]
        with mock.patch("skiagraph.desktop.portraits.KEPT_BYTES", 3 * 96 * 96 * 4):
            for face in faces:
                portraits.face(self.project, face)
                self.until(lambda: portraits.face(self.project, face) is not None)
                self.assertLessEqual(portraits.held_bytes, 3 * 96 * 96 * 4)
            self.assertIsNotNone(portraits.face(self.project, faces[4]))
            self.assertIsNone(portraits.face(self.project, faces[0]))
            self.until(lambda: portraits.face(self.project, faces[0]) is not None)
            self.assertIsNotNone(portraits.face(self.project, faces[4]), "it was asked for later than others")

    def test_who_lies_is_shown_upright(self):
        # Smooth, so that half a pixel is no difference.
        picture = cv2.resize(
            np.random.default_rng(4).integers(0, 255, (15, 20, 3)).astype(np.uint8),
            (400, 300),
            interpolation=cv2.INTER_CUBIC,
        )
        upright = cropped(picture, (120, 90, 180, 150), 0)
        for turns in range(1, 4):
            # Turned clockwise with the picture, and its box.
            turned, (x0, y0, x1, y1) = picture, (120, 90, 180, 150)
            for _ in range(turns):
                high = turned.shape[0]
                turned, (x0, y0, x1, y1) = (
                    np.ascontiguousarray(np.rot90(turned, -1)),
                    (high - 1 - y1, x0, high - 1 - y0, x1),
                )
            self.assertLess(np.abs(cropped(turned, (x0, y0, x1, y1), turns).astype(int) - upright).mean(), 6, turns)
            self.assertGreater(np.abs(cropped(turned, (x0, y0, x1, y1), 0).astype(int) - upright).mean(), 30)

    def test_both_sides_of_a_meeting_are_shown_upright(self):
        picture = cv2.resize(
            np.random.default_rng(4).integers(0, 255, (15, 20, 3)).astype(np.uint8),
            (400, 300),
            interpolation=cv2.INTER_CUBIC,
        )
        upright = closeup_of(picture, (100, 60, 160, 150), (120, 180), 0)
        self.assertEqual(upright.shape, (180, 120, 3))
        lying = closeup_of(np.ascontiguousarray(np.rot90(picture, -1)), (149, 100, 239, 160), (120, 180), 1)
        self.assertEqual(lying.shape, upright.shape)
        self.assertLess(np.abs(lying.astype(int) - upright).mean(), 6)

    def test_help_sheet_lists_every_key_once(self):
        from skiagraph.desktop.window import MainWindow

        window = MainWindow()
        self.addCleanup(window.close)
        sheet = HelpSheet(window.actions_.groups, window.actions_.summed, window)
        self.addCleanup(sheet.deleteLater)
        keys = [s.toString() for actions in window.actions_.groups.values() for a in actions for s in a.shortcuts()]
        self.assertEqual(len(keys), len(set(keys)), "no key means two things")
        self.key(sheet, Qt.Key.Key_Escape)


class WindowsAtOtherScalesTest(DesktopTest):
    """Nothing is cut off when everything is twice as large: a process of its own, since the scale is set once."""

    def test_at_200_percent(self):
        import subprocess
        import sys

        code = (
            "from tests.desktop.support import application, screenshot\napp = application()\nfrom"
            " skiagraph.desktop.window import MainWindow\nwindow = MainWindow()\nwindow.resize(1280,"
            " 800)\nwindow.show()\napp.processEvents()\nfor step in range(4):\n    window.show_step(step)\n   "
            " app.processEvents()\nimage = window.grab().toImage()\nprint(image.width(), image.height(),"
            " window.centralWidget().minimumSizeHint().width() <= 1280,"
            " window.centralWidget().minimumSizeHint().height() <= 800)\nwindow.close()"
        )
        import os

        done = subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            timeout=120,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": "2"},
        )
        self.assertEqual(done.stdout.split()[-4:], ["2560", "1600", "True", "True"], done.stderr)


class StartTest(DesktopTest):
    """From the command line to the window."""

    def test_demo_opens_and_the_window_closes_cleanly(self):
        import os
        import subprocess
        import sys

        code = (
            "import sys\nfrom PySide6.QtCore import QTimer\nfrom PySide6.QtWidgets import QApplication\napp ="
            " QApplication(['skiagraph'])\nQTimer.singleShot(1500, lambda: [w.close() for w in"
            " app.topLevelWidgets()])\nQTimer.singleShot(2500, app.quit)\nfrom skiagraph import"
            " cli\nsys.exit(cli.main(['open', '--demo']))"
        )
        done = subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            timeout=120,
            env={
                **os.environ,
                "QT_QPA_PLATFORM": "offscreen",
                "XDG_DATA_HOME": str(self.folder / "data"),
                "XDG_CACHE_HOME": str(self.folder / "cache"),
            },
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue(list((self.folder / "data").rglob("quay-inquiry.skiagraph")))
