"""Clips: the files of a project, what they are and how they are told from others."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path as FilePath
from typing import Annotated

import msgspec

from skiagraph.timecode import Timecode
from skiagraph.values import Value, reads

Count = Annotated[int, msgspec.Meta(ge=0, le=10_000_000)]
Positive = Annotated[int, msgspec.Meta(gt=0, le=10_000_000)]
Key = Annotated[str, msgspec.Meta(min_length=1, max_length=40)]

reads(
    Fraction,
    lambda pair: (
        Fraction(*pair)
        if isinstance(pair, list) and len(pair) == 2 and all(type(v) is int and 0 < v < 10**12 for v in pair)
        else _no("a rate")
    ),
    lambda value: [value.numerator, value.denominator],
    {"type": "array", "items": {"type": "integer", "minimum": 1}, "minItems": 2, "maxItems": 2},
)
reads(
    FilePath,
    lambda text: FilePath(text) if isinstance(text, str) else _no("a path"),
    lambda path: path.as_posix(),
    {"type": "string"},
)


def _no(what: str):
    raise ValueError(f"{what} is missing or of another form")


class Clip(Value, frozen=True):
    """A source file. width, height: upright px; size (bytes) and fingerprint: identity of its contents; frames: good
    ones, length: as many as it was said to have when it was added; timecode: of its first frame, as in the file;
    damage: a sentence or empty."""

    key: Key
    path: FilePath
    size: Annotated[int, msgspec.Meta(ge=0)]
    fingerprint: Annotated[str, msgspec.Meta(max_length=200)]
    width: Positive
    height: Positive
    rate: Fraction
    frames: Positive
    length: Positive
    timecode: Annotated[str, msgspec.Meta(max_length=40)] = ""
    damage: Annotated[str, msgspec.Meta(max_length=2000)] = ""

    @property
    def picture_size(self) -> tuple[int, int]:
        return self.width, self.height

    def at(self, frame: int) -> str:
        """The timecode of a frame."""
        return Timecode.of(self.rate, self.timecode).text(frame)
