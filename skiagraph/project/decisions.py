"""Decisions: what people decided. Undo and redo are about these values and nothing else."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, ClassVar

import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.cover.label import Label
from skiagraph.project.clip import Count, Key
from skiagraph.project.evidence import Share
from skiagraph.project.house import House
from skiagraph.project.programme import Programme
from skiagraph.project.voicing import Speaker, VoiceRange, usual_disguise
from skiagraph.shape.change import Between, Change, FrameNumber, Keyframe, Repair
from skiagraph.shape.place import Place
from skiagraph.shape.pointed import blended
from skiagraph.shape.shape import Shape
from skiagraph.values import Family, Value, between
from skiagraph.voice.disguise import Disguise

Text = Annotated[str, msgspec.Meta(max_length=2000)]
Name = Annotated[str, msgspec.Meta(min_length=1, max_length=200)]


class Decision(StrEnum):
    """What was decided about a subject. Undecided counts as cover until somebody decides."""

    COVER = "cover"
    SHOW = "show"
    UNDECIDED = "undecided"


class Reach(StrEnum):
    """What an adjustment of an outline applies to.

    frame: this frame, easing back on both sides; keyframe: this frame, going over into the neighbouring keyframes;
    onward: from this frame until a later keyframe says otherwise; sighting, all: the whole of it, keeping what
    keyframes say.
    """

    FRAME = "frame"
    KEYFRAME = "keyframe"
    ONWARD = "onward"
    SIGHTING = "sighting"
    ALL = "all"


class SubjectKind(Family):
    """What a subject is. word: how somebody unnamed is called; hides: False for what is in front of covers instead of
    under one; needs_strength: it is known by its face, so that how much of that a cover leaves is measured."""

    __slots__ = ()
    hides: ClassVar[bool] = True
    needs_strength: ClassVar[bool] = True
    word: ClassVar[str] = ""
    doubtful_word: ClassVar[str] = ""


@SubjectKind.register
class PersonSubject(SubjectKind, Value, frozen=True, tag_field="kind", tag="person"):
    word: ClassVar[str] = "Person"
    doubtful_word: ClassVar[str] = "Doubtful"


@SubjectKind.register
class ThingSubject(SubjectKind, Value, frozen=True, tag_field="kind", tag="thing"):
    """A plate, a sign, a screen."""

    needs_strength: ClassVar[bool] = False
    word: ClassVar[str] = "Thing"
    doubtful_word: ClassVar[str] = "Doubtful"


@SubjectKind.register
class HoldoutSubject(SubjectKind, Value, frozen=True, tag_field="kind", tag="holdout"):
    """What is in front and stays sharp: no cover of those it is in front of is laid on it. everybody: in front of all;
    else of the subjects by key. feather: width of its soft edge as a share of its size; it goes inwards."""

    word: ClassVar[str] = "In front"
    doubtful_word: ClassVar[str] = "Doubtful"
    hides: ClassVar[bool] = False

    everybody: bool = True
    subjects: tuple[Key, ...] = ()
    feather: Annotated[float, msgspec.Meta(ge=0, le=1)] = 0.04

    def is_before(self, subject: str) -> bool:
        return self.everybody or subject in self.subjects


class Form(Value, frozen=True):
    """The shape of an outline at a frame, where it is another than at other frames: a profile is not a front view.
    to_next: how it goes over into the next form; before the first and after the last it stays."""

    frame: FrameNumber
    shape: Shape
    to_next: Between = "smooth"


class Level(Value, frozen=True):
    """How far a cover reaches, how soft and how strong it is at a frame, beside the subject's own: margin and feather
    are added, shares of the size of what is covered; strength multiplies. covers: the covers themselves where more of
    them differs than strength, of the same kinds as the subject's, or they wait until it has such again; none for the
    subject's own. to_next: as of a form."""

    frame: FrameNumber
    margin: Annotated[float, msgspec.Meta(ge=-3, le=3)] = 0.0
    feather: Annotated[float, msgspec.Meta(ge=-3, le=3)] = 0.0
    strength: Annotated[float, msgspec.Meta(ge=0.01, le=100)] = 1.0
    covers: Annotated[tuple[Cover, ...], msgspec.Meta(max_length=16)] = ()
    to_next: Between = "smooth"

    def row(self) -> np.ndarray:
        """(3,) margin, feather, strength."""
        return np.array([self.margin, self.feather, self.strength])


class Marker(Value, frozen=True):
    """A place in a clip with a name."""

    clip: Key
    frame: FrameNumber
    name: Name


