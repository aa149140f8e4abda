"""A job in a process of its own, so that the window shares neither its interpreter lock nor its end with it.

A thread would do for the waiting, but loading a network holds the lock for most of a second, and a decoder that crashes
takes its process with it.
"""

from __future__ import annotations

import atexit
import contextlib
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection

from skiagraph.errors import Cancelled, SkiagraphError
from skiagraph.jobs import JobControl, Progress
from skiagraph.logs import log, log_to_file
from skiagraph.memory import give_back_large_buffers

# Progress is told this often at most, so that the pipe carries results and not numbers.
TELL_EVERY_S = 0.05
# A process that was asked to stop is given this long to clean up behind itself; a decoder that is stuck never does.
STOP_S = 10.0
# The window goes before its jobs where both want the processor.
NICE = 8
_CANCEL, _HOLD, _GO_ON = "cancel", "hold", "go on"


def run_in_child(
    function: Callable, *arguments, control: JobControl, told: Callable[[object], None] = lambda value: None
) -> object:
    """Call function(*arguments, control, tell) in a process of its own and return what it returns.

    function is a module's own, and everything that goes in or out can be pickled. told hears what the function tells
    while it runs, in the calling thread. Raises Cancelled, at the latest STOP_S after it was asked for, and what went
    wrong there: our own errors with their class and fields, all others, also when the process died, as a SkiagraphError
    with a sentence.
    """
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    # No daemon, since those may not start the processes that decode; it is ended below in any case, or with this one.
    process = context.Process(target=_serve, args=(there, function, arguments), name="skiagraph-job")
    process.start()
    _running.add(process)
    there.close()
    patience = STOP_S
    try:
        return _heard(here, control, told)
    except _Stuck:
        patience = 0.0
        raise Cancelled() from None
    except (EOFError, ConnectionError):
        process.join(STOP_S)
        log.error("a job's process ended with code %s", process.exitcode)
        raise SkiagraphError(
            f"The work stopped before it was done (its process ended with code {process.exitcode}); begin it again."
        ) from None
    finally:
        here.close()
        process.join(patience)
        if process.is_alive():
            process.kill()
            process.join()
        _running.discard(process)


_running: set = set()


@atexit.register
def _end_with_this() -> None:
    for process in list(_running):
        process.kill()


class _Stuck(Exception):
    """The process was asked to stop and says nothing."""


def _heard(here: Connection, control: JobControl, told) -> object:
    """Everything the process says until its outcome; passes on wishes, and waits no longer than STOP_S after that to
    cancel."""
    asked: float | None = None
    held = False
    while True:
        if control.held != held:
            held = control.held
            here.send(_HOLD if held else _GO_ON)
        if control.cancelled and asked is None:
            here.send(_CANCEL)
            asked = time.monotonic()
        if asked is not None and time.monotonic() - asked > STOP_S:
            log.error("a job's process did not stop within %g s and is ended", STOP_S)
            raise _Stuck()
        if not here.poll(0.05):
            continue
        kind, value = here.recv()
        # One that came while it is being held is told later: telling it would wait here.
        if kind == "progress" and not control.cancelled and not control.held:
            control.report(value.step, value.done, value.total)
        elif kind == "told" and not control.cancelled:
            told(value)
        elif kind == "cancelled":
            raise Cancelled()
        elif kind == "failed":
            raise value
        elif kind == "finished":
            return value


def _serve(there: Connection, function, arguments) -> None:
    """What the process does."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(NICE)
    give_back_large_buffers()
    log_to_file()
    control = JobControl(_Teller(there))
    threading.Thread(target=_listen, args=(there, control), name="orders", daemon=True).start()
    try:
        outcome = "finished", function(*arguments, control, lambda value: there.send(("told", value)))
    except Cancelled:
        outcome = "cancelled", None
    except SkiagraphError as error:
        log.exception("job failed")
        outcome = "failed", error
    except Exception as error:
        log.exception("job failed unexpectedly")
        outcome = "failed", SkiagraphError(f"Something unexpected went wrong ({error}); the details are in the log.")
    # Whoever wanted the outcome may be gone.
    with contextlib.suppress(OSError):
        there.send(outcome)


def _listen(there: Connection, control: JobControl) -> None:
    """Wait for wishes until that to cancel; without anybody left at the other end, there is nobody to work for."""
    try:
        while (wish := there.recv()) != _CANCEL:
            (control.hold if wish == _HOLD else control.go_on)()
    except (EOFError, OSError):
        pass
    control.cancel()


class _Teller:
    """Passes progress on, not more often than eyes can follow."""

    def __init__(self, there: Connection):
        self._there = there
        self._last, self._step = 0.0, ""

    def __call__(self, progress: Progress) -> None:
        now = time.monotonic()
        if progress.step != self._step or now - self._last >= TELL_EVERY_S or progress.done == progress.total:
            self._last, self._step = now, progress.step
            self._there.send(("progress", progress))
