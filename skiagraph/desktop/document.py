"""The one object that holds the current project and says when it changed, and in what."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.words import tr
from skiagraph.errors import ProjectInUse, SkiagraphError
from skiagraph.footage import relink
from skiagraph.footage.damage import with_known_damage
from skiagraph.footage.recognition import Gallery
from skiagraph.footage.scanning import Arrival
from skiagraph.project import file
from skiagraph.project.carry import Report, adopted
from skiagraph.project.cast import signed
from skiagraph.project.history import History
from skiagraph.project.housing import begun_project
from skiagraph.project.lock import ProjectLock
from skiagraph.project.model import Listening, Project, Sweep, replace
from skiagraph.project.store import ProjectStore
from skiagraph.project.voices import take_listening
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.findings import findings, open_findings
from skiagraph.review.proof import Proof
from skiagraph.track.results import ScanResult


@dataclass(slots=True)
class _Running:
    """A scan under way: what it has found so far is shown, and is no part of the project until it is done."""

    arrival: Arrival
    result: ScanResult | None = None
    view: Project | None = None


class Document(QObject):
    """Current value, history, saving, findings. Widgets read `project` and ask `edit`; they keep nothing of their own.

    changed: a new value is current. saveChanged: what to say about saving. findingsChanged: the findings of the newest
    value are known. refused: an edit made no sense; the sentence says why.

    token is another object for each project that is opened: what a job brings belongs to the project it was started on,
    or nowhere.
    """

    changed = Signal()
    saveChanged = Signal(str)
    findingsChanged = Signal()
    refused = Signal(str)
    _saved = Signal(object, object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._history = History(Project())
        # How people look, to know them again in other clips. In memory only, and gone with the project.
        self.gallery = Gallery()
        self.token = object()
        self.path: Path | None = None
        self.read_only = ""
        self._store: ProjectStore | None = None
        self._store_token = object()
        self._lock: ProjectLock | None = None
        self._running: _Running | None = None
        self.findings: list[Finding] = []
        self.waiting: list[Finding] = []
        # Checks of files that were exported in this session, the newest of each file.
        self.proofs: list[Proof] = []
        # Who sits here: decisions bear the name.
        self.by = ""
        self._checker: JobRunner | None = None
        self._check_again = False
        self._check_timer = QTimer(self, singleShot=True, interval=60)
        self._check_timer.timeout.connect(self._check)
        self._saved.connect(self._on_saved)

    @property
    def project(self) -> Project:
        """What is shown and edited: the project, and while a scan runs with what that has found so far."""
        running = self._running
        if (
            running is None
            or running.result is None
            or running.arrival.clip not in self._history.project.decisions.clips
        ):
            return self._history.project
        if running.view is None:
            base = self._history.project
            running.view, _ = running.arrival.seen(base, running.result)
            # Ids that were given out in it never mean anything else.
            self._history.learn(replace(base, issued=running.view.issued))
        return running.view

    @property
    def settled(self) -> Project:
        """The project without what a running scan has found so far: what is saved, checked and exported."""
        return self._history.project

    @property
    def only_looked_at(self) -> str:
        """Why nothing can be changed, for a person."""
        return tr("{why} Until then it can only be looked at.", why=self.read_only)

    @property
    def undo_name(self) -> str:
        return self._history.undo_name

    @property
    def redo_name(self) -> str:
        return self._history.redo_name

    # Opening and closing

    def open(self, path: Path) -> None:
        """Read a project and work on it from now on; one that is open elsewhere is only looked at, and read_only says
        so. Raises CannotOpenProject; the former project then stays."""
        path = Path(path).absolute()
        ours = self._lock is not None and path == self.path
        if ours:
            self.flush()
        lock, reason = (self._lock, "") if ours else self._locked(path)
        try:
            project, digest = file.load_with_digest(path)
        except SkiagraphError:
            if lock and not ours:
                lock.release()
            raise
        if ours:
            # Opening what is open already: our own lock goes over.
            self._lock = None
        self._take_over(path, with_known_damage(relink.find_beside(project, [path.parent])), lock, reason, digest)

    def begin(self, path: Path) -> None:
        """Start an empty project that saves itself to path.

        Raises ProjectInUse when one of that name is open elsewhere.
        """
        path = Path(path).absolute()
        self._take_over(path, begun_project(), ProjectLock.take(path), "", "")

    def save_copy(self, path: Path) -> None:
        """Write the project under another name, and go on with that one. Raises CannotSaveProject and ProjectInUse."""
        path = Path(path).absolute()
        lock = None if self.path == path else ProjectLock.take(path)
        digest = file.save(self._history.project, path)
        self._leave()
        self._work_on(path, lock or ProjectLock.take(path), "", digest)
        self.saveChanged.emit("saved")
        self.changed.emit()

    def _locked(self, path: Path) -> tuple[ProjectLock | None, str]:
        try:
            return ProjectLock.take(path), ""
        except ProjectInUse as error:
            return None, str(error)

    def _take_over(self, path: Path, project: Project, lock: ProjectLock | None, reason: str, digest: str) -> None:
        self.close()
        self._history = History(project)
        self.gallery = Gallery()
        self.token = object()
        self._running = None
        self.findings, self.waiting, self.proofs = [], [], []
        self._work_on(path, lock, reason, digest)
        self.saveChanged.emit("read-only" if reason else "saved" if path.exists() else "")
        self._announce()

    def _work_on(self, path: Path, lock: ProjectLock | None, reason: str, digest: str) -> None:
        self.path, self.read_only, self._lock = path, reason, lock
        if lock is not None:
            token = object()
            self._store_token = token
            self._store = ProjectStore(path, lambda result: self._saved.emit(token, result), digest)

    def flush(self) -> bool:
        """Write what is left; True when all is on disk."""
        return self._store.flush() if self._store else True

    def close(self) -> None:
        """Write what is left and let go of the project. No check begins after it."""
        self._check_timer.stop()
        self._check_again = False
        self._leave()

    def _leave(self) -> None:
        if self._store:
            self._store.close()
            self._store = None
        if self._lock:
            self._lock.release()
            self._lock = None

    # Edits

    def edit(self, name: str, function, *arguments, **named) -> bool:
        """Apply an edit: function(project, …) gives the next project. False when it was refused or changed nothing."""
        if self.read_only:
            self.refused.emit(self.only_looked_at)
            return False
        current = self.project
        try:
            changed = function(current, *arguments, **named)
        except (SkiagraphError, KeyError) as error:
            self.refused.emit(str(error))
            return False
        if changed is current:
            return False
        base = self._history.project
        changed = signed(current, changed, self.by)
        changed = adopted(base, current, changed) if current is not base else changed
        if changed.decisions == base.decisions:
            # What is known of a file, where it lies, is no decision: there is nothing to undo.
            self._history.learn(changed)
        else:
            self._history.apply(name, changed)
        self._changed()
        return True

    def undo(self) -> None:
        if self._history.undo():
            self._changed()

    def redo(self) -> None:
        if self._history.redo():
            self._changed()

    # Scans

    def begin_scan(self, clip: str, every: int) -> None:
        """A scan of a clip begins; what it finds is shown from now on."""
        self._running = _Running(Arrival(clip, every))
        self._announce()

    @property
    def scanning(self) -> str:
        """The clip that is being scanned, by key, or empty."""
        return self._running.arrival.clip if self._running else ""

    def show_found(self, result: ScanResult) -> None:
        """What the running scan has found so far."""
        if self._running is not None:
            self._running.result, self._running.view = result, None
            self._announce()

    def end_scan(self, result: ScanResult, gallery: Gallery | None) -> Report:
        """The running scan is done: its result becomes evidence, and the decisions of all steps are carried over to
        it."""
        running, self._running = self._running, None
        return self._arrived(running.arrival, result, gallery)

    def drop_scan(self) -> tuple[Arrival, ScanResult] | None:
        """The running scan ends without a result: the project is as it was before it.

        Returns what it had found, for keep_found.
        """
        running, self._running = self._running, None
        if running is None:
            return None
        self._announce()
        return (running.arrival, running.result) if running.result is not None and running.result.people else None

    def keep_found(self, arrival: Arrival, result: ScanResult) -> Report:
        """Keep what a scan had found when it was cancelled; that the rest of the clip was not searched is a finding."""
        return self._arrived(arrival, result, None)

    def _arrived(self, arrival: Arrival, result: ScanResult, gallery: Gallery | None) -> Report:
        if gallery is not None:
            # What a job recalled comes beside what was learned here while it ran.
            self.gallery = gallery = self.gallery.with_all_of(gallery)
        project, carry, told = arrival.evidence(self._history.project, result, gallery)
        self._history.arrive(project, carry)
        # The history carries over only when it is asked for a step; the report is of that.
        _ = self._history.project
        self._changed()
        return told()

    def learn_damage(self) -> None:
        """A job or the viewer may have met damage in a clip: from now on it ends there."""
        known = with_known_damage(self._history.project)
        if known is not self._history.project:
            self._history.learn(known)
            self._changed()

    # Telling

    def _changed(self) -> None:
        if self._running is not None:
            self._running.view = None
        if self._store:
            self.saveChanged.emit("saving …")
            self._store.put(self._history.project)
        self._announce()

    def _announce(self) -> None:
        self.changed.emit()
        self._check_timer.start()

    def _on_saved(self, token, result) -> None:
        if self._store is not None and token is self._store_token:
            self.saveChanged.emit("saved" if result is True else str(result))

    def add_proof(self, proof: Proof) -> None:
        """The check of an exported file; its findings stay until the file is checked again, or another is made of the
        clip in its place."""
        self.proofs = [
            *(p for p in self.proofs if (p.clip, p.version, p.span) != (proof.clip, proof.version, proof.span)),
            proof,
        ]
        self._check_timer.start()

    def take_sweep(self, sweep: Sweep) -> None:
        """What a strict search of a clip found becomes evidence."""
        project = self._history.project
        if any(c.key == sweep.clip for c in project.clips):
            self._history.learn(replace(project, evidence=project.evidence.with_sweep(sweep)))
            self._changed()

    def take_listening(self, listening: Listening) -> None:
        """What was heard in a clip: evidence, so no step of undo."""
        project = self._history.project
        if any(c.key == listening.clip for c in project.clips):
            self._history.learn(take_listening(project, listening))
            self._changed()

    def _check(self) -> None:
        if self._checker is not None:
            self._check_again = True
            return
        project, extra, token = self.settled, [f for p in self.proofs for f in p.findings], self.token

        def work(control):
            clips, subjects = {c.key for c in project.clips}, {s.key for s in project.subjects} | {""}
            every = findings(project) + [f for f in extra if f.clip in clips and f.subject in subjects]
            return token, every, open_findings(project, every)

        self._checker = JobRunner(work, self)
        self._checker.finished.connect(self._on_checked)
        self._checker.failed.connect(lambda _: self._on_check_failed(project, token))
        self._checker.ended.connect(self._on_check_ended)
        self._checker.start()

    def _on_checked(self, result) -> None:
        token, every, waiting = result
        if token is self.token:
            self.findings, self.waiting = every, waiting
            self.findingsChanged.emit()

    def _on_check_failed(self, project: Project, token: object) -> None:
        """Old findings must not stay on display as if they were of the present state."""
        if token is self.token:
            self.findings = self.waiting = [
                Finding(c.key, "", Reason.CHECK_FAILED, 0, c.frames - 1, 0.0, 0) for c in project.clips
            ]
            self.findingsChanged.emit()

    def _on_check_ended(self) -> None:
        self._checker = None
        if self._check_again:
            self._check_again = False
            self._check()
