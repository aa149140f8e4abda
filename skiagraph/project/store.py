"""Continuous saving: after each edit the newest value is written, by a thread, atomically."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from skiagraph.errors import SkiagraphError
from skiagraph.project.file import save
from skiagraph.project.model import Project

# An edit waits at most this long for others to be written together with it.
GATHER_S = 0.25


class ProjectStore:
    """Writes the newest project it was given. told: called from its thread with True once all is saved, or with the error."""

    def __init__(self, path: Path, told: Callable[[bool | SkiagraphError], None] = lambda result: None):
        self.path = Path(path)
        self._told = told
        self._wanted = threading.Condition()
        self._newest: Project | None = None
        self._closing = self._busy = False
        self._thread = threading.Thread(target=self._run, name="project-store", daemon=True)
        self._thread.start()

    def put(self, project: Project) -> None:
        with self._wanted:
            self._newest = project
            self._wanted.notify_all()

    def flush(self) -> None:
        """Return once everything given so far is on disk or has failed."""
        with self._wanted:
            self._wanted.wait_for(lambda: self._newest is None and not self._busy)

    def close(self) -> None:
        """Write what is left and end."""
        with self._wanted:
            self._closing = True
            self._wanted.notify_all()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._wanted:
                self._wanted.wait_for(lambda: self._newest is not None or self._closing)
                if self._newest is None:
                    return
                if not self._closing:
                    self._wanted.wait(GATHER_S)
                project, self._newest, self._busy = self._newest, None, True
            try:
                save(project, self.path)
                result: bool | SkiagraphError = True
            except SkiagraphError as error:
                result = error
            with self._wanted:
                self._busy = False
                done = self._newest is None
                self._wanted.notify_all()
            if done or result is not True:
                self._told(result)
