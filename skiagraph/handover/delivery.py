"""Handing over several clips: each exported into a folder and, if wanted, checked there."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import SkiagraphError
from skiagraph.handover.export import export_clip
from skiagraph.jobs import JobControl
from skiagraph.media.formats import FORMATS, ExportFormat
from skiagraph.project.model import Clip, Project
from skiagraph.review.findings import Finding


@dataclass(frozen=True, slots=True)
class Delivered:
    """One clip that was handed over. findings: of the check on the file, None when it was not checked."""

    clip: str
    path: Path
    findings: list[Finding] | None


def target_of(clip: Clip, export: ExportFormat, folder: Path) -> Path:
    return folder / f"{clip.path.stem}-covered{export.suffix}"


def deliver(project: Project, keys: Sequence[str], format_key: str, folder: Path | str, with_matte: bool, check: bool, control: JobControl,
            tell: Callable[[Delivered], None]) -> list[Finding]:
    """Export clips into a folder, which is made where it is missing, and tell of each; returns all findings of the checks.

    Raises SkiagraphError when the folder cannot be made, and what export_clip and check_file raise.
    """
    folder, export = Path(folder), FORMATS[format_key]
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        raise SkiagraphError(f"The folder {folder} cannot be made ({error.strerror}); choose another place.") from error
    every: list[Finding] = []
    for key in keys:
        clip = project.clip(key)
        target = target_of(clip, export, folder)
        beside = target.with_name(f"{clip.path.stem}-matte.mkv") if with_matte else None
        export_clip(project, key, target, export, matte_target=beside, control=control)
        found = None
        if check:
            # Only here, since this brings in the networks' runtimes.
            from skiagraph.review.exposure import check_file
            found = check_file(project, key, target, control)
        every += found or []
        tell(Delivered(key, target, found))
    return every
