"""The project as an immutable value. Everything a person decided is in it, and nothing else is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path as FilePath

from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable


class Decision(StrEnum):
    """What was decided about a subject. Undecided counts as cover until somebody decides."""

    COVER = "cover"
    SHOW = "show"
    UNDECIDED = "undecided"


class CoverKind(StrEnum):
    BLUR = "blur"
    MOSAIC = "mosaic"
    SOLID = "solid"


class Reach(StrEnum):
    """What an adjustment of an outline applies to."""

    FRAME = "frame"
    ONWARD = "onward"
    SIGHTING = "sighting"
    ALL = "all"


@dataclass(frozen=True, slots=True)
class CoverStyle:
    """How an outline is hidden.

    blocks: of the mosaic across the face; blur: deviation of the Gaussian as a share of the face's height; colour: of the
    solid, RGB 0..255; margin: how far beyond the head, as a share of its size; feather: width of the soft edge outside
    of that, same unit.
    """

    kind: CoverKind = CoverKind.MOSAIC
    blocks: int = 7
    blur: float = 0.16
    colour: tuple[int, int, int] = (25, 23, 22)
    margin: float = 0.14
    feather: float = 0.10


@dataclass(frozen=True, slots=True)
class Offset:
    """A change to an outline relative to its path: dx, dy in shares of the path's width and height; factors on both; turn in degrees."""

    dx: float = 0.0
    dy: float = 0.0
    width: float = 1.0
    height: float = 1.0
    turn: float = 0.0


@dataclass(frozen=True, slots=True)
class Correction:
    """A keyframe: an offset at a frame. holds: it applies from here on, until the next keyframe; otherwise it fades on both sides."""

    frame: int
    offset: Offset
    holds: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Sighting:
    """One unbroken stretch of a subject in a clip, covered from first to last (both included).

    The path may be shorter than that: its end rows then stay where they are. offset applies to the whole sighting,
    corrections on top of it, in rising order of frames. placed: made by hand, so a new scan leaves it alone.
    """

    clip: str
    path: Path
    first: int
    last: int
    offset: Offset = Offset()
    corrections: tuple[Correction, ...] = ()
    placed: bool = False
    trimmed: bool = False

    @property
    def touched(self) -> bool:
        """True when there is hand work in it."""
        return bool(self.corrections) or self.offset != Offset() or self.placed or self.trimmed


@dataclass(frozen=True, slots=True)
class Portrait:
    """The picture of a subject in the register: a frame and the face's box x0, y0, x1, y1 in it, px."""

    clip: str
    frame: int
    box: tuple[float, float, float, float]


class Answer(StrEnum):
    """What a person said to “Are these the same person?”. Yes is not kept: the two become one."""

    OPEN = "open"
    LATER = "later"
    NO = "no"


@dataclass(frozen=True, slots=True)
class Likeness:
    """Two subjects, by key, that may be one person, with the probability; what was answered. A no outlives new scans."""

    one: str
    other: str
    probability: float
    answer: Answer = Answer.OPEN

    def is_about(self, one: str, other: str) -> bool:
        return {self.one, self.other} == {one, other}


@dataclass(frozen=True, slots=True, eq=False)
class Subject:
    """Somebody to protect. style None means the project's.

    doubtful: hardly a face, kept apart until somebody decides; dismissed: somebody said that it is nobody. sure: the
    probability, by the machine's reckoning, that all sightings it joined are one person. portrait_chosen: by hand, so a
    scan leaves it alone.
    """

    key: str
    name: str
    decision: Decision = Decision.UNDECIDED
    sightings: tuple[Sighting, ...] = ()
    style: CoverStyle | None = None
    portrait: Portrait | None = None
    portrait_chosen: bool = False
    doubtful: bool = False
    dismissed: bool = False
    sure: float = 1.0

    @property
    def is_covered(self) -> bool:
        return self.decision != Decision.SHOW and not self.dismissed

    @property
    def is_decided(self) -> bool:
        return self.decision != Decision.UNDECIDED or self.dismissed

    def in_clip(self, clip: str) -> list[Sighting]:
        return [s for s in self.sightings if s.clip == clip]


@dataclass(frozen=True, slots=True, eq=False)
class Clip:
    """A source file. width, height: upright px; frames: good ones; size, fingerprint: identity of its contents.

    every: how the last scan stepped, 0 when there was none; faces: what that scan saw; damage: a sentence or empty.
    """

    key: str
    path: FilePath
    size: int
    fingerprint: str
    width: int
    height: int
    rate: Fraction
    frames: int
    every: int = 0
    faces: FaceTable = FaceTable.none()
    cuts: tuple[int, ...] = ()
    damage: str = ""


@dataclass(frozen=True, slots=True)
class Acceptance:
    """A finding that a person looked at and accepts. Identified by what it is about, so that it survives a new check."""

    clip: str
    subject: str
    reason: str
    first: int
    last: int
    by: str
    note: str


@dataclass(frozen=True, slots=True, eq=False)
class Project:
    clips: tuple[Clip, ...] = ()
    subjects: tuple[Subject, ...] = ()
    style: CoverStyle = CoverStyle()
    accepted: tuple[Acceptance, ...] = ()
    likenesses: tuple[Likeness, ...] = ()

    def clip(self, key: str) -> Clip:
        """Raises KeyError when there is none."""
        for clip in self.clips:
            if clip.key == key:
                return clip
        raise KeyError(key)

    def subject(self, key: str) -> Subject:
        """Raises KeyError when there is none."""
        for subject in self.subjects:
            if subject.key == key:
                return subject
        raise KeyError(key)

    def style_of(self, subject: Subject) -> CoverStyle:
        return subject.style or self.style

    def with_subject(self, changed: Subject) -> Project:
        return replace(self, subjects=tuple(changed if s.key == changed.key else s for s in self.subjects))

    def with_clip(self, changed: Clip) -> Project:
        return replace(self, clips=tuple(changed if c.key == changed.key else c for c in self.clips))
