"""Long work with progress, time left and cancel, the same for the desktop and the command line. No Qt."""

from __future__ import annotations

import queue
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TypeVar

from skiagraph.errors import Cancelled

T = TypeVar("T")

# Time left is reckoned from the rate over so many seconds, of which a mark is kept each MARK_S: long enough for one
# slow picture not to count, short enough to follow when scenes change.
RATE_S, MARK_S = 30.0, 1.0


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a job is. done and total count frames of this step; total is None while the length is unknown. rate:
    frames a second of late, 0 while it is not known."""

    step: str
    done: int
    total: int | None = None
    elapsed_s: float = 0.0
    rate: float = 0.0

    @property
    def share(self) -> float | None:
        return min(1.0, self.done / self.total) if self.total else None

    @property
    def left_s(self) -> float | None:
        """Seconds left at the rate of late, or at the mean rate so far; None before anything can be said."""
        if not self.total or self.done <= 0 or self.elapsed_s < 0.5:
            return None
        return max(0, self.total - self.done) / (self.rate or self.done / self.elapsed_s)


class JobControl:
    """Carries progress out of a job, and the wishes to hold it, to go on and to cancel into it.

    Made anew for each run. listener: told of progress between frames, from the thread of the job.
    """

    def __init__(self, listener: Callable[[Progress], None] | None = None):
        self.listener = listener
        self._cancelled = threading.Event()
        # Set while the job may work.
        self._going = threading.Event()
        self._going.set()
        self._step = ""
        self._began = time.monotonic()
        # Time and frames done, from RATE_S ago on.
        self._marks: deque[tuple[float, int]] = deque()

    def cancel(self) -> None:
        self._cancelled.set()
        self._going.set()

    def hold(self) -> None:
        """Let the job wait where it is, until go_on or cancel."""
        if not self.cancelled:
            self._going.clear()

    def go_on(self) -> None:
        self._going.set()

    @property
    def held(self) -> bool:
        return not self._going.is_set()

    @property
    def cancelled(self) -> bool:
        return self._cancelled.is_set()

    def check(self) -> None:
        """Wait while the job is held; raise Cancelled if somebody asked for it."""
        if not self._going.is_set():
            since = time.monotonic()
            self._going.wait()
            # Time that it was held is no time that it took.
            self._began += time.monotonic() - since
            self._marks.clear()
        if self.cancelled:
            raise Cancelled()

    def report(self, step: str, done: int, total: int | None = None) -> None:
        """Tell how far the work is; called between frames. Raises Cancelled if somebody asked for it."""
        self.check()
        now = time.monotonic()
        if step != self._step:
            self._step, self._began = step, now
            self._marks.clear()
        if self.listener:
            self.listener(Progress(step, done, total, now - self._began, self._rate_of_late(now, done)))

    def _rate_of_late(self, now: float, done: int) -> float:
        """Frames a second over the last RATE_S: a job whose pictures become harder, or that waited, is told by what it
        does now."""
        marks = self._marks
        if not marks or now - marks[-1][0] >= MARK_S:
            marks.append((now, done))
        while len(marks) > 2 and now - marks[1][0] >= RATE_S:
            marks.popleft()
        then, before = marks[0]
        return (done - before) / (now - then) if now - then >= RATE_S / 2 and done > before else 0.0


def read_ahead(items: Iterable[T], depth: int) -> Iterator[T]:
    """Yield the items while a thread makes the next ones, at most depth of them ahead.

    An exception in the thread is raised where the caller stands. Closing the generator stops and joins the thread.
    """
    ready: queue.Queue = queue.Queue(maxsize=depth)
    stop = threading.Event()
    end = object()

    def put(entry) -> bool:
        while not stop.is_set():
            try:
                ready.put(entry, timeout=0.1)
                return True
            except queue.Full:
                continue
        return False

    def work() -> None:
        try:
            for item in items:
                if not put((item, None)):
                    return
            put((end, None))
        except BaseException as error:  # carried to the caller, never swallowed
            put((end, error))
        finally:
            close = getattr(items, "close", None)
            if close:
                close()

    thread = threading.Thread(target=work, name="read-ahead", daemon=True)
    thread.start()
    try:
        while True:
            item, error = ready.get()
            if error is not None:
                raise error
            if item is end:
                return
            yield item
    finally:
        stop.set()
        thread.join()


def format_left(seconds: float | None) -> str:
    """Time left in words a person reads at a glance."""
    if seconds is None:
        return ""
    if seconds < 60:
        return f"{max(1, round(seconds))} s left"
    if seconds < 3600:
        return f"{int(seconds // 60)} min {int(seconds % 60):02d} s left"
    return f"{int(seconds // 3600)} h {int(seconds % 3600 // 60):02d} min left"


@contextmanager
def single_threaded_calls() -> Iterator[None]:
    """OpenCV with one thread a call: a job overlaps its work itself, and threads that wait for each other cost more
    than they gain."""
    import cv2

    before = cv2.getNumThreads()
    cv2.setNumThreads(1)
    try:
        yield
    finally:
        cv2.setNumThreads(before)
