"""Who is who in the real window: questions, merging, splitting, moving, dismissing, lists and decisions for many; all
undoable."""

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication

from skiagraph.desktop.window import MainWindow
from skiagraph.project import cast, file
from skiagraph.project.model import Answer, Decision, Likeness
from skiagraph.review.register import Order, Show
from tests.desktop.support import DesktopTest
from tests.support import changed_subject, head_path, make_clip, project_on


class CastingTest(DesktopTest):
    def setUp(self):
        super().setUp()
        clip = make_clip(self.folder / "a.mp4", 90, size=(320, 240))
        project = project_on(
            clip,
            head_path(0, 30, cx=100, cy=100),
            head_path(50, 40, cx=100, cy=100),
            head_path(0, 90, cx=250, cy=100),
            head_path(5, 6, cx=40, cy=200),
        )
        project = changed_subject(project, "s4", doubtful=True, name="Doubtful 1")
        project = cast.with_likenesses(project, [Likeness("s1", "s2", 0.7), Likeness("s1", "s3", 0.4)])
        place = self.folder / "p.skiagraph"
        file.save(project, place)
        self.window = MainWindow()
        self.addCleanup(self.window.close)
        self.window.show()
        self.window.open_project(place)
        self.settle()
        self.cover = self.window.cover

    @property
    def project(self):
        return self.window.document.project

    def undo(self):
        self.window.document.undo()
        self.settle()

    def test_questions_come_one_after_another_likeliest_first(self):
        bar = self.cover.question
        self.assertTrue(bar.isVisible())
        self.assertIn("Person 1 and Person 2, 70 %", bar._names.text())
        self.assertIn("1 more", bar._names.text())
        bar.no.click()
        self.assertIn("Person 3", bar._names.text())
        bar.later.click()
        self.assertFalse(bar.isVisible())
        self.assertEqual([n.answer for n in self.project.likenesses], [Answer.NO, Answer.LATER])
        self.cover.casting.ask_again()
        self.assertTrue(bar.isVisible())
        self.undo()
        self.undo()
        self.undo()
        self.assertIn("Person 2", bar._names.text())

    def test_two_are_exchanged_and_the_rest_is_given(self):
        self.window.session.select(["s1", "s3"])
        self.window.session.set_frame(20)
        self.cover.casting.swap_selected()
        self.assertEqual(
            [[(g.first, g.last) for g in self.project.subject(k).sightings] for k in ("s1", "s3")],
            [[(0, 19), (20, 89)], [(0, 19), (20, 29)]],
        )
        self.assertEqual(self.window.document.undo_name, "swap from here on")
        self.undo()
        self.window.session.set_frame(60)
        self.cover.casting.give_rest("s2", "s1")
        self.assertEqual([(g.first, g.last) for g in self.project.subject("s1").sightings], [(0, 29), (60, 89)])
        self.assertEqual(self.window.session.selected, ["s1"])

    def test_yes_makes_them_one_and_can_be_undone(self):
        self.cover.question.yes.click()
        self.assertEqual([s.key for s in self.project.subjects], ["s1", "s3", "s4"])
        self.assertEqual(len(self.project.subject("s1").sightings), 2)
        self.undo()
        self.assertEqual(len(self.project.subjects), 4)

    def test_merge_by_key_selects_the_one_that_is_left(self):
        self.window.session.select(["s2", "s1"])
        self.key(self.window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.project.subjects), 3)
        self.assertEqual(self.window.session.selected, ["s1"])

    def test_two_in_one_picture_are_refused_in_place(self):
        self.cover.register.mergeWanted.emit(["s1"], "s3")
        self.assertEqual(len(self.project.subjects), 4)
        self.assertSentence(self.window.notice.text, "two people")

    def test_split_at_the_playhead(self):
        self.window.session.select(["s3"])
        self.window.session.set_frame(45)
        self.key(self.window, Qt.Key.Key_Q)
        self.assertEqual(len(self.project.subjects), 5)
        new = self.window.session.subject
        self.assertEqual((new.sightings[0].first, new.decision), (45, Decision.UNDECIDED))
        self.undo()
        self.assertEqual(len(self.project.subjects), 4)

    def test_a_sighting_is_given_to_somebody_else_and_to_somebody_new(self):
        self.cover.register.sightingMoved.emit("s2", 60, "s1")
        self.assertEqual([(s.first, s.last) for s in self.project.subject("s1").sightings], [(0, 29), (50, 89)])
        self.cover.register.sightingMoved.emit("s1", 60, "")
        self.assertEqual(len(self.project.subject("s1").sightings), 1)

    def test_dismissing_the_doubtful(self):
        self.key(self.window, Qt.Key.Key_Backspace, Qt.KeyboardModifier.ShiftModifier)
        self.assertTrue(self.project.subject("s4").dismissed)
        self.assertNotIn("s4", [s.key for s in self.cover.register._subjects])
        self.cover.casting._choose_show(Show.DISMISSED)
        self.assertEqual([s.key for s in self.cover.register._subjects], ["s4"])

    def test_lists_and_orders(self):
        casting, register = self.cover.casting, self.cover.register
        casting._choose_order(Order.SCREEN_TIME)
        self.assertEqual([s.key for s in register._subjects], ["s3", "s2", "s1", "s4"])
        self.assertIn("screen time", register.list_button.text())
        casting._choose_show(Show.SHOWN)
        self.assertEqual(register._subjects, [])
        self.assertIn("Shown", register._empty)

    def test_decisions_for_many(self):
        self.key(self.window, Qt.Key.Key_1, Qt.KeyboardModifier.ShiftModifier)
        self.cover.casting.cover_all()
        self.assertTrue(all(s.decision == Decision.COVER for s in self.project.subjects))
        self.window.session.select(["s2"])
        self.cover.casting.show_all_but()
        self.assertEqual([s.decision.value for s in self.project.subjects], ["show", "cover", "show", "cover"])
        self.cover.casting.invert()
        self.assertEqual([s.decision.value for s in self.project.subjects], ["cover", "show", "cover", "cover"])
        with mock.patch("skiagraph.desktop.casting.QInputDialog.getDouble", return_value=(1.5, True)):
            self.cover.casting.cover_brief()
        self.assertEqual(self.window.document.undo_name, "cover everyone seen for less than 1.5 s")

    def test_picture_of_a_person_is_chosen(self):
        self.window.session.select(["s3"])
        self.window.session.set_frame(70)
        self.key(self.window, Qt.Key.Key_P)
        self.assertEqual(
            (self.project.subject("s3").portrait.frame, self.project.subject("s3").portrait_chosen), (70, True)
        )

    def test_menus_offer_what_there_is(self):
        for open_menu in (
            lambda: self.cover.casting.menu("s1", 10, QPoint(10, 10)),
            lambda: self.cover.casting.list_menu(QPoint(10, 10)),
            lambda: self.cover.casting.many_menu(QPoint(10, 10)),
        ):
            open_menu()
            self.settle()
            menu = QApplication.activePopupWidget()
            texts = [action.text() for action in menu.actions()]
            self.assertGreater(len([t for t in texts if t]), 4)
            menu.close()
