"""The voice row and the voice in the inspector, driven in the real window: drawn, dragged, named, disguised, listened
to, handed over."""

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from skiagraph.desktop.register_painter import LANES
from skiagraph.desktop.sound_player import SoundPlayer
from skiagraph.desktop.voice_row import SPEECH
from skiagraph.desktop.window import COVER, MainWindow
from skiagraph.project import file, voices
from skiagraph.project.evidence import Listening, Speech, Voice
from skiagraph.project.model import Sighting, Subject
from skiagraph.shape.place import Similarity
from tests.desktop.support import DesktopTest, screenshot
from tests.footage.test_listening import project_of, talking_film
from tests.voice.support import voices as speakers


class VoiceWindowTest(DesktopTest):
    def setUp(self):
        super().setUp()
        film = talking_film(
            self.folder / "talk.mov", [(1.0, speakers()[7][:48000]), (5.0, speakers()[6][:48000])], frames=250, tracks=2
        )
        project = project_of(film)
        people = tuple(
            Subject(f"s{n}", name, sightings=(Sighting(f"g{n}", "c1", 0, 249, base=Similarity(x, 24, 16, 20, 0)),))
            for n, name, x in ((1, "Ada", 16), (2, "Bo", 48))
        )
        project = voices.take_listening(
            project.deciding(subjects=people),
            Listening(
                "c1", (Voice("1", (Speech(1, 1.0, 4.0, 25, 100),)), Voice("2", (Speech(1, 5.0, 8.0, 125, 200),)))
            ),
        )
        self.place = self.folder / "p.skiagraph"
        file.save(project, self.place)
        self.window = MainWindow()
        self.addCleanup(self.window.close)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_project(self.place)
        self.window.show_step(COVER)
        self.cover, self.row, self.work = self.window.cover, self.window.cover.voice_row, self.window.cover.voice
        self.until(lambda: self.work.sound is not None)
        self.settle()

    @property
    def ranges(self):
        return voices.ranges_in(self.window.document.project, "c1")

    def at(self, seconds, track=1, *, speech=False) -> QPoint:
        y = self.row._top(track - 1) + (4 if speech else SPEECH + 14)
        return QPoint(round(self.row._scale().x(seconds)), round(y))

    def drag(self, one: QPoint, other: QPoint, modifiers=Qt.KeyboardModifier.NoModifier):
        QTest.mousePress(self.row, Qt.MouseButton.LeftButton, modifiers, one)
        for share in (0.4, 1.0):
            QTest.mouseMove(self.row, one + QPoint(round((other.x() - one.x()) * share), 0))
            self.settle()
        QTest.mouseRelease(self.row, Qt.MouseButton.LeftButton, modifiers, other)
        self.settle()

    def test_the_row_shows_waveforms_and_who_speaks(self):
        self.assertEqual([w.channels for w in self.work.sound.waves], [2, 2])
        self.assertEqual(self.row.height(), self.row._top(2))
        picture = screenshot(self.row).astype(int)
        top = self.row._top(0) + SPEECH + 4

        def bright(seconds):
            x = round(self.row._scale().x(seconds))
            return (picture[top : top + 30, x - 8 : x + 8, :3].sum(axis=2) > 200).mean()

        self.assertGreater(bright(2.0), bright(4.5) + 0.1, "speech is larger than the background")
        self.assertEqual(screenshot(self.row).shape[1], self.row.width())

    def test_a_range_is_drawn_over_sound_and_snaps_to_pauses(self):
        self.cover.session.select(["s1"])
        self.drag(self.at(1.06), self.at(3.93))
        (one,) = self.ranges
        self.assertEqual((one.begins_s, one.ends_s, one.subject, one.track), (1.0, 4.0, "s1", 1))
        self.assertEqual(self.work.chosen, [one.key])
        self.assertTrue(self.cover.inspector.voice_part.isVisible() and self.cover.inspector.voice_part.is_open)
        self.drag(self.at(6.0, 2), self.at(7.0, 2), Qt.KeyboardModifier.AltModifier)
        other = self.ranges[1]
        self.assertEqual(other.track, 2)
        self.assertAlmostEqual(other.begins_s, 6.0, delta=0.02)
        self.window.document.undo()
        self.assertEqual(len(self.ranges), 1)

    def test_ends_are_dragged_ranges_shifted_and_taken_off_by_key(self):
        self.window.document.edit("x", voices.add_range, "c1", 2.0, 3.0, "", 1)
        self.settle()
        self.drag(self.at(3.0), self.at(3.6), Qt.KeyboardModifier.AltModifier)
        self.assertAlmostEqual(self.ranges[0].ends_s, 3.6, delta=0.03)
        self.drag(self.at(2.5), self.at(5.5), Qt.KeyboardModifier.AltModifier)
        self.assertAlmostEqual(self.ranges[0].begins_s, 5.0, delta=0.05)
        self.assertAlmostEqual(self.ranges[0].length_s, 1.6, delta=0.05)
        self.row.setFocus()
        QTest.keyClick(self.window, Qt.Key.Key_Delete)
        self.settle()
        self.assertEqual(self.ranges, [])

    def test_a_click_seeks_and_a_click_beside_chooses_nothing(self):
        self.window.document.edit("x", voices.add_range, "c1", 2.0, 3.0)
        self.settle()
        QTest.mouseClick(self.row, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, self.at(2.5))
        self.settle()
        self.assertEqual((self.work.chosen, self.cover.session.frame), ([self.ranges[0].key], 62))
        QTest.mouseClick(self.row, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, self.at(8.6))
        self.settle()
        self.assertEqual(self.work.chosen, [])
        self.assertAlmostEqual(self.cover.session.frame, 215, delta=1)

    def test_in_and_out_and_one_key(self):
        self.cover.session.set_mark("in", 25)
        self.cover.session.set_mark("out", 74)
        QTest.keyClick(self.window, Qt.Key.Key_V)
        self.settle()
        self.assertEqual([(v.begins_s, v.ends_s, v.track) for v in self.ranges], [(1.0, 3.0, 0)])

    def test_saying_who_speaks_then_disguising_all_they_say(self):
        voice = self.window.document.project.evidence.listening_of("c1").voices[0].key
        menu = self.work.menu_for("", voice, 1, 2.0)
        naming = next(a.menu() for a in menu.actions() if a.menu() and "Voice 1" in a.text())
        next(a for a in naming.actions() if a.text() == "Bo").trigger()
        self.settle()
        self.cover.session.select(["s2"])
        self.settle()
        button = self.cover.inspector.voice_part.speak
        self.assertFalse(button.isHidden())
        button.click()
        self.settle()
        self.assertEqual([(v.begins_s, v.ends_s, v.subject) for v in self.ranges], [(1.0, 4.0, "s2")])

    def test_the_disguise_is_chosen_for_a_range_and_for_all(self):
        self.window.document.edit("x", voices.add_range, "c1", 2.0, 3.0)
        self.work._select([self.ranges[0].key])
        part = self.cover.inspector.voice_part
        self.pick(part.pick, "deeper")
        project = self.window.document.project
        self.assertEqual(
            (project.disguise_of(self.ranges[0]).kind, project.decisions.voice.kind), ("deeper", "altered")
        )
        self.assertIn("undone", part.resists.text())
        part.for_all.click()
        self.settle()
        project = self.window.document.project
        self.assertEqual((self.ranges[0].disguise, project.decisions.voice.kind), (None, "deeper"))
        self.work.clear()
        self.pick(part.pick, "whisper")
        self.assertEqual(self.window.document.project.decisions.voice.kind, "whisper")

    def test_splitting_joining_and_drawing_anew_from_the_menu(self):
        self.window.document.edit("x", voices.add_range, "c1", 1.0, 4.0)
        key = self.ranges[0].key
        self.work._select([key])
        self.cover.seek(50)
        self.work.split_here()
        self.assertEqual([v.begins_s for v in self.ranges], [1.0, 2.0])
        self.work.join()
        self.assertEqual([(v.begins_s, v.ends_s) for v in self.ranges], [(1.0, 4.0)])
        menu = self.work.menu_for(key, "", 1, 2.0)
        next(a for a in menu.actions() if a.text() == "Draw another voice").trigger()
        self.assertEqual(self.ranges[0].draw, 1)
        places = next(
            a.menu()
            for a in self.work.menu_for(key, "", 1, 2.0).actions()
            if a.menu() and a.text() == "Tracks and channels"
        )
        next(a for a in places.actions() if a.text() == "Track 2, channel 1 only").trigger()
        self.assertEqual((self.ranges[0].track, self.ranges[0].channel), (2, 1))

    def test_the_row_zooms_with_the_lanes_and_folds(self):
        before = self.row._span
        self.cover.register._set_span(50, 100)
        self.assertEqual(self.row._span, (2.0, 6.0))
        self.assertNotEqual(before, self.row._span)
        QTest.keyClick(self.window, Qt.Key.Key_V, Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        self.assertLess(self.row.height(), 32)

    def test_one_track_alone_is_heard_and_the_ear_sees_what_the_eye_sees(self):
        played = []
        self.cover.player._sound.play = lambda project, clip, frame, index, tracks, plain, known: played.append(
            (tracks, plain)
        )
        self.cover.player._sound.stop = lambda: None
        QTest.mouseClick(
            self.row, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(LANES - 60, self.at(0, 2).y())
        )
        self.settle()
        self.cover.player.set_speed(1)
        self.cover.session.set_peek(True)
        self.cover.session.set_peek(False)
        self.cover.player.set_speed(0)
        self.assertEqual(played, [((1,), False), ((1,), True), ((1,), False)])

    def test_what_is_played_is_disguised_unless_the_source_is_looked_at(self):
        """The player's own thread, with a device that keeps what it is given."""
        self.window.document.edit("x", voices.add_range, "c1", 1.0, 4.0, "", 0, 0, silence())
        project, clip = self.window.document.project, self.window.document.project.clips[0]
        import threading
        import time

        class Device:
            def __init__(self):
                self.data = b""

            def write(self, data):
                self.data += bytes(data)
                return len(data)

        def heard(plain):
            device = Device()
            SoundPlayer._feed(
                project,
                clip,
                0,
                self.work.sound.index,
                (0,),
                plain,
                self.work.sound,
                time.monotonic() + 1e6,
                None,
                device,
                threading.Event(),
            )
            return np.frombuffer(device.data, np.int16).reshape(-1, 2)

        disguised, plain = heard(False), heard(True)
        self.assertEqual(len(disguised), len(plain))
        self.assertFalse(disguised[48000 + 2000 : 4 * 48000 - 2000].any())
        self.assertGreater(np.abs(plain[48000 * 2 : 48000 * 3]).max(), 2000)

    def test_listening_from_the_menu(self):
        self.window.document._history.learn(self.window.document.settled)
        self.window.jobs.listen(["c1"])
        self.until(lambda: self.window.jobs.running is None, 60)
        found = self.window.document.settled.evidence.listening_of("c1")
        self.assertEqual(len(found.voices), 2)
        self.assertIn("voices were heard", self.window.notice.text)

    def test_a_clip_without_sound_says_so(self):
        from tests.support import make_clip

        self.window.jobs.add([make_clip(self.folder / "mute.mp4", 20)])
        self.until(lambda: len(self.window.document.project.clips) == 2)
        self.cover.show_clip(self.window.document.project.clips[1].key)
        self.until(lambda: self.work.sound is not None)
        self.settle()
        self.assertEqual(self.row._state, "no sound")
        self.assertFalse(self.cover.inspector.voice_part.isVisible())


def silence():
    from skiagraph.voice.disguise import Disguise

    return Disguise.kinds["silence"]()
