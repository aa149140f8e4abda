"""The queue of what is to be handed over: jobs in order, kept in files, so that it survives the window, and a crash.

Each hand-over keeps the project as it was when it was ordered. Several processes may look at the queue; one at a time
works on it.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import shutil
from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from pathlib import Path as FilePath

import msgspec
import platformdirs

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.handover.delivery import Delivered, Planned, deliver_one
from skiagraph.handover.export import STEP
from skiagraph.handover.writer import Writer
from skiagraph.jobs import JobControl, Progress
from skiagraph.logs import log
from skiagraph.project import file
from skiagraph.project.housing import in_version
from skiagraph.project.model import Project
from skiagraph.project.programme import Programme
from skiagraph.review.proof import Fact, Proof
from skiagraph.review.written import write_whole
from skiagraph.values import Value, read, replace, written

FORMAT, VERSION = "skiagraph-queue", 1
# The check of a film takes so much of its export (docs/measured/review.md): for the time that is left.
CHECK_SHARE = 0.55


class State(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


class Target(Value, frozen=True):
    """One file that a job writes."""

    writer: Writer
    path: FilePath


class Job(Value, frozen=True):
    """One clip's files, or the companions of a hand-over, for which clip is empty.

    batch: the hand-over it belongs to; title: for people; folder: where it goes, stem: of the names of companions;
    frames, pixels: of the film, for the time it takes; replace: files that exist may be replaced; begun: it was worked
    on, so that files of these names are its own; said: what became of it, in a sentence; findings: of the check, -1
    where none was made.
    """

    key: str
    batch: str
    title: str
    folder: FilePath
    clip: str = ""
    targets: tuple[Target, ...] = ()
    span: tuple[int, int] | None = None
    version: str = ""
    check: bool = False
    companions: tuple[Companion, ...] = ()
    stem: str = ""
    frames: int = 0
    pixels: int = 0
    replace: bool = False
    begun: bool = False
    state: State = State.WAITING
    said: str = ""
    notes: tuple[str, ...] = ()
    facts: tuple[Fact, ...] = ()
    findings: int = -1

    @property
    def is_open(self) -> bool:
        return self.state in (State.WAITING, State.RUNNING)

    @property
    def told(self) -> str:
        """What is written of a clip, in a few words."""
        if not self.targets:
            return ""
        more = len(self.targets) - 1
        return self.targets[0].writer.told + (f" and {more} more" if more else "") + f", {self.frames} frames"

    @property
    def work(self) -> float:
        """How much there is to do, in samples."""
        return self.frames * self.pixels * (1 + CHECK_SHARE * self.check)


class Batch(Value, frozen=True):
    """A hand-over. project: where the project lies, empty where it has no file; programme: the list that is
    followed."""

    name: str
    project: str = ""
    programme: Programme | None = None


class _Kept(Value, frozen=True):
    format: str
    version: int
    jobs: tuple[Job, ...] = ()
    paused: bool = False


class Queue:
    """The queue in a folder. Reading and changing take turns with other processes."""

    def __init__(self, folder: FilePath | str | None = None):
        self.folder = FilePath(folder or FilePath(platformdirs.user_state_dir("skiagraph")) / "queue")
        self._runner: int | None = None
        # What was read last, and which file that was.
        self._seen: tuple[tuple[int, int, int], _Kept] | None = None

    # What is in it

    @property
    def jobs(self) -> tuple[Job, ...]:
        return self._read().jobs

    @property
    def paused(self) -> bool:
        return self._read().paused

    def job(self, key: str) -> Job | None:
        return next((job for job in self.jobs if job.key == key), None)

    def batch(self, key: str) -> Batch:
        """Raises SkiagraphError where it cannot be read any more."""
        try:
            return read(msgspec.json.decode((self.folder / key / "batch.json").read_bytes()), Batch)
        except (OSError, msgspec.MsgspecError, ValueError) as error:
            raise SkiagraphError(
                f"What was to be handed over cannot be read any more ({error}); hand it over again."
            ) from error

    def delivered(self, job: Job) -> Delivered | None:
        """What became of a job that is done."""
        with contextlib.suppress(OSError, msgspec.MsgspecError, ValueError):
            return read(msgspec.json.decode((self.folder / job.batch / f"{job.key}.done.json").read_bytes()), Delivered)
        return None

    # Changing it

    def add(
        self,
        project: Project,
        name: str,
        plan: Sequence[Planned],
        companions: Sequence[Companion] = (),
        *,
        check: bool = True,
        may_replace: bool = False,
        project_path: str = "",
        programme: Programme | None = None,
        stem: str = "",
    ) -> list[Job]:
        """Order a hand-over: a job for each clip of a plan, and one for what goes beside them.

        Raises SkiagraphError.
        """
        batch = secrets.token_hex(6)
        try:
            (self.folder / batch).mkdir(parents=True)
            file.save(project, self.folder / batch / "project.skiagraph")
        except OSError as error:
            raise SkiagraphError(
                f"The queue cannot be kept in {self.folder} ({error.strerror}); free some space, or ask for permission."
            ) from error
        write_whole(self.folder / batch / "batch.json", written(Batch(name, project_path, programme)))
        jobs = []
        for entry in plan:
            clip = project.clip(entry.clip)
            first, last = entry.span or (0, clip.frames - 1)
            jobs.append(
                Job(
                    secrets.token_hex(6),
                    batch,
                    entry.film.name,
                    entry.film.parent,
                    entry.clip,
                    tuple(Target(writer, FilePath(path).absolute()) for writer, path in entry.files),
                    entry.span,
                    entry.version,
                    check,
                    frames=last - first + 1,
                    pixels=clip.width * clip.height,
                    replace=may_replace,
                )
            )
        if companions and plan:
            folder = plan[0].film.parent
            jobs.append(
                Job(
                    secrets.token_hex(6),
                    batch,
                    _titled([c.title for c in companions]),
                    FilePath(folder).absolute(),
                    companions=tuple(companions),
                    stem=stem or name,
                    replace=may_replace,
                )
            )
        self._change(lambda kept: replace(kept, jobs=(*kept.jobs, *jobs)))
        return jobs

    def move(self, key: str, by: int) -> None:
        """Earlier (negative) or later among those that wait."""

        def moved(kept: _Kept) -> _Kept:
            jobs = list(kept.jobs)
            at = next((n for n, job in enumerate(jobs) if job.key == key), None)
            waiting = [n for n, job in enumerate(jobs) if job.state == State.WAITING]
            if at not in waiting or not 0 <= waiting.index(at) + by < len(waiting):
                return kept
            other = waiting[waiting.index(at) + by]
            jobs[at], jobs[other] = jobs[other], jobs[at]
            return replace(kept, jobs=tuple(jobs))

        self._change(moved)

    def cancel(self, key: str) -> None:
        """A job that waits is not done; one that runs is told by whoever runs it."""
        self._set(
            key,
            lambda job: replace(job, state=State.CANCELLED, said="Cancelled.") if job.state == State.WAITING else job,
        )

    def retry(self, key: str) -> None:
        """A job that failed, or was cancelled, waits again, at the end."""

        def again(kept: _Kept) -> _Kept:
            job = next((j for j in kept.jobs if j.key == key), None)
            if job is None or job.is_open or job.state == State.DONE:
                return kept
            return replace(
                kept, jobs=(*(j for j in kept.jobs if j.key != key), replace(job, state=State.WAITING, said=""))
            )

        self._change(again)

    def remove(self, key: str) -> None:
        """Forget a job that does not run; files that were written stay."""
        self._change(
            lambda kept: replace(
                kept, jobs=tuple(job for job in kept.jobs if job.key != key or job.state == State.RUNNING)
            )
        )

    def remove_ended(self) -> None:
        """Forget all that ended; files that were written stay."""
        self._change(lambda kept: replace(kept, jobs=tuple(job for job in kept.jobs if job.is_open)))
        here = {job.batch for job in self.jobs}
        for path in self.folder.iterdir() if self.folder.is_dir() else ():
            if path.is_dir() and path.name not in here:
                shutil.rmtree(path, ignore_errors=True)

    def pause(self, on: bool) -> None:
        self._change(lambda kept: replace(kept, paused=on))

    # Working on it

    @contextlib.contextmanager
    def working(self) -> Iterator[bool]:
        """Whether this process is the one that works on the queue now.

        What another one left running, since it died, waits again.
        """
        if self._runner is not None:
            yield True
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        handle = os.open(self.folder / "runner.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            yield False
            return
        self._runner = handle
        try:
            self._change(
                lambda kept: replace(
                    kept,
                    jobs=tuple(replace(j, state=State.WAITING) if j.state == State.RUNNING else j for j in kept.jobs),
                )
            )
            yield True
        finally:
            os.close(handle)
            self._runner = None

    def take(self) -> Job | None:
        """The next job, which runs from now; None where none waits, or the queue is paused."""
        taken: list[Job] = []

        def first(kept: _Kept) -> _Kept:
            job = None if kept.paused else next((j for j in kept.jobs if j.state == State.WAITING), None)
            if job is None:
                return kept
            taken.append(replace(job, state=State.RUNNING, said=""))
            return replace(kept, jobs=tuple(taken[0] if j.key == job.key else j for j in kept.jobs))

        self._change(first)
        return taken[0] if taken else None

    def end(self, key: str, state: State, said: str, done: Delivered | None = None) -> None:
        """What became of a job."""
        job = self.job(key)
        if job is None:
            return
        facts = tuple(done.proof.facts) if done and done.proof else ()
        found = len(done.proof.findings) if done and done.proof else -1
        if done is not None:
            write_whole(self.folder / job.batch / f"{key}.done.json", written(done))
        self._set(
            key,
            lambda j: replace(j, state=state, said=said, notes=done.notes if done else (), facts=facts, findings=found),
        )

    def mark_begun(self, key: str) -> None:
        """Files of this job's names are its own from now."""
        self._set(key, lambda job: replace(job, begun=True))

    # Keeping it

    def _set(self, key: str, changed: Callable[[Job], Job]) -> None:
        self._change(lambda kept: replace(kept, jobs=tuple(changed(j) if j.key == key else j for j in kept.jobs)))

    def _change(self, changed: Callable[[_Kept], _Kept]) -> None:
        with self._turn():
            before = self._read()
            after = changed(before)
            if after is not before:
                write_whole(self.folder / "queue.json", written(after))

    @contextlib.contextmanager
    def _turn(self) -> Iterator[None]:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            handle = os.open(self.folder / "queue.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError as error:
            raise SkiagraphError(
                f"The queue cannot be kept in {self.folder} ({error.strerror}); free some space, or ask for permission."
            ) from error
        try:
            fcntl.flock(handle, fcntl.LOCK_EX)
            yield
        finally:
            os.close(handle)

    def _read(self) -> _Kept:
        try:
            found = (self.folder / "queue.json").stat()
            # Each change is another file.
            which = found.st_ino, found.st_mtime_ns, found.st_size
            if self._seen is not None and self._seen[0] == which:
                return self._seen[1]
            raw = (self.folder / "queue.json").read_bytes()
        except OSError:
            return _Kept(FORMAT, VERSION)
        try:
            kept = read(msgspec.json.decode(raw), _Kept)
            if (kept.format, kept.version) != (FORMAT, VERSION):
                raise ValueError("it is of another version")
            self._seen = which, kept
            return kept
        except (msgspec.MsgspecError, ValueError, TypeError, KeyError):
            # Nothing may be lost by it: what was ordered can be ordered again, and the file stays beside.
            log.exception("the queue cannot be read")
            with contextlib.suppress(OSError):
                os.replace(self.folder / "queue.json", self.folder / "queue.damaged.json")
            return _Kept(FORMAT, VERSION)


def _titled(words: Sequence[str]) -> str:
    """Words as a heading: “Edit list as OTIO, report”."""
    text = ", ".join(words)
    return text[:1].upper() + text[1:]


def perform(folder: FilePath, key: str, control: JobControl, tell: Callable[[object], None]) -> Delivered | None:
    """Do one job of the queue in a folder; what is said of it is returned.

    Raises what deliver_one and companions raise.
    """
    queue = Queue(folder)
    job = queue.job(key)
    if job is None:
        return None
    project = file.load(queue.folder / job.batch / "project.skiagraph")
    targets = [target.path for target in job.targets] or _companion_paths(queue, job, project)
    there = [path for path in targets if path.exists()]
    if there and not job.replace and not job.begun:
        raise CannotWriteMedia(
            f"{there[0]} exists already; choose another name or folder, or say that it may be replaced.", path=there[0]
        )
    queue.mark_begun(key)
    if job.clip:
        return deliver_one(
            project,
            Planned(job.clip, tuple((t.writer, t.path) for t in job.targets), job.span, job.version),
            job.check,
            control,
        )
    handed = _handed(queue, job, project)
    written_files = [
        path for companion in job.companions for path in companion.write(handed, job.folder, job.stem, control)
    ]
    return Delivered("", written_files[0], None, (), "", None, tuple(written_files[1:])) if written_files else None


def _companion_paths(queue: Queue, job: Job, project: Project) -> list[FilePath]:
    handed = _handed(queue, job, project)
    return [job.folder / name for companion in job.companions for name in companion.names(job.stem, handed)]


def _handed(queue: Queue, job: Job, project: Project) -> HandedOver:
    """What the other jobs of the same hand-over wrote. Raises SkiagraphError where nothing of it is there."""
    batch = queue.batch(job.batch)
    others = [j for j in queue.jobs if j.batch == job.batch and j.clip]
    done = [found for j in others if j.state == State.DONE and (found := queue.delivered(j)) is not None]
    if not done:
        raise SkiagraphError(
            f"None of the clips of {batch.name} was written, so there is nothing to list; try those again first."
        )
    # As in the project, whatever order they were written in.
    places = {key: n for n, key in enumerate(project.decisions.clips)}
    done.sort(key=lambda d: (places[d.clip], d.version, d.span or (0, 0)))
    versions = {d.version for d in done}
    return HandedOver(
        in_version(project, versions.pop()) if len(versions) == 1 and "" not in versions else project,
        batch.name,
        done,
        batch.programme,
    )


def proofs_of(queue: Queue, project: FilePath) -> Iterator[Proof]:
    """Checks of films that were handed over from a project file, as far as the films are there in the size that was
    checked."""
    batches: dict[str, bool] = {}
    for job in queue.jobs:
        if job.state != State.DONE or job.findings < 0:
            continue
        if job.batch not in batches:
            with contextlib.suppress(SkiagraphError):
                batches[job.batch] = queue.batch(job.batch).project == str(project)
        done = queue.delivered(job) if batches.get(job.batch) else None
        if done is not None and done.proof is not None:
            with contextlib.suppress(OSError):
                if done.proof.film.is_dir() or done.proof.film.stat().st_size == done.proof.bytes:
                    yield done.proof


def left_s(
    jobs: Sequence[Job], running: Job | None, progress: Progress | None, pace: float
) -> tuple[float | None, float | None]:
    """Seconds left for the job that runs, and for all. progress: of the job; pace: seconds a sample of late, 0 where it
    is not known."""
    mine = progress.left_s if progress else None
    if running is not None and mine is not None and running.check and progress.step == STEP and progress.total:
        rate = progress.rate or progress.done / max(progress.elapsed_s, 1e-6)
        mine += CHECK_SHARE * progress.total / rate if rate else 0
    waiting = sum(job.work for job in jobs if job.state == State.WAITING)
    if not waiting:
        return mine, mine
    return mine, None if not pace or (running is not None and mine is None) else (mine or 0.0) + waiting * pace
