"""Continuous saving: after each edit the newest value is written, by a thread, atomically.

Nothing on disk is overwritten unseen.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from skiagraph.errors import CannotSaveProject, ProjectChangedOnDisk, SkiagraphError
from skiagraph.logs import log
from skiagraph.project.file import digest_of, save
from skiagraph.project.model import Project

# An edit waits at most this long for others to be written together with it; what could not be written is tried again
# after so long.
GATHER_S, AGAIN_S = 0.25, 5.0


class ProjectStore:
    """Writes the newest project it was given. told: called from its thread with True once all is saved, or with the
    error.

    digest: of the file's bytes as they were read, empty for a new project. A value that could not be written is kept
    and tried again, until it is written or a newer one is.
    """

    def __init__(
        self, path: Path, told: Callable[[bool | SkiagraphError], None] = lambda result: None, digest: str = ""
    ):
        self.path = Path(path)
        self._told, self._digest, self._stat = told, digest, _stat_of(self.path)
        self._wanted = threading.Condition()
        self._newest: Project | None = None
        self._closing = self._busy = False
        self.failed: SkiagraphError | None = None
        self._thread = threading.Thread(target=self._run, name="project-store", daemon=True)
        self._thread.start()

    def put(self, project: Project) -> None:
        with self._wanted:
            self._newest, self.failed = project, None
            self._wanted.notify_all()

    def flush(self) -> bool:
        """Return once everything given so far is on disk, or has failed: True when it is on disk."""
        with self._wanted:
            self._wanted.wait_for(lambda: not self._busy and (self._newest is None or self.failed is not None))
            return self._newest is None

    def close(self) -> bool:
        """Write what is left and end; True when all is on disk."""
        with self._wanted:
            self._closing = True
            self._wanted.notify_all()
        self._thread.join()
        return self._newest is None

    def _run(self) -> None:
        while True:
            with self._wanted:
                self._wanted.wait_for(lambda: self._closing or self._newest is not None)
                if self.failed is not None and not self._closing:
                    failed = self.failed
                    self._wanted.wait_for(lambda: self._closing or self.failed is not failed, AGAIN_S)
                elif not self._closing:
                    self._wanted.wait_for(lambda: self._closing, GATHER_S)
                if self._newest is None:
                    return
                project, self._busy = self._newest, True
            error = self._written(project)
            with self._wanted:
                self._busy = False
                if error is None and self._newest is project:
                    self._newest = None
                if error is None or self._newest is project:
                    self.failed = error
                done, ends = self._newest is None, self._closing
                self._wanted.notify_all()
            if done or error is not None:
                self._tell(True if error is None else error)
            if ends and (done or error is not None):
                return

    def _written(self, project: Project) -> SkiagraphError | None:
        """Write a value; returns what went wrong. Whatever that is, the thread lives on."""
        try:
            self._refuse_unseen()
            self._digest = save(project, self.path)
            self._stat = _stat_of(self.path)
            return None
        except SkiagraphError as error:
            return error
        except Exception as error:
            log.exception("saving failed unexpectedly")
            return CannotSaveProject(
                f"{self.path.name} cannot be saved ({error}); the details are in the log. Save a copy elsewhere.",
                path=self.path,
            )

    def _refuse_unseen(self) -> None:
        """Raise ProjectChangedOnDisk when the file is not as it was read or written last.

        One that is gone is written anew.
        """
        now = _stat_of(self.path)
        if now is None or now == self._stat:
            return
        try:
            same = digest_of(self.path.read_bytes()) == self._digest
        except OSError:
            same = False
        if not same:
            raise ProjectChangedOnDisk(
                f"{self.path.name} was changed on disk by something else and is not overwritten; save a copy under"
                " another name to keep what you did.",
                path=self.path,
            )
        self._stat = now

    def _tell(self, result: bool | SkiagraphError) -> None:
        try:
            self._told(result)
        except Exception:
            log.exception("nobody could be told about saving")


def _stat_of(path: Path) -> tuple | None:
    try:
        found = path.stat()
        return found.st_ino, found.st_size, found.st_mtime_ns
    except OSError:
        return None
