"""Clips that are not where the project says: found again beside it, or asked for."""

from __future__ import annotations

from pathlib import Path

from skiagraph.footage.source import SourceState, is_same_file, state_of
from skiagraph.project.edits import relink_clip
from skiagraph.project.model import Clip, Project


def missing(project: Project) -> list[Clip]:
    """Clips whose file is not there, or is another one."""
    return [clip for clip in project.clips if state_of(clip) != SourceState.THERE]


def find_beside(project: Project, folders: list[Path], depth: int = 2) -> Project:
    """The project with missing clips re-linked to files of the same contents in the given folders or a few levels
    below."""
    for clip in missing(project):
        for folder in folders:
            found = _same_contents(clip, Path(folder), depth)
            if found:
                project = relink_clip(project, clip.key, found)
                break
    return project


def _same_contents(clip: Clip, folder: Path, depth: int) -> Path | None:
    try:
        entries = sorted(folder.iterdir(), key=lambda p: (p.name != clip.path.name, p.is_dir(), p.name))
    except OSError:
        return None
    for entry in entries:
        if is_same_file(clip, entry):
            return entry
        if depth and entry.is_dir() and not entry.name.startswith("."):
            found = _same_contents(clip, entry, depth - 1)
            if found:
                return found
    return None
