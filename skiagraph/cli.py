"""The command line: the same core as the desktop, one sentence for every error."""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import signal
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from skiagraph import __version__
from skiagraph.errors import Cancelled, NameIsNoText, SkiagraphError
from skiagraph.jobs import JobControl, Progress, format_left
from skiagraph.logs import log, log_file, log_to_file
from skiagraph.memory import give_back_large_buffers
from skiagraph.shape.written import FORMS, outline_of
from skiagraph.timecode import rate_of

OK, FAILED, FOUND, CANCELLED, ENDED = 0, 2, 3, 130, 143


class _Ended(KeyboardInterrupt):
    """The process was asked to end (SIGTERM): it tidies up as when it is interrupted."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code: 0 done, 2 an error, 3 findings, 130 cancelled, 143 ended from outside."""
    printer = ProgressPrinter(sys.stderr)
    try:
        with _heeding_signals():
            for stream in (sys.stdout, sys.stderr):
                if isinstance(stream, io.TextIOWrapper):
                    # A terminal that knows only ASCII gets question marks, and no error.
                    stream.reconfigure(errors="replace")
            options = _parser().parse_args(arguments)
            log_to_file()
            give_back_large_buffers()
            for value in vars(options).values():
                for path in value if isinstance(value, list) else [value]:
                    if isinstance(path, Path):
                        NameIsNoText.unless_text(path.absolute())
            return options.run(options, JobControl(printer))
    except SkiagraphError as error:
        log.exception("failed")
        printer.end()
        print(f"skiagraph: {error}", file=sys.stderr)
        return FAILED
    except (Cancelled, KeyboardInterrupt) as wish:
        printer.end()
        print("skiagraph: Cancelled; nothing was left half-written.", file=sys.stderr)
        return ENDED if isinstance(wish, _Ended) else CANCELLED
    except BrokenPipeError:
        return OK
    except Exception as error:  # no traceback reaches a user; the details are in the log
        log.exception("unexpected")
        printer.end()
        print(
            f"skiagraph: Something unexpected went wrong ({error}); the details are in {log_file()}.", file=sys.stderr
        )
        return FAILED


