"""Menus and keys: everything that can be done, each once."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from skiagraph.desktop.session import View
from skiagraph.desktop.words import tr
from skiagraph.footage.following import Direction
from skiagraph.project.model import Decision


class Actions:
    """Builds the menus of a window. groups: heading → actions, for the help sheet."""

    def __init__(self, window):
        self._window = window
        self.groups: dict[str, list[QAction]] = {}
        self.bar = QMenuBar()
        cover, session = window.cover, window.session
        self._menu("Project", [
            ("New …", "Ctrl+N", window.new_project), ("Open …", "Ctrl+O", window.open_dialog), ("Add clips …", "Ctrl+I", window.add_dialog),
            ("Open the demo", "", window.open_demo), ("Save a copy …", "Ctrl+Shift+S", window.save_copy), None, ("Scan new clips", "Ctrl+R", window.footage._scan_all),
            ("Export", "Ctrl+E", window.export_now), None, ("Quit", "Ctrl+Q", window.close)])
        self._recent = QMenu(tr("Open recent"), self.bar)
        self._recent.setToolTipsVisible(True)
        self._menus["Project"].insertMenu(self._menus["Project"].actions()[2], self._recent)
        self.undo, self.redo = self._menu("Edit", [("Undo", "Ctrl+Z", window.document.undo), ("Redo", "Ctrl+Shift+Z", window.document.redo)])
        self._more("Edit", [None, *((word, key, lambda d=d: cover.casting.decide(session.selected, d)) for word, key, d in (
            ("Decide: cover", "1", Decision.COVER), ("Decide: show", "2", Decision.SHOW), ("Decide: undecided", "3", Decision.UNDECIDED))),
            None, ("Add a face", "A", lambda: cover.draw("ellipse")), ("Add a plate, a sign, a screen", "B", lambda: cover.draw("box")),
            ("Go to a good frame of the selected", "G", cover.go_to_good_frame), ("Follow both ways", "T", lambda: cover.follow(Direction.BOTH)), ("Follow on", "Shift+T", lambda: cover.follow(Direction.ON)),
            ("Follow back", "Ctrl+T", lambda: cover.follow(Direction.BACK)), None,
            ("Merge selected", "Ctrl+M", cover.casting.merge_selected), ("Split at the playhead", "Ctrl+K", cover.casting.split_here),
            ("Dismiss: not a person", "Backspace", lambda: cover.casting.dismiss(session.selected)), ("Use this frame as the portrait", "P", cover.casting.choose_portrait),
            ("Begin sighting here", "[", lambda: cover.trim("begin")), ("End sighting here", "]", lambda: cover.trim("end")),
            ("To the next keyframe: smooth, straight or held", "Y", cover.change_between), ("Cover the whole clip with this sighting", "Shift+E", cover.extend), ("Remove keyframe or correction", "Del", cover.drop_keyframe), ("Remove from register", "Ctrl+Backspace", cover.remove_selected),
            ("Deselect", "Esc", cover.escape)])
        casting = cover.casting
        self._menu("Everyone", [
            ("Cover everyone", "Shift+1", casting.cover_all), ("Show everyone except the selected", "Shift+2", casting.show_all_but),
            ("Cover everyone seen only briefly …", "", casting.cover_brief), ("Swap covered and shown", "", casting.invert), None,
            ("Dismiss everyone doubtful", "Shift+Backspace", casting.dismiss_doubtful), ("Ask the postponed questions again", "", casting.ask_again)])
        self._menu("Playback", [
            ("Play", "Space", cover.player.toggle), ("Shuttle back", "J", lambda: cover.player.faster(-1)), ("Stop", "K", lambda: cover.player.set_speed(0)),
            ("Shuttle forward", "L", lambda: cover.player.faster(1)), None, ("One frame back", "Left", lambda: cover.step(-1)), ("One frame forward", "Right", lambda: cover.step(1)),
            ("One second back", "Shift+Left", lambda: cover.step_second(-1)), ("One second forward", "Shift+Right", lambda: cover.step_second(1)),
            ("First frame", "Home", lambda: cover.jump("start")), ("Last frame", "End", lambda: cover.jump("end")), None,
            ("Set in point", "I", lambda: session.set_mark("in", session.frame)), ("Set out point", "O", lambda: session.set_mark("out", session.frame)),
            ("Remove in point", "Shift+I", lambda: session.set_mark("in", None)), ("Remove out point", "Shift+O", lambda: session.set_mark("out", None)), None,
            ("Next finding", "N", lambda: cover.jump_finding()), ("Previous finding", "Shift+N", lambda: cover.jump_finding(True)),
            ("Next keyframe", ".", lambda: cover.jump_keyframe()), ("Previous keyframe", ",", lambda: cover.jump_keyframe(True))])
        self._menu("View", [
            *((name, key, lambda v=v: session.set_view(v)) for name, key, v in (("Result", "R", View.RESULT), ("Source", "S", View.SOURCE),
                                                                                ("Split", "D", View.SPLIT), ("Matte", "M", View.MATTE))),
            ("Fit the picture to the window", "F", cover.picture.fit), ("Zoom in", "+", lambda: cover.picture.zoom_at(cover.picture.rect().center().toPointF(), 1.25)),
            ("Zoom out", "-", lambda: cover.picture.zoom_at(cover.picture.rect().center().toPointF(), 0.8)), None,
            *((name, f"Ctrl+{n}", lambda n=n: window.show_step(n - 1)) for n, name in enumerate(("Footage", "Cover", "Review", "Hand over"), 1)),
            ("Full screen", "F11", window.toggle_full_screen)])
        self._menu("Help", [("Keys", "F1", window.show_keys), ("About Skiagraph", "", window.show_about)])

    def _menu(self, name: str, entries) -> list[QAction]:
        self._menus = getattr(self, "_menus", {})
        self._menus[name] = self.bar.addMenu(tr(name))
        self.groups[name] = []
        return self._more(name, entries)

    def _more(self, name: str, entries) -> list[QAction]:
        added = []
        for entry in entries:
            if entry is None:
                self._menus[name].addSeparator()
                continue
            text, key, function = entry
            action = QAction(tr(text), self._window)
            if key:
                action.setShortcut(QKeySequence(key))
                action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            action.triggered.connect(lambda _=False, f=function: f())
            self._menus[name].addAction(action)
            self._window.addAction(action)
            added.append(action)
        self.groups[name] += added
        return added

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
