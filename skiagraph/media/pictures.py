"""Numbered pictures as a clip: a folder of them, or one of them by name.

Each file is opened by the name it has, none by a pattern.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.error

from skiagraph.errors import CannotOpenMedia

# What a clip of pictures says its container is, and the frames a second it has where nobody says otherwise.
CONTAINER, RATE = "pictures", Fraction(25)
# Demuxers that read one picture from the one file that was named, by the file's ending.
_DEMUXERS = {
    ".png": "png_pipe",
    ".tif": "tiff_pipe",
    ".tiff": "tiff_pipe",
    ".jpg": "jpeg_pipe",
    ".jpeg": "jpeg_pipe",
    ".dpx": "dpx_pipe",
    ".bmp": "bmp_pipe",
    ".webp": "webp_pipe",
}
PICTURE_SUFFIXES = tuple(_DEMUXERS)
_NUMBERED = re.compile(r"(.*?)(\d+)(\.[^.]+)", re.DOTALL)
# A run of fewer files that happen to end in a number is no film.
LEAST = 2


@dataclass(frozen=True, slots=True)
class Pictures:
    """files: of frame 0, 1, 2 …, numbered without a gap. missing: name of the first one that is not there though later
    ones are, or empty."""

    files: tuple[Path, ...]
    missing: str = ""

    @property
    def first(self) -> Path:
        return self.files[0]

    @property
    def size(self) -> int:
        """Bytes of all files. Raises OSError."""
        return sum(path.stat().st_size for path in self.files)


def is_picture(path: Path) -> bool:
    """Whether a file is called like one of numbered pictures."""
    return path.suffix.lower() in _DEMUXERS and _NUMBERED.fullmatch(path.name) is not None


def belongs(path: Path, first: Path) -> bool:
    """Whether a file is, by its name, another picture of the clip that begins with `first`."""
    if not is_picture(first) or path.parent.resolve() != first.parent.resolve():
        return False
    mine, theirs = _NUMBERED.fullmatch(path.name), _NUMBERED.fullmatch(first.name)
    return mine is not None and (mine[1], mine[3]) == (theirs[1], theirs[3])


def pictures_at(path: Path) -> Pictures | None:
    """The numbered pictures in a folder, or those that a file is one of; None where there are none.

    Raises CannotOpenMedia where a folder holds several runs of them, or two with the same number.
    """
    if path.is_dir():
        runs = _runs(path)
        long = [run for run in runs.values() if len(run) >= LEAST]
        if len(long) > 1:
            names = ", ".join(sorted(run[min(run)].name for run in long)[:3])
            raise CannotOpenMedia(
                f"{path} holds several runs of numbered pictures ({names}); choose the first file of one of them.",
                path=path,
            )
        return _run(long[0]) if long else None
    if not is_picture(path):
        return None
    found = _NUMBERED.fullmatch(path.name)
    run = _runs(path.parent).get((found[1], found[3]), {})
    return _run(run) if len(run) >= LEAST else None


def _runs(folder: Path) -> dict[tuple[str, str], dict[int, Path]]:
    """Files by what stands before and after their number, and by that."""
    runs: dict[tuple[str, str], dict[int, Path]] = {}
    try:
        names = sorted(os.listdir(folder))
    except OSError as error:
        raise CannotOpenMedia(
            f"The folder {folder} cannot be read ({error.strerror}); ask its owner for permission.", path=folder
        ) from error
    for name in names:
        path = folder / name
        found = _NUMBERED.fullmatch(name)
        if found and path.suffix.lower() in _DEMUXERS and not name.startswith(".") and path.is_file():
            run, number = runs.setdefault((found[1], found[3]), {}), int(found[2])
            if number in run:
                raise CannotOpenMedia(
                    f"{run[number].name} and {name} have the same number; leave one of them in the folder.", path=path
                )
            run[number] = path
    return runs


def _run(run: dict[int, Path]) -> Pictures:
    first, files = min(run), []
    while first + len(files) in run:
        files.append(run[first + len(files)])
    missing = ""
    if len(files) < len(run):
        before, digits, after = _NUMBERED.fullmatch(files[-1].name).groups()
        missing = f"{before}{first + len(files):0{len(digits)}d}{after}"
    return Pictures(tuple(path.absolute() for path in files), missing)


def open_picture(path: Path):
    """A container of the one picture in a file. Raises CannotOpenMedia."""
    kind = _DEMUXERS[path.suffix.lower()]
    try:
        return av.open(str(path), format=kind, options={"format_whitelist": kind, "protocol_whitelist": "file"})
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise CannotOpenMedia(
            f"{path.name} is not a picture that can be read; copy it again from its source.", path=path
        ) from error


def decoded(path: Path) -> av.VideoFrame:
    """The picture in a file. Raises CannotOpenMedia, and MemoryError."""
    with open_picture(path) as container:
        try:
            for frame in container.decode(video=0):
                return frame
        except av.error.MemoryError:
            raise MemoryError() from None
        except (av.error.FFmpegError, OSError):
            pass
    raise CannotOpenMedia(f"{path.name} is damaged; copy it again from its source.", path=path)