@contextlib.contextmanager
def _heeding_signals() -> Iterator[None]:
    """While a command runs, interrupting and ending it come as exceptions, so that files half written go."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def end(number, frame):
        raise _Ended()

    former = [
        (number, signal.signal(number, heard))
        for number, heard in ((signal.SIGINT, signal.default_int_handler), (signal.SIGTERM, end))
    ]
    try:
        yield
    finally:
        for number, heard in former:
            signal.signal(number, heard)


class ProgressPrinter:
    """A bar on a terminal, a plain line for every tenth part otherwise."""

    WIDTH = 28

    def __init__(self, stream):
        self._stream, self._bar = stream, stream.isatty()
        self._said: tuple[str, int] | None = None

    def __call__(self, progress: Progress) -> None:
        share = progress.share
        if self._bar:
            filled = round((share or 0) * self.WIDTH)
            text = (
                f"{progress.step}  {'█' * filled}{'·' * (self.WIDTH - filled)}  {progress.done}/{progress.total or '?'}"
                f"  {format_left(progress.left_s)}"
            )
            if self._said and self._said[0] != progress.step:
                self._stream.write("\n")
            self._said = (progress.step, 0)
            self._stream.write(f"\r\x1b[K{text}")
            self._stream.flush()
            return
        tenth = int((share or 0) * 10)
        if self._said != (progress.step, tenth):
            self._said = (progress.step, tenth)
            left = format_left(progress.left_s)
            print(
                f"{progress.step}: {progress.done} of {progress.total or '?'} frames{', ' + left if left else ''}",
                file=self._stream,
                flush=True,
            )

    def end(self) -> None:
        if self._bar and self._said:
            self._stream.write("\n")
            self._said = None


class _Parser(argparse.ArgumentParser):
    """Wrong use is one sentence too."""

    def error(self, message):
        print(f"skiagraph: {message[:1].upper() + message[1:]}; see “{self.prog} --help”.", file=sys.stderr)
        raise SystemExit(FAILED)


def _parser() -> argparse.ArgumentParser:
    from skiagraph import cli_covers, cli_handover, cli_review, cli_voice

    parser = _Parser(prog="skiagraph", description="Makes people who gave no consent unrecognisable, and proves it.")
    parser.add_argument("--version", action="version", version=f"Skiagraph {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True, parser_class=_Parser)

    def command(name: str, run: Callable, help_: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=help_, description=help_)
        sub.set_defaults(run=run)
        return sub

    info = command("info", run_info, "Say what a clip is.")
    info.add_argument("clip", metavar="CLIP", type=Path)
    info.add_argument("--json", action="store_true", help="as JSON")
    info.add_argument("--verify", action="store_true", help="decode every frame, to find damage anywhere")

    scan = command("scan", run_scan, "Find and follow everybody; all stay undecided, hence covered.")
    scan.add_argument("clips", metavar="CLIP", nargs="+", type=Path)
    scan.add_argument(
        "-o",
        "--output",
        metavar="PROJECT",
        type=Path,
        required=True,
        help="project to write; an existing one is added to",
    )
    scan.add_argument(
        "--wait", action="store_true", help="wait while the project is open elsewhere, instead of giving up"
    )
    scan.add_argument(
        "--rate", metavar="R", type=_rate, help="frames a second of numbered pictures, which carry none (default 25)"
    )
    scan.add_argument(
        "--every",
        metavar="N",
        type=_positive,
        default=1,
        help="search each N-th frame only, and at least two a second (default 1)",
    )

    scan.add_argument(
        "--programme",
        metavar="LIST",
        type=Path,
        help="an edit list (.otio or .edl): only the parts that it uses are scanned; it is kept in the project",
    )
    scan.add_argument(
        "--handles",
        metavar="N",
        type=_count,
        default=25,
        help="frames before and after each part of a programme (default 25)",
    )

    follow = command("follow", run_follow, "Cover whatever an outline encloses, and follow it through the clip.")
    follow.add_argument("source", metavar="CLIP-OR-PROJECT", type=Path)
    follow.add_argument(
        "-o", "--output", metavar="PROJECT", type=Path, help="project to write; the given one where it is a project"
    )
    follow.add_argument("--clip", metavar="NAME", help="the clip, when the project has several")
    follow.add_argument(
        "--frame", metavar="N", type=_count, required=True, help="frame in which the outline was drawn, from 0"
    )
    follow.add_argument(
        "--outline",
        metavar="OUTLINE",
        type=_outline,
        required=True,
        help=FORMS.replace("%", "%%") + ", in px of the picture as a person sees it",
    )
    follow.add_argument("--direction", choices=("both", "on", "back"), default="both")
    follow.add_argument(
        "--motion",
        choices=("auto", "position", "size", "turning", "perspective"),
        default="auto",
        help=(
            "what may change: position, and size, and turning, and as a plane in perspective; auto (default) goes by"
            " the outline and what is seen"
        ),
    )
    follow.add_argument(
        "--holdout",
        metavar="OUTLINE@FRAME",
        type=_holdout,
        action="append",
        default=[],
        help=(
            "something that is in front and stays sharp, and the frame it was drawn in; followed too; may be given"
            " several times"
        ),
    )
    follow.add_argument(
        "--person",
        action="store_true",
        help="the outline, an ellipse, is a head: where its look fails the face is looked for",
    )
    follow.add_argument("--name", metavar="NAME", default="", help="how the subject is called")
    follow.add_argument(
        "--wait", action="store_true", help="wait while the project is open elsewhere, instead of giving up"
    )

    tracks = command(
        "tracks",
        run_tracks,
        "Write where every subject is in every frame, as CSV, JSON, or in the text format of the MOT Challenge.",
    )
    tracks.add_argument("project", metavar="PROJECT", type=Path)
    tracks.add_argument(
        "-o",
        "--output",
        metavar="OUT",
        type=Path,
        required=True,
        help="ends in .csv, .json, or .txt for the MOT Challenge's, which holds one clip",
    )
    tracks.add_argument("--clip", metavar="NAME", help="only the clip of this file name")
    tracks.add_argument("--force", action="store_true", help="replace the file if it exists already")

    render = command("render", run_render, "Export the clips of a project with their covers.")
    render.add_argument("project", metavar="PROJECT", type=Path)
    render.add_argument(
        "-o",
        "--output",
        metavar="OUT",
        type=Path,
        required=True,
        help="file, or folder when the project has several clips",
    )
    render.add_argument("--clip", metavar="NAME", help="only the clip of this file name")
    render.add_argument(
        "--format", metavar="FORMAT", help="a format, as “skiagraph presets” lists them; otherwise by the file's ending"
    )
    render.add_argument(
        "--matte", metavar="MATTE.mkv", type=Path, help="write the matte too: 8-bit grey FFV1, 255 = fully covered"
    )
    render.add_argument("--from", dest="begin", metavar="TIMECODE", help="write only from this timecode or frame on")
    render.add_argument(
        "--to", dest="end", metavar="TIMECODE", help="write only up to this timecode or frame, that included"
    )
    render.add_argument(
        "--style",
        metavar="COVER",
        help="one cover for everybody, as “blur” or “mosaic:blocks=3”; `skiagraph covers` lists them",
    )
    render.add_argument("--house", metavar="NAME-OR-FILE", help="a house style for everybody")
    render.add_argument(
        "--version",
        metavar="NAME",
        help="this version of the project; “all” for each of them, in files called after it",
    )
    render.add_argument("--force", action="store_true", help="replace files that exist already")

    cli_covers.add_commands(command, _load)
    cli_voice.add_commands(command, _load, _chosen_clips, control_end, _positive)
    cli_review.add_commands(command, _load, _chosen_clips, control_end)
    cli_handover.add_commands(command, _load, _chosen_clips, control_end, _count, _positive, _rate)

    demo = command("demo", run_demo, "Write the demo clips, their truth and a project.")
    demo.add_argument("folder", metavar="DIR", type=Path)
    demo.add_argument(
        "--redraw", action="store_true", help="draw the clips from numbers instead of copying them (some minutes)"
    )

    opened = command("open", run_open, "Open the window on clips or a project.")
    opened.add_argument("files", metavar="FILE", nargs="*", type=Path)
    opened.add_argument("--demo", action="store_true", help="open the demo project")

    menu = command(
        "integrate",
        run_integrate,
        "Add Skiagraph to the desktop's menu, with its icon and the type of its project file, for the present user.",
    )
    menu.add_argument("--remove", action="store_true", help="take it out of the menu again")
    return parser


def _count(text: str) -> int:
    if not text.isdigit():
        raise argparse.ArgumentTypeError(f"{text} is not a whole number from 0")
    return int(text)


def _outline(text: str):
    try:
        return outline_of(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _holdout(text: str):
    """An outline and the frame it was drawn in."""
    outline, _, frame = text.rpartition("@")
    if not outline or not frame.isdigit():
        raise argparse.ArgumentTypeError(
            f"“{text}” is no outline at a frame; write OUTLINE@FRAME, as ellipse:400,300,80,60@12"
        )
    return _outline(outline), int(frame)


def _rate(text: str):
    try:
        return rate_of(text)
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text} is no rate; write a number as 25 or 23.976, or a fraction as 30000/1001"
        ) from None


def _positive(text: str) -> int:
    value = int(text) if text.isdigit() else 0
    if value < 1:
        raise argparse.ArgumentTypeError(f"{text} is not a whole number from 1")
    return value


def run_info(options, control) -> int:
    from skiagraph.media.index import open_clip, verify

    info, index = open_clip(options.clip, control)
    # Short clips are checked whole: damage inside is better known now than at the deadline.
    if options.verify or index.time_s(len(index)) <= 120:
        index = verify(info, index, control)
    control_end(control)
    width, height = info.upright_size
    facts = {
        "file": str(info.path),
        "container": info.container,
        "codec": info.codec,
        "width": width,
        "height": height,
        "rotation": info.rotation,
        "pixel_format": info.pixel_format,
        "bit_depth": info.bit_depth,
        "sample_aspect": str(info.sample_aspect),
        "frames": len(index),
        "rate": float(round(info.rate, 4)),
        "variable_rate": index.is_variable,
        "duration_s": round(index.time_s(len(index)), 3),
        "start_s": round(float(index.pts[0] * index.time_base), 4),
        "sync_samples": int(index.sync.sum()),
        "timecode": info.timecode,
        "sound": [
            {"codec": s.codec, "rate": s.rate, "channels": s.channels, "language": s.language} for s in info.sound
        ],
        "damage": index.damage,
    }
    if options.json:
        print(json.dumps(facts, indent=2))
        return OK
    turned = f", stored turned by {info.rotation}°" if info.rotation else ""
    rate = f"{float(info.rate):.6g} frames/s" + (" (variable)" if index.is_variable else "")
    print(f"{info.path.name}: {width} × {height}{turned}, {info.codec} {info.pixel_format}, {rate}")
    print(f"{len(index)} frames, {facts['duration_s']} s" + (f", timecode {info.timecode}" if info.timecode else ""))
    for s in info.sound:
        print(f"sound: {s.codec}, {s.rate} Hz, {s.channels} channels" + (f", {s.language}" if s.language else ""))
    if not info.sound:
        print("no sound")
    if index.damage:
        print(index.damage)
    return OK


def control_end(control: JobControl) -> None:
    """Leave the line of a progress bar before printing results."""
    if isinstance(control._listener, ProgressPrinter):
        control._listener.end()


def run_scan(options, control) -> int:
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.project.lock import ProjectLock

    refuse_bad_target(options.output, options.clips)
    # Whoever else works on the project meanwhile would lose what they did, or we.
    with ProjectLock.wait(options.output, control) if options.wait else ProjectLock.take(options.output):
        return _scan_into(options, control)


def _scan_into(options, control) -> int:
    from skiagraph.media.confined import prepare

    prepare()
    from skiagraph.footage.adding import facts_of
    from skiagraph.footage.recognition import Gallery
    from skiagraph.footage.scanning import forget_scan, scan_clip, take_in
    from skiagraph.media.index import open_clip
    from skiagraph.media.pictures import CONTAINER, RATE
    from skiagraph.project import cast, edits, file
    from skiagraph.project.edit_list import read_programme
    from skiagraph.project.housing import begun_project

    project = file.load(options.output) if options.output.exists() else begun_project()
    gallery = Gallery()
    keys: dict[Path, str] = {}
    for path in options.clips:
        info, index = open_clip(path, control, options.rate or RATE)
        if options.rate and info.container != CONTAINER:
            raise SkiagraphError(
                f"{path.name} is a film and has a rate of its own; --rate is for numbered pictures.", path=path
            )
        facts = facts_of(info, index)
        known = next(
            (
                c
                for c in project.clips
                if c.path == facts.path or (c.size, c.fingerprint) == (facts.size, facts.fingerprint)
            ),
            None,
        )
        if known is None:
            project = edits.add_clip(project, facts)
            known = project.clips[-1]
        keys[path] = known.key
    if options.programme:
        project = edits.use_programme(project, read_programme(options.programme, project, handles=options.handles))
    programme = project.decisions.programme
    parts = programme.parts(project.clips) if programme else {}
    for path, key in keys.items():
        if programme and key not in parts:
            print(f"{path.name}: {programme.name} does not use it, so it was not scanned.")
            continue
        wanted = parts.get(key, ())
        result = scan_clip(project, key, options.every, gallery, control, keep=True, parts=wanted)
        project = take_in(project, key, result, options.every, gallery)
        project, heard = listened(project, key, control)
        # Saved after each clip: what was scanned stays, whatever happens next.
        file.save(project, options.output)
        forget_scan(project, key, options.every, wanted)
        control_end(control)
        print(
            f"{path.name}: {_cast_line(project, key)} in {_looked_at(result)} frames"
            + heard
            + (f". {result.damage}" if result.damage else "")
        )
    asked = len(cast.open_likenesses(project))
    if asked:
        print(f"{asked} {'pairs' if asked > 1 else 'pair'} may be the same person; the window asks about them.")
    print(f"Saved {options.output}. Whoever nobody decided about is undecided, hence covered.")
    return OK


def listened(project, key: str, control):
    """The project with what is heard in a clip, and what to say of it.

    Sound that cannot be read leaves what was seen as it is.
    """
    from skiagraph.footage.listening import listen_to
    from skiagraph.project.voices import take_listening

    try:
        project = take_listening(project, listen_to(project, key, control))
    except SkiagraphError as error:
        return project, f". {error}"
    voices = len(project.evidence.listening_of(key).voices)
    return project, f"; {voices} voice{'s' if voices != 1 else ''}" if voices else ""


def _looked_at(result) -> int:
    """Frames of a clip that a scan looked at."""
    return result.end - result.begun - sum(last - first + 1 for first, last in result.gaps)


def _cast_line(project, clip: str) -> str:
    there = [s for s in project.subjects if s.in_clip(clip) and not s.dismissed]
    doubtful, elsewhere = sum(s.doubtful for s in there), sum(any(g.clip != clip for g in s.sightings) for s in there)
    people = len(there) - doubtful
    return (
        f"{people} {'person' if people == 1 else 'people'}"
        + (f", {doubtful} doubtful" if doubtful else "")
        + (f", {elsewhere} known from other clips" if elsewhere else "")
    )


def _load(path: Path):
    from skiagraph.footage.damage import with_known_damage
    from skiagraph.footage import relink
    from skiagraph.footage.source import SourceState, state_of
    from skiagraph.project import file

    project = file.load(path)
    project = with_known_damage(relink.find_beside(project, [path.absolute().parent]))
    for clip in relink.missing(project):
        if state_of(clip) == SourceState.CHANGED:
            raise SkiagraphError(
                f"{clip.path.name} is no longer the file that was added; put the original back.", path=clip.path
            )
        raise SkiagraphError(
            f"{clip.path.name} is not where it was ({clip.path.parent}); put it beside the project.", path=clip.path
        )
    return project


def _chosen_clips(project, name: str | None):
    if name is None:
        return list(project.clips)
    chosen = [c for c in project.clips if name in (c.path.name, c.path.stem, c.key)]
    if not chosen:
        raise SkiagraphError(
            f"There is no clip {name} in the project; it has {', '.join(c.path.name for c in project.clips)}."
        )
    return chosen


def run_follow(options, control) -> int:
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.project.file import SUFFIX
    from skiagraph.project.lock import ProjectLock

    is_project = options.source.suffix.lower() == SUFFIX
    target = options.output or (options.source if is_project else None)
    if target is None:
        raise SkiagraphError(
            f"{options.source.name} is a clip; say with -o which project to write.", path=options.source
        )
    refuse_bad_target(target, [] if is_project else [options.source])
    with ProjectLock.wait(target, control) if options.wait else ProjectLock.take(target):
        return _follow_into(options, target, is_project, control)


def _follow_into(options, target: Path, is_project: bool, control: JobControl) -> int:
    from skiagraph.follow.look import Motion
    from skiagraph.footage.adding import facts_of
    from skiagraph.footage.following import Direction, end_sentences, follow_outline
    from skiagraph.media.index import open_clip
    from skiagraph.project import edits, file, outlines
    from skiagraph.project.decisions import PersonSubject, ThingSubject
    from skiagraph.project.housing import begun_project

    if is_project:
        project = _load(options.source)
        clips = _chosen_clips(project, options.clip)
        if len(clips) != 1:
            raise SkiagraphError(
                f"{options.source.name} has {len(clips)} clips; choose one with --clip.", path=options.source
            )
        clip = clips[0]
    else:
        project = file.load(target) if target.exists() else begun_project()
        facts = facts_of(*open_clip(options.source, control))
        clip = next((c for c in project.clips if (c.size, c.fingerprint) == (facts.size, facts.fingerprint)), None)
        if clip is None:
            project = edits.add_clip(project, facts)
            clip = project.clips[-1]
    project, key = outlines.add_subject(
        project,
        clip.key,
        options.frame,
        options.outline,
        PersonSubject() if options.person else ThingSubject(),
        " ".join(options.name.split())[:80],
    )
    for outline, frame in options.holdout:
        before = follow_outline(project, clip.key, frame, outline, control=control)
        project, front = outlines.add_holdout(project, clip.key, frame, outline, [key])
        project = outlines.rest_on_followed(project, front, clip.key, frame, before.path)
    found = follow_outline(
        project,
        clip.key,
        options.frame,
        options.outline,
        Direction(options.direction),
        Motion(options.motion),
        control,
        subject=key,
    )
    project = outlines.rest_on_followed(project, key, clip.key, options.frame, found.path, options.motion)
    project = outlines.also_seen(project, key, clip.key, options.frame, found.again, options.motion)
    file.save(project, target)
    control_end(control)
    name = project.subject(key).name
    print(
        f"{name}: followed from {clip.at(found.path.first)} to {clip.at(found.path.last)} ({len(found.path)} frames),"
        " covered"
    )
    for said in end_sentences(project, clip.key, name, found):
        print(said)
    print(f"Saved {target}.")
    return OK


def run_tracks(options, control) -> int:
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.project import file
    from skiagraph.project.listing import write_tracks

    project = file.load(options.project)
    refuse_bad_target(options.output, [options.project, *(c.path for c in project.files)])
    if options.output.exists() and not options.force:
        raise SkiagraphError(
            f"{options.output} exists already; choose another name, or say --force.", path=options.output
        )
    try:
        rows = write_tracks(project, options.output, [c.key for c in _chosen_clips(project, options.clip)])
    except ValueError as error:
        raise SkiagraphError(f"{error}.", path=options.output) from None
    except OSError as error:
        raise SkiagraphError(
            f"{options.output} cannot be written ({error.strerror}); choose another place.", path=options.output
        ) from error
    print(f"Wrote {options.output} ({rows} rows)")
    return OK


def run_render(options, control) -> int:
    from skiagraph.child_process import run_in_child
    from skiagraph.handover.delivery import Planned, deliver, planned
    from skiagraph.handover.writers.film import CoveredFilm
    from skiagraph.handover.writers.matte import Matte
    from skiagraph.media.formats import FORMATS, format_for
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.cli_covers import restyled

    project = _load(options.project)
    clips = _chosen_clips(project, options.clip)
    if not clips:
        raise SkiagraphError(f"{options.project.name} has no clips; scan one first.", path=options.project)
    project, versions = restyled(project, options)
    several = len(clips) > 1 or len(versions) > 1 or options.output.is_dir()
    if several and options.matte:
        raise SkiagraphError(
            "One matte file cannot hold several clips or versions; choose one with --clip and --version."
        )
    export = FORMATS["h264-mp4"] if several and not options.format else format_for(options.output, options.format)
    if several:
        plan = planned(
            project,
            [c.key for c in clips],
            options.output,
            (CoveredFilm(export.key),),
            versions=versions if len(versions) > 1 else (),
        )
    else:
        plan = [
            Planned(
                clips[0].key,
                ((CoveredFilm(export.key), options.output), *(((Matte(), options.matte),) if options.matte else ())),
                _span(options, clips[0]),
            )
        ]
    if several and (options.begin or options.end):
        raise SkiagraphError("--from and --to are for one clip; choose it with --clip.")
    if not several:
        for target in (options.output, options.matte):
            if target is not None:
                refuse_bad_target(target, [options.project, *(c.path for c in project.files)])

    def told(done) -> None:
        control_end(control)
        first, last = plan[0].span or (0, project.clip(done.clip).frames - 1)
        print(
            f"Wrote {done.path} ({last - first + 1} frames,"
            f" {export.label}{f', version “{done.version}”' if done.version else ''})"
        )
        for note in done.notes:
            print(note)

    # Sound is copied and encoded where the film is written: in a process of its own, so that a file that makes it crash
    # is a sentence here too.
    run_in_child(deliver, project, plan, False, options.force, control=control, told=told)
    if options.matte:
        print(f"Wrote {options.matte}")
    return OK


def _span(options, clip) -> tuple[int, int] | None:
    """First and last frame that are asked for; None where it is the whole clip."""
    if not options.begin and not options.end:
        return None
    from skiagraph.timecode import parse_timecode

    first, last = (
        parse_timecode(text, clip.rate, clip.timecode) if text else end
        for text, end in ((options.begin, 0), (options.end, clip.frames - 1))
    )
    if not 0 <= first <= last < clip.frames:
        raise SkiagraphError(
            f"{clip.path.name} has frames 0 to {clip.frames - 1} ({clip.at(0)} to {clip.at(clip.frames - 1)}); {first}"
            f" to {last} is no part of it.",
            path=clip.path,
        )
    return first, last


def run_demo(options, control) -> int:
    from skiagraph.demo.ship import write_demo

    place = write_demo(options.folder, control, redraw=options.redraw)
    control_end(control)
    print(f"Wrote the demo to {options.folder}; open {place}.")
    return OK


def run_integrate(options, control) -> int:
    from skiagraph import integration

    if options.remove:
        integration.remove()
        print("Skiagraph is out of the menu.")
        return OK
    for path in integration.integrate():
        print(f"Wrote {path}")
    return OK


def run_open(options, control) -> int:
    # The window's loop is not Python's: it is ended at once, since the project saves itself and jobs stop with it.
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    from skiagraph.desktop.app import run

    return run([str(path) for path in options.files], demo=options.demo)
