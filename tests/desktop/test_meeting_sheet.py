"""Both sides of a meeting compared in the real window, one key for each answer."""

from PySide6.QtCore import Qt

from skiagraph.desktop.meeting_sheet import MeetingSheet
from skiagraph.project import cast
from skiagraph.project.model import Decision
from tests.desktop.test_window import MadeWindow
from tests.support import head_path


class WhoIsWhoTest(MadeWindow):
    def setUp(self):
        super().setUp()
        self.open_made(
            head_path(0, 50, cx=60, cy=100, width=50, height=66, step=(4.0, 0)),
            head_path(0, 50, cx=260, cy=100, width=50, height=66, step=(-4.0, 0)),
        )
        self.window.document.edit("decide", cast.decide, ["s1"], Decision.SHOW)
        self.until(lambda: any(f.reason == "same-person" for f in self.window.document.findings))
        self.sheet = MeetingSheet(self.window.document, self.window.portraits, parent=self.window)
        self.addCleanup(self.sheet.close)
        self.sheet.show()
        self.settle()

    def test_pictures_of_both_sides_appear(self):
        self.until(lambda: all(picture._image is not None for row in self.sheet.rows for picture in row[1:]))
        self.assertIn("Person 1", self.sheet._title.text())
        self.assertIn("Person 2", self.sheet.rows[1][0].text())

    def test_the_same_needs_a_name(self):
        self.key(self.sheet, Qt.Key.Key_E)
        self.assertEqual(self.project.accepted, ())
        self.sheet.name.setText("Ann Quay")
        self.sheet.setFocus()
        self.key(self.sheet, Qt.Key.Key_E)
        self.assertEqual([a.by for a in self.project.accepted], ["Ann Quay"])
        self.assertFalse(self.sheet.same.isEnabled(), "no question is left")

    def test_swapped_by_one_key_and_undone(self):
        self.key(self.sheet, Qt.Key.Key_X)
        self.assertEqual([s.sightings[-1].tracks for s in self.project.subjects], [("t2",), ("t1",)])
        self.window.document.undo()
        self.assertEqual([s.sightings[-1].tracks for s in self.project.subjects], [("t1",), ("t2",)])

    def test_somebody_else_by_one_key(self):
        self.key(self.sheet, Qt.Key.Key_A)
        self.assertEqual(len(self.project.subjects), 3)
        self.assertFalse(
            self.sheet.next.isEnabled() or self.sheet.again.isVisible(), "what was answered was not put off"
        )

    def test_later_leaves_it_open(self):
        self.key(self.sheet, Qt.Key.Key_L)
        self.assertEqual(
            (self.project.accepted, len(self.project.subjects), self.sheet.next.isEnabled()), ((), 2, False)
        )
        self.assertTrue(
            self.sheet.close_.isVisible() and not self.sheet.same.isVisible() and not self.sheet.name.isVisible()
        )
        self.assertIn("put off", self.sheet._where.text())
        self.sheet.again.click()
        self.assertTrue(
            self.sheet.next.isEnabled() and self.sheet.same.isVisible() and not self.sheet.close_.isVisible()
        )
