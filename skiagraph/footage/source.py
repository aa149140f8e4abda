"""The file behind a clip of the project: whether it is there, whether it is the one that was added, and opening it."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path

from skiagraph.errors import CannotOpenMedia, FrameNotDecoded, SourceChanged
from skiagraph.jobs import JobControl
from skiagraph.media.clip import NUMBERED, SAMPLES, ClipInfo, fingerprint, probe
from skiagraph.media.index import FrameIndex, load_index
from skiagraph.media.pictures import is_picture, pictures_at
from skiagraph.project.model import Clip

# Fingerprints by what tells a file that did not change: a few megabytes need not be read at each opening.
_KNOWN: dict[tuple, str] = {}
_MOST_KNOWN = 4096


class SourceState(StrEnum):
    THERE = "there"
    MISSING = "missing"
    CHANGED = "changed"


def _files(path: Path, scheme: str) -> tuple[Path, ...]:
    """The files that a clip is of. Raises CannotOpenMedia."""
    pictures = pictures_at(path) if scheme == NUMBERED else None
    return pictures.files if pictures else (path,)


def _size_of(path: Path, scheme: str) -> int:
    return sum(file.stat().st_size for file in _files(path, scheme))


def contents_of(path: Path, scheme: str = "") -> str:
    """The fingerprint of a clip's file or numbered pictures, remembered while they have the same size, time and place.

    Raises OSError and CannotOpenMedia.
    """
    scheme = scheme or (NUMBERED if pictures_at(path) else SAMPLES)
    stats = [file.stat() for file in _files(path, scheme)]
    place = (
        str(path),
        scheme,
        tuple((found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns) for found in stats),
    )
    if place not in _KNOWN:
        if len(_KNOWN) >= _MOST_KNOWN:
            _KNOWN.clear()
        _KNOWN[place] = fingerprint(path, scheme)
    return _KNOWN[place]


def state_of(clip: Clip) -> SourceState:
    """Whether the clip's file is there, and the one that was added."""
    try:
        if not clip.path.is_file():
            return SourceState.MISSING
        return SourceState.THERE if _is_of(clip, clip.path) else SourceState.CHANGED
    except (OSError, ValueError):
        return SourceState.MISSING
    except CannotOpenMedia:
        return SourceState.CHANGED


def is_same_file(clip: Clip, path: Path) -> bool:
    """True when a file has the contents the clip had."""
    try:
        return path.is_file() and _is_of(clip, path)
    except (OSError, ValueError, CannotOpenMedia):
        return False


def _is_of(clip: Clip, path: Path) -> bool:
    """Whether a file, or the pictures it is the first of, have the contents the clip had."""
    scheme = clip.fingerprint.partition(":")[0]
    if scheme == NUMBERED and (not is_picture(path) or _files(path, scheme)[0] != path.absolute()):
        return False
    return _size_of(path, scheme) == clip.size and contents_of(path, scheme) == clip.fingerprint


def open_source(clip: Clip, control: JobControl | None = None) -> tuple[ClipInfo, FrameIndex]:
    """The clip's file, checked against what the project knows of it.

    Raises CannotOpenMedia when it cannot be read, SourceChanged when it is another file than it was, and
    FrameNotDecoded when damage was met in it that the project does not know of.
    """
    info = probe(clip.path, clip.rate)
    if state_of(clip) != SourceState.THERE:
        raise _changed(clip)
    index = load_index(info, control)
    if len(index) < clip.frames and index.damage:
        raise FrameNotDecoded(index.damage, frame=len(index), path=clip.path, time_s=index.time_s(len(index)))
    if info.upright_size != clip.picture_size or len(index) < clip.frames:
        raise _changed(clip)
    return info, index


def _changed(clip: Clip) -> SourceChanged:
    return SourceChanged(
        f"{clip.path.name} is no longer the file that was added; put the original back, or add this one as a new clip.",
        path=clip.path,
    )
