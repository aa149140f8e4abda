"""Findings: stretches of frames that a person must look at, with the reason.

A kind of finding is a small check in a file of its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from skiagraph.project.model import Clip, Project, Scan, Sighting, Subject
from skiagraph.project.rows import CONFIDENCE, outline_rows
from skiagraph.track.cuts import CUTS

# Confidence under which a person should look.
UNSURE = 0.35
# Confidence under which a row that lies beside unsure ones belongs to their finding: a head behind another
# (track.crossings) asks nothing by itself, but that is where it may have been lost. Larger: findings begin earlier. Set
# by benchmarks/quality.py (railings, stepping: one frame before a gap).
HARDLY = 0.37
# Stretches this close are one finding; shorter than this they are a blink that the margin covers.
JOIN, LEAST = 6, 5


class Reason:
    """The reasons of our own kinds; a kind from elsewhere has its own."""

    GAP = "gap"
    UNSURE = "unsure"
    ENDS_INSIDE = "ends-inside"
    BEGINS_INSIDE = "begins-inside"
    FACE_OUTSIDE = "face-outside-cover"
    HEAD_BARED = "head-bared"
    SAME_PERSON = "same-person"
    HIDDEN_BESIDE = "hidden-beside"
    LAID_OPEN = "laid-open"
    NOBODYS_FACE = "face-of-nobody"
    MAYBE_AT_EDGE = "maybe-at-edge"
    NOT_FOUND_AGAIN = "not-found-again"
    NOT_SCANNED = "not-scanned"
    TOO_WEAK = "cover-too-weak"
    HOUSE_RULE = "house-rule"
    SHOWN_ASTRAY = "shown-astray"
    JUMPS = "jumps"
    SLIPS = "slips"
    DAMAGED = "damaged"
    CHECK_FAILED = "check-failed"
    FILE_DIFFERS = "cover-missing-in-file"
    FILE_FACE = "face-in-file"
    FILE_BODY = "somebody-in-file"
    FILE_SHAPE = "file-of-other-shape"
    FILE_KNOWN = "known-in-file"
    FILE_PICTURE = "picture-differs-in-file"
    FILE_CHANGED = "file-not-as-source"
    LOOK_AGAIN = "look-again"
    STRICT = "maybe-a-face"
    HEARD_PLAIN = "heard-plain"
    WEAK_VOICE = "voice-too-weak"
    VOICE_KNOWN = "voice-known-in-file"
    VOICE_PLAIN = "voice-plain-in-file"


# x0, y0, x1, y1 px.
Box = tuple[int, int, int, int]


@dataclass(frozen=True, slots=True)
class Finding:
    """subject: key, or empty where it is nobody's. first and last: frames, both included. worst: the worst value, whose
    meaning depends on the reason (confidence, share inside, frames). at: the frame to look at first. box: x0, y0, x1,
    y1 px of the face in that frame, where it is about a face that is nobody's: of several in the same frames each is a
    finding, and accepted, by itself. seen: each frame in which that face was seen, and its box there, where no scan of
    the project knows of them."""

    clip: str
    subject: str
    reason: str
    first: int
    last: int
    worst: float
    at: int
    box: Box | None = None
    seen: tuple[tuple[int, Box], ...] = ()

    @property
    def kind(self) -> FindingKind:
        return KINDS[self.reason]

    @property
    def is_exposing(self) -> bool:
        """True where somebody may be visible, false where the path is only unsure."""
        return self.kind.exposing


@dataclass(frozen=True, slots=True)
class Scene:
    """What a check looks at: one clip of a project, and what its newest scan saw."""

    project: Project
    clip: Clip
    scan: Scan | None

    @classmethod
    def of(cls, project: Project, clip: str) -> Scene:
        """A clip of a project by its key."""
        return cls(project, project.clip(clip), project.scan_of(clip))

    @property
    def cuts(self) -> tuple[int, ...]:
        return self.scan.cuts if self.scan else ()

    def is_blurred(self, frame: int) -> bool:
        """Whether what begins with a frame is no shot, but blurred, as in a whip pan: a cut follows at once, and no
        face was found until then."""
        after = next((cut for cut in self.cuts if cut > frame), None)
        return (
            after is not None
            and after - frame < CUTS.least_shot
            and not len(self.scan.faces.frames[self.scan.faces.at(frame).start : self.scan.faces.at(after).start])
        )

    def rows(self, sighting: Sighting) -> np.ndarray:
        """Rows of a sighting, as project.rows, as far as the clip is good."""
        return outline_rows(self.project, sighting)[: max(0, self.clip.frames - sighting.first)]

    def sightings(self, subject: Subject) -> list[Sighting]:
        """A subject's sightings in the good frames of the clip, in order."""
        return sorted(
            (s for s in subject.in_clip(self.clip.key) if s.first < self.clip.frames), key=lambda s: (s.first, s.last)
        )

    def covered(self) -> Iterator[tuple[Subject, list[Sighting]]]:
        """Everybody covered here. What is hardly a face is for a person to decide about, not to follow better."""
        for subject in self.project.subjects:
            if subject.is_covered and not subject.doubtful and (sightings := self.sightings(subject)):
                yield subject, sightings


