"""The real window, driven as an editor would: from an empty window to an exported file that decodes and is covered."""

from fractions import Fraction
from itertools import pairwise
from unittest import mock

import numpy as np
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton

from skiagraph.demo.ship import shipped
from skiagraph.desktop.handover_work import HandoverWork
from skiagraph.desktop.register_painter import HEAD, ROW
from skiagraph.desktop.session import View
from skiagraph.desktop.window import COVER, FOOTAGE, HANDOVER, REVIEW, MainWindow
from skiagraph.errors import CannotSaveProject, SkiagraphError
from skiagraph.footage.following import Direction
from skiagraph.handover.queue import Queue
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import FilmWriter
from skiagraph.project import cast, file, outlines, presence
from skiagraph.project.layers import matte
from skiagraph.project.model import Decision, Outline, Portrait, Project, Reach
from skiagraph.project.rows import outline_at
from skiagraph.review.finding import Reason
from skiagraph.shape.shape import Shape
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.results import FaceTable
from tests.desktop.support import DesktopTest, screenshot
from tests.follow.test_follower import SIZE, Scene
from tests.media.test_pictures import write_pictures
from tests.support import head_path, make_clip, project_on, seen


def beginning_of(clip, frames, target):
    """The first frames of a clip as a file of its own."""
    info, index = open_clip(clip)
    with FrameReader(info, index) as reader, FilmWriter(target, info, FORMATS["h264-mp4"]) as writer:
        for frame in reader.frames(0, frames):
            writer.write(frame)
    return target


class MadeWindow(DesktopTest):
    """A test with the real window."""

    def setUp(self):
        super().setUp()
        self.window = MainWindow()
        self.addCleanup(self.window.close)
        self.window.show()
        self.settle()
        self._be_active()

    def _be_active(self):
        """Shortcuts are heard in the window that is active; a system that is busy may tell of it late."""
        if QApplication.activePopupWidget() is None and QApplication.activeModalWidget() is None:
            self.window.activateWindow()
            self.until(self.window.isActiveWindow)

    @property
    def project(self):
        return self.window.document.project

    def open_made(self, *paths, frames=50, faces=FaceTable.none()):
        """A saved project on a made clip with a subject for each path, opened in the window."""
        clip = make_clip(self.folder / "quay.mp4", frames, size=(320, 240), options={"g": 12})
        project = project_on(
            clip,
            *(
                paths
                or (
                    head_path(0, frames, cx=100, cy=100, width=50, height=66),
                    head_path(0, frames, cx=220, cy=100, width=50, height=66),
                )
            ),
        )
        project = seen(project, faces=faces) if len(faces) else project
        place = self.folder / "quay.skiagraph"
        file.save(project, place)
        self.window.open_project(place)
        self.until(lambda: self.window.cover.picture._image is not None)
        return place

    def hand_over(self, shape="h264-mp4", check=True):
        """Press Hand over with this format, into the folder “out”."""
        self.window.show_step(HANDOVER)
        side = self.window.handover.side
        side.folder.setText(str(self.folder / "out"))
        self.pick_data(side.format, shape)
        side.check.setChecked(check)
        self.window.handover.press_export()

    def pick_data(self, box, value):
        box.setCurrentIndex(box.findData(value))
        box.activated.emit(box.currentIndex())

    def press(self, key, modifiers=Qt.KeyboardModifier.NoModifier):
        self._be_active()
        self.key(self.window, key, modifiers)


