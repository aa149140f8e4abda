"""The commands that write one thing of a project: covered clips, and where everybody is."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, chosen_clips, end_of_bar, load
from skiagraph.errors import SkiagraphError


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
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
        rows = write_tracks(project, options.output, [c.key for c in chosen_clips(project, options.clip)])
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
    from skiagraph.commands.covers import restyled
    from skiagraph.handover.delivery import Planned, deliver, planned
    from skiagraph.handover.writers.film import CoveredFilm
    from skiagraph.handover.writers.matte import Matte
    from skiagraph.media.formats import FORMATS, format_for
    from skiagraph.media.temporary import refuse_bad_target

    project = load(options.project)
    clips = chosen_clips(project, options.clip)
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
        end_of_bar(control)
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
