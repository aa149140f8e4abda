"""The one object that holds the current project and says when it changed, and in what."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from skiagraph.desktop.job_runner import JobRunner
from skiagraph.errors import SkiagraphError
from skiagraph.project import file, relink
from skiagraph.project.history import History
from skiagraph.project.model import Project
from skiagraph.project.recognition import Gallery
from skiagraph.project.store import ProjectStore
from skiagraph.review.findings import Finding, findings, open_findings


class Document(QObject):
    """Current value, history, saving, findings. Widgets read `project` and ask `edit`; they keep nothing of their own.

    changed: a new value is current. saveChanged: what to say about saving. findingsChanged: the findings of the newest
    value are known. refused: an edit made no sense; the sentence says why.
    """

    changed = Signal()
    saveChanged = Signal(str)
    findingsChanged = Signal()
    refused = Signal(str)
    _saved = Signal(object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._history = History(Project())
        # How people look, to know them again in other clips. In memory only, and gone with the project.
        self.gallery = Gallery()
        self._store: ProjectStore | None = None
        self.findings: list[Finding] = []
        self.waiting: list[Finding] = []
        self.file_findings: list[Finding] = []
        self._checker: JobRunner | None = None
        self._check_again = False
        self._check_timer = QTimer(self, singleShot=True, interval=60)
        self._check_timer.timeout.connect(self._check)
        self._saved.connect(self._on_saved)

    @property
    def project(self) -> Project:
        return self._history.project

    @property
    def path(self) -> Path | None:
        return self._store.path if self._store else None

    @property
    def undo_name(self) -> str:
        return self._history.undo_name

    @property
    def redo_name(self) -> str:
        return self._history.redo_name

    def open(self, path: Path) -> None:
        """Read a project and work on it from now on. Raises CannotOpenProject; the former project then stays."""
        project = relink.find_beside(file.load(path), [Path(path).absolute().parent])
        self._take_over(Path(path).absolute(), project)

    def begin(self, path: Path) -> None:
        """Start an empty project that saves itself to path."""
        self._take_over(Path(path).absolute(), Project())

    def _take_over(self, path: Path, project: Project) -> None:
        self.close()
        self._history = History(project)
        self.gallery = Gallery()
        self._store = ProjectStore(path, self._saved.emit)
        self.file_findings = []
        self.saveChanged.emit("saved" if path.exists() else "")
        self._announce()

    def close(self) -> None:
        """Write what is left; called before the window goes. No check begins after it."""
        self._check_timer.stop()
        self._check_again = False
        if self._store:
            self._store.close()
            self._store = None

    def edit(self, name: str, function, *arguments, **named) -> bool:
        """Apply an edit: function(project, …) gives the next project. False when it was refused or changed nothing."""
        try:
            changed = function(self.project, *arguments, **named)
        except (SkiagraphError, KeyError) as error:
            self.refused.emit(str(error))
            return False
        if changed is self.project:
            return False
        self._history.apply(name, changed)
        self._changed()
        return True

    def amend(self, function, *arguments, **named) -> None:
        """Take in results that arrive while a job runs, without a step in the history."""
        self._history.amend(function(self.project, *arguments, **named))
        self._changed()

    def undo(self) -> None:
        if self._history.undo():
            self._changed()

    def redo(self) -> None:
        if self._history.redo():
            self._changed()

    def _changed(self) -> None:
        if self._store:
            self.saveChanged.emit("saving …")
            self._store.put(self.project)
        self._announce()

    def _announce(self) -> None:
        self.changed.emit()
        self._check_timer.start()

    def _on_saved(self, result) -> None:
        self.saveChanged.emit("saved" if result is True else str(result))

    def set_file_findings(self, found: list[Finding]) -> None:
        """Findings of a check on an exported file; they stay until the next one."""
        self.file_findings = found
        self._check_timer.start()

    def _check(self) -> None:
        if self._checker is not None:
            self._check_again = True
            return
        project, extra = self.project, list(self.file_findings)

        def work(control):
            every = findings(project) + [f for f in extra if any(c.key == f.clip for c in project.clips)]
            return every, open_findings(project, every)

        self._checker = JobRunner(work, self)
        self._checker.finished.connect(self._on_checked)
        self._checker.ended.connect(self._on_check_ended)
        self._checker.start()

    def _on_checked(self, result) -> None:
        self.findings, self.waiting = result
        self.findingsChanged.emit()

    def _on_check_ended(self) -> None:
        self._checker = None
        if self._check_again:
            self._check_again = False
            self._check()
