"""What was proved of an exported file, as plain values: what the window shows of a check, and what the report says."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import SkiagraphError
from skiagraph.jobs import JobControl
from skiagraph.media.pictures import pictures_at
from skiagraph.review.finding import Finding

STEP = "Reading the file for its SHA-256"
_CHUNK = 1 << 22


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing that was compared or measured. what: of a few words; result: in words, with units; good: False where it
    is not as it has to be, None where there was nothing to compare."""

    what: str
    result: str
    good: bool | None = True


@dataclass(frozen=True, slots=True)
class Proof:
    """The check of one exported file. span: first and last frame of the part of the clip that it holds; frames: that
    were compared; seconds: that it took; bytes, sha256: of the file as it was checked, whatever becomes of it later."""

    clip: str
    film: Path
    findings: tuple[Finding, ...]
    facts: tuple[Fact, ...]
    span: tuple[int, int]
    frames: int
    seconds: float
    bytes: int
    sha256: str
    version: str = ""

    @property
    def is_good(self) -> bool:
        return not self.findings


def sha256_of(path: Path, control: JobControl) -> str:
    """SHA-256 of a file, or of numbered pictures one after another, in order. Raises Cancelled, SkiagraphError."""
    pictures = pictures_at(path)
    digest, there = hashlib.sha256(), pictures.files if pictures else [path]
    try:
        total = sum(file.stat().st_size for file in there)
        done = 0
        for file in there:
            with open(file, "rb") as opened:
                while chunk := opened.read(_CHUNK):
                    digest.update(chunk)
                    done += len(chunk)
                    control.report(STEP, done >> 20, max(1, total >> 20))
    except OSError as error:
        raise SkiagraphError(
            f"{path.name} cannot be read ({error.strerror}); put it back where it was.", path=path
        ) from error
    return digest.hexdigest()
