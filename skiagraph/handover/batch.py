"""A folder of clips as one piece of work: everybody found and covered, every clip exported and checked.

Begun again it goes on from where it was.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import IntEnum
from pathlib import Path

from skiagraph.errors import CannotOpenMedia, SkiagraphError
from skiagraph.footage.adding import facts_of
from skiagraph.footage.listening import listen_to
from skiagraph.footage.recognition import Gallery
from skiagraph.footage.scanning import forget_scan, scan_clip, take_in
from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.handover.delivery import Delivered, planned
from skiagraph.handover.names import DEFAULT_PATTERN
from skiagraph.handover.queue import Job, Queue, State
from skiagraph.handover.worker import News, QueueWorker
from skiagraph.handover.writer import Writer
from skiagraph.jobs import JobControl
from skiagraph.media.clip import FILM_SUFFIXES
from skiagraph.media.index import open_clip
from skiagraph.media.pictures import RATE, pictures_at
from skiagraph.project import edits, file
from skiagraph.project.house import HouseStyle
from skiagraph.project.housing import begun_project, use_house_style
from skiagraph.project.model import Project
from skiagraph.project.voices import take_listening
from skiagraph.review.findings import findings, open_findings

# Beside what is written: how far it is.
STATE_FOLDER = ".batch"


class Outcome(IntEnum):
    """What became of a clip; the worst of all is that of the work."""

    PROVED = 0
    TO_LOOK_AT = 1
    FAILED = 2


@dataclass(frozen=True, slots=True)
class Row:
    """One clip at the end. people: that were found; open: findings of the project on it; found: of the check of its
    file, None where there is none; said: what became of it."""

    name: str
    outcome: Outcome
    said: str
    people: int = 0
    open: int = 0
    found: int | None = None
    film: Path | None = None


@dataclass(frozen=True, slots=True)
class BatchOrder:
    """What is wanted. house: None for how new projects begin; every: each n-th frame is searched."""

    source: Path
    target: Path
    writers: tuple[Writer, ...]
    companions: tuple[Companion, ...] = ()
    house: HouseStyle | None = None
    every: int = 1
    pattern: str = DEFAULT_PATTERN
    preset: str = ""
    rate: object = RATE

    @property
    def project_path(self) -> Path:
        return self.target / f"{self.source.absolute().name}{file.SUFFIX}"


def clips_in(folder: Path) -> list[Path]:
    """Films in a folder, and folders of numbered pictures in it, by name. Raises SkiagraphError."""
    try:
        entries = sorted(folder.iterdir())
    except OSError as error:
        raise SkiagraphError(
            f"The folder {folder} cannot be read ({error.strerror}); check its name.", path=folder
        ) from error
    found = []
    for path in entries:
        if path.name.startswith("."):
            continue
        if path.is_dir():
            try:
                if pictures_at(path) is not None:
                    found.append(path)
            except CannotOpenMedia:
                # It holds pictures, though not of one clip; opening it says so.
                found.append(path)
        elif path.suffix.lower() in FILM_SUFFIXES:
            found.append(path)
    return found


def run_batch(
    order: BatchOrder,
    control: JobControl,
    said: Callable[[str], None],
    told: Callable[[News], None] = lambda news: None,
) -> list[Row]:
    """Do the work; returns a row for each clip. said: hears sentences; told: news of the queue.

    The project is locked by the caller. Raises Cancelled, and SkiagraphError where nothing at all can be done.
    """
    paths = clips_in(order.source)
    if not paths:
        raise SkiagraphError(
            f"There are no clips in {order.source}; choose a folder of films, or of numbered pictures in folders.",
            path=order.source,
        )
    order.target.mkdir(parents=True, exist_ok=True)
    if not (order.target / STATE_FOLDER).exists():
        # Lists are written anew each time; those that are there before the first time are somebody else's.
        stem = order.source.absolute().name
        nothing = HandedOver(Project(), stem, ())
        there = [
            path
            for companion in order.companions
            for name in companion.names(stem, nothing)
            if (path := order.target / name).exists()
        ]
        if there:
            raise SkiagraphError(f"{there[0]} exists already; choose another folder with --to.", path=there[0])
    project = file.load(order.project_path) if order.project_path.exists() else begun_project()
    if order.house is not None and (project.style, project.decisions.house) != (order.house.style, order.house.house):
        project = use_house_style(project, order.house)
    failed: dict[str, str] = {}
    keys: dict[str, str] = {}
    gallery = Gallery()
    for path in paths:
        try:
            project, keys[path.name] = _scanned(project, path, order, gallery, control, said)
        except SkiagraphError as error:
            failed[path.name] = str(error)
            said(f"{path.name}: {error}")
    file.save(project, order.project_path)
    jobs = _exported(project, order, list(keys.values()), told)
    rows = [_row(project, path.name, jobs.get(keys.get(path.name, "")), failed.get(path.name, "")) for path in paths]
    _beside(project, order, [job for job in jobs.values() if job.state == State.DONE], control, said)
    return rows


def _scanned(
    project: Project, path: Path, order: BatchOrder, gallery: Gallery, control: JobControl, said: Callable[[str], None]
) -> tuple[Project, str]:
    """The project with a clip in it and searched; its key. Saved after each, so that nothing is searched twice."""
    info, index = open_clip(path, control, order.rate)
    facts = facts_of(info, index)
    known = next((c for c in project.clips if (c.size, c.fingerprint) == (facts.size, facts.fingerprint)), None)
    if known is None:
        project = edits.add_clip(project, facts)
        known = project.clips[-1]
    elif known.path != facts.path:
        project = edits.relink_clip(project, known.key, facts.path)
    scan = project.scan_of(known.key)
    if scan is not None and scan.every <= order.every and scan.is_whole(known.frames):
        said(f"{path.name}: searched before")
        return project, known.key
    result = scan_clip(project, known.key, order.every, gallery, control, keep=True)
    project = take_in(project, known.key, result, order.every, gallery)
    with contextlib.suppress(CannotOpenMedia):
        # Sound that cannot be read leaves what was seen as it is; exporting says what is wrong with it.
        project = take_listening(project, listen_to(project, known.key, control))
    file.save(project, order.project_path)
    forget_scan(project, known.key, order.every)
    people = sum(1 for s in project.subjects if s.in_clip(known.key) and not s.dismissed and not s.doubtful)
    said(
        f"{path.name}: {people} {'person' if people == 1 else 'people'} in {result.frames} frames"
        + (f". {result.damage}" if result.damage else "")
    )
    return project, known.key


def _exported(project: Project, order: BatchOrder, keys: Sequence[str], told: Callable[[News], None]) -> dict[str, Job]:
    """The job of each clip, done or failed. What was written as it would be now, and is there, is not written again."""
    queue = Queue(order.target / STATE_FOLDER)
    queue.pause(False)
    with queue.working():
        # What a process that died left running waits from now, and is ordered anew below.
        pass
    former = {job.clip: job for job in queue.jobs if job.clip}
    wanted = [key for key in keys if not _stands(project, key, former.get(key), queue, order)]
    for job in queue.jobs:
        if job.clip in wanted or not job.clip:
            queue.remove(job.key)
    # Names that belong to clips that are done are taken, and those of a clip's own former file are its own.
    mine = {target.path for key in wanted if (job := former.get(key)) is not None for target in job.targets}
    taken = [target.path for key, job in former.items() if key not in wanted for target in job.targets]
    plan = planned(
        project, wanted, order.target.absolute(), order.writers, pattern=order.pattern, preset=order.preset, taken=taken
    )
    plan = [
        entry
        if all(not path.exists() or path in mine for _, path in entry.files)
        else planned(
            project,
            [entry.clip],
            order.target.absolute(),
            order.writers,
            beside=True,
            pattern=order.pattern,
            preset=order.preset,
            taken=taken,
        )[0]
        for entry in plan
    ]
    if plan:
        queue.add(project, order.source.name, plan, check=True, may_replace=True)
    worker = QueueWorker(queue, told)
    worker.work()
    return {job.clip: job for job in queue.jobs if job.clip}


def _stands(project: Project, key: str, job: Job | None, queue: Queue, order: BatchOrder) -> bool:
    """Whether what a job wrote is there and is what would be written now."""
    if (
        job is None
        or job.state != State.DONE
        or [t.writer for t in job.targets] != list(order.writers)
        or not all(t.path.exists() for t in job.targets)
    ):
        return False
    try:
        before = file.load(queue.folder / job.batch / "project.skiagraph")
    except SkiagraphError:
        return False
    return _covers(before, key) == _covers(project, key)


def _covers(project: Project, key: str):
    """All that covers in a clip depend on."""
    subjects = [
        (s.decision, s.style, s.of, s.label, [g for g in s.sightings if g.clip == key])
        for s in project.subjects
        if s.in_clip(key)
    ]
    return project.style, project.decisions.house, project.rest_of(key), subjects


def _row(project: Project, name: str, job: Job | None, trouble: str) -> Row:
    if trouble or job is None:
        return Row(name, Outcome.FAILED, trouble or "It was not exported.")
    people = sum(1 for s in project.subjects if s.in_clip(job.clip) and not s.dismissed and not s.doubtful)
    waiting = len([f for f in open_findings(project, findings(project)) if f.clip == job.clip])
    if job.state != State.DONE:
        return Row(name, Outcome.FAILED, job.said or "It was not exported.", people, waiting)
    outcome = Outcome.TO_LOOK_AT if waiting or job.findings else Outcome.PROVED
    return Row(name, outcome, job.said, people, waiting, job.findings, job.targets[0].path)


def _beside(
    project: Project, order: BatchOrder, jobs: Sequence[Job], control: JobControl, said: Callable[[str], None]
) -> None:
    """Write what goes beside the films, anew each time."""
    queue = Queue(order.target / STATE_FOLDER)
    done = [found for job in jobs if (found := queue.delivered(job)) is not None]
    if not done or not order.companions:
        return
    handed = HandedOver(project, order.source.absolute().name, sorted(done, key=lambda d: _place(project, d)))
    for companion in order.companions:
        for path in companion.write(handed, order.target, order.source.absolute().name, control):
            said(f"Wrote {path}")


def _place(project: Project, done: Delivered) -> int:
    return project.decisions.clips.index(done.clip)
