"""What is looked at: clip, frame, selected subjects, view, in and out.

Not part of the project, so never undone or saved.
"""

from __future__ import annotations

from enum import StrEnum

from PySide6.QtCore import QObject, Signal

from skiagraph.desktop.document import Document
from skiagraph.project.model import Clip, Reach, Subject


class View(StrEnum):
    RESULT = "result"
    SOURCE = "source"
    SPLIT = "split"
    MATTE = "matte"


class Outlines(StrEnum):
    """Which outlines are drawn over the picture."""

    ALL = "all"
    SELECTED = "selected"
    NONE = "none"


class Session(QObject):
    """Signals say what changed; every setter clamps to what exists."""

    clipChanged = Signal()
    frameChanged = Signal(int)
    selectionChanged = Signal()
    viewChanged = Signal()
    marksChanged = Signal()
    reachChanged = Signal()

    def __init__(self, document: Document, parent: QObject | None = None):
        super().__init__(parent)
        self._document = document
        self._clip = ""
        self._frame = 0
        self._selected: list[str] = []
        self._view = View.RESULT
        self._peek = False
        self._marks: dict[str, tuple[int | None, int | None]] = {}
        self._reach = Reach.FRAME
        document.changed.connect(self._keep_valid)

    @property
    def clip(self) -> Clip | None:
        try:
            return self._document.project.clip(self._clip)
        except KeyError:
            return None

    @property
    def frame(self) -> int:
        # While a clip takes the place of another no frame of it was gone to yet.
        return max(0, self._frame)

    @property
    def selected(self) -> list[str]:
        return list(self._selected)

    @property
    def subject(self) -> Subject | None:
        """The subject whose outline has handles: the last one selected."""
        try:
            return self._document.project.subject(self._selected[-1]) if self._selected else None
        except KeyError:
            return None

    @property
    def view(self) -> View:
        """The view shown; peeking shows the source while a key is held."""
        return View.SOURCE if self._peek else self._view

    @property
    def chosen_view(self) -> View:
        return self._view

    @property
    def reach(self) -> Reach:
        return self._reach

    @property
    def marks(self) -> tuple[int | None, int | None]:
        return self._marks.get(self._clip, (None, None))

    @property
    def span(self) -> tuple[int, int]:
        """First and last frame that play: from in to out where they are set."""
        clip = self.clip
        first, last = self.marks
        return first or 0, (clip.frames - 1 if clip else 0) if last is None else last

    def span_of(self, clip: Clip) -> tuple[int, int] | None:
        """From in to out of a clip; None where neither is set."""
        first, last = self._marks.get(clip.key, (None, None))
        return None if first is None and last is None else (first or 0, clip.frames - 1 if last is None else last)

    def set_clip(self, key: str, frame: int = 0) -> None:
        if key != self._clip:
            self._clip, self._frame, self._selected = key, -1, []
            self.clipChanged.emit()
            self.selectionChanged.emit()
            self.marksChanged.emit()
        self.set_frame(frame)

    def set_frame(self, frame: int) -> None:
        clip = self.clip
        frame = max(0, min(frame, clip.frames - 1)) if clip else 0
        if frame != self._frame:
            self._frame = frame
            self.frameChanged.emit(frame)

    def select(self, keys: list[str]) -> None:
        if keys != self._selected:
            self._selected = list(keys)
            self.selectionChanged.emit()

    def set_view(self, view: View) -> None:
        self._view = view
        self.viewChanged.emit()

    def set_peek(self, peek: bool) -> None:
        if peek != self._peek:
            self._peek = peek
            self.viewChanged.emit()

    def set_reach(self, reach: Reach) -> None:
        self._reach = reach
        self.reachChanged.emit()

    def set_mark(self, which: str, frame: int | None) -> None:
        """which: in or out. An in behind the out removes the out, and the other way round."""
        first, last = self.marks
        if which == "in":
            first = frame
            last = None if last is not None and frame is not None and last < frame else last
        else:
            last = frame
            first = None if first is not None and frame is not None and first > frame else first
        self._marks[self._clip] = first, last
        self.marksChanged.emit()

    def _keep_valid(self) -> None:
        project = self._document.project
        keys = {s.key for s in project.subjects}
        left = [k for k in self._selected if k in keys]
        if left != self._selected:
            self._selected = left
            self.selectionChanged.emit()
        if self.clip is None:
            self.set_clip(project.clips[0].key if project.clips else "")
        else:
            self.set_frame(self._frame)
