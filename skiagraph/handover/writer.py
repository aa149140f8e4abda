"""Writers: what of a clip goes into a file. A kind says how the file is called and what it takes of each frame."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar, Protocol

from skiagraph.cover.layer import Layer
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame
from skiagraph.media.index import FrameIndex
from skiagraph.media.part import Part
from skiagraph.media.soundtrack import Change
from skiagraph.values import Family


@dataclass(frozen=True, slots=True)
class Material:
    """What a file is written of: a clip, and the part of it that is written, None for all; changes: what is done to the
    tracks of its sound, by their number from 0."""

    info: ClipInfo
    index: FrameIndex
    part: Part | None = None
    changes: Mapping[int, Change] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Shot:
    """One frame on its way out. covered: with its covers; layers: the covers themselves; source: as it was shot, only
    where a writer says that it needs it."""

    covered: Frame
    layers: list[Layer]
    source: Frame | None = None


class OpenFile(Protocol):
    """A file being written under a temporary name beside its target. notes: sentences on what of it had to become
    otherwise than in the source."""

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
    """A kind of file. word: how people call it; mark: at the end of its name, before the ending; needs_source: it looks
    at frames as they were shot, too."""

    __slots__ = ()
    word: ClassVar[str] = ""
    mark: ClassVar[str] = ""
    needs_source: ClassVar[bool] = False

    @property
    def suffix(self) -> str:
        """The ending of its name, empty for a folder."""
        raise NotImplementedError

    @property
    def told(self) -> str:
        """What it is, in a few words."""
        return self.word

    def name(self, stem: str) -> str:
        """The file's name for a clip of this stem."""
        return f"{stem}{self.mark}{self.suffix}"

    def open(self, target: Path, material: Material) -> OpenFile:
        """Begin the file. Raises CannotWriteMedia."""
        raise NotImplementedError
