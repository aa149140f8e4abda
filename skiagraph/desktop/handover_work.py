"""What is done on Hand over: putting orders into the queue, working through it, estimating, telling when it is done."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QMessageBox

from skiagraph.child_process import run_in_child
from skiagraph.desktop.document import Document
from skiagraph.desktop.handover_page import HandoverPage
from skiagraph.desktop.handover_side import Kept
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.notifying import notify
from skiagraph.desktop.words import counted, tr
from skiagraph.errors import SkiagraphError
from skiagraph.handover.estimate import estimated_bytes
from skiagraph.handover.order import Order
from skiagraph.handover.queue import Queue, State, proofs_of
from skiagraph.handover.worker import News, QueueWorker
from skiagraph.handover.writer import Writer
from skiagraph.values import written

# After a change nothing is estimated for so long, so that it is not begun in vain.
CALM_MS = 700


class _QueueRunner(JobRunner):
    """Works on the queue in a thread; cancelled, what runs waits again."""

    def __init__(self, queue: Queue, parent: QObject):
        super().__init__(lambda control: self.worker.work(), parent)
        self.worker = QueueWorker(queue, self.tell)

    def cancel(self) -> None:
        self.worker.stop()
        super().cancel()


class HandoverWork(QObject):
    """folderWanted: a folder that somebody wants to see; changed: the queue, or who works on it."""

    folderWanted = Signal(str)
    changed = Signal()

    def __init__(self, document: Document, page: HandoverPage, settings: QSettings, window):
        super().__init__(window)
        self._document, self._page, self._settings, self._window = document, page, settings, window
        self.queue = Queue()
        self._runner: _QueueRunner | None = None
        # Which project a hand-over of this session was of.
        self._tokens: dict[str, object] = {}
        self._ended: list[State] = []
        self._broken = False
        self._estimates: dict[tuple, int] = {}
        self._estimating: JobRunner | None = None
        self._calm = QTimer(self, singleShot=True, interval=CALM_MS)
        self._calm.timeout.connect(self._estimate)
        page.ordered.connect(self.take)
        page.chosenChanged.connect(self.estimate_soon)
        page.side.filmChanged.connect(self.estimate_soon)
        page.side.browsePressed.connect(self._browse)
        page.side.said.connect(window.notice.reply)
        page.pictures.failed.connect(window.notice.reply)
        page.queue.wished.connect(self._wish)
        page.queue.paused.connect(self.pause)
        page.queue.clearPressed.connect(self._clear)
        kept = Kept()
        page.side.take_kept(
            Kept(
                str(settings.value("handover/preset", kept.preset)),
                tuple(str(settings.value("handover/beside", "")).split(",")),
                str(settings.value("handover/names", kept.pattern)),
                str(settings.value("handover/check", "yes")) == "yes",
            )
        )
        self.refresh()

    # Orders

    def take(self, order: Order) -> None:
        """Put an order into the queue; about files that exist already somebody is asked."""
        project, path = self._document.settled, self._document.path
        self._keep()
        try:
            plan, name = order.plan(project, self.queue), path.stem if path else "hand-over"
            stem = order.stem(project, plan, name, self.queue)
            there = order.existing(project, plan, stem)
            answer = self._ask_about_existing(there) if there else "replace"
            if answer is None:
                return
            if there and answer == "beside":
                plan = order.plan(project, self.queue, numbered=True)
                stem = order.stem(project, plan, name, self.queue, numbered=True)
            jobs = order.put(self.queue, project, plan, stem, path, bool(there) and answer == "replace")
        except SkiagraphError as error:
            self._window.notice.say(str(error))
            return
        self._window.notice.say("")
        self._tokens[jobs[0].batch] = self._document.token
        self.refresh()
        self.start()

    def _keep(self) -> None:
        """What is set stays for the next time."""
        kept = self._page.side.kept
        for name, value in (
            ("preset", kept.preset),
            ("beside", ",".join(kept.beside)),
            ("names", kept.pattern),
            ("check", "yes" if kept.check else "no"),
        ):
            self._settings.setValue(f"handover/{name}", value)

    def _ask_about_existing(self, there: list[Path]) -> str | None:
        """What to do about files that exist: "replace", "beside", or None to leave it."""
        question = tr(
            "{name} exists in {folder} already."
            if len(there) == 1
            else "{name} and {n} more exist in {folder} already.",
            name=there[0].name,
            n=len(there) - 1,
            folder=there[0].parent,
        )
        box = QMessageBox(QMessageBox.Icon.Question, tr("Files exist already"), question, parent=self._window)
        replace = box.addButton(tr("Replace"), QMessageBox.ButtonRole.DestructiveRole)
        both = box.addButton(tr("Keep both"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(both)
        box.exec()
        return {replace: "replace", both: "beside"}.get(box.clickedButton())

    def _browse(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, tr("Folder for the files"), self._page.side.folder.text())
        if name:
            self._page.side.folder.setText(name)

    # The queue

    def begin_project(self) -> None:
        """A project was opened: what was proved of its files before counts still, where they are there as they were."""
        path = self._document.path
        for proof in proofs_of(self.queue, path) if path else ():
            self._document.add_proof(proof)
        self.refresh()

    @property
    def running(self) -> bool:
        """True while this window works on the queue."""
        return self._runner is not None

    def start(self) -> None:
        """Go on with what waits; in the background, while the window is used."""
        if self._runner is not None or self.queue.paused or not any(job.is_open for job in self.queue.jobs):
            return
        self._runner = _QueueRunner(self.queue, self)
        self._ended, self._broken = [], False
        self._runner.told.connect(self._heard)
        self._runner.failed.connect(self._failed)
        self._runner.ended.connect(self._stopped)
        self._runner.start()
        self.changed.emit()

    def refresh(self) -> None:
        self._page.show_jobs(self.queue.jobs, self.queue.paused)

    def _heard(self, news: News) -> None:
        if news.progress is not None:
            self._page.queue.show_news(news)
            return
        self.refresh()
        if news.job.state in (State.DONE, State.FAILED):
            self._ended.append(news.job.state)
        done = news.done
        if done is not None and done.proof is not None and self._tokens.get(news.job.batch) is self._document.token:
            self._document.add_proof(done.proof)
        if news.job.state == State.FAILED:
            self._window.notice.say(f"{news.job.title}: {news.job.said}")

    def _failed(self, text: str) -> None:
        """The queue itself cannot be worked on: somebody has to look, and goes on with Pause and Go on, or another
        order."""
        self._window.notice.say(text)
        self._broken = True

    def _stopped(self) -> None:
        self._runner = None
        self.refresh()
        self.changed.emit()
        jobs = self.queue.jobs
        if self._ended and not any(job.is_open for job in jobs):
            failed = self._ended.count(State.FAILED)
            found = sum(max(0, job.findings) for job in jobs if job.state == State.DONE)
            text = counted(len(self._ended) - failed, "1 job is written", "{n} jobs are written")
            text += counted(failed, "; 1 failed", "; {n} failed") if failed else ""
            text += (
                counted(found, "; the check found 1 place to look at", "; the checks found {n} places to look at")
                if found
                else ""
            )
            notify(tr("Handed over"), f"{text}.")
        # What was put in while the last job ended.
        if not self._broken:
            self.start()

    def pause(self, on: bool) -> None:
        if self._runner is not None:
            self._runner.worker.pause(on)
        else:
            self.queue.pause(on)
        self.refresh()
        if not on:
            self.start()

    def _wish(self, what: str, key: str) -> None:
        job = self.queue.job(key)
        if job is None:
            return
        if what == "open":
            self.folderWanted.emit(str(job.folder))
            return
        if what == "cancel":
            (self._runner.worker.cancel if self._runner is not None else self.queue.cancel)(key)
        elif what == "retry":
            self.queue.retry(key)
            self.start()
        else:
            self.queue.move(key, -1 if what == "earlier" else 1)
        self.refresh()

    def _clear(self) -> None:
        self.queue.remove_ended()
        self.refresh()

    # How large it will be

    def estimate_soon(self) -> None:
        """Once nothing has changed for a moment, while the page is seen."""
        self._show_estimates()
        if self._page.isVisible():
            self._calm.start()

    def _wanted(self) -> dict[str, tuple]:
        """What the size of each chosen clip's film hangs on."""
        order = self._page.order()
        clips = {clip.key: clip for clip in self._document.settled.clips}
        return {
            key: (clips[key].fingerprint, clips[key].size, written(order.film), tuple((order.parts or {}).get(key, ())))
            for key in order.clips
            if key in clips
        }

    def _show_estimates(self) -> None:
        wanted = self._wanted()
        self._page.show_estimates(
            {key: self._estimates[what] for key, what in wanted.items() if self._estimates.get(what)},
            self._estimating is not None or self._calm.isActive(),
        )

    def _estimate(self) -> None:
        """Begin with those that are not known; not while films are written, which would be slower for it."""
        missing = {key: what for key, what in self._wanted().items() if what not in self._estimates}
        if not missing or self._estimating is not None or self.running or not self._page.isVisible():
            self._show_estimates()
            return
        project, film = self._document.settled, self._page.side.film
        runner = self._estimating = JobRunner(
            lambda control: run_in_child(_estimate_all, project, film, missing, control=control, told=runner.tell), self
        )
        runner.told.connect(self._estimated)
        runner.ended.connect(self._estimated_all)
        runner.start()
        self._show_estimates()

    def _estimated(self, found: tuple[tuple, int]) -> None:
        self._estimates[found[0]] = found[1]
        self._show_estimates()

    def _estimated_all(self) -> None:
        self._estimating = None
        self._show_estimates()
        if any(what not in self._estimates for what in self._wanted().values()):
            self._calm.start()


def _estimate_all(project, film: Writer, wanted: dict[str, tuple], control, tell) -> None:
    """What the process does. What cannot be written in a shape has no size in it; handing over says why."""
    for key, what in wanted.items():
        try:
            size = estimated_bytes(project, key, film, control, what[-1])
        except SkiagraphError:
            size = 0
        tell((what, size))
