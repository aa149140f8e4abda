"""Where details of what went wrong are kept: one log file, written by every process of ours."""

from __future__ import annotations

import contextlib
import fcntl
import logging
import os
from pathlib import Path

import platformdirs

log = logging.getLogger("skiagraph")

# The log is put aside at this size, and so many old ones are kept.
MOST_BYTES, KEPT = 1 << 20, 3


def log_file() -> Path:
    return Path(platformdirs.user_log_dir("skiagraph")) / "skiagraph.log"


def log_to_file() -> None:
    """Let what is logged go to the file and nowhere else; without a place to write, to nowhere."""
    for handler in list(log.handlers):
        if getattr(handler, "baseFilename", "") == str(log_file().absolute()):
            return
        log.removeHandler(handler)
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = SharedFileHandler(log_file())
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    log.propagate = False


class SharedFileHandler(logging.Handler):
    """Appends to a file that several processes share, and that rotates: each record is written whole, under a lock
    beside it, to the file that has the name just then."""

    def __init__(self, path: Path):
        super().__init__()
        self.baseFilename = str(path.absolute())

    def emit(self, record: logging.LogRecord) -> None:
        try:
            line = (self.format(record) + "\n").encode("utf-8", "backslashreplace")
            with open(self.baseFilename + ".lock", "ab") as lock:
                fcntl.flock(lock, fcntl.LOCK_EX)
                self._rotate(len(line))
                with open(self.baseFilename, "ab") as file:
                    file.write(line)
        except Exception:
            self.handleError(record)

    def handleError(self, record: logging.LogRecord) -> None:
        """A log that cannot be written stops nobody's work, and prints nothing over it."""

    def _rotate(self, more: int) -> None:
        with contextlib.suppress(OSError):
            if os.path.getsize(self.baseFilename) + more > MOST_BYTES:
                for n in range(KEPT, 0, -1):
                    older = self.baseFilename if n == 1 else f"{self.baseFilename}.{n - 1}"
                    if os.path.exists(older):
                        os.replace(older, f"{self.baseFilename}.{n}")
