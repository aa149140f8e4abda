"""What was proved of an exported file, as plain values: what the window shows of a check, and what the report says."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from skiagraph.review.finding import Finding


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing that was compared or measured. what: of a few words; result: in words, with units; good: False where it is not as it has to be, None where there was nothing to compare."""

    what: str
    result: str
    good: bool | None = True


@dataclass(frozen=True, slots=True)
class Proof:
    """The check of one exported file. span: first and last frame of the part of the clip that it holds; frames: that were compared; seconds: that it took."""

    clip: str
    film: Path
    findings: tuple[Finding, ...]
    facts: tuple[Fact, ...]
    span: tuple[int, int]
    frames: int
    seconds: float
    version: str = ""

    @property
    def is_good(self) -> bool:
        return not self.findings
