"""The commands that look at clips: what one is, and who is in it."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, count, end_of_bar, positive, rate
from skiagraph.errors import SkiagraphError


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
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
        "--rate", metavar="R", type=rate, help="frames a second of numbered pictures, which carry none (default 25)"
    )
    scan.add_argument(
        "--every",
        metavar="N",
        type=positive,
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
        type=count,
        default=25,
        help="frames before and after each part of a programme (default 25)",
    )


def run_info(options, control) -> int:
    from skiagraph.media.index import open_clip, verify

    info, index = open_clip(options.clip, control)
    # Short clips are checked whole: damage inside is better known now than at the deadline.
    if options.verify or index.time_s(len(index)) <= 120:
        index = verify(info, index, control)
    end_of_bar(control)
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
        end_of_bar(control)
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
