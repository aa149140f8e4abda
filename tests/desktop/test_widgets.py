"""Small controls, one by one, driven as a person would."""

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent

from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.desktop.controls import Choice, Notice, Pick, SliderField
from skiagraph.desktop.inspector import Inspector
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.outline_painter import Seen
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.transport import Transport
from skiagraph.errors import SkiagraphError
from skiagraph.project.model import Decision, Outline, Reach, Subject
from skiagraph.review.strength import Measured
from tests.desktop.support import DesktopTest, screenshot
from tests.support import make_clip, project_on


class ControlTest(DesktopTest):
    def test_choice_speaks_values(self):
        choice = Choice([(Reach.FRAME, "Frame", ""), (Reach.ALL, "All", "")])
        heard = self.heard(choice.chosen)
        choice.button(Reach.ALL).click()
        self.assertEqual((heard, choice.value()), ([Reach.ALL], Reach.ALL))
        choice.set_value(None)
        self.assertIsNone(choice.value())
        self.assertEqual(len(heard), 1, "showing a value tells nobody")

    def test_pick_speaks_values(self):
        pick = Pick([(Reach.FRAME, "This frame", "a"), (Reach.ALL, "All", "b")], "Reach")
        heard = self.heard(pick.chosen)
        pick.set_value(Reach.ALL)
        self.assertEqual((heard, pick.value(), pick.toolTip()), ([], Reach.ALL, "b"))
        pick.show()
        self.key(pick, Qt.Key.Key_Up)
        self.assertEqual((heard, pick.value()), ([Reach.FRAME], Reach.FRAME))

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

    def test_a_reply_goes_with_its_page_and_news_stay(self):
        notice = Notice()
        notice.reply("Choose somebody first.")
        self.assertEqual(notice.text, "Choose somebody first.")
        notice.leave_page()
        self.assertFalse(notice.isVisible())
        notice.reply("Choose somebody first.")
        notice.say("The disk is full.")
        notice.leave_page()
        self.assertEqual(notice.text, "The disk is full.")


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
        fields = (("mosaic", "blocks"), ("blur", "size"), ("solid", "colour"))
        for tag, shown in fields:
            self.show(Style.of(Cover.kinds[tag]()))
            self.assertEqual([n for t, n in fields if self.panel.cover.field(t, n).isVisible()], [shown])
            self.assertTrue(self.panel.cover.field("", "margin").isVisible())
        self.panel.show_subject(None, "", default_style(), False)
        self.assertFalse(self.panel.decision.isVisible())
        self.assertFalse(self.panel.portrait.isVisible())

    def test_changes_come_out_as_styles(self):
        self.show(Style.of(Cover.kinds["mosaic"]()))
        settled = self.heard(self.panel.styleSettled)
        self.panel.cover.field("mosaic", "blocks").field.setValue(5)
        self.pick(self.panel.cover.kind, "blur")
        self.panel.cover.field("", "margin").field.setValue(30)
        self.assertEqual(
            [settled[0].cover.blocks, settled[1].cover.kind, round(settled[2].margin, 3)], [5, "blur", 0.3]
        )

    def test_a_kind_that_is_gone_back_to_is_as_it_was(self):
        self.show(Style.of(Cover.kinds["mosaic"](4)))
        settled = self.heard(self.panel.styleSettled)
        self.pick(self.panel.cover.kind, "solid")
        self.show(settled[-1])
        self.pick(self.panel.cover.kind, "mosaic")
        self.assertEqual(settled[-1].cover.blocks, 4)

    def test_several_covers_in_order(self):
        self.show(Style.of(Cover.kinds["solid"]()))
        settled, controls = self.heard(self.panel.styleSettled), self.panel.cover
        self.assertFalse(controls.order.isVisible())
        controls.add.click()
        self.show(settled[-1])
        self.assertEqual(
            ([c.kind for c in settled[-1].covers], controls.at, controls.order.isVisible()),
            (["solid", "caption"], 1, True),
        )
        controls._kinds["caption"].settled.emit("text", "WITHHELD")
        self.assertEqual(settled[-1].covers[1].text, "WITHHELD")
        controls.order.chosen.emit(0)
        self.assertEqual(controls.kind.value(), "solid")
        controls.drop.click()
        self.assertEqual([c.kind for c in settled[-1].covers], ["caption"])

    def test_what_is_seldom_needed_is_folded_away(self):
        self.show(Style.of(Cover.kinds["mosaic"]()))
        grid = self.panel.cover.field("mosaic", "grid")
        self.assertFalse(grid.isVisible())
        self.panel.cover.more.click()
        self.assertTrue(grid.isVisible())
        self.show(Style.of(Cover.kinds["dissolve"]()))
        self.assertFalse(self.panel.cover.more.isVisible())

    def test_the_meter_says_how_safe_it_is_and_what_to_do(self):
        meter = self.panel.meter
        meter.show_strength(Style.of(Cover.kinds["mosaic"](12, even=0)), 80.0, None)
        self.panel.show_safety()
        self.assertTrue(meter.text.startswith("Too weak") and not self.panel.safe.isHidden())
        meter.show_strength(Style.of(Cover.kinds["solid"]()), 80.0, None)
        self.panel.show_safety()
        self.assertTrue(meter.text.startswith("Safe") and self.panel.safe.isHidden())
        meter.show_strength(Style.of(Cover.kinds["mosaic"](12, even=0)), 4.0, None)
        self.assertTrue(meter.text.startswith("Safe"), "a face of 4 px holds no more than two cycles")
        seen = Measured("s1", "Solid", 0.0, 80.0, 2, 4, 4, 4, 6)
        meter.show_strength(Style.of(Cover.kinds["solid"]()), 80.0, seen)
        self.assertTrue(meter.text.startswith("Too weak") and "first in 4 of 4" in meter.measure.toolTip())

    def test_buttons_follow_the_place(self):
        self.show(default_style())
        self.panel.show_place("Followed.", Outline.at(9, 9, 20, 20), False)
        self.assertEqual((self.panel.keep.isEnabled(), self.panel.drop.isEnabled()), (True, False))
        self.panel.show_place("Keyframe.", Outline.at(9, 9, 20, 20), True)
        self.assertEqual((self.panel.keep.isEnabled(), self.panel.drop.isEnabled()), (False, True))
        self.panel.show_place("Not seen.", None, False)
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
        head, other = Outline.at(100, 100, 40, 60), Outline.at(220, 100, 40, 60)
        self.view.set_outlines(
            [Seen("a", "One", head, head.grown_by(0.2), True), Seen("b", "Two", other, other.grown_by(0.2), False)], "a"
        )
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
        self.view.wheelEvent(
            QWheelEvent(
                place,
                QPointF(0, 0),
                QPoint(0, 0),
                QPoint(0, 240),
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
        )
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
        turn = self.view._handles(self.view._selected_seen().outline)["turn"]
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
