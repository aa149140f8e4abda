"""Companions: what is handed over beside the files of clips, once for all of them. A kind is a file in companions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

from skiagraph.handover.delivery import Delivered
from skiagraph.jobs import JobControl
from skiagraph.project.model import Project
from skiagraph.project.programme import Programme
from skiagraph.values import Family


@dataclass(frozen=True, slots=True)
class HandedOver:
    """Everything that left together. project: in the version that left; name: of the project; programme: the list that
    was followed, None where there was none."""

    project: Project
    name: str
    delivered: Sequence[Delivered]
    programme: Programme | None = None


class Companion(Family):
    """word: how people call it; title: in a few words; short: on the command line."""

    __slots__ = ()
    word: ClassVar[str] = ""
    title: ClassVar[str] = ""
    short: ClassVar[str] = ""

    def names(self, stem: str, handed: HandedOver) -> list[str]:
        """Names of the files that will be written."""
        raise NotImplementedError

    def write(self, handed: HandedOver, folder: Path, stem: str, control: JobControl) -> list[Path]:
        """Write them into a folder, each whole or not at all; returns them. Raises SkiagraphError."""
        raise NotImplementedError


def companion_of(short: str) -> Companion | None:
    """The kind of a short word, or None."""
    return next((kind() for kind in Companion.kinds.values() if kind.short == short), None)