class Sighting(Value, frozen=True):
    """One unbroken stretch of a subject in a clip, covered from first to last (both included).

    tracks: what it rests on; where several have a frame the earlier in this order counts, and beyond all of them the
    nearest row stays. base: where it was placed by hand, when it rests on no track. whole: what was changed on all of
    it; keyframes and repairs on top of that, in rising order of frames; forms: its shape where that changes, `shape`
    where there are none. begin_set, end_set: ends that a person chose, which no scan moves. levels: margin, feather and
    strength where these differ at some frames. cut: a track with the exact edge of what is in its outline, empty where
    the outline is the edge. away_after: a person said that the subject is not in the picture from its end until it is
    seen again.
    """

    key: Key
    clip: Key
    first: Count
    last: Count
    tracks: tuple[Key, ...] = ()
    base: Place | None = None
    shape: Shape = msgspec.field(default_factory=lambda: Shape.kinds["ellipse"]())
    whole: Change = Change()
    keyframes: tuple[Keyframe, ...] = ()
    repairs: tuple[Repair, ...] = ()
    forms: tuple[Form, ...] = ()
    begin_set: bool = False
    end_set: bool = False
    away_after: bool = False
    cut: Annotated[str, msgspec.Meta(max_length=40)] = ""
    levels: tuple[Level, ...] = ()

    @property
    def touched(self) -> bool:
        """True when there is hand work in it, which keeps to the track it was done on."""
        return (
            not self.tracks
            or self.base is not None
            or bool(self.keyframes or self.repairs or self.forms or self.levels)
            or self.whole != Change()
            or self.begin_set
            or self.end_set
            or self.away_after
        )

    def covers(self, frame: int) -> bool:
        return self.first <= frame <= self.last

    def marks(self) -> tuple[int, ...]:
        """Frames of it with a keyframe, a repair or a form."""
        return tuple(
            sorted(
                f
                for f in {k.frame for k in self.keyframes if not k.pin}
                | {r.frame for r in self.repairs}
                | {f.frame for f in self.forms}
                if self.covers(f)
            )
        )

    def shape_at(self, frame: int) -> Shape:
        """Its shape at a frame."""
        if not self.forms:
            return self.shape
        before, after, share = _around(self.forms, frame)
        return blended(before.shape, after.shape, share)

    def level_at(self, frame: int) -> np.ndarray:
        """(3,) what margin and feather are more, and strength is times, at a frame."""
        if not self.levels:
            return np.array([0.0, 0.0, 1.0])
        before, after, share = _around(self.levels, frame)
        return before.row() + (after.row() - before.row()) * share

    def covers_at(self, frame: int, covers: tuple[Cover, ...]) -> tuple[Cover, ...]:
        """What covers it at a frame, where the subject's own are these."""
        if not self.levels:
            return covers
        kinds = [c.kind for c in covers]
        before, after, share = _around(self.levels, frame)
        one, other = (
            _strengthened(e.covers if [c.kind for c in e.covers] == kinds else covers, e.strength)
            for e in (before, after)
        )
        return one if share == 0 else other if share == 1 else tuple(between(a, b, share) for a, b in zip(one, other))

    def all_marks(self) -> tuple[int, ...]:
        """Frames of it in which anything was set by hand: those of marks, and levels."""
        return tuple(sorted({*self.marks(), *(e.frame for e in self.levels if self.covers(e.frame))}))


def _strengthened(covers: tuple[Cover, ...], factor: float) -> tuple[Cover, ...]:
    return tuple(cover.stronger(float(factor)) for cover in covers) if factor != 1 else covers


def _around(entries: tuple, frame: int) -> tuple:
    """The entries before and after a frame, and how far it is from the one to the other, 0..1."""
    before = next((e for e in reversed(entries) if e.frame <= frame), None)
    after = next((e for e in entries if e.frame > frame), None)
    if before is None or after is None or before.to_next == "hold":
        return before or after, before or after, 0.0
    share = (frame - before.frame) / (after.frame - before.frame)
    return before, after, share * share * (3 - 2 * share) if before.to_next == "smooth" else share


class Portrait(Value, frozen=True):
    """The picture of a subject in the register: a frame and the face's box x0, y0, x1, y1 in it, px."""

    clip: Key
    frame: Count
    box: tuple[float, float, float, float]


class Answer(StrEnum):
    """What a person said to “Are these the same person?”. Yes is not kept: the two become one."""

    OPEN = "open"
    LATER = "later"
    NO = "no"


class Likeness(Value, frozen=True):
    """Two subjects, by key, that may be one person, with the probability; what was answered.

    A no outlives new scans.
    """

    one: Key
    other: Key
    probability: Share
    answer: Answer = Answer.OPEN

    def is_about(self, one: str, other: str) -> bool:
        return {self.one, self.other} == {one, other}