class WindowTest(MadeWindow):
    def test_arrows_choose_a_cover_where_one_is_chosen_by_keys(self):
        self.open_made()
        self.window.session.select([self.project.subjects[0].key])
        self.window.session.set_frame(10)
        kind = self.window.cover.inspector.cover.kind
        kind.setFocus()
        before = kind.currentIndex()
        self.key(kind, Qt.Key.Key_Down)
        self.assertEqual(
            (kind.currentIndex(), self.window.session.frame),
            (before + 1, 10),
            "it is the list that moves, not the playhead",
        )
        self.assertEqual(self.project.style_of(self.project.subjects[0]).cover.kind, kind.value())

    def test_empty_window_says_what_to_do(self):
        self.assertEqual(self.window.pages.currentIndex(), FOOTAGE)
        self.assertTrue(self.window.footage._empty.isVisible())
        self.assertFalse(self.window.actions_.undo.isEnabled())
        picture = screenshot(self.window)
        self.assertEqual(picture.shape[:2], (800, 1280))
        self.assertLess(picture[..., :3].mean(), 70, "a quiet, dark room")

    def test_a_project_that_exists_is_not_replaced_unasked(self):
        theirs = self.open_made()
        self.window.close()
        before = theirs.read_bytes()
        self.window = MainWindow()
        self.addCleanup(self.window.close)
        self.window.show()
        with mock.patch(
            "skiagraph.desktop.window.QFileDialog.getSaveFileName", return_value=(str(theirs.with_suffix("")), "")
        ):
            with mock.patch(
                "skiagraph.desktop.window.QMessageBox.question", return_value=QMessageBox.StandardButton.No
            ) as asked:
                self.window.new_project()
            self.assertIn("quay.skiagraph exists", asked.call_args.args[2])
            self.assertIsNone(self.window.document.path)
            self.assertEqual(theirs.read_bytes(), before)
            with mock.patch(
                "skiagraph.desktop.window.QMessageBox.question", return_value=QMessageBox.StandardButton.Yes
            ):
                self.window.new_project()
            self.assertEqual(self.window.document.path, theirs)

    def test_a_dot_in_a_name_stays(self):
        with mock.patch(
            "skiagraph.desktop.window.QFileDialog.getSaveFileName", return_value=(str(self.folder / "day.2"), "")
        ):
            self.window.new_project()
        self.assertEqual(self.window.document.path.name, "day.2.skiagraph")

    def test_every_step_opens_without_a_project(self):
        for step in (FOOTAGE, COVER, REVIEW, HANDOVER):
            self.window.show_step(step)
            self.settle()
            self.assertEqual(self.window.pages.currentIndex(), step)

    def test_nothing_is_cut_off_at_the_smallest_size(self):
        self.open_made()
        self.window.resize(self.window.minimumSize())
        self.window.session.select(["s1"])
        for step in (FOOTAGE, COVER, REVIEW, HANDOVER):
            self.window.show_step(step)
            self.settle()
            bar = self.window.cover.transport
            bar.set_clips([("c1", "quay.mp4"), ("c2", "the auction, second camera.mp4")], "c1")
            self.settle()
            for button in self.window._steps + (
                [bar.zoom, *(bar.views.button(view) for view in View)] if step == COVER else []
            ):
                corner = button.mapTo(self.window, button.rect().bottomRight())
                self.assertLess(corner.x(), self.window.width())
                self.assertGreaterEqual(button.width(), button.fontMetrics().horizontalAdvance(button.text()))
            row = [self.window._steps, [bar.clips, *(bar.views.button(view) for view in View), bar.zoom]][step == COVER]
            for left, right in pairwise(row):
                self.assertLess(
                    left.mapTo(self.window, left.rect().topRight()).x(),
                    right.mapTo(self.window, right.rect().topLeft()).x(),
                    right.toolTip(),
                )

    def test_all_menus_have_room_beside_many_findings_and_a_long_name(self):
        place = self.open_made().rename(self.folder / "the harbour fish auction, third day, second camera.skiagraph")
        self.window.open_project(place)
        self.until(lambda: self.window.document.path == place)
        self.window.resize(1280, 800)
        self.window._badge.setText("88")
        self.window._badge.show()
        self.settle()
        bar = self.window.actions_.bar
        for menu in bar.actions():
            self.assertTrue(bar.rect().contains(bar.actionGeometry(menu)), menu.text())

    def test_dropping_clips_adds_them_and_saves_a_project_beside(self):
        clip = make_clip(self.folder / "dropped.mp4", 20)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(clip))])
        event = QDropEvent(
            QPointF(10, 10), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        self.window.dropEvent(event)
        self.until(lambda: len(self.project.clips) == 1)
        self.window.document._store.flush()
        self.assertTrue((self.folder / "dropped.skiagraph").exists())
        self.assertEqual(len(file.load(self.folder / "dropped.skiagraph").clips), 1)

    def test_a_bad_file_is_a_sentence_in_place(self):
        bad = self.folder / "notes.txt"
        bad.write_text("nothing")
        self.window.add_clips([bad])
        self.until(lambda: self.window.notice.isVisible())
        self.assertSentence(self.window.notice.text, "notes.txt")

    def test_decisions_by_key_and_undo_with_names(self):
        self.open_made()
        self.window.session.select(["s1"])
        self.press(Qt.Key.Key_2)
        self.assertEqual(self.project.subject("s1").decision, Decision.SHOW)
        self.assertEqual(self.window.actions_.undo.text(), "Undo: show Person 1")
        self.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.project.subject("s1").decision, Decision.UNDECIDED)
        self.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.project.subject("s1").decision, Decision.SHOW)
        self.press(Qt.Key.Key_1)
        self.assertEqual(self.project.subject("s1").decision, Decision.COVER)

    def test_stepping_and_marks(self):
        self.open_made()
        session = self.window.session
        for key, modifiers, frame in (
            (Qt.Key.Key_Right, 0, 1),
            (Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier, 26),
            (Qt.Key.Key_Left, 0, 25),
            (Qt.Key.Key_End, 0, 49),
            (Qt.Key.Key_Home, 0, 0),
        ):
            self.press(key, modifiers or Qt.KeyboardModifier.NoModifier)
            self.assertEqual(session.frame, frame)
        session.set_frame(10)
        self.press(Qt.Key.Key_I)
        session.set_frame(30)
        self.press(Qt.Key.Key_O)
        self.assertEqual(session.span, (10, 30))

    def test_the_picture_is_the_newest_wanted_and_not_the_last_that_came(self):
        self.open_made()
        page, shown = self.window.cover, []
        show = page.picture.set_picture
        page.picture.set_picture = lambda image, other=None: shown.append(image) or show(image, other)
        made = self.heard(page.server.made)
        for frame in (5, 9, 30, 12):
            self.window.session.set_frame(frame)
        self.until(lambda: made and made[-1].wish.frame == 12)
        self.settle()
        newest = made[-1]
        self.assertIs(shown[-1], newest.image)
        before = len(shown)
        from dataclasses import replace

        older = replace(newest, wish=replace(newest.wish, number=newest.wish.number - 1, frame=5))
        elsewhere = replace(newest, wish=replace(newest.wish, number=newest.wish.number + 1, view=View.MATTE))
        for late in (older, elsewhere):
            page.server.made.emit(late)
            self.settle()
        self.assertEqual(len(shown), before, "neither an older one nor one of another view takes its place")

    def test_views_show_what_they_say(self):
        self.open_made()
        self.window.session.set_frame(5)
        pictures = {}
        for key, view in (
            (Qt.Key.Key_R, View.RESULT),
            (Qt.Key.Key_S, View.SOURCE),
            (Qt.Key.Key_M, View.MATTE),
            (Qt.Key.Key_D, View.SPLIT),
        ):
            before = self.heard(self.window.cover.server.made)
            self.press(key)
            self.until(lambda v=view: any(p.wish.view == v for p in before))
            self.settle()
            pictures[view] = screenshot(self.window.cover.picture)[..., :3].astype(int)
        for a in (View.RESULT, View.SOURCE):
            for b in (View.SOURCE, View.MATTE, View.SPLIT):
                if a != b:
                    self.assertGreater(np.abs(pictures[a] - pictures[b]).mean(), 0.2, (a, b))
        matte = pictures[View.MATTE]
        self.assertGreater(np.count_nonzero(matte.min(axis=2) > 240), 1000)

    def test_moving_an_outline_by_hand_is_one_undo_step(self):
        self.open_made()
        view = self.window.cover.picture
        self.window.session.select(["s1"])
        self.window.session.set_frame(20)
        self.settle()
        start = view.to_screen(QPointF(100, 100))
        self.drag(view, (start.x(), start.y()), (start.x() + 20, start.y()), (start.x() + 40, start.y() + 10))
        moved = outline_at(self.project, self.project.subject("s1").sightings[0], 20)
        self.assertAlmostEqual(moved.cx, 100 + 40 / view.scale, delta=1.5)
        self.assertEqual(self.window.document.undo_name, "move outline")
        self.window.document.undo()
        self.assertAlmostEqual(outline_at(self.project, self.project.subject("s1").sightings[0], 20).cx, 100, places=3)
        self.assertEqual(self.window.document.undo_name, "")

    def test_sizing_with_a_handle_and_reach(self):
        self.open_made()
        view = self.window.cover.picture
        self.window.session.select(["s1"])
        self.window.session.set_reach(Reach.SIGHTING)
        self.settle()
        right = view.to_screen(QPointF(125, 100))
        self.drag(view, (right.x(), right.y()), (right.x() + 10, right.y()), (right.x() + 30, right.y()))
        for frame in (0, 49):
            self.assertGreater(outline_at(self.project, self.project.subject("s1").sightings[0], frame).width, 60)

    def test_a_new_face_is_drawn_around(self):
        self.open_made()
        view = self.window.cover.picture
        self.press(Qt.Key.Key_A)
        a, b = view.to_screen(QPointF(20, 170)), view.to_screen(QPointF(70, 230))
        self.drag(view, (a.x(), a.y()), (b.x() - 5, b.y() - 5), (b.x(), b.y()))
        self.assertEqual(len(self.project.subjects), 3)
        self.assertEqual(self.project.subjects[2].decision, Decision.COVER)
        self.assertFalse(view.is_drawing)

    def test_what_is_listed_is_painted_until_another_project_is_listed(self):
        self.open_made()
        self.window.document.edit("choose portrait", cast.choose_portrait, "s1", Portrait("c1", 5, (80, 80, 120, 120)))
        listed = self.project.subject("s1")
        with mock.patch.object(type(self.window.document), "project", Project()):
            self.window.cover.register._faces(listed)
        self.until(lambda: self.window.cover.register._faces(listed) is not None)

    def test_unknown_faces_are_marked_and_covered_with_a_click_or_a_key(self):
        self.open_made(
            faces=FaceTable(
                np.array([10, 10, 12], np.int32),
                np.array([[20, 170, 50, 200], [250, 170, 280, 200], [24, 170, 54, 200]], np.int16),
                np.full(3, 90, np.uint8),
            )
        )
        window, view = self.window, self.window.cover.picture
        self.until(lambda: window.document.waiting)
        window.session.set_frame(10)
        self.assertEqual([(u.word, u.found) for u in view._unknown], [("Unknown face", True)] * 2)
        screenshot(view)
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=view._unknown_places[0].center().toPoint())
        first = self.project.subjects[-1]
        self.assertEqual(
            (len(self.project.subjects), first.is_covered, window.session.selected, window.document.undo_name),
            (3, True, [first.key], "cover unknown face"),
        )
        self.assertTrue(first.sightings[0].first <= 10 and first.sightings[0].last >= 12)
        self.assertEqual([key for _, _, key in view._offers], ["T", "Shift+E"])
        self.assertEqual(len(view._unknown), 1, "the other is still marked")
        self.press(Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual((len(self.project.subjects), view._unknown), (4, []))
        self.until(lambda: not any(f.reason == Reason.NOBODYS_FACE for f in window.document.waiting))
        window.document.undo()
        self.until(lambda: len(view._unknown) == 1)
        window.session.set_frame(30)
        self.assertEqual(view._unknown, [])
        self.press(Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(self.project.subjects), 3)

    def open_plate(self, frames=40):
        """A clip in which a card goes across, and nobody was found."""
        scene = Scene(lambda n: (120 + 6 * n, 180, 1, 0))
        clip = make_clip(
            self.folder / "plate.mp4",
            frames,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(scene.frame(n)[..., None], 3, axis=2),
        )
        self.window.open_files([str(clip)])
        self.until(lambda: len(self.project.clips) == 1)
        self.window._open_in_cover("c1")
        self.until(lambda: self.window.cover.picture._image is not None)
        return scene

    def draw_around(self, start, end):
        """Drag from one point of the clip to another, px."""
        view = self.window.cover.picture
        a, b = (view.to_screen(QPointF(*point)) for point in (start, end))
        self.drag(view, (a.x(), a.y()), ((a.x() + b.x()) / 2, (a.y() + b.y()) / 2), (b.x(), b.y()))

    def test_a_plate_is_drawn_and_followed_with_two_keys_and_a_drag(self):
        scene = self.open_plate()
        window, session = self.window, self.window.session
        session.set_frame(15)
        self.press(Qt.Key.Key_B)
        self.assertTrue(window.cover.picture.is_drawing)
        truth = scene.truth(15)
        self.draw_around((truth.cx - 45, 148), (truth.cx + 45, 212))
        (subject,) = self.project.subjects
        self.assertEqual(
            (subject.name, subject.is_covered, window.document.undo_name, session.selected),
            ("Thing 1", True, "add thing", [subject.key]),
        )
        self.assertEqual([key for _, _, key in window.cover.picture._offers], ["T", "Shift+E"])
        self.assertIn("hold on to", window.cover.picture._hint)
        self.press(Qt.Key.Key_T)
        self.assertIsNotNone(window.jobs.running)
        self.until(lambda: window.jobs.running is None, 60)
        (sighting,) = self.project.subjects[0].sightings
        self.assertEqual(
            (sighting.first, sighting.last, window.document.undo_name, session.frame), (0, 39, "follow", 15)
        )
        for n in range(40):
            self.assertLess(abs(outline_at(self.project, sighting, n).cx - scene.truth(n).cx), 3, n)
        window.cover.inspector.shape.chosen.emit("ellipse")
        self.assertEqual(
            (self.project.subjects[0].sightings[0].shape, window.document.undo_name),
            (Shape.kinds["ellipse"](), "change shape"),
        )
        self.assertEqual(self.project.subjects[0].sightings[0].tracks, sighting.tracks)
        window.document.undo()
        self.assertEqual(window.cover.inspector.shape.value(), "box")
        window.document.undo()
        self.assertEqual(self.project.subjects[0].sightings[0].tracks, ())
        window.document.redo()
        self.assertEqual(len(self.project.subjects[0].sightings[0].tracks), 1)

    def click_at(self, x, y, modifiers=Qt.KeyboardModifier.NoModifier):
        """Click at a point of the clip, px."""
        point = self.window.cover.picture.to_screen(QPointF(x, y))
        self.click(self.window.cover.picture, point.x(), point.y(), modifiers=modifiers)

    def test_an_outline_is_drawn_point_by_point_and_its_points_are_changed(self):
        self.open_plate()
        window, view = self.window, self.window.cover.picture
        self.press(Qt.Key.Key_C)
        self.click_at(200, 100)
        self.assertTrue(view.is_drawing)
        self.press(Qt.Key.Key_Escape)
        self.assertTrue(view.is_drawing, "Esc takes the points back first")
        for x, y in ((200, 100), (320, 110), (300, 220), (210, 200)):
            self.click_at(x, y)
        QTest.keyClick(view, Qt.Key.Key_Return)
        (subject,) = self.project.subjects
        outline = outline_at(self.project, subject.sightings[0], 0)
        self.assertEqual((outline.shape.kind, len(outline.shape.points()), view.is_drawing), ("curve", 4, False))
        np.testing.assert_allclose(outline.edge_px()[::8], [(200, 100), (320, 110), (300, 220), (210, 200)], atol=2)
        window.session.set_reach(Reach.SIGHTING)
        self.draw_around((320, 110), (340, 120))
        moved = outline_at(self.project, self.project.subjects[0].sightings[0], 0)
        np.testing.assert_allclose(moved.edge_px()[8], (340, 120), atol=2)
        self.assertEqual((window.document.undo_name, view.chosen_points), ("move points", {1}))
        self.press(Qt.Key.Key_Delete)
        self.assertEqual(len(self.project.subjects[0].sightings[0].shape.points()), 3)
        at = view.to_screen(QPointF(200, 100))
        QTest.mouseDClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at.toPoint())
        self.assertEqual([p.smooth for p in self.project.subjects[0].sightings[0].shape.points()], [False, True, True])
        a, b = outline_at(self.project, self.project.subjects[0].sightings[0], 0).edge_px()[3:5]
        at = view.to_screen(QPointF(*((a + b) / 2)))
        QTest.mouseDClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at.toPoint())
        self.assertEqual(len(self.project.subjects[0].sightings[0].shape.points()), 4)

    def test_freely_drawn_around(self):
        self.open_plate()
        view = self.window.cover.picture
        self.press(Qt.Key.Key_C)
        around = [(260 + 60 * np.cos(t), 180 + 40 * np.sin(t)) for t in np.linspace(0, 6.1, 40)]
        places = [view.to_screen(QPointF(x, y)) for x, y in around]
        self.drag(view, *((p.x(), p.y()) for p in places))
        outline = outline_at(self.project, self.project.subjects[0].sightings[0], 0)
        self.assertTrue(5 <= len(outline.shape.points()) <= 20)
        np.testing.assert_allclose((outline.cx, outline.cy, outline.width, outline.height), (260, 180, 120, 80), atol=4)

    def test_what_is_in_front_is_drawn_before_the_selected_and_stays_sharp(self):
        self.open_plate()
        self.press(Qt.Key.Key_B)
        self.draw_around((100, 100), (300, 250))
        self.press(Qt.Key.Key_H)
        for x, y in ((180, 150), (220, 150), (220, 200), (180, 200)):
            self.click_at(x, y)
        self.click_at(180, 150)
        thing, front = self.project.subjects
        self.assertEqual((front.name, front.of.subjects, front.of.everybody), ("In front 1", (thing.key,), False))
        self.assertEqual(matte(self.project, "c1", 0)[175, 200], 0)
        inspector = self.window.cover.inspector
        self.assertTrue(inspector.holding.isVisible() and not inspector.cover_part.isVisible())
        inspector.holding.button(Decision.SHOW).click()
        self.assertEqual(matte(self.project, "c1", 0)[175, 200], 255)
        self.window.document.undo()
        inspector.soft.field.setValue(30)
        self.assertAlmostEqual(self.project.subjects[1].of.feather, 0.3)

    def test_lost_and_placed_again_with_one_drag(self):
        scene = self.open_plate(60)
        window, session = self.window, self.window.session
        truth = scene.truth(5)
        self.press(Qt.Key.Key_B)
        session.set_frame(5)
        self.draw_around((truth.cx - 45, 148), (truth.cx + 45, 212))
        window.document.edit("ends", presence.trim_sighting, "s1", "c1", 5, 5, 8)
        session.set_frame(30)
        self.settle()
        self.assertIn("no cover here", window.cover.picture._hint)
        self.draw_around((truth.cx, 180), (scene.truth(30).cx, 180))
        self.until(lambda: window.jobs.running is None, 60)
        (sighting,) = self.project.subjects[0].sightings
        self.assertEqual((sighting.first, sighting.last), (0, 59))
        for n in (0, 8, 20, 30, 59):
            self.assertLess(abs(outline_at(self.project, sighting, n).cx - scene.truth(n).cx), 4, n)

    def test_the_reach_is_chosen_while_dragging_and_arrows_nudge(self):
        self.open_plate()
        window, view = self.window, self.window.cover.picture
        self.press(Qt.Key.Key_B)
        self.draw_around((100, 148), (190, 212))
        self.press(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
        window.session.set_reach(Reach.FRAME)
        a, b = (view.to_screen(QPointF(x, 180)).toPoint() for x in (145, 175))
        QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, a)
        QTest.mouseMove(view, b)
        self.assertIn("this frame", view._hint)
        self.press(Qt.Key.Key_4)
        self.assertEqual((window.session.reach, self.project.subjects[0].decision), (Reach.SIGHTING, Decision.COVER))
        self.assertIn("this sighting", view._hint)
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, b)
        (sighting,) = self.project.subjects[0].sightings
        self.assertEqual((sighting.marks(), round(outline_at(self.project, sighting, 30).cx)), ((), 175))
        self.press(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
        self.press(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
        outline = outline_at(self.project, self.project.subjects[0].sightings[0], 30)
        self.assertEqual((round(outline.cx), round(outline.cy)), (176, 170))
        window.cover.inspector.numbers["width"].setValue(120)
        self.assertAlmostEqual(outline_at(self.project, self.project.subjects[0].sightings[0], 10).width, 120)

    def test_a_corner_is_pulled_into_perspective(self):
        self.open_plate()
        view = self.window.cover.picture
        self.press(Qt.Key.Key_B)
        self.draw_around((100, 148), (190, 212))
        self.window.session.set_reach(Reach.SIGHTING)
        a, b = (view.to_screen(QPointF(*p)) for p in ((190, 148), (200, 160)))
        self.drag(view, (a.x(), a.y()), (b.x(), b.y()), modifiers=Qt.KeyboardModifier.ControlModifier)
        outline = outline_at(self.project, self.project.subjects[0].sightings[0], 3)
        self.assertEqual((outline.place.kind, self.window.document.undo_name), ("perspective", "pull a corner"))
        np.testing.assert_allclose(
            outline.place.to_px(np.array([[1, -1], [-1, -1]], float)), [(200, 160), (100, 148)], atol=1.5
        )

    def test_keyframes_are_marked_in_the_lane_copied_pasted_and_removed(self):
        self.open_made()
        window, register = self.window, self.window.cover.register
        window.session.select(["s1"])
        window.session.set_reach(Reach.KEYFRAME)
        for frame, x in ((5, 0), (10, 20)):
            window.session.set_frame(frame)
            window.cover.hand.nudge(x, 0)
        row = [s.key for s in register._subjects].index("s1")
        y, scale = HEAD + row * ROW + ROW / 2, register._scale()
        self.drag(register.viewport(), (scale.x(3), y), (scale.x(12), y), modifiers=Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(register.marked[0], "s1")
        self.press(Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        window.session.set_frame(30)
        self.press(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.project.subject("s1").sightings[0].marks(), (5, 10, 30, 35))
        self.press(Qt.Key.Key_Delete)
        self.assertEqual(self.project.subject("s1").sightings[0].marks(), (30, 35))

    def test_the_extent_of_a_correction_is_pulled_in_the_lane(self):
        self.open_made()
        window, register = self.window, self.window.cover.register
        window.session.select(["s1"])
        window.session.set_frame(25)
        window.cover.hand.nudge(6, 0)
        row = [s.key for s in register._subjects].index("s1")
        scale, foot = register._scale(), HEAD + row * ROW + ROW - 7
        self.drag(register.viewport(), (scale.x(33.5), foot), (scale.x(38.5), foot), (scale.x(40.5), foot))
        (repair,) = self.project.subject("s1").sightings[0].repairs
        self.assertEqual((repair.frame, repair.before, repair.after), (25, 8, 15))

    def test_markers_are_named_seen_and_gone_to(self):
        self.open_made()
        window = self.window
        window.session.set_frame(12)
        with mock.patch("skiagraph.desktop.hand_work.QInputDialog.getText", return_value=("Clerk looks up", True)):
            self.press(Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual([(m.frame, m.name) for m in self.project.decisions.markers], [(12, "Clerk looks up")])
        window.session.set_frame(40)
        window.session.select([])
        self.press(Qt.Key.Key_Up)
        self.assertEqual(window.session.frame, 12)
        register = window.cover.register
        x = register._scale().x(12.5) + 3
        self.drag(register.viewport(), (x, 30), (register._scale().x(20.5), 30))
        self.assertEqual(self.project.decisions.markers[0].frame, 20)

    def test_outlines_are_seen_all_selected_or_none(self):
        self.open_made()
        window = self.window
        window.session.select(["s1"])
        shots = []
        for _ in range(5):
            self.settle()
            shots.append(screenshot(window.cover.picture))
            self.press(Qt.Key.Key_X)
        changed = [(a != b).any(axis=2).sum() for a, b in zip(shots, shots[1:])]
        self.assertTrue(all(changed), (changed, window.cover.picture._hint))
        self.assertTrue((shots[1] == shots[4]).all(), "as at first")

    def test_only_from_in_to_out_is_exported_where_that_is_asked_for(self):
        self.open_made()
        window = self.window
        window.session.set_mark("in", 10)
        window.session.set_mark("out", 29)
        window.show_step(HANDOVER)
        window.handover.side.marked.setChecked(True)
        self.hand_over("ffv1-mkv")
        self.until(lambda: not window.handing.running, 60)
        _, index = open_clip(self.folder / "out" / "quay-covered.mkv")
        self.assertEqual(
            (len(index), [f for p in window.document.proofs for f in p.findings], len(window.document.proofs)),
            (20, [], 1),
        )

    def test_reach_and_folds_are_remembered(self):
        self.window.session.set_reach(Reach.ONWARD)
        self.window.cover.inspector.numbers_part.head.click()
        again = MainWindow()
        self.addCleanup(again.close)
        self.assertEqual(
            (again.session.reach, again.cover.inspector.reach.value(), again.cover.inspector.numbers_part.is_open),
            (Reach.ONWARD, Reach.ONWARD, True),
        )

    def test_what_lies_over_it_does_not_make_it_plain(self):
        scene = self.open_plate()
        truth = scene.truth(0)
        for _ in range(2):
            self.press(Qt.Key.Key_B)
            self.draw_around((truth.cx - 45, 148), (truth.cx + 45, 212))
            self.assertIn("hold on to", self.window.cover.picture._hint)
            asked = self.window.cover._asked
            self.until(lambda: self.window.cover._shown >= asked)

    def test_margin_at_some_frames_only(self):
        self.open_made()
        window, panel = self.window, self.window.cover.inspector
        window.session.select(["s1"])
        window.session.set_frame(20)
        panel.cover_reach.setCurrentIndex(1)
        panel.cover.field("", "margin").field.setValue(60)
        (sighting,) = self.project.subject("s1").sightings
        self.assertEqual([round(float(sighting.level_at(n)[0]), 2) for n in (5, 20, 40)], [0, 0.46, 0])
        self.assertIsNone(self.project.subject("s1").style)
        self.assertEqual(window.document.undo_name, "change cover")
        window.session.set_frame(40)
        self.assertEqual(panel.cover.field("", "margin").value(), 14)
        self.press(Qt.Key.Key_Comma)
        self.press(Qt.Key.Key_Comma)
        self.assertEqual((window.session.frame, panel.cover.field("", "margin").value()), (20, 60))
        window.session.set_reach(Reach.ONWARD)
        window.session.set_frame(35)
        self.press(Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.project.subject("s1").sightings[0].last, 34)

    def test_a_sighting_is_extended_over_the_whole_clip_with_a_key(self):
        self.open_plate()
        self.window.session.set_frame(20)
        self.press(Qt.Key.Key_B)
        self.draw_around((200, 148), (290, 212))
        self.window.document.edit("end", presence.trim_sighting, "s1", "c1", 20, 18, 22)
        self.press(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
        (sighting,) = self.project.subjects[0].sightings
        self.assertEqual(
            (sighting.first, sighting.last, self.window.document.undo_name), (0, 39, "cover the whole clip")
        )

    def test_a_good_frame_is_gone_to_with_a_key(self):
        rows = head_path(0, 50, cx=100, cy=100, width=50, height=66).rows().copy()
        rows[31, 2:4] *= 1.3
        self.open_made(HeadPath.from_rows(0, rows, np.zeros(50)))
        self.press(Qt.Key.Key_G)
        self.assertIn("Choose", self.window.notice.text)
        self.window.show_step(COVER)
        self.assertIn("Choose", self.window.notice.text)
        self.window.show_step(REVIEW)
        self.assertEqual(self.window.notice.text, "", "what was said of one page is not said on the next")
        self.window.show_step(COVER)
        self.window.session.select(["s1"])
        self.press(Qt.Key.Key_G)
        self.assertEqual(self.window.session.frame, 31)

    def test_the_way_between_keyframes_is_changed_with_a_key(self):
        self.open_made()
        self.window.session.select(["s1"])
        self.press(Qt.Key.Key_Y)
        self.assertIn("no two keyframes", self.window.notice.text)
        for frame in (10, 30):
            self.window.document.edit(
                "move outline",
                outlines.move_outline,
                "s1",
                "c1",
                frame,
                Outline.at(100 + frame, 100, 50, 66),
                Reach.KEYFRAME,
            )
        self.window.session.set_frame(15)
        for way in ("straight", "hold", "smooth"):
            self.press(Qt.Key.Key_Y)
            self.assertEqual(outlines.keyframe_before(self.project.subject("s1").sightings[0], 15).to_next, way)
        self.assertEqual(self.window.document.undo_name, "change the way between keyframes")

    def test_following_is_stopped_and_keeps_what_it_had(self):
        from skiagraph.child_process import run_in_child

        self.open_plate()
        window = self.window
        window.session.set_frame(5)
        self.press(Qt.Key.Key_B)
        self.draw_around((105, 148), (195, 212))

        def until_ten(function, *arguments, control, told):
            def heard(path):
                told(path)
                if len(path) > 10:
                    control.cancel()

            return run_in_child(function, *arguments, control=control, told=heard)

        with mock.patch("skiagraph.desktop.long_jobs.run_in_child", until_ten):
            window.cover.hand.follow(Direction.ON)
            self.until(lambda: window.jobs.running is None, 60)
        self.settle()
        (sighting,) = self.project.subjects[0].sightings
        self.assertEqual(len(sighting.tracks), 1)
        self.assertIn("stopped", window.notice.text)

    def test_nothing_to_hold_on_to_is_said_in_the_window(self):
        self.open_made()
        self.window.cover.hand.follow(Direction.BOTH)
        self.assertIn("Choose", self.window.notice.text)
        flat = make_clip(
            self.folder / "wall.mp4", 6, size=(320, 240), draw=lambda n, w, h: np.full((h, w, 3), 120, np.uint8)
        )
        self.window.open_files([str(flat)])
        self.until(lambda: len(self.project.clips) == 2)
        self.window._open_in_cover("c2")
        self.until(lambda: self.window.cover.picture._image is not None)
        self.press(Qt.Key.Key_B)
        self.draw_around((60, 60), (160, 140))
        self.press(Qt.Key.Key_T)
        self.until(lambda: self.window.jobs.running is None, 60)
        self.assertIn("too little", self.window.notice.text)

    def test_playing_moves_on_and_stops_at_the_end(self):
        self.open_made()
        session = self.window.session
        session.set_frame(0)
        self.press(Qt.Key.Key_Space)
        self.assertEqual(self.window.cover.player.speed, 1)
        self.until(lambda: session.frame > 5)
        self.until(lambda: self.window.cover.player.speed == 0)
        self.assertGreaterEqual(session.frame, 48)
        self.press(Qt.Key.Key_J)
        self.until(lambda: session.frame < 40)
        self.press(Qt.Key.Key_K)
        self.assertEqual(self.window.cover.player.speed, 0)

    def test_playing_keeps_to_the_frames_own_times(self):
        slow = dict(time_base=Fraction(1, 1000), pts=lambda n: n * 20 if n < 10 else 200 + (n - 10) * 400)
        clip = make_clip(self.folder / "phone.mp4", 20, size=(320, 240), options={"g": 12}, **slow)
        place = self.folder / "phone.skiagraph"
        file.save(project_on(clip, head_path(0, 20)), place)
        self.window.open_project(place)
        self.until(lambda: self.window.cover.picture._image is not None)
        player, clip = self.window.cover.player, self.window.session.clip
        self.window.session.set_frame(0)
        player.set_speed(1)
        self.assertEqual(
            [player._due(clip, s) for s in (0.1, 0.21, 0.65, 1.05)],
            [5, 10, 11, 12],
            "the mean rate would say 0, 1, 3, 5",
        )
        player.set_speed(0)

    def test_numbered_pictures_are_added_at_the_rate_that_is_answered(self):
        shots = write_pictures(self.folder / "shots")
        with mock.patch("skiagraph.desktop.window.QInputDialog.getItem", return_value=("23.976", False)):
            self.window.open_files([str(shots)])
        self.assertIsNone(self.window.jobs.adding)
        with mock.patch("skiagraph.desktop.window.QInputDialog.getItem", return_value=("23.976", True)) as asked:
            self.window.open_files([str(shots)])
            self.assertIn("quay.0001.png", asked.call_args[0][2])
            self.until(lambda: len(self.project.clips) == 1)
        self.assertEqual((self.project.clips[0].rate, self.project.clips[0].frames), (Fraction(24000, 1001), 8))

    def test_findings_are_reached_and_accepted_with_a_name(self):
        self.open_made(head_path(0, 50, cx=100, cy=100, width=50, height=66, confidence=0.1))
        self.until(lambda: len(self.window.document.waiting) == 1)
        self.press(Qt.Key.Key_N)
        self.assertEqual(self.window.session.subject.key, "s1")
        self.window.show_step(REVIEW)
        self.settle()
        review = self.window.review
        review.list.setFocus()
        QTest.keyClick(review.list, Qt.Key.Key_E)
        self.assertEqual(self.project.accepted, ())
        review.name.setText("Ida")
        QTest.keyClick(review.list, Qt.Key.Key_E)
        self.until(lambda: not self.window.document.waiting)
        self.assertEqual(self.project.accepted[0].by, "Ida")

    def test_handing_over_writes_a_covered_file_and_checks_it(self):
        self.open_made()
        side = self.window.handover.side
        side.matte.setChecked(True)
        side.companions["otio"].setChecked(True)
        with mock.patch("skiagraph.desktop.handover_work.notify") as told:
            self.hand_over()
            self.assertTrue(self.window.handing.running)
            self.until(lambda: not self.window.handing.running, 60)
        covered = self.folder / "out" / "quay-covered.mp4"
        with FrameReader(*open_clip(covered)) as reader, FrameReader(*open_clip(self.folder / "quay.mp4")) as source:
            self.assertEqual(len(reader), 50)
            a, b = reader.read(25).rgb().astype(int), source.read(25).rgb().astype(int)
        self.assertGreater(np.abs(a - b)[80:120, 80:120].mean(), 4)
        self.assertLess(np.abs(a - b)[200:, :].mean(), 3)
        self.assertEqual(sorted(p.suffix for p in (self.folder / "out").iterdir()), [".mkv", ".mp4", ".otio"])
        jobs = self.window.handing.queue.jobs
        self.assertEqual([str(job.state) for job in jobs], ["done", "done"])
        self.assertIn("checked", self.window.handover.queue.rows[jobs[0].key].text)
        self.assertEqual(
            (len(self.window.document.proofs), told.call_args.args), (1, ("Handed over", "2 jobs are written."))
        )

    def test_what_was_proved_counts_when_the_project_is_opened_again(self):
        place = self.open_made(frames=20)
        self.hand_over("ffv1-mkv")
        self.until(lambda: not self.window.handing.running, 60)
        (proof,) = self.window.document.proofs
        self.window.open_project(place)
        self.assertEqual(self.window.document.proofs, [proof])
        film = self.folder / "out" / "quay-covered.mkv"
        film.write_bytes(film.read_bytes() + b"x")
        self.window.open_project(place)
        self.assertEqual(self.window.document.proofs, [], "a file that was exchanged was not")

    def test_a_cancelled_job_leaves_nothing(self):
        self.open_made(frames=120)
        self.window.handover.side.matte.setChecked(True)
        self.hand_over("ffv1-mkv", check=False)
        # Cancelled once the first frames were written, so that there is something to take away.
        job = self.window.handing.queue.jobs[0]
        self.window.handing._runner.told.connect(
            lambda news: self.window.handover.queue.wished.emit("cancel", job.key) if news.progress else None
        )
        self.until(lambda: not self.window.handing.running)
        self.assertEqual([p.name for p in (self.folder / "out").glob("*")], [])
        self.assertIn("Cancelled", self.window.handover.queue.rows[job.key].text)

    def test_closing_the_window_the_queue_goes_on_in_the_next(self):
        place = self.open_made(frames=120)
        self.hand_over("ffv1-mkv", check=False)
        self.until(lambda: self.window.handing._runner.worker.running is not None)
        self.window.close()
        # Closing waits for the job's process a little, and a busy machine may take longer to end it.
        self.until(lambda: [str(job.state) for job in Queue().jobs] == ["waiting"])
        again = MainWindow()
        self.addCleanup(again.close)
        self.until(lambda: [str(job.state) for job in Queue().jobs] == ["done"] and not again.handing.running)
        self.assertEqual(len(open_clip(self.folder / "out" / "quay-covered.mkv")[1]), 120)
        self.assertTrue(place.exists())

    def test_the_queue_pauses_goes_on_and_tries_again(self):
        self.open_made(frames=30)
        handing = self.window.handing
        handing.pause(True)
        self.hand_over("ffv1-mkv", check=False)
        self.settle()
        self.assertFalse(handing.running)
        (self.folder / "quay.mp4").rename(self.folder / "away.mp4")
        self.window.handover.queue.pause.click()
        self.until(lambda: not handing.running and not handing.queue.jobs[0].is_open)
        self.assertSentence(self.window.notice.text, "quay-covered.mkv")
        (self.folder / "away.mp4").rename(self.folder / "quay.mp4")
        row = self.window.handover.queue.rows[handing.queue.jobs[0].key]
        next(b for b in row.findChildren(QPushButton) if b.text() == "Try again").click()
        self.until(lambda: not handing.running and str(handing.queue.jobs[0].state) == "done")
        self.window.handover.queue.clear.click()
        self.assertEqual((handing.queue.jobs, self.window.handover.queue.rows), ((), {}))

    def test_a_queue_that_cannot_be_kept_is_said_once(self):
        self.open_made(frames=20)
        handing = self.window.handing
        with mock.patch(
            "skiagraph.handover.queue.write_whole",
            side_effect=SkiagraphError(
                "queue.json cannot be written in there (No space left on device); free some space or choose another"
                " place."
            ),
        ) as writing:
            self.hand_over("ffv1-mkv", check=False)
            self.until(lambda: not handing.running)
            self.assertSentence(self.window.notice.text, "free some space")
        count = writing.call_count
        self.settle()
        self.assertEqual((writing.call_count, handing.running), (count, False))

    def test_files_that_exist_are_asked_about(self):
        self.open_made(frames=30)
        (self.folder / "out").mkdir()
        there = self.folder / "out" / "quay-covered.mkv"
        (self.folder / "out" / "quay.otio").write_text("somebody's")
        self.window.handover.side.companions["otio"].setChecked(True)
        for answer, names in (
            (None, ["quay-covered.mkv", "quay.otio"]),
            ("beside", ["quay-2-covered.mkv", "quay-2.otio", "quay-covered.mkv", "quay.otio"]),
        ):
            there.write_bytes(b"somebody's")
            with mock.patch.object(HandoverWork, "_ask_about_existing", return_value=answer) as asked:
                self.hand_over("ffv1-mkv", check=False)
            asked.assert_called_once()
            self.until(lambda: not self.window.handing.running)
            self.assertEqual(
                (sorted(p.name for p in (self.folder / "out").iterdir()), there.read_bytes()), (names, b"somebody's")
            )
            self.assertEqual((self.folder / "out" / "quay.otio").read_text(), "somebody's")

    def test_an_edit_list_limits_what_is_handed_over(self):
        self.open_made()
        list_ = self.folder / "evening.edl"
        list_.write_text(
            "TITLE: EVENING\n\n001  QUAY     V     C        00:00:00:10 00:00:00:20 00:00:00:00 00:00:00:10\n* FROM"
            " CLIP NAME: quay.mp4\n"
        )
        self.window.footage._handles.setValue(4)
        self.window.open_files([str(list_)])
        self.assertSentence(self.window.notice.text, "1 part of 1 clip")
        self.assertEqual(self.window._parts(), {"c1": [(6, 23)]})
        self.window.show_step(FOOTAGE)
        self.assertIn("evening.edl", self.window.footage._list_told.text())
        self.hand_over("ffv1-mkv", check=False)
        self.until(lambda: not self.window.handing.running)
        self.assertEqual(len(open_clip(self.folder / "out" / "quay-covered.mkv")[1]), 18)
        self.window.show_step(FOOTAGE)
        self.window.footage.drop_list.click()
        self.assertIsNone(self.window.document.project.decisions.programme)
        self.window.open_files([str(self.folder / "none.edl")])
        self.assertSentence(self.window.notice.text, "none.edl")

    def test_how_large_a_film_will_be_is_told(self):
        self.open_made(frames=30)
        self.window.show_step(HANDOVER)
        self.until(lambda: self.window.handover.side.estimate.text().startswith("About"), 60)

    def test_saving_is_continuous_and_told(self):
        place = self.open_made()
        cast_before = file.load(place)
        self.window.session.select(["s1"])
        self.press(Qt.Key.Key_2)
        self.until(lambda: self.window._place.text().endswith("saved"))
        self.assertNotEqual(file.load(place).subject("s1").decision, cast_before.subject("s1").decision)

    def test_failed_saving_is_said(self):
        self.open_made()
        with mock.patch(
            "skiagraph.project.store.save",
            side_effect=CannotSaveProject("quay.skiagraph cannot be saved; free some space."),
        ):
            self.window.document.edit("x", cast.cover_all)
            self.until(lambda: "not saved" in self.window._place.text())
            self.assertSentence(self.window.notice.text, "quay.skiagraph")
            # Closing now would lose the edit: that is asked.
            with mock.patch(
                "skiagraph.desktop.window.QMessageBox.warning", return_value=QMessageBox.StandardButton.Cancel
            ) as asked:
                self.window.close()
            self.assertTrue(asked.called and self.window.isVisible())
        # Once there is room again, it is saved by itself.
        self.until(lambda: self.window.document.flush() and self.window._place.text().endswith("saved"))
        self.assertTrue(all(s.decision == Decision.COVER for s in file.load(self.folder / "quay.skiagraph").subjects))


class ScanInWindowTest(DesktopTest):
    """A scan of the shipped demo in the real window: people appear while it runs, and the window answers meanwhile."""

    def test_scan_decide_split_and_question(self):
        window = MainWindow()
        self.addCleanup(window.close)
        window.show()
        window.open_files([str(beginning_of(shipped("quay.mp4"), 45, self.folder / "quay.mp4"))])
        self.until(lambda: window.document.project.clips)
        clip = window.document.project.clips[0]
        window.scan_clips([clip.key], 1)
        self.assertEqual(window.pages.currentIndex(), COVER)
        grew = []

        def tick():
            grew.append(len(window.document.project.subjects))
            return window.jobs.running is None

        self.until(tick, 120)
        self.assertEqual(len([s for s in window.document.project.subjects if not s.doubtful]), 4)
        self.assertTrue(any(0 < n for n in grew[:-1]), "people appear while it runs")
        self.assertGreater(len(grew), 45, "the event loop turns more often than the scan takes in frames")
        self.assertTrue(all(s.is_covered for s in window.document.project.subjects))
        self.assertEqual(window.document.project.scan_of(clip.key).reached, 45)
        self.assertEqual(window.document.undo_name, f"add {clip.path.name}", "a scan is no step of undo")
