"""Working through the queue: one job after another, each in a process of its own, so that one that fails or crashes
leaves the others."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from skiagraph.child_process import run_in_child
from skiagraph.errors import Cancelled, SkiagraphError
from skiagraph.handover.delivery import Delivered
from skiagraph.handover.export import STEP
from skiagraph.handover.queue import Job, Queue, State, left_s, perform
from skiagraph.jobs import JobControl, Progress


@dataclass(frozen=True, slots=True)
class News:
    """What happened to a job. progress: while it runs; done: what it wrote, once it is done; left_s, all_left_s:
    seconds left for it and for all, None while nobody can say."""

    job: Job
    progress: Progress | None = None
    done: Delivered | None = None
    left_s: float | None = None
    all_left_s: float | None = None


class QueueWorker:
    """told hears the news, in the thread that works."""

    def __init__(self, queue: Queue, told: Callable[[News], None] = lambda news: None):
        self._queue, self._told = queue, told
        self._lock = threading.Lock()
        self._now: tuple[Job, JobControl] | None = None
        self._stopping = False
        # Seconds that exporting a sample took of late.
        self._pace = 0.0

    @property
    def running(self) -> Job | None:
        now = self._now
        return now[0] if now else None

    def work(self) -> int:
        """Work until nothing waits, or it is stopped, or the queue is paused; returns how many jobs ended. 0, too,
        where another process works on it."""
        ended = 0
        with self._queue.working() as mine:
            while mine and not self._stopping and (job := self._queue.take()) is not None:
                self._told(News(job))
                self._do(job)
                ended += 1
        return ended

    def _do(self, job: Job) -> None:
        control = JobControl(lambda progress: self._progressed(job, progress))
        with self._lock:
            self._now = job, control
        if self._stopping:
            control.cancel()
        try:
            done = run_in_child(perform, self._queue.folder, job.key, control=control)
            self._queue.end(job.key, State.DONE, said_of(done), done)
        except Cancelled:
            if self._stopping:
                self._queue.end(job.key, State.WAITING, "")
            else:
                self._queue.end(job.key, State.CANCELLED, "Cancelled; nothing of it was left.")
            done = None
        except SkiagraphError as error:
            self._queue.end(job.key, State.FAILED, str(error))
            done = None
        with self._lock:
            self._now = None
        self._told(News(self._queue.job(job.key) or job, None, done))

    def _progressed(self, job: Job, progress: Progress) -> None:
        if progress.step == STEP and progress.done and job.pixels and progress.elapsed_s > 1:
            self._pace = progress.elapsed_s / (progress.done * job.pixels)
        mine, every = left_s(self._queue.jobs, job, progress, self._pace)
        self._told(News(job, progress, None, mine, every))

    # Wishes, from any thread

    def cancel(self, key: str) -> None:
        """The job that runs is given up, one that waits is not begun."""
        with self._lock:
            if self._now is not None and self._now[0].key == key:
                self._now[1].cancel()
                return
        self._queue.cancel(key)

    def pause(self, on: bool) -> None:
        """Hold what runs where it is, and begin nothing new; or go on."""
        self._queue.pause(on)
        with self._lock:
            if self._now is not None:
                (self._now[1].hold if on else self._now[1].go_on)()

    def stop(self) -> None:
        """End; what runs is begun anew when somebody works on the queue again."""
        with self._lock:
            self._stopping = True
            if self._now is not None:
                self._now[1].cancel()


def said_of(done: Delivered | None) -> str:
    """What became of a job, in a sentence."""
    if done is None:
        return "There was nothing to write."
    if not done.clip:
        return "Written."
    if done.proof is None:
        return "Written, not checked."
    count = len(done.proof.findings)
    if not count:
        return "Written and checked: every cover is in place."
    return f"Written; the check found {count} place{'s' if count > 1 else ''} to look at."
