"""The commands that hand over: a project's clips in a preset, a folder of clips as one piece of work, the queue."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import FAILED, FOUND, OK, chosen_clips, count, end_of_bar, load, positive, rate

WITH = "matte, alpha (or alpha:ffv1, alpha:png), sound (or sound:flac), otio, edl, tracks, report"


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    handover = command(
        "handover",
        run_handover,
        "Write the clips of a project in the shape of a preset, check each file, and write what goes beside them. Exit"
        " code 3 when a check finds something, 2 when a clip failed.",
    )
    handover.add_argument("project", metavar="PROJECT", type=Path)
    handover.add_argument("--to", metavar="DIR", type=Path, required=True, help="folder that everything is written to")
    handover.add_argument(
        "--preset",
        metavar="NAME-OR-FILE",
        default="",
        help="a preset, or a format such as prores-hq-mov; “skiagraph presets” lists both (default: Near the source)",
    )
    handover.add_argument("--clip", metavar="NAME", help="only the clip of this file name")
    handover.add_argument("--version", metavar="NAME", help="this version of the project; “all” for each of them")
    handover.add_argument(
        "--with", dest="beside", metavar="LIST", default="", help=f"what else is written, with commas: {WITH}"
    )
    handover.add_argument(
        "--names",
        metavar="PATTERN",
        default="",
        help="of files, from {clip}, {version}, {date}, {preset}, {timecode} (default {clip})",
    )
    handover.add_argument(
        "--programme",
        metavar="LIST",
        type=Path,
        help=(
            "an edit list (.otio or .edl): only the parts it uses are written, and the list comes back with the covered"
            " files in it"
        ),
    )
    handover.add_argument(
        "--handles",
        metavar="N",
        type=count,
        default=25,
        help="frames before and after each part of a programme (default 25)",
    )
    handover.add_argument(
        "--list-rate",
        metavar="R",
        type=rate,
        help="frames a second that a CMX 3600 list counts in (default: that of most clips)",
    )
    handover.add_argument("--no-check", action="store_true", help="do not check the files that were written")
    handover.add_argument("--force", action="store_true", help="replace files that exist already")
    handover.add_argument(
        "--beside", dest="number", action="store_true", help="give files other names where theirs exist already"
    )
    handover.add_argument("--later", action="store_true", help="put it into the queue of this user and do nothing now")

    batch = command(
        "batch",
        run_batch_of,
        "Find everybody in all clips of a folder, cover them, export and check each clip. Begun again it goes on from"
        " where it was. A table ends it; the exit code is the worst: 3 when there is anything to look at, 2 when a clip"
        " failed.",
    )
    batch.add_argument("folder", metavar="DIR", type=Path)
    batch.add_argument(
        "--to", metavar="DIR", type=Path, help="folder that everything is written to (default: “covered” in it)"
    )
    batch.add_argument("--preset", metavar="NAME-OR-FILE", default="", help="as of “handover”")
    batch.add_argument("--house", metavar="NAME-OR-FILE", help="the house style that everybody is covered in")
    batch.add_argument(
        "--with", dest="beside", metavar="LIST", default="", help=f"what else is written, with commas: {WITH}"
    )
    batch.add_argument("--names", metavar="PATTERN", default="", help="as of “handover”")
    batch.add_argument("--every", metavar="N", type=positive, default=1, help="search each N-th frame only (default 1)")
    batch.add_argument(
        "--rate", metavar="R", type=rate, help="frames a second of numbered pictures, which carry none (default 25)"
    )

    queue = command("queue", run_queue, "List what is to be handed over, and what became of it.")
    queue.add_argument("--run", dest="go_on", action="store_true", help="go on with it")
    queue.add_argument("--retry", action="store_true", help="let what failed, or was cancelled, wait again")
    queue.add_argument("--clear", action="store_true", help="forget what ended; files that were written stay")

    command("presets", run_presets, "List the presets, and the formats that they may be of.")


def _beside(text: str):
    """Writers and companions of a list of words. Raises SkiagraphError."""
    from skiagraph.errors import SkiagraphError
    from skiagraph.handover.companion import companion_of
    from skiagraph.handover.writers.covers_only import CoversOnly
    from skiagraph.handover.writers.matte import Matte
    from skiagraph.handover.writers.sound_alone import SoundAlone

    writers, companions = [], []
    for word in filter(None, (part.strip() for part in text.split(","))):
        name, _, form = word.partition(":")
        if name == "matte" and not form:
            writers.append(Matte())
        elif name == "alpha":
            alpha = CoversOnly(form or CoversOnly().form)
            alpha.how
            writers.append(alpha)
        elif name == "sound":
            sound = SoundAlone(form or SoundAlone().form)
            sound.how
            writers.append(sound)
        elif (companion := companion_of(word)) is not None:
            companions.append(companion)
        else:
            raise SkiagraphError(f"“{word}” is nothing that can be written beside; there are {WITH}.")
    return tuple(writers), tuple(companions)


def _preset(name: str):
    import skiagraph.handover  # noqa: F401  every writer
    from skiagraph.handover.preset import FIRST, preset_named

    return preset_named(name or FIRST)


def run_handover(options, control) -> int:
    from skiagraph.commands.covers import restyled
    from skiagraph.errors import CannotWriteMedia, SkiagraphError
    from skiagraph.handover.names import DEFAULT_PATTERN
    from skiagraph.handover.order import Order
    from skiagraph.handover.queue import Queue
    from skiagraph.project.edit_list import read_programme
    from skiagraph.project.edits import use_programme

    preset = _preset(options.preset)
    writers, companions = _beside(options.beside)
    project = load(options.project)
    clips = chosen_clips(project, options.clip)
    if not clips:
        raise SkiagraphError(f"{options.project.name} has no clips; scan one first.", path=options.project)
    options.house = options.style = None
    project, versions = restyled(project, options)
    if options.programme:
        # For this once; the project itself stays as it is.
        project = use_programme(project, read_programme(options.programme, project, options.list_rate, options.handles))
    programme, parts = project.decisions.programme, None
    if programme is not None:
        print(programme.told())
        parts = programme.parts(clips)
        clips = [c for c in clips if c.key in parts]
        if not clips:
            raise SkiagraphError(
                f"{programme.name} uses none of the clips that were chosen; choose others with --clip."
            )
    named = [options.version] if options.version and options.version != "all" else []
    order = Order(
        [c.key for c in clips],
        preset.film,
        options.to.absolute(),
        writers,
        companions,
        versions or named,
        parts,
        options.names or DEFAULT_PATTERN,
        preset.name,
        not options.no_check,
    )
    with tempfile.TemporaryDirectory() as folder:
        queue = Queue() if options.later else Queue(folder)
        plan = order.plan(project, queue, options.number)
        stem = order.stem(project, plan, options.project.stem, queue, options.number)
        there = order.existing(project, plan, stem)
        if there and not options.force:
            raise CannotWriteMedia(
                f"{there[0]} exists already; choose another folder or pattern of names, or say --force or --beside.",
                path=there[0],
            )
        jobs = order.put(queue, project, plan, stem, options.project.absolute(), options.force)
        if options.later:
            print(
                f"{len(jobs)} job{'s' if len(jobs) != 1 else ''} in the queue; “skiagraph queue --run” or the window"
                " does them."
            )
            return OK
        return _worked(queue, options, control)


def _worked(queue, options, control) -> int:
    """Work through a queue, tell of each job and end with a table; returns the exit code."""
    from skiagraph.handover.queue import State
    from skiagraph.handover.worker import QueueWorker

    def told(news) -> None:
        if news.progress is not None:
            if control.listener:
                control.listener(news.progress)
        elif news.job.state not in (State.RUNNING, State.WAITING):
            end_of_bar(control)
            print(f"{news.job.title}: {news.job.said}", flush=True)
            for note in news.job.notes:
                print(f"  {note}")
            for fact in news.job.facts:
                if fact.good is False:
                    print(f"  {fact.what}: {fact.result}")
            for path in (news.done.path, *news.done.beside) if news.done else ():
                print(f"  {path}", flush=True)

    QueueWorker(queue, told).work()
    jobs = queue.jobs
    if any(job.state == State.FAILED for job in jobs):
        return FAILED
    return FOUND if any(job.findings > 0 for job in jobs) else OK


def run_batch_of(options, control) -> int:
    from skiagraph.errors import SkiagraphError
    from skiagraph.handover.batch import BatchOrder, Outcome, run_batch
    from skiagraph.handover.names import DEFAULT_PATTERN, check_pattern
    from skiagraph.media.confined import prepare
    from skiagraph.media.pictures import RATE
    from skiagraph.project.house import house_style_named
    from skiagraph.project.lock import ProjectLock

    preset = _preset(options.preset)
    writers, companions = _beside(options.beside)
    check_pattern(options.names or DEFAULT_PATTERN)
    if not options.folder.is_dir():
        raise SkiagraphError(f"There is no folder {options.folder}; check its name.", path=options.folder)
    prepare()
    order = BatchOrder(
        options.folder,
        options.to or options.folder / "covered",
        (preset.film, *writers),
        companions,
        house_style_named(options.house) if options.house else None,
        options.every,
        options.names or DEFAULT_PATTERN,
        preset.name,
        options.rate or RATE,
    )
    try:
        order.target.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SkiagraphError(
            f"The folder {order.target} cannot be made ({error.strerror}); choose another place.", path=order.target
        ) from error

    def said(text: str) -> None:
        end_of_bar(control)
        print(text, flush=True)

    def told(news) -> None:
        if news.progress is not None and control.listener:
            control.listener(news.progress)

    with ProjectLock.take(order.project_path):
        rows = run_batch(order, control, said, told)
    end_of_bar(control)
    print()
    for line in _table(rows):
        print(line)
    worst = max(row.outcome for row in rows)
    return {Outcome.PROVED: OK, Outcome.TO_LOOK_AT: FOUND, Outcome.FAILED: FAILED}[worst]


def _table(rows) -> list[str]:
    """A line for each clip, in columns."""
    from skiagraph.handover.batch import Outcome

    words = {Outcome.PROVED: "proved", Outcome.TO_LOOK_AT: "look at it", Outcome.FAILED: "FAILED"}
    cells = [("clip", "people", "findings", "check", "", "file")]
    for row in rows:
        cells.append(
            (
                row.name,
                str(row.people) if row.outcome != Outcome.FAILED or row.people else "–",
                str(row.open) if row.film else "–",
                "–" if row.found is None or row.found < 0 else str(row.found) if row.found else "good",
                words[row.outcome],
                row.film.name if row.film else row.said,
            )
        )
    widths = [max(len(cell[n]) for cell in cells) for n in range(5)]
    return ["  ".join(cell[n].ljust(widths[n]) for n in range(5)) + f"  {cell[5]}" for cell in cells]


def run_queue(options, control) -> int:
    import skiagraph.handover  # noqa: F401  every writer
    from skiagraph.handover.queue import Queue, State

    queue = Queue()
    if options.retry:
        for job in queue.jobs:
            queue.retry(job.key)
    if options.clear:
        queue.remove_ended()
    if options.go_on:
        queue.pause(False)
        waiting = any(job.state == State.WAITING for job in queue.jobs)
        with queue.working() as mine:
            if not mine:
                print("The window, or another process, works on the queue already.")
                return FAILED
        if waiting or any(job.state == State.RUNNING for job in queue.jobs):
            return _worked(queue, options, control)
    for job in queue.jobs:
        print(f"{job.state:9}  {job.title}  {job.folder}" + (f"  {job.said}" if job.said else ""))
    if not queue.jobs:
        print("The queue is empty.")
    return OK


def run_presets(options, control) -> int:
    import skiagraph.handover  # noqa: F401  every writer
    from skiagraph.handover.preset import SHAPES, presets, told

    for preset in presets():
        print(f"{preset.name}" + (f": {preset.note}" if preset.note else ""))
        for word, what in told(preset.film):
            print(f"  {word}: {what}")
    print("\nFormats: " + ", ".join(SHAPES))
    return OK
