"""Menus and keys: everything that can be done, each once."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar, QToolButton

from skiagraph.desktop.controls import icon
from skiagraph.desktop.hand_work import REACH_WORD
from skiagraph.desktop.session import View
from skiagraph.desktop.words import tr
from skiagraph.footage.following import Direction
from skiagraph.project import presence

# Word, key and px of the ways in which an outline is nudged.
_WAYS = (("Left", "Left", -1, 0), ("Right", "Right", 1, 0), ("Up", "Up", 0, -1), ("Down", "Down", 0, 1))


class Actions:
    """Builds the menus of a window. groups: heading → actions, for the help sheet; summed: heading → (keys, text) of
    those that it tells in one line."""

    def __init__(self, window):
        self._window = window
        self.groups: dict[str, list[QAction]] = {}
        self.summed: dict[str, list[tuple[str, str]]] = {}
        self.bar = QMenuBar()
        # Qt's own button for menus that find no room has a dark sign on a dark ground.
        further = self.bar.findChild(QToolButton, "qt_menubar_ext_button")
        further.setIcon(icon("down"))
        further.setIconSize(QSize(8, 8))
        further.setToolTip(tr("More menus"))
        further.setAccessibleName(tr("More menus"))
        cover, session = window.cover, window.session
        self._menu(
            "Project",
            [
                ("New …", "Ctrl+N", window.new_project),
                ("Open …", "Ctrl+O", window.open_dialog),
                ("Add clips …", "Ctrl+I", window.add_dialog),
                ("Open the demo", "", window.open_demo),
                ("Save a copy …", "Ctrl+Shift+S", window.save_copy),
                None,
                ("Scan new clips", "Ctrl+R", window.footage._scan_all),
                ("Search all clips strictly", "", window.jobs.sweep),
                ("Export", "Ctrl+E", window.export_now),
                ("Write the report …", "Ctrl+Shift+R", window.reviewing.write_report),
                None,
                ("Quit", "Ctrl+Q", window.close),
            ],
        )
        self._recent = QMenu(tr("Open recent"), self.bar)
        self._recent.setToolTipsVisible(True)
        self._menus["Project"].insertMenu(self._menus["Project"].actions()[2], self._recent)
        self.undo, self.redo = self._menu(
            "Edit", [("Undo", "Ctrl+Z", window.document.undo), ("Redo", "Ctrl+Shift+Z", window.document.redo)]
        )
        hand = cover.hand
        self._more(
            "Edit",
            [
                None,
                ("Copy the outline, or marked keyframes", "Ctrl+C", cover.copy),
                ("Copy this sighting", "Ctrl+Shift+C", hand.copy_sighting),
                ("Copy the cover", "Ctrl+Alt+C", hand.copy_cover),
                ("Paste", "Ctrl+V", hand.paste),
                ("Remove points, keyframes or a correction", "Del", cover.delete),
                ("Deselect", "Esc", cover.escape),
            ],
        )
        self._menu(
            "People",
            [
                ("Decide: cover", "1", lambda: cover.digit(1)),
                ("Decide: show", "2", lambda: cover.digit(2)),
                ("Decide: undecided", "3", lambda: cover.digit(3)),
                None,
                ("Merge selected", "Ctrl+M", cover.casting.merge_selected),
                ("Somebody else from here on", "Q", cover.casting.split_here),
                ("Swap the two selected from here on", "Ctrl+Shift+Q", cover.casting.swap_selected),
                ("Same person? Compare both sides …", "Shift+P", lambda: window.reviewing.compare_people()),
                ("Dismiss: not a person", "Backspace", lambda: cover.casting.dismiss(session.selected)),
                ("Use this frame as the portrait", "P", cover.casting.choose_portrait),
                ("Go to a good frame of the selected", "G", cover.go_to_good_frame),
                ("Remove from register", "Ctrl+Backspace", cover.remove_selected),
            ],
        )
        self._menu(
            "By hand",
            [
                ("Add a face", "A", lambda: hand.draw("ellipse")),
                ("Cover the unknown faces that are marked here", "Shift+A", cover.unknown.cover_here),
                ("Add a plate, a sign, a screen", "B", lambda: hand.draw("box")),
                ("Add anything, point by point", "C", lambda: hand.draw("curve")),
                ("Hold out what is in front", "H", lambda: hand.draw("front")),
                None,
                ("Follow both ways", "T", lambda: hand.follow(Direction.BOTH)),
                ("Follow on", "Shift+T", lambda: hand.follow(Direction.ON)),
                ("Follow back", "Ctrl+T", lambda: hand.follow(Direction.BACK)),
                ("Not in the picture here", "W", hand.declare_absent),
                None,
                ("Begin sighting here", "[", lambda: hand.trim("begin")),
                ("End sighting here", "]", lambda: hand.trim("end")),
                ("Cover off, as far as changes reach", "Shift+W", hand.switch_off),
                ("Split the sighting here", "Shift+Q", hand.split),
                ("Join with the next sighting", "Ctrl+J", hand.join),
                ("Remove the sighting", "", lambda: hand.edit_here("remove sighting", presence.remove_sighting)),
                ("Cover the whole clip with this sighting", "Shift+E", hand.extend),
                None,
                ("To the next keyframe: smooth, straight or held", "Y", hand.change_between),
                ("Repeat the last correction", "U", hand.repeat),
                (
                    "Move by 1 px, with Shift by 10",
                    "Alt+← ↑ → ↓",
                    [
                        *(
                            (f"{word} by 1 px", f"Alt+{key}", lambda x=x, y=y: hand.nudge(x, y))
                            for word, key, x, y in _WAYS
                        ),
                        *(
                            (f"{word} by 10 px", f"Alt+Shift+{key}", lambda x=x, y=y: hand.nudge(10 * x, 10 * y))
                            for word, key, x, y in _WAYS
                        ),
                    ],
                ),
                (
                    "What changes apply to; while dragging without Alt",
                    "Alt+1 … 5",
                    [
                        (f"Changes apply to {word}", f"Alt+{n}", lambda r=r: session.set_reach(r))
                        for n, (r, word) in enumerate(REACH_WORD.items(), 1)
                    ],
                ),
            ],
        )
        for n in (4, 5):
            self._hidden(str(n), lambda n=n: cover.digit(n))
        voice = cover.voice
        self._menu(
            "Voice",
            [
                ("Disguise from in to out, or all that the selected says", "V", voice.disguise_selected),
                ("Split the range here", "Ctrl+Alt+Q", voice.split_here),
                ("Join with the next range, or the chosen ones", "Ctrl+Alt+J", voice.join),
                ("Leave the chosen ranges as recorded", "", voice.remove),
                None,
                (
                    "Listen to who speaks in this clip",
                    "Ctrl+L",
                    lambda: session.clip and window.jobs.listen([session.clip.key]),
                ),
                ("Show or fold the voice row", "Shift+V", lambda: voice.fold(not cover.voice_row.is_open)),
            ],
        )
        casting = cover.casting
        self._menu(
            "Everyone",
            [
                ("Cover everyone", "Shift+1", casting.cover_all),
                ("Show everyone except the selected", "Shift+2", casting.show_all_but),
                ("Cover everyone seen only briefly …", "", casting.cover_brief),
                ("Swap covered and shown", "", casting.invert),
                None,
                ("Dismiss everyone doubtful", "Shift+Backspace", casting.dismiss_doubtful),
                ("Ask the postponed questions again", "", casting.ask_again),
            ],
        )
        self._menu("Look", [])
        looks = cover.looks
        self._menus["Look"].setToolTipsVisible(True)
        self._menus["Look"].aboutToShow.connect(lambda: looks.fill(self._menus["Look"]))
        self._menu(
            "Playback",
            [
                ("Play", "Space", cover.player.toggle),
                ("Shuttle back", "J", lambda: cover.player.faster(-1)),
                ("Stop", "K", lambda: cover.player.set_speed(0)),
                ("Shuttle forward", "L", lambda: cover.player.faster(1)),
                None,
                ("One frame back", "Left", lambda: cover.step(-1)),
                ("One frame forward", "Right", lambda: cover.step(1)),
                ("One second back", "Shift+Left", lambda: cover.step_second(-1)),
                ("One second forward", "Shift+Right", lambda: cover.step_second(1)),
                ("First frame", "Home", lambda: cover.jump("start")),
                ("Last frame", "End", lambda: cover.jump("end")),
                None,
                ("Set in point", "I", lambda: session.set_mark("in", session.frame)),
                ("Set out point", "O", lambda: session.set_mark("out", session.frame)),
                ("Remove in point", "Shift+I", lambda: session.set_mark("in", None)),
                ("Remove out point", "Shift+O", lambda: session.set_mark("out", None)),
                None,
                ("Play what is unsure", "Shift+Space", window.reviewing.play_unsure),
                ("Next finding", "N", lambda: cover.jump_finding()),
                ("Previous finding", "Shift+N", lambda: cover.jump_finding(True)),
                ("Next keyframe", ".", lambda: cover.jump_keyframe()),
                ("Previous keyframe", ",", lambda: cover.jump_keyframe(True)),
                ("Next marker or end of a sighting", "Down", lambda: cover.jump_stop()),
                ("Previous marker or end of a sighting", "Up", lambda: cover.jump_stop(True)),
                ("Name this frame …", "Shift+M", hand.set_marker),
            ],
        )
        self._menu(
            "View",
            [
                *(
                    (name, key, lambda v=v: session.set_view(v))
                    for name, key, v in (
                        ("Result", "R", View.RESULT),
                        ("Source", "S", View.SOURCE),
                        ("Split", "D", View.SPLIT),
                        ("Matte", "M", View.MATTE),
                    )
                ),
                ("Outlines: all, selected, none", "X", hand.next_shown),
                ("Fit the picture to the window", "F", cover.picture.fit),
                ("Zoom in", "+", lambda: cover.picture.zoom_at(cover.picture.rect().center().toPointF(), 1.25)),
                ("Zoom out", "-", lambda: cover.picture.zoom_at(cover.picture.rect().center().toPointF(), 0.8)),
                None,
                *(
                    (name, f"Ctrl+{n}", lambda n=n: window.show_step(n - 1))
                    for n, name in enumerate(("Footage", "Cover", "Review", "Hand over"), 1)
                ),
                ("Full screen", "F11", window.toggle_full_screen),
            ],
        )
        self._menu("Help", [("Keys", "F1", window.show_keys), ("About Skiagraph", "", window.show_about)])

    def _menu(self, name: str, entries) -> list[QAction]:
        self._menus = getattr(self, "_menus", {})
        self._menus[name] = self.bar.addMenu(tr(name))
        self.groups[name] = []
        return self._more(name, entries)

    def _more(self, name: str, entries) -> list[QAction]:
        """Add to a menu: (text, key, function) each, None for a line, or (text, keys, entries) for a menu in it, which
        the help sheet tells in one line."""
        added = []
        for entry in entries:
            if entry is None:
                self._menus[name].addSeparator()
            elif isinstance(entry[2], list):
                inner = self._menus[name].addMenu(tr(entry[0].split(",")[0].split(";")[0]))
                self.summed.setdefault(name, []).append((entry[1], entry[0]))
                for one in entry[2]:
                    self._add(inner, *one)
            else:
                added.append(self._add(self._menus[name], *entry))
        self.groups[name] += added
        return added

    def _add(self, menu: QMenu, text: str, key: str, function) -> QAction:
        action = QAction(tr(text), self._window)
        if key:
            action.setShortcut(QKeySequence(key))
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        action.triggered.connect(lambda _=False, f=function: f())
        menu.addAction(action)
        self._window.addAction(action)
        return action

    def _hidden(self, key: str, function) -> None:
        """A key that means something only while an outline is pulled, where it is said in the picture."""
        action = QAction(self._window)
        action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _=False: function())
        self._window.addAction(action)

    def refresh_recent(self, paths: list[str]) -> None:
        """List the projects that were open lately, under Project."""
        self._recent.clear()
        for path in paths:
            self._recent.addAction(Path(path).name, lambda p=path: self._window.open_project(Path(p))).setToolTip(path)
        self._recent.setEnabled(bool(paths))

    def refresh(self, undo: str, redo: str) -> None:
        """Name what undo and redo would do."""
        for action, word, name in ((self.undo, "Undo", undo), (self.redo, "Redo", redo)):
            action.setText(tr("{what}: {name}", what=tr(word), name=tr(name)) if name else tr(word))
            action.setEnabled(bool(name))
