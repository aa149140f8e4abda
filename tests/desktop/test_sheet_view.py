"""The contact sheet in the real window: pictures come, keys go through it, what is said is kept and undone."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from skiagraph.desktop.reel_sheet import ReelSheet
from skiagraph.desktop.sheet_view import HEAD, TALL, WIDE, SheetView
from skiagraph.desktop.window import COVER, REVIEW
from skiagraph.review.looking import Part
from skiagraph.review.reel import reel_of
from skiagraph.review.sheet import Crop, Looked
from tests.desktop.support import DesktopTest
from tests.desktop.test_window import MadeWindow
from tests.support import head_path


class SheetViewTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.asked = []
        self.view = SheetView(lambda crop: self.asked.append(crop), lambda crop: f"{crop.at:02d}", lambda crop: "")
        self.addCleanup(self.view.deleteLater)
        self.view.resize(4 * (WIDE + 20), 500)
        self.view.show()

    def sections(self, *counts):
        return [
            Part(
                f"Person {s}",
                "",
                tuple((Crop("c1", f"s{s}", n, n, n, (0, 0, 8, 10), 0.1, ""), Looked()) for n in range(count)),
            )
            for s, count in enumerate(counts)
        ]

    def test_arrows_go_over_rows_and_sections(self):
        self.view.set_sections(self.sections(6, 3))
        self.assertEqual(self.view.columns, 4)
        for key, at in (
            (Qt.Key.Key_Right, ("s0", 1)),
            (Qt.Key.Key_Down, ("s0", 5)),
            (Qt.Key.Key_Down, ("s1", 1)),
            (Qt.Key.Key_Left, ("s1", 0)),
            (Qt.Key.Key_Up, ("s0", 4)),
            (Qt.Key.Key_End, ("s1", 2)),
            (Qt.Key.Key_Home, ("s0", 0)),
        ):
            QTest.keyClick(self.view, key)
            self.assertEqual((self.view.current.subject, self.view.current.at), at)

    def test_of_thousands_only_those_on_the_screen_are_painted(self):
        self.view.set_sections(self.sections(*[500] * 10))
        self.settle()
        self.asked.clear()
        self.view.grab()
        self.assertLess(len(set(self.asked)), 40)
        self.view.choose(4999)
        self.asked.clear()
        self.view.grab()
        self.assertIn(self.view.crops[4999], self.asked)

    def test_a_picture_that_is_not_there_cannot_be_fine_but_looked_at_again(self):
        self.view.set_sections(self.sections(3))
        said = self.heard(self.view.said)
        QTest.keyClick(self.view, Qt.Key.Key_E)
        self.assertEqual(said, [])
        QTest.keyClick(self.view, Qt.Key.Key_A)
        self.assertEqual(said, [([self.view.crops[0]], False)])

    def test_click_goes_there_and_resting_plays(self):
        self.view.set_sections(self.sections(6))
        wanted, played = self.heard(self.view.fixWanted), self.heard(self.view.playWanted)
        place = QPoint(WIDE + 30, HEAD + 20)
        QTest.mouseMove(self.view.viewport(), place)
        self.until(lambda: played and played[-1] == self.view.crops[1], 5)
        self.click(self.view.viewport(), place.x(), place.y())
        self.assertEqual(wanted, [self.view.crops[1]])

    def test_what_was_chosen_stays_chosen_or_what_took_its_place(self):
        self.view.set_sections(self.sections(6))
        self.view.choose(3)
        self.view.set_sections(self.sections(6, 2))
        self.assertEqual(self.view.current.at, 3)
        shorter = Part("Person 0", "", tuple(pair for pair in self.sections(6)[0].crops if pair[0].at != 3))
        self.view.set_sections([shorter])
        self.assertEqual(self.view.current.at, 4)
        self.assertGreater(TALL, WIDE)


class ReviewInWindowTest(MadeWindow):
    def review(self, **how):
        self.open_made(head_path(0, 50, cx=100, cy=100, width=50, height=66, **how))
        self.window.show_step(REVIEW)
        self.settle()
        return self.window.review

    def all_made(self, review):
        self.until(lambda: review.sheet.crops and all(review.crops.is_made(crop) for crop in review.sheet.crops), 60)

    def test_pictures_come_and_are_found_fine_by_keys_and_undone(self):
        review = self.review()
        self.all_made(review)
        review.grab()
        count = len(review.sheet.crops)
        self.assertGreater(count, 2)
        review.name.setText("Ida")
        review.name.editingFinished.emit()
        review.sheet.setFocus()
        QTest.keyClick(review.sheet, Qt.Key.Key_E)
        self.settle()
        self.assertEqual(len(review.sheet.crops), count - 1)
        self.assertEqual(self.project.decisions.glances[0].by, "Ida")
        QTest.keyClick(review.sheet, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        self.assertEqual(review.sheet.crops, [])
        self.assertTrue(review._nothing.isVisible())
        self.window.document.undo()
        self.settle()
        self.assertEqual(len(review.sheet.crops), count - 1)
        review.everything.setChecked(True)
        self.assertEqual(len(review.sheet.crops), count)

    def test_look_again_becomes_a_finding_and_enter_goes_there(self):
        review = self.review()
        self.all_made(review)
        review.sheet.setFocus()
        crop = review.sheet.current
        QTest.keyClick(review.sheet, Qt.Key.Key_A)
        self.until(lambda: any(f.reason == "look-again" for f in self.window.document.waiting))
        review.sheet.choose(review.sheet.crops.index(crop))
        QTest.keyClick(review.sheet, Qt.Key.Key_Return)
        self.assertEqual(
            (self.window.pages.currentIndex(), self.window.session.frame, self.window.session.subject.key),
            (COVER, crop.at, crop.subject),
        )

    def test_a_changed_cover_makes_its_pictures_anew(self):
        review = self.review()
        self.all_made(review)
        crop = review.sheet.current
        before = review.crops.picture(crop)
        from skiagraph.project import edits
        from skiagraph.project.model import Cover, Style

        self.window.document.edit("x", edits.set_project_style, Style.of(Cover.kinds["solid"]((0, 255, 0))))
        self.settle()
        self.until(lambda: review.crops.is_made(crop), 30)
        after = review.crops.picture(crop)
        middle = after.width() // 2, after.height() // 2
        self.assertNotEqual(before.pixelColor(*middle), after.pixelColor(*middle))
        self.assertGreater(after.pixelColor(*middle).green(), 200)

    def test_space_plays_and_stops(self):
        review = self.review()
        self.all_made(review)
        review.sheet.setFocus()
        QTest.keyClick(review.sheet, Qt.Key.Key_Space)
        self.until(lambda: review.sheet._playing is not None, 20)
        QTest.keyClick(review.sheet, Qt.Key.Key_Space)
        self.assertIsNone(review.sheet._playing)

    def test_the_reel_plays_to_its_end_and_goes_there(self):
        self.review(confidence=0.1)
        document = self.window.document
        self.until(lambda: document.waiting)
        sheet = ReelSheet(document.settled, reel_of(document.settled, document.waiting), self.window)
        self.addCleanup(sheet.deleteLater)
        sheet.show()
        self.assertTrue(sheet.playing)
        self.until(lambda: sheet.frame > 3, 20)
        self.assertIsNotNone(sheet.pictures._images[1])
        QTest.keyClick(sheet, Qt.Key.Key_Space)
        self.assertFalse(sheet.playing)
        at = sheet.frame
        QTest.keyClick(sheet, Qt.Key.Key_Right)
        self.assertEqual(sheet.frame, at + 1)
        went = self.heard(sheet.fixWanted)
        QTest.keyClick(sheet, Qt.Key.Key_Return)
        self.assertEqual(went, [("c1", at + 1, "s1")])

    def test_the_report_is_written_with_who_decided(self):
        from unittest import mock

        from skiagraph.project import cast

        review = self.review()
        review.name.setText("Ida")
        review.name.editingFinished.emit()
        self.window.document.edit("decide", cast.decide, ["s1"], "cover")
        target = self.folder / "r.html"
        with mock.patch("skiagraph.desktop.review_work.QFileDialog.getSaveFileName", return_value=(str(target), "")):
            review.report.click()
        self.until(lambda: self.window.jobs.running is None, 60)
        page = target.read_text()
        self.assertIn("Ida", page)
        self.assertIn("quay.mp4", page)
        self.assertIn("report is written", self.window.notice.text)
