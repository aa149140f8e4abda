"""Where details of what went wrong are kept: one log file, written by every process of ours."""

from __future__ import annotations

import logging
from pathlib import Path

import platformdirs

log = logging.getLogger("skiagraph")


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
        handler: logging.Handler = logging.FileHandler(log_file(), delay=True)
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    log.propagate = False
