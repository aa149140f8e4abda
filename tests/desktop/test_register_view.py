"""The register: what is clicked, dragged and typed in it comes out as what a person meant."""

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent

from skiagraph.desktop.register_painter import DECISION, HEAD, LANES, NAME, ROW
from skiagraph.desktop.register_view import RegisterView
from skiagraph.project import cast
from skiagraph.project.model import Change, Decision, Repair
from skiagraph.review.findings import findings
from skiagraph.review.lanes import attention, lane
from tests.desktop.support import DesktopTest, screenshot
from tests.support import changed_sighting, head_path, make_clip, project_on


class RegisterViewTest(DesktopTest):
    def setUp(self):
        super().setUp()
        project = project_on(
            make_clip(self.folder / "a.mp4", 100),
            head_path(10, 60),
            head_path(0, 100, cx=120),
            head_path(40, 20, cx=30, confidence=0.1),
        )
        project = cast.decide(project, ["s2"], Decision.SHOW)
        self.project = changed_sighting(project, "s1", repairs=(Repair(40, Change(dx=0.2)),))
        self.view = RegisterView()
        self.addCleanup(self.view.deleteLater)
        self.view.resize(1200, 260)
        self.fill()
        self.view.show()
        self.settle()

    def fill(self):
        clip, waiting = self.project.clip("c1"), findings(self.project)
        self.view.set_content(
            clip,
            list(self.project.subjects),
            {s.key: lane(self.project, clip, s, waiting) for s in self.project.subjects},
            attention(clip, waiting),
            "3 people",
            "nobody",
        )
        self.view.set_list("Everybody", "First seen")

    def test_rows_that_are_scrolled_away_do_not_reach_into_the_head(self):
        self.view.resize(1200, HEAD + 2 * ROW)
        self.settle()
        before = screenshot(self.port)[: HEAD - 1]
        self.view.verticalScrollBar().setValue(ROW // 2)
        np.testing.assert_array_equal(screenshot(self.port)[: HEAD - 1], before)

    def test_a_moving_playhead_draws_nothing_else_anew(self):
        drawn = []
        paint = self.view._paint_content
        self.view._paint_content = lambda onto: drawn.append(1) or paint(onto)
        before = screenshot(self.view)
        self.view.set_frame(50)
        moved = screenshot(self.view)
        self.assertEqual(drawn, [])
        self.assertGreater(np.abs(before.astype(int) - moved).max(), 60, "the playhead is elsewhere")
        self.view.set_selection(["s2"])
        screenshot(self.view)
        self.view.resize(1000, 260)
        screenshot(self.view)
        self.assertEqual(len(drawn), 2)

    def x(self, frame):
        return self.view._scale().x(frame)

    def y(self, row):
        return HEAD + row * ROW + ROW / 2

    @property
    def port(self):
        return self.view.viewport()

    def test_states_are_told_by_pattern_and_not_by_colour_alone(self):
        picture = screenshot(self.view)[..., :3].astype(int).mean(axis=2)

        def lane_part(row, a, b):
            return picture[round(self.y(row)) - 8 : round(self.y(row)) + 8, round(self.x(a)) + 3 : round(self.x(b)) - 3]

        covered, shown, unsure = lane_part(0, 15, 35), lane_part(1, 10, 90), lane_part(2, 42, 58)
        self.assertGreater(unsure.std(), 2 * covered.std(), "unsure is hatched")
        self.assertLess(np.count_nonzero(shown > 100), 0.2 * shown.size, "shown is a thin dotted line")
        empty = lane_part(0, 80, 98)
        self.assertLess(empty.std(), 2)

    def test_clicking_a_lane_seeks_and_selects(self):
        sought, chosen = self.heard(self.view.sought), self.heard(self.view.selected)
        self.click(self.port, self.x(55.5), self.y(1))
        self.assertEqual((sought, chosen), ([55], [["s2"]]))

    def test_several_are_selected_with_control_and_shift(self):
        chosen = self.heard(self.view.selected)
        self.view.selected.connect(self.view.set_selection)
        self.click(self.port, NAME + 10, self.y(0))
        self.click(self.port, NAME + 10, self.y(2), modifiers=Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(chosen[-1], ["s1", "s3"])
        self.click(self.port, NAME + 10, self.y(0))
        self.click(self.port, NAME + 10, self.y(2), modifiers=Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(set(chosen[-1]), {"s1", "s2", "s3"})

    def test_whoever_is_selected_comes_into_sight_once(self):
        self.view.resize(1200, HEAD + 2 * ROW)
        self.settle()
        bar = self.view.verticalScrollBar()
        self.view.set_selection(["s3"])
        self.assertGreaterEqual(bar.value() + self.port.height() - HEAD, 3 * ROW)
        bar.setValue(0)
        self.view.set_selection(["s3"])
        self.assertEqual(bar.value(), 0, "who looks elsewhere is left there")
        bar.setValue(bar.maximum())
        self.view.set_selection(["s3", "s1"])
        self.assertEqual(bar.value(), 0)

    def test_keyframes_and_ends_are_dragged(self):
        moved, ended = self.heard(self.view.keyframeMoved), self.heard(self.view.endDragged)
        self.drag(self.port, (self.x(40.5), self.y(0)), (self.x(45), self.y(0)), (self.x(50.5), self.y(0)))
        self.assertEqual(moved, [("s1", 40, 50)])
        self.drag(self.port, (self.x(10), self.y(0)), (self.x(7), self.y(0)), (self.x(5.5), self.y(0)))
        self.drag(self.port, (self.x(70), self.y(0)), (self.x(75), self.y(0)), (self.x(80.5), self.y(0)))
        self.assertEqual(ended, [("s1", 10, 5, 69), ("s1", 10, 10, 80)])

    def test_dragging_a_person_on_to_another_merges(self):
        merged = self.heard(self.view.mergeWanted)
        self.view.selected.connect(self.view.set_selection)
        self.drag(self.port, (NAME + 20, self.y(0)), (NAME + 24, self.y(1)), (NAME + 30, self.y(2)))
        self.assertEqual(merged, [(["s1"], "s3")])
        self.drag(self.port, (NAME + 20, self.y(1)), (NAME + 24, self.y(1) + 5), (NAME + 30, self.y(1)))
        self.assertEqual(len(merged), 1, "within its own row nothing happens")

    def test_dragging_a_bar_to_another_row_moves_the_sighting(self):
        moved = self.heard(self.view.sightingMoved)
        self.drag(self.port, (self.x(30.5), self.y(0)), (self.x(31), self.y(1)), (self.x(31), self.y(2)))
        self.assertEqual(moved, [("s1", 30, "s3")])
        self.drag(self.port, (self.x(50.5), self.y(2)), (self.x(51), self.y(3)), (self.x(51), self.y(3) + 20))
        self.assertEqual(moved[1:], [("s3", 50, "")], "below all rows is somebody new")
        self.drag(self.port, (self.x(85.5), self.y(0)), (self.x(86), self.y(2)), (self.x(86), self.y(2)))
        self.assertEqual(len(moved), 2, "where nobody is seen there is nothing to move")

    def test_names_are_typed_in_place(self):
        renamed = self.heard(self.view.renamed)
        self.view.edit_name("s1")
        self.view._editor.setText("Clerk")
        self.key(self.view._editor, Qt.Key.Key_Return)
        self.assertEqual(renamed, [("s1", "Clerk")])
        self.assertIsNone(self.view._editor)

    def test_decision_opens_a_menu_and_right_click_another(self):
        menus = self.heard(self.view.menuWanted)
        self.click(self.port, NAME + 10, self.y(1), Qt.MouseButton.RightButton)
        self.assertEqual(menus[0][0], "s2")
        self.click(self.port, DECISION + 4, self.y(1))
        from PySide6.QtWidgets import QApplication

        menu = QApplication.activePopupWidget()
        self.assertIsNotNone(menu)
        decided = self.heard(self.view.decided)
        self.view.set_selection(["s2"])
        menu.actions()[0].trigger()
        self.assertEqual(decided, [(["s2"], Decision.COVER)])
        menu.close()

    def test_wheel_zooms_in_time_at_the_pointer(self):
        frame = self.view._scale().frame(self.x(50))
        event = QWheelEvent(
            QPointF(self.x(50), self.y(0)),
            QPointF(0, 0),
            QPoint(0, 0),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.ControlModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        before = self.x(50)
        self.view.wheelEvent(event)
        self.assertIsNotNone(self.view._span)
        self.assertAlmostEqual(self.view._scale().x(frame), before, delta=3)

    def test_heads_menus_are_offered(self):
        listed, many = self.heard(self.view.listMenuWanted), self.heard(self.view.manyMenuWanted)
        self.view.list_button.click()
        self.view.many_button.click()
        self.assertEqual((len(listed), len(many)), (1, 1))
        self.assertLess(self.view.many_button.geometry().right(), LANES)

    def test_empty_register_says_so(self):
        self.view.set_content(self.project.clip("c1"), [], {}, np.zeros(100, np.uint8), "", "Nobody was found.")
        picture = screenshot(self.view)[..., :3].astype(int).max(axis=2)
        self.assertGreater(np.count_nonzero(picture[HEAD + 40 :, 300:900] > 120), 30)
