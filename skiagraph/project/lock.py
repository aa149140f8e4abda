"""One writer for a project: an advisory lock beside its file.

It goes with the process that holds it, also when that dies.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import json
import os
import socket
import time
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import ProjectInUse
from skiagraph.jobs import JobControl

STEP = "Waiting for the project"
# Between two tries while waiting, seconds.
AGAIN_S = 0.2


@dataclass(frozen=True, slots=True)
class Holder:
    """Who holds a lock. since: seconds since the epoch."""

    pid: int
    host: str
    since: float

    @property
    def who(self) -> str:
        elsewhere = f" on {self.host}" if self.host and self.host != socket.gethostname() else ""
        return f"process {self.pid}{elsewhere}" if self.pid else "another process"


class ProjectLock:
    """The lock of one project, held until `release` or as a context."""

    def __init__(self, project: Path, handle: int, place: Path):
        self.project, self._handle, self._place = project, handle, place

    @staticmethod
    def take(project: Path | str) -> ProjectLock:
        """Take the lock, or raise ProjectInUse with who holds it.

        A lock left behind by a process that is gone is taken over. Where no lock can be made, since the folder is
        closed, raises ProjectInUse too: what cannot be locked is only looked at.
        """
        project = Path(os.path.realpath(project))
        place = lock_file(project)
        while True:
            try:
                handle = os.open(place, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
            except OSError as error:
                raise ProjectInUse(
                    f"{project.name} cannot be changed here ({error.strerror}); save a copy elsewhere to work on it.",
                    path=project,
                ) from error
            if not _locked(handle, place):
                holder = _holder(handle)
                os.close(handle)
                raise ProjectInUse(
                    f"{project.name} is open in {holder.who}; close it there first.", path=project, holder=holder
                )
            # Whoever let go removed the file: only a lock on the one that is there now counts.
            with contextlib.suppress(OSError):
                if os.fstat(handle).st_ino == os.stat(place).st_ino:
                    break
            os.close(handle)
        os.ftruncate(handle, 0)
        os.pwrite(
            handle, json.dumps({"pid": os.getpid(), "host": socket.gethostname(), "since": time.time()}).encode(), 0
        )
        return ProjectLock(project, handle, place)

    @staticmethod
    def wait(project: Path | str, control: JobControl) -> ProjectLock:
        """Take the lock as soon as whoever holds it lets go. Raises Cancelled."""
        waited = 0
        while True:
            try:
                return ProjectLock.take(project)
            except ProjectInUse as error:
                if error.holder is None:
                    raise
                waited += 1
                control.report(STEP, waited)
                time.sleep(AGAIN_S)

    def release(self) -> None:
        """Let go; doing it twice is no error."""
        if self._handle >= 0:
            with contextlib.suppress(OSError):
                self._place.unlink()
            os.close(self._handle)
            self._handle = -1

    def __enter__(self) -> ProjectLock:
        return self

    def __exit__(self, *_) -> None:
        self.release()


def lock_file(project: Path) -> Path:
    return project.with_name(f".{project.name[:200]}.lock")


def _locked(handle: int, place: Path) -> bool:
    """True when the lock is ours now.

    On file systems without locks it is held while the process named in it lives on this host.
    """
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return True
    except OSError as error:
        if error.errno in (errno.EWOULDBLOCK, errno.EACCES):
            return False
        holder = _holder(handle)
        return (
            not holder.pid
            or holder.pid == os.getpid()
            or holder.host == socket.gethostname()
            and not _lives(holder.pid)
        )


def _holder(handle: int) -> Holder:
    try:
        told = json.loads(os.pread(handle, 4096, 0))
        return Holder(int(told["pid"]), str(told["host"])[:200], float(told["since"]))
    except (OSError, ValueError, KeyError, TypeError):
        return Holder(0, "", 0.0)


def _lives(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
