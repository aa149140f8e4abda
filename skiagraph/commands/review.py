"""The commands about looking once more: findings, the check of exported files, contact sheets, the report."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import FOUND, OK, chosen_clips, end_of_bar, load


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    check = command("check", run_check, "List what a person must look at; exit code 3 when there is anything.")
    check.add_argument("project", metavar="PROJECT", type=Path)
    check.add_argument("--file", metavar="OUT", type=Path, help="an exported file to decode, search again and compare")
    check.add_argument(
        "--clip", metavar="NAME", help="the clip the file was exported from, when the project has several"
    )
    check.add_argument("--json", metavar="FINDINGS.json", type=Path, help="write the findings there")
    check.add_argument("--force", action="store_true", help="replace the file of findings if it exists already")

    review = command(
        "review", run_review, "Say what there is to look at, and write the contact sheets as pictures of the result."
    )
    review.add_argument("project", metavar="PROJECT", type=Path)
    review.add_argument(
        "--sheet", metavar="DIR", type=Path, help="write the contact sheets there, as PNG: pages for each person"
    )
    review.add_argument("--clip", metavar="NAME", help="only the clip of this file name")
    review.add_argument(
        "--strict",
        action="store_true",
        help=(
            "search the clips once more, at a lower score and for smaller faces; what nobody knows of is listed and"
            " kept in the project"
        ),
    )
    review.add_argument("--force", action="store_true", help="replace pictures that exist already")

    report = command(
        "report",
        run_report,
        "Write the report: what was decided and by whom, what was found and answered, what was proved of exported"
        " files.",
    )
    report.add_argument("project", metavar="PROJECT", type=Path)
    report.add_argument(
        "--file",
        metavar="OUT",
        type=Path,
        nargs="+",
        action="extend",
        default=[],
        help="exported files to check for it; several, and several times",
    )
    report.add_argument(
        "-o", "--output", metavar="REPORT", type=Path, required=True, help="ends in .html, .pdf or .json"
    )
    report.add_argument("--force", action="store_true", help="replace the report if it exists already")


def _clip_of(options, project, file: Path):
    """The clip that an exported file is of: the one that was named, the only one, or the one with whose name it
    begins."""
    from skiagraph.errors import SkiagraphError

    clips = chosen_clips(project, getattr(options, "clip", None))
    if len(clips) != 1:
        alike = [c for c in clips if file.stem == c.path.stem or file.stem.startswith(f"{c.path.stem}-")]
        longest = max((len(c.path.stem) for c in alike), default=0)
        clips = [c for c in alike if len(c.path.stem) == longest]
        if len(clips) != 1:
            raise SkiagraphError(
                f"It is not clear which clip {file.name} was exported from; "
                + ("say so with --clip." if hasattr(options, "clip") else "begin its name as the clip's."),
                path=file,
            )
    return clips[0]


def run_check(options, control) -> int:
    from skiagraph.errors import SkiagraphError
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.review.exposure import prove
    from skiagraph.review.finding import sentence
    from skiagraph.review.findings import findings, open_findings
    from skiagraph.review.written import write_whole

    project = load(options.project)
    if options.json:
        refuse_bad_target(
            options.json, [options.project, *(c.path for c in project.files), *([options.file] if options.file else [])]
        )
        if options.json.exists() and not options.force:
            raise SkiagraphError(
                f"{options.json} exists already; choose another name, or say --force.", path=options.json
            )
    found, proof = findings(project), None
    if options.file:
        clip = _clip_of(options, project, options.file)
        proof = prove(project, clip.key, options.file, control)
        found = [f for f in found if f.clip == clip.key] + list(proof.findings)
    end_of_bar(control)
    waiting = open_findings(project, found)
    rows = [
        {
            "subject": project.subject(f.subject).name if f.subject else None,
            "subject_key": f.subject or None,
            "clip": project.clip(f.clip).path.name,
            "first_frame": f.first,
            "last_frame": f.last,
            "reason": f.reason,
            "worst_value": f.worst,
            "accepted": f not in waiting,
            "text": sentence(project, f),
        }
        for f in found
    ]
    if options.json:
        write_whole(options.json, (json.dumps(rows, indent=2, ensure_ascii=False) + "\n").encode())
    for fact in proof.facts if proof else ():
        print(f"{'ok ' if fact.good else '–  ' if fact.good is None else 'BAD'}  {fact.what}: {fact.result}")
    for row in rows:
        if not row["accepted"]:
            print(f"{row['clip']}  {row['first_frame']}–{row['last_frame']}  {row['reason']}  {row['text']}")
    print(f"{len(waiting)} finding{'s' if len(waiting) > 1 else ''} to look at" if waiting else "No findings.")
    return FOUND if waiting else OK


def run_review(options, control) -> int:
    from skiagraph.review.findings import findings, open_findings
    from skiagraph.review.looking import SheetMaker
    from skiagraph.review.sheet_pages import write_sheets

    project = load(options.project)
    if options.strict:
        project = _swept(options, control)
    clips = chosen_clips(project, options.clip)
    waiting = open_findings(project, findings(project))
    if options.sheet:
        written = write_sheets(project, [c.key for c in clips], waiting, options.sheet, control, options.force)
        end_of_bar(control)
        print(f"Wrote {len(written)} pages to {options.sheet}.")
    made = SheetMaker().sheet(project, waiting)
    parts = [
        f"{made.fine} of {made.crops} pictures were found fine",
        f"{made.again} are to be looked at again" if made.again else "",
        f"{made.changed} have changed since" if made.changed else "",
    ]
    print("; ".join(part for part in parts if part) + ".")
    print(
        f"{len(waiting)} finding{'s are' if len(waiting) != 1 else ' is'} open; “skiagraph check” lists"
        f" {'them' if len(waiting) != 1 else 'it'}."
        if waiting
        else "No finding is open."
    )
    return OK


def _swept(options, control):
    """The project with its clips searched strictly, saved."""
    from skiagraph.footage.sweeping import sweep_clip
    from skiagraph.project import file
    from skiagraph.project.lock import ProjectLock
    from skiagraph.values import replace

    with ProjectLock.take(options.project):
        project = load(options.project)
        for clip in chosen_clips(project, options.clip):
            project = replace(project, evidence=project.evidence.with_sweep(sweep_clip(project, clip.key, control)))
        file.save(project, options.project)
    end_of_bar(control)
    return project


def run_report(options, control) -> int:
    from skiagraph.child_process import run_in_child
    from skiagraph.errors import SkiagraphError
    from skiagraph.media.temporary import refuse_bad_target
    from skiagraph.review.report import form_for

    project = load(options.project)
    form_for(options.output)
    refuse_bad_target(options.output, [options.project, *(c.path for c in project.files), *options.file])
    if options.output.exists() and not options.force:
        raise SkiagraphError(
            f"{options.output} exists already; choose another name, or say --force.", path=options.output
        )
    files = [(_clip_of(options, project, path).key, path) for path in options.file]
    verdict, good = run_in_child(_report, project, options.project.name, files, options.output, control=control)
    end_of_bar(control)
    print(f"Wrote {options.output}. {verdict}")
    return OK if good else FOUND


def _report(project, name: str, files, target: Path, control, tell) -> tuple[str, bool]:
    """What the process does: checks the files, and writes the report."""
    from skiagraph.review.exposure import prove
    from skiagraph.review.report import report_of, write_report

    report = report_of(project, name, [prove(project, key, path, control) for key, path in files], control)
    write_report(report, target)
    return report.verdict, report.good