class FindingKind:
    """A kind of finding: how people call it, whether somebody may be seen, the check, and what to say of a find.

    word: for lists; exposing: True where somebody may be visible; of_sound: it is about what is heard, so that no
    picture shows it; of_cover: it is about what covers somebody, so that another cover opens it again; remedy: what one
    click does about it, where there is such a thing; compares: both sides of a meeting can be compared
    (review.compared). A kind overrides `on_clip`, `on_subject` or `among`, whichever looks at no more than it needs:
    results are kept while what was looked at stays the same.
    """

    reason: ClassVar[str] = ""
    word: ClassVar[str] = ""
    exposing: ClassVar[bool] = False
    of_cover: ClassVar[bool] = False
    of_sound: ClassVar[bool] = False
    remedy: ClassVar[str] = ""
    compares: ClassVar[bool] = False

    def on_clip(self, scene: Scene) -> Iterable[Finding]:
        """From the clip and its scan alone."""
        return ()

    def on_subject(self, scene: Scene, subject: Subject, sightings: list[Sighting]) -> Iterable[Finding]:
        """From one covered subject's sightings in the clip."""
        return ()

    def among(
        self, scene: Scene, subject: Subject, sightings: list[Sighting], others: list[tuple[Subject, Sighting]]
    ) -> Iterable[Finding]:
        """From one covered subject and the covered sightings of others at the same time."""
        return ()

    def on_scene(self, scene: Scene) -> Iterable[Finding]:
        """From everybody in the clip; made anew after every change, so it has to be quick."""
        return ()

    def remedied(self, project: Project, finding: Finding) -> Project:
        """The project with what the finding is about put right, where there is a remedy."""
        return project

    def sentence(self, project: Project, finding: Finding, told: Told) -> str:
        """What happened and what to do, for a person."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class Told:
    """Words that sentences are made of. name: of the subject, where: timecode of the frame to look at, first, last:
    timecodes of the ends, count: so many frames."""

    name: str
    where: str
    first: str
    last: str
    count: str


KINDS: dict[str, FindingKind] = {}


def finding_kind(kind: type[FindingKind]) -> type[FindingKind]:
    """Register a kind of finding."""
    KINDS[kind.reason] = kind()
    return kind


def sentence(project: Project, finding: Finding) -> str:
    """What happened and what to do, for a person."""
    clip = project.clip(finding.clip)
    name = project.subject(finding.subject).name if finding.subject else ""
    frames = finding.last - finding.first + 1
    told = Told(
        name,
        clip.at(finding.at),
        clip.at(finding.first),
        clip.at(finding.last),
        f"{frames} frame" + ("s" if frames != 1 else ""),
    )
    return finding.kind.sentence(project, finding, told)


def runs(frames: np.ndarray, join: int = JOIN) -> Iterator[tuple[int, int]]:
    """Stretches of frames with holes of at most join."""
    if not len(frames):
        return
    breaks = np.flatnonzero(np.diff(frames) > join)
    starts = np.concatenate([[0], breaks + 1])
    ends = np.concatenate([breaks, [len(frames) - 1]])
    for a, b in zip(starts, ends):
        yield int(frames[a]), int(frames[b])


def hardly_rows(rows: np.ndarray) -> np.ndarray:
    """Which rows belong to a finding of unsure ones beside them."""
    return rows[:, CONFIDENCE] < HARDLY


def low_rows(rows: np.ndarray) -> np.ndarray:
    """Which rows nobody is sure of."""
    return rows[:, CONFIDENCE] < UNSURE
