"""Small controls, one by one, driven as a person would."""

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent

from skiagraph.desktop.controls import Choice, Notice, SliderField
from skiagraph.desktop.inspector import Inspector
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.transport import Transport
from skiagraph.errors import SkiagraphError
from skiagraph.project.model import CoverKind, CoverStyle, Decision, Subject
from skiagraph.project.outline import Outline
from tests.desktop.support import DesktopTest, screenshot
from tests.support import make_clip, project_on


class ControlTest(DesktopTest):
    def test_choice_speaks_values(self):
        choice = Choice([(CoverKind.BLUR, "Blur", ""), (CoverKind.SOLID, "Solid", "")])
        heard = self.heard(choice.chosen)
        choice.button(CoverKind.SOLID).click()
        self.assertEqual((heard, choice.value()), ([CoverKind.SOLID], CoverKind.SOLID))
        choice.set_value(None)
        self.assertIsNone(choice.value())
        self.assertEqual(len(heard), 1, "showing a value tells nobody")

    def test_slider_and_field_are_one_number(self):
        field = SliderField("Margin", 0, 100, 1, 14, " %")
        field.resize(280, 28)
        field.show()
        settled, moved = self.heard(field.settled), self.heard(field.moved)
        field.field.setValue(40)
        self.assertEqual((settled, field.slider.value()), ([40.0], 40))
        slider = field.slider
        self.drag(slider, (8, 10), (slider.width() / 2, 10), (slider.width() - 8, 10))
        self.assertEqual(settled[-1], 100.0)
        self.assertTrue(moved)
        slider.reset.emit()
        self.assertEqual((settled[-1], field.value()), (14.0, 14.0))
        field.set_value(33)
        self.assertEqual(settled[-1], 14.0)

    def test_notice_hides_when_there_is_nothing_to_say(self):
        notice = Notice()
        notice.say("Something.")
        self.assertEqual(notice.text, "Something.")
        notice.say("")
        self.assertFalse(notice.isVisible())


class InspectorTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.panel = Inspector()
        self.addCleanup(self.panel.deleteLater)
        self.panel.resize(296, 500)
        self.panel.show()

    def show(self, style, own=False):
        self.panel.show_subject(Subject("s1", "Deckhand", Decision.COVER), "Seen once", style, own)
        self.settle()

    def test_only_what_applies_is_shown(self):
        for kind, shown in ((CoverKind.MOSAIC, "blocks"), (CoverKind.BLUR, "blur"), (CoverKind.SOLID, "colour")):
            self.show(CoverStyle(kind))
            self.assertEqual([n for n in ("blocks", "blur", "colour") if getattr(self.panel, n).isVisible()], [shown])
        self.panel.show_subject(None, "", CoverStyle(), False)
        self.assertFalse(self.panel.decision.isVisible())
        self.assertFalse(self.panel.portrait.isVisible())

    def test_changes_come_out_as_styles(self):
        self.show(CoverStyle())
        settled = self.heard(self.panel.styleSettled)
        self.panel.blocks.field.setValue(5)
        self.panel.kind.button(CoverKind.BLUR).click()
        self.panel.margin.field.setValue(30)
        self.assertEqual([settled[0].blocks, settled[1].kind, round(settled[2].margin, 3)], [5, CoverKind.BLUR, 0.3])

    def test_buttons_follow_the_place(self):
        self.show(CoverStyle())
        self.panel.show_place("Followed.", True, False)
        self.assertEqual((self.panel.keep.isEnabled(), self.panel.drop.isEnabled()), (True, False))
        self.panel.show_place("Keyframe.", True, True)
        self.assertEqual((self.panel.keep.isEnabled(), self.panel.drop.isEnabled()), (False, True))
        self.panel.show_place("Not seen.", False, False)
        self.assertFalse(self.panel.begin.isEnabled() or self.panel.end.isEnabled())


class PictureTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.view = PictureView()
        self.addCleanup(self.view.deleteLater)
        self.view.resize(640, 400)
        self.view.set_clip_size(320, 200)
        image = QImage(320, 200, QImage.Format.Format_RGB888)
        image.fill(Qt.GlobalColor.darkGray)
        self.view.set_picture(image)
        head = Outline(100, 100, 40, 60, 0)
        self.view.set_outlines([("a", "One", head, head.scaled(1.2), True), ("b", "Two", Outline(220, 100, 40, 60, 0), Outline(220, 100, 48, 72, 0), False)], "a")
        self.view.show()
        self.settle()

    def at(self, x, y):
        point = self.view.to_screen(QPointF(x, y))
        return point.x(), point.y()

    def test_places_go_there_and_back(self):
        for x, y in ((0, 0), (320, 200), (57.5, 11.25)):
            back = self.view.to_clip(self.view.to_screen(QPointF(x, y)))
            self.assertAlmostEqual(back.x(), x)
            self.assertAlmostEqual(back.y(), y)

    def test_wheel_zooms_at_the_pointer_and_middle_drag_pans(self):
        place = QPointF(*self.at(100, 100))
        before = self.view.scale
        self.view.wheelEvent(QWheelEvent(place, QPointF(0, 0), QPoint(0, 0), QPoint(0, 240), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False))
        self.assertGreater(self.view.scale, before)
        under = self.view.to_clip(place)
        self.assertAlmostEqual(under.x(), 100, places=3)
        self.view.fit()
        self.assertAlmostEqual(self.view.scale, before)

    def test_clicking_another_outline_selects_it_and_beside_all_nobody(self):
        chosen = self.heard(self.view.subjectClicked)
        self.click(self.view, *self.at(220, 100))
        self.click(self.view, *self.at(20, 20))
        self.assertEqual(chosen, ["b", ""])

    def test_handles_size_and_turn(self):
        moved = self.heard(self.view.outlineMoved)
        right = self.at(120, 100)
        self.drag(self.view, right, (right[0] + 10, right[1]), (right[0] + 40, right[1]))
        self.assertGreater(moved[-1].width, 45)
        self.assertAlmostEqual(moved[-1].height, 60, places=3)
        turn = self.view._handles(self.view._selected_outline())["turn"]
        self.drag(self.view, (turn.x(), turn.y()), (turn.x() + 30, turn.y() + 5), (turn.x() + 60, turn.y() + 20))
        self.assertGreater(abs(moved[-1].angle), 10)

    def test_outlines_are_gone_while_playing(self):
        shown = screenshot(self.view)[..., :3].astype(int)
        self.view.set_quiet(True)
        quiet = screenshot(self.view)[..., :3].astype(int)
        self.assertGreater(np.abs(shown - quiet).sum(), 5000)
        self.assertLess(quiet[100:300, 150:500].std(), 3)


class TransportTest(DesktopTest):
    def test_typed_timecode_seeks(self):
        bar = Transport()
        self.addCleanup(bar.deleteLater)
        bar.set_clip(project_on(make_clip(self.folder / "a.mp4", 100)).clip("c1"))
        bar.show()
        sought = self.heard(bar.sought)
        for text in ("00:00:02:10", "33", "nonsense"):
            bar.timecode.setText(text)
            bar.timecode.returnPressed.emit()
        self.assertEqual(sought, [60, 33])
        bar.set_frame(26)
        self.assertEqual(bar.timecode.text(), "00:00:01:01")


class JobRunnerTest(DesktopTest):
    def run_job(self, function):
        runner = JobRunner(function)
        ends = {name: self.heard(getattr(runner, name)) for name in ("finished", "failed", "told", "progressed")}
        cancelled, ended = [], []
        runner.cancelled.connect(lambda: cancelled.append(True))
        runner.ended.connect(lambda: ended.append(True))
        return runner, ends, cancelled, ended

    def test_exactly_one_end(self):
        runner, ends, cancelled, ended = self.run_job(lambda control: 42)
        runner.start()
        self.until(lambda: ended)
        self.assertEqual((ends["finished"], ends["failed"], cancelled), ([42], [], []))

        def fails(control):
            raise SkiagraphError("It did not work; try again.")

        runner, ends, cancelled, ended = self.run_job(fails)
        runner.start()
        self.until(lambda: ended)
        self.assertEqual((ends["finished"], ends["failed"], cancelled), ([], ["It did not work; try again."], []))

        def endless(control):
            n = 0
            while True:
                n += 1
                control.report("x", n, None)

        runner, ends, cancelled, ended = self.run_job(endless)
        runner.start()
        self.until(lambda: ends["progressed"])
        runner.cancel()
        self.until(lambda: ended)
        self.assertEqual((ends["finished"], ends["failed"], cancelled), ([], [], [True]))

    def test_what_is_told_arrives_in_order(self):
        runner, ends, _, ended = self.run_job(lambda control: [runner.tell(n) for n in range(20)])
        runner.start()
        self.until(lambda: ended)
        self.assertEqual(ends["told"], list(range(20)))
