"""Writers: what of a clip goes into a file. A kind says how the file is called and what it takes of each frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, Protocol

from skiagraph.cover.layer import Layer
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame
from skiagraph.media.part import Part
from skiagraph.values import Family


@dataclass(frozen=True, slots=True)
class Shot:
    """One frame on its way out. covered: with its covers; layers: the covers themselves."""

    covered: Frame
    layers: list[Layer]


class OpenFile(Protocol):
    """A file being written under a temporary name beside its target. notes: sentences on what of it had to become otherwise than in
    the source."""

    notes: Sequence[str]

    def write(self, shot: Shot) -> None:
        """Add a frame. Raises CannotWriteMedia."""

    def finish(self) -> None:
        """Write what is left; the file is whole then, still under its temporary name. Raises CannotWriteMedia."""

    def commit(self) -> None:
        """Give it its name. Raises CannotWriteMedia."""

    def discard(self) -> None:
        """Take it away, unless it has its name already. Never raises."""


class Writer(Family):
    """A kind of file. word: how people call it."""

    __slots__ = ()
    word: ClassVar[str] = ""

    def name(self, stem: str) -> str:
        """The file's name for a clip of this stem."""
        raise NotImplementedError

    def open(self, target: Path, info: ClipInfo, part: Part | None = None) -> OpenFile:
        """Begin the file, of a part of the clip or of all of it. Raises CannotWriteMedia."""
        raise NotImplementedError
