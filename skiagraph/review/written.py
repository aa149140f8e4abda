"""Writing a file whole: beside its place, flushed, and renamed."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from skiagraph.errors import SkiagraphError


def write_whole(target: Path | str, data: bytes) -> None:
    """Write a file, all of it or nothing; one that is there is replaced. Raises SkiagraphError."""
    target, name = Path(target).absolute(), None
    try:
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.stem[:60]}.", suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(name, 0o666 & ~mask)
        os.replace(name, target)
    except OSError as error:
        if name is not None:
            Path(name).unlink(missing_ok=True)
        raise SkiagraphError(
            f"{target.name} cannot be written in {target.parent} ({error.strerror}); free some space or choose another"
            " place.",
            path=target,
        ) from error
