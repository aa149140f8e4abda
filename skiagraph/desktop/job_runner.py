"""The only bridge between jobs and Qt: runs a function in a thread and ends with exactly one of finished, cancelled,
failed."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal

from skiagraph.desktop.images import LATER, give_way
from skiagraph.desktop.words import tr
from skiagraph.errors import Cancelled, SkiagraphError
from skiagraph.jobs import JobControl, Progress

log = logging.getLogger("skiagraph")

# Runners that are at work, so that none is collected while its thread still speaks.
_at_work: set[JobRunner] = set()


class JobRunner(QObject):
    """function takes a JobControl. Signals arrive in the thread that made the runner; ended follows in every case.

    told carries what the job hands over while it runs, through the `tell` method.
    """

    progressed = Signal(object)
    told = Signal(object)
    finished = Signal(object)
    cancelled = Signal()
    failed = Signal(str)
    ended = Signal()
    _done = Signal(str, object)

    def __init__(self, function: Callable[[JobControl], object], parent: QObject | None = None):
        super().__init__(parent)
        self._function = function
        self.control = JobControl(self._report)
        self._last = 0.0
        self._thread: threading.Thread | None = None
        self._done.connect(self._on_done, Qt.ConnectionType.QueuedConnection)

    def start(self) -> None:
        _at_work.add(self)
        self._thread = threading.Thread(target=self._run, name="job", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        self.control.cancel()

    def join(self, timeout: float | None = None) -> None:
        """Wait for the thread; for the end of the application."""
        if self._thread:
            self._thread.join(timeout)

    def tell(self, value: object) -> None:
        """Hand something over from inside the job."""
        self.told.emit(value)

    def _report(self, progress: Progress) -> None:
        # Ten times a second is enough for eyes, and spares the event loop.
        if progress.elapsed_s - self._last >= 0.1 or progress.elapsed_s < self._last or progress.done == progress.total:
            self._last = progress.elapsed_s
            self.progressed.emit(progress)

    def _run(self) -> None:
        give_way(LATER)
        how, value = self._outcome()
        # A window that closed meanwhile took the runner with it; then nobody is left to be told.
        if shiboken6.isValid(self):
            self._done.emit(how, value)

    def _outcome(self) -> tuple[str, object]:
        try:
            return "finished", self._function(self.control)
        except Cancelled:
            return "cancelled", None
        except SkiagraphError as error:
            log.exception("job failed")
            return "failed", str(error)
        except Exception as error:
            log.exception("job failed unexpectedly")
            return "failed", tr("Something unexpected went wrong ({error}); the details are in the log.", error=error)

    def _on_done(self, how: str, value: object) -> None:
        if how == "finished":
            self.finished.emit(value)
        elif how == "cancelled":
            self.cancelled.emit()
        else:
            self.failed.emit(value)
        _at_work.discard(self)
        self.ended.emit()


def stop_all(timeout: float = 5.0) -> None:
    """Cancel every running job and wait a little: at the end of the application."""
    for runner in list(_at_work):
        runner.cancel()
    for runner in list(_at_work):
        runner.join(timeout)
