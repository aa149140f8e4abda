"""Handing over several clips: each exported into a folder under a name of its own and, if wanted, checked there."""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.handover.export import write_clip
from skiagraph.handover.names import DEFAULT_PATTERN, stem_of
from skiagraph.handover.writer import Writer
from skiagraph.jobs import JobControl
from skiagraph.media.soundtrack import SILENT
from skiagraph.project.housing import in_version
from skiagraph.project.model import Project
from skiagraph.review.finding import Finding
from skiagraph.review.proof import Proof


@dataclass(frozen=True, slots=True)
class Planned:
    """The files of one clip that will be written: each by a writer to a target.

    The first is the film. span: first and last frame of the part that is written, None for all of it. version: of the
    project, empty for the one that is worked on.
    """

    clip: str
    files: tuple[tuple[Writer, Path], ...]
    span: tuple[int, int] | None = None
    version: str = ""

    @property
    def film(self) -> Path:
        return self.files[0][1]


@dataclass(frozen=True, slots=True)
class Delivered:
    """One clip that was handed over. proof: the check of the file, None when it was not checked. notes: sentences on
    what of it is otherwise than in the source. version: of the project; span: first and last frame that it holds, None
    for all of the clip; beside: further files of it."""

    clip: str
    path: Path
    proof: Proof | None
    notes: tuple[str, ...] = ()
    version: str = ""
    span: tuple[int, int] | None = None
    beside: tuple[Path, ...] = ()

    @property
    def findings(self) -> list[Finding] | None:
        return None if self.proof is None else list(self.proof.findings)


def planned(
    project: Project,
    keys: Sequence[str],
    folder: Path | str,
    writers: Sequence[Writer],
    *,
    beside: bool = False,
    parts: Mapping[str, Sequence[tuple[int, int]]] | None = None,
    versions: Sequence[str] = (),
    pattern: str = DEFAULT_PATTERN,
    preset: str = "",
    taken: Iterable[Path] = (),
) -> list[Planned]:
    """Which files clips would be written to.

    No two share a name, also of clips from two cards that are called alike; sources and the names of other clips of the
    project are never used. beside: numbered further where files of the name exist. parts: first and last frames of
    those clips of which only parts are written, each to files of its own. versions: of the project that are written,
    each to files called after it; none for the one that is worked on. pattern: of names; preset: its name, for those;
    taken: names that others will write. Raises SkiagraphError where a pattern is none.
    """
    folder = Path(folder)
    taken = {Path(os.path.realpath(c.path)) for c in project.files} | {Path(os.path.realpath(t)) for t in taken}
    plan = []
    for key, version, span in [
        (key, version, span)
        for version in versions or ("",)
        for key in keys
        for span in (parts or {}).get(key) or (None,)
    ]:
        clip = project.clip(key)
        stem = stem_of(
            pattern, clip=clip.path.stem, version=version, preset=preset, timecode=clip.at(span[0] if span else 0)
        )
        for number in range(1, 100_000):
            name = stem if number == 1 else f"{stem}-{number}"
            files = tuple((writer, folder / writer.name(name)) for writer in writers)
            targets = [Path(os.path.realpath(target)) for _, target in files]
            if not any(t in taken or beside and t.exists() for t in targets):
                break
        taken.update(targets)
        plan.append(Planned(key, files, span, version))
    return plan


def existing(plan: Iterable[Planned]) -> list[Path]:
    """Files of a plan that are there already and would be replaced."""
    return [target for entry in plan for _, target in entry.files if target.exists()]


def deliver(
    project: Project,
    plan: Sequence[Planned],
    check: bool,
    replace: bool,
    control: JobControl,
    tell: Callable[[Delivered], None],
) -> list[Finding]:
    """Write the files of a plan, into folders that are made where they are missing, and tell of each clip; returns all
    findings of the checks. replace: files that exist may be replaced.

    Raises CannotWriteMedia before anything is written where a file exists and may not be replaced; SkiagraphError when
    a folder cannot be made; and what write_clip and prove raise.
    """
    there = existing(plan)
    if there and not replace:
        raise CannotWriteMedia(
            f"{there[0]} exists already; choose another name or folder, or say that it may be replaced.", path=there[0]
        )
    every: list[Finding] = []
    for entry in plan:
        done = deliver_one(project, entry, check, control)
        every += done.findings or []
        tell(done)
    return every


def deliver_one(project: Project, entry: Planned, check: bool, control: JobControl) -> Delivered:
    """Write the files of one clip, into a folder that is made where it is missing, and check the film.

    Raises as deliver does; files that exist are replaced.
    """
    folder = entry.film.parent
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        raise SkiagraphError(f"The folder {folder} cannot be made ({error.strerror}); choose another place.") from error
    covered = in_version(project, entry.version) if entry.version else project
    notes = write_clip(covered, entry.clip, entry.files, control, entry.span)
    proof = None
    if check:
        # Only here, since this brings in the networks' runtimes.
        from skiagraph.review.exposure import prove

        silent = getattr(entry.files[0][0], "sound", "") == SILENT
        proof = dataclasses.replace(
            prove(covered, entry.clip, entry.film, control, span=entry.span, silent=silent), version=entry.version
        )
    return Delivered(
        entry.clip,
        entry.film,
        proof,
        tuple(notes),
        entry.version,
        entry.span,
        tuple(target for _, target in entry.files[1:]),
    )
