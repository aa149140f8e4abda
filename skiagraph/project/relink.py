"""Clips that are not where the project says: found again beside it, or asked for."""

from __future__ import annotations

from pathlib import Path

from skiagraph.media.clip import fingerprint
from skiagraph.project.edits import relink_clip
from skiagraph.project.model import Clip, Project


def is_there(clip: Clip) -> bool:
    """True when the file is where the project says and has the size it had."""
    try:
        return clip.path.stat().st_size == clip.size
    except OSError:
        return False


def missing(project: Project) -> list[Clip]:
    return [clip for clip in project.clips if not is_there(clip)]


def find_beside(project: Project, folders: list[Path], depth: int = 2) -> Project:
    """The project with missing clips re-linked to files of the same contents in the given folders or a few levels below."""
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
        try:
            if entry.is_file() and entry.stat().st_size == clip.size and fingerprint(entry) == clip.fingerprint:
                return entry
            if depth and entry.is_dir() and not entry.name.startswith("."):
                found = _same_contents(clip, entry, depth - 1)
                if found:
                    return found
        except OSError:
            continue
    return None
