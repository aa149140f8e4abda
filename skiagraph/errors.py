"""What can go wrong, as one family of errors. Each message is one sentence: what, where, what to do."""

from __future__ import annotations

import os
from pathlib import Path


class SkiagraphError(Exception):
    """Base of every error a person may meet. ``str()`` is a sentence fit to be shown.

    path names the file concerned and time_s the place in it, in seconds from its first frame, where there is one.
    """

    def __init__(self, message: str, *, path: Path | str | None = None, time_s: float | None = None):
        super().__init__(message)
        self.path = Path(path) if path is not None else None
        self.time_s = time_s

    def __reduce__(self):
        """Errors go from a job's process to the window with their class and fields."""
        return _again, (type(self), str(self), dict(self.__dict__))


def _again(kind: type[SkiagraphError], message: str, fields: dict) -> SkiagraphError:
    error = kind.__new__(kind, message)
    error.args = (message,)
    error.__dict__.update(fields)
    return error


class CannotOpenMedia(SkiagraphError):
    """Raised when a file is missing, has no picture in it, or is of a kind that cannot be read."""


class NameIsNoText(SkiagraphError):
    """Raised when a file's name is no text in UTF-8: projects and reports could not hold it."""

    @staticmethod
    def unless_text(path: Path | str) -> None:
        """Raise where the name, or that of a folder on the way, cannot be read as text."""
        try:
            str(path).encode()
        except UnicodeEncodeError:
            shown = os.fsencode(path).decode("utf-8", "replace")
            raise NameIsNoText(
                f"The name {shown} cannot be read as UTF-8 text here; rename it, or choose a UTF-8 locale."
            ) from None


class FrameNotDecoded(SkiagraphError):
    """Raised when a frame that the index promises cannot be decoded. frame is its number."""

    def __init__(self, message: str, *, frame: int, path: Path | str | None = None, time_s: float | None = None):
        super().__init__(message, path=path, time_s=time_s)
        self.frame = frame


class CannotWriteMedia(SkiagraphError):
    """Raised when a file cannot be written: full disk, no permission, target equal to the source."""


class CannotOpenProject(SkiagraphError):
    """Raised when a project file is missing, damaged, or of a newer version."""


class CannotSaveProject(SkiagraphError):
    """Raised when a project cannot be written where it lives."""


class ProjectChangedOnDisk(CannotSaveProject):
    """Raised instead of overwriting a project file that something else has changed since it was read."""


class ProjectInUse(SkiagraphError):
    """Raised when another process works on a project. holder: who, or None where no lock can be made at all."""

    def __init__(
        self, message: str, *, path: Path | str | None = None, time_s: float | None = None, holder: object = None
    ):
        super().__init__(message, path=path, time_s=time_s)
        self.holder = holder


class SourceChanged(SkiagraphError):
    """Raised when the file behind a clip is not the one that was added."""


class EditRefused(SkiagraphError):
    """Raised by an edit that makes no sense on the project it was given."""


class Cancelled(Exception):
    """Raised inside a job when a person cancelled it. Not an error: nothing failed."""
