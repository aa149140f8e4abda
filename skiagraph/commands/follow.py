"""The command that covers whatever an outline encloses, and follows it."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, chosen_clips, count, end_of_bar, load
from skiagraph.errors import SkiagraphError
from skiagraph.jobs import JobControl
from skiagraph.shape.written import FORMS, outline_of


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    follow = command("follow", run_follow, "Cover whatever an outline encloses, and follow it through the clip.")
    follow.add_argument("source", metavar="CLIP-OR-PROJECT", type=Path)
    follow.add_argument(
        "-o", "--output", metavar="PROJECT", type=Path, help="project to write; the given one where it is a project"
    )
    follow.add_argument("--clip", metavar="NAME", help="the clip, when the project has several")
    follow.add_argument(
        "--frame", metavar="N", type=count, required=True, help="frame in which the outline was drawn, from 0"
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
        project = load(options.source)
        clips = chosen_clips(project, options.clip)
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
    end_of_bar(control)
    name = project.subject(key).name
    print(
        f"{name}: followed from {clip.at(found.path.first)} to {clip.at(found.path.last)} ({len(found.path)} frames),"
        " covered"
    )
    for said in end_sentences(project, clip.key, name, found):
        print(said)
    print(f"Saved {target}.")
    return OK


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