class Subject(Value, frozen=True):
    """Somebody or something to protect. style None means the project's.

    named: a person gave the name; doubtful: hardly a face, kept apart until somebody decides; dismissed: somebody said
    that it is nobody. sure: the probability, by the machine's reckoning, that all sightings it joined are one person.
    portrait_chosen: by hand, so a scan leaves it alone. label: words beside it, whether it is covered or not.
    decided_by: who took the decision, where a name was known.
    """

    key: Key
    name: Name
    decision: Decision = Decision.UNDECIDED
    sightings: tuple[Sighting, ...] = ()
    style: Style | None = None
    portrait: Portrait | None = None
    portrait_chosen: bool = False
    named: bool = False
    doubtful: bool = False
    dismissed: bool = False
    sure: Share = 1.0
    of: SubjectKind = PersonSubject()
    label: Label | None = None
    decided_by: Annotated[str, msgspec.Meta(max_length=200)] = ""

    @property
    def is_covered(self) -> bool:
        return self.of.hides and self.decision != Decision.SHOW and not self.dismissed

    @property
    def is_in_front(self) -> bool:
        """True for what holds covers off, and is on."""
        return not self.of.hides and self.decision != Decision.SHOW and not self.dismissed

    @property
    def is_decided(self) -> bool:
        return self.decision != Decision.UNDECIDED or self.dismissed

    def in_clip(self, clip: str) -> list[Sighting]:
        return [s for s in self.sightings if s.clip == clip]

    def sighting(self, key: str) -> Sighting | None:
        return next((s for s in self.sightings if s.key == key), None)


class Acceptance(Value, frozen=True):
    """A finding that a person looked at and accepts. looked: what was looked at, as project.looked says it; when that
    changes, the finding is open again. box: x0, y0, x1, y1 px of a face that is nobody's; of several in the same frames
    only that one is accepted."""

    clip: Key
    subject: Annotated[str, msgspec.Meta(max_length=40)]
    reason: Name
    first: Count
    last: Count
    by: Name
    note: Text = ""
    looked: Annotated[str, msgspec.Meta(max_length=100)] = ""
    box: tuple[int, int, int, int] | None = None


class Glance(Value, frozen=True):
    """What somebody said of a stretch of the result that they looked at, on the contact sheet: that it is fine, or that
    it has to be looked at again. looked: what was looked at, as review.sheet says it; when that changes, it counts no
    more. subject: empty for a whole picture."""

    clip: Key
    subject: Annotated[str, msgspec.Meta(max_length=40)]
    first: Count
    last: Count
    looked: Annotated[str, msgspec.Meta(max_length=100)]
    fine: bool = True
    by: Annotated[str, msgspec.Meta(max_length=200)] = ""


class Rest(Value, frozen=True):
    """The reverse, in one clip: everything is covered but those who are shown. style: None for the project's."""

    clip: Key
    style: Style | None = None


class Version(Value, frozen=True):
    """One look of a project, as it was when it was left: on the same paths and outlines. styles: of subjects that have
    one of their own, by key."""

    name: Name
    style: Style
    house: House = House()
    styles: dict[Key, Style] = {}
    rests: tuple[Rest, ...] = ()


class Decisions(Value, frozen=True):
    """clips: keys of the clips that are in the project, in order; those taken out again are known still, so that undo
    brings them back. version: name of the one that is worked on; what its entry among the versions says is as it was
    when it was left last. programme: the edit list that says which parts of the clips are used, None for all of them.
    voices: what of the sound is disguised; voice: how, where a range says nothing else; speakers: who was said to
    speak."""

    clips: tuple[Key, ...] = ()
    subjects: tuple[Subject, ...] = ()
    style: Style = msgspec.field(default_factory=default_style)
    house: House = House()
    versions: Annotated[tuple[Version, ...], msgspec.Meta(max_length=100)] = ()
    version: Annotated[str, msgspec.Meta(max_length=200)] = ""
    rests: tuple[Rest, ...] = ()
    accepted: tuple[Acceptance, ...] = ()
    glances: tuple[Glance, ...] = ()
    likenesses: tuple[Likeness, ...] = ()
    markers: tuple[Marker, ...] = ()
    programme: Programme | None = None
    voices: Annotated[tuple[VoiceRange, ...], msgspec.Meta(max_length=100_000)] = ()
    voice: Disguise = msgspec.field(default_factory=usual_disguise)
    speakers: tuple[Speaker, ...] = ()
