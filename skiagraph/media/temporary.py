"""Files and folders that are written beside their targets under a hidden name, and get their own when they are
whole."""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import secrets
import shutil
from pathlib import Path

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.pictures import belongs, is_picture

# Of a file, in bytes: file systems allow 255, of which locks and temporary names beside it take some.
LONGEST_NAME = 240
# Unfinished files of ours, hidden beside their targets.
_UNFINISHED = re.compile(r"\..*\.[0-9a-f]{8}\.unfinished(\.[^.]*)?", re.DOTALL)
# After the name of a folder's lock, the name of the unfinished folder itself.
FOLDER_MARK = "-folder"


def refuse_bad_target(target: Path, sources: list[Path], *, folder: bool = False) -> None:
    """Raise CannotWriteMedia when a target is a source, a folder, or in a folder that is missing or closed. folder: it
    is to be a folder itself."""
    target = Path(target)
    if len(os.fsencode(target.name)) > LONGEST_NAME:
        raise CannotWriteMedia(
            f"The name {target.name[:40]}… is too long; choose one of up to {LONGEST_NAME} bytes.", path=target
        )
    for source in sources:
        same = target.resolve() == Path(source).resolve()
        if not same and target.exists() and Path(source).exists():
            same = os.path.samefile(target, source)
        # A folder of pictures would take away those that lie in the one it replaces.
        if (
            same
            or belongs(target, Path(source))
            or folder
            and target.resolve() in Path(source).resolve().parents
            and target.exists()
        ):
            raise CannotWriteMedia(
                f"{target.name} is the source itself, which is never written; choose another name.", path=target
            )
    if target.is_dir() and not folder:
        raise CannotWriteMedia(f"{target} is a folder; add a file name.", path=target)
    if target.exists() and not (target.is_dir() if folder else target.is_file()):
        raise CannotWriteMedia(f"{target} is no plain file but a pipe or a device; choose another name.", path=target)
    place = target.absolute().parent
    if not place.is_dir():
        raise CannotWriteMedia(f"There is no folder {place}; make it or choose another place.", path=target)
    if not os.access(place, os.W_OK):
        raise CannotWriteMedia(f"The folder {place} may not be written to; choose another place.", path=target)


class TemporaryTarget:
    """A hidden file beside the target that becomes the target when `commit` is called, and vanishes otherwise.

    It is locked (flock) as long as it is written, and so tells those of the living from what a process that died has
    left, which is removed here.
    """

    def __init__(self, target: Path | str):
        self.target = Path(target).absolute()
        _remove_leftovers(self.target.parent)
        # The name stays within the 255 bytes that file systems allow, however long the target's own is.
        stem = self.target.stem.encode(errors="surrogateescape")[:150].decode(errors="ignore")
        self.path = self.target.with_name(f".{stem}.{secrets.token_hex(4)}.unfinished{self.target.suffix}")
        self._lock: int | None = None
        # a disk that knows no locks keeps leftovers; one that cannot be written says so when the film is begun
        with contextlib.suppress(OSError):
            while self._lock is None:
                self._lock = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
                fcntl.flock(self._lock, fcntl.LOCK_EX)
                if not os.fstat(self._lock).st_nlink:  # taken for a leftover before it was locked
                    self._unlock()

    def commit(self) -> None:
        with open(self.path, "rb+") as file:
            os.fsync(file.fileno())
        os.replace(self.path, self.target)
        folder = os.open(self.target.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
        self._unlock()

    def discard(self) -> None:
        self.path.unlink(missing_ok=True)
        self._unlock()

    def _unlock(self) -> None:
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None


def _remove_leftovers(folder: Path) -> None:
    """Take away unfinished files whose writer is no more: those that nobody holds a lock on."""
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            if not _UNFINISHED.fullmatch(path.name) or path.is_symlink() or not path.is_file():
                continue
            with contextlib.suppress(OSError):
                handle = os.open(path, os.O_RDWR | os.O_CLOEXEC)
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    shutil.rmtree(path.with_name(f"{path.name}{FOLDER_MARK}"), ignore_errors=True)
                    path.unlink(missing_ok=True)
                finally:
                    os.close(handle)


class TemporaryFolder:
    """A hidden folder beside the target that becomes the target when `commit` is called, and vanishes otherwise.

    Locked as a TemporaryTarget is.

    A folder of the name that exists gives way only where it holds nothing but files called like those that were
    written. own: names of others that may lie in it.
    """

    def __init__(self, target: Path | str, own: tuple[str, ...] = ()):
        self.target, self._own = Path(target).absolute(), own
        self._lock = TemporaryTarget(self.target.with_name(f"{self.target.name}.lock"))
        self.path = self._lock.path.with_name(f"{self._lock.path.name}{FOLDER_MARK}")
        self.path.mkdir()

    def commit(self) -> None:
        """Raises OSError, and CannotWriteMedia where the folder that is there holds other things."""
        if self.target.exists():
            _refuse_others(self.target, {path.name for path in self.path.iterdir()} | set(self._own))
            former = self.path.with_name(f"{self.path.name}-former")
            os.replace(self.target, former)
            os.replace(self.path, self.target)
            shutil.rmtree(former, ignore_errors=True)
        else:
            os.replace(self.path, self.target)
        self._lock.discard()

    def discard(self) -> None:
        shutil.rmtree(self.path, ignore_errors=True)
        self._lock.discard()


def _refuse_others(folder: Path, written: set[str]) -> None:
    """Raise CannotWriteMedia where a folder holds more than pictures of the run that is written."""
    first = min((name for name in written if is_picture(Path(name))), default="")
    for path in folder.iterdir():
        if path.name not in written and not (first and belongs(folder / path.name, folder / first)):
            raise CannotWriteMedia(
                f"The folder {folder} holds {path.name} and is not replaced; choose another name or place.", path=folder
            )
