"""The project as an immutable value: the clips, what was seen (evidence), and what was decided.

The three live apart, so that no job undoes a person's work and no undo takes away what was seen. Evidence is changed
only by jobs, decisions only by people; undo is about decisions alone.
"""

from __future__ import annotations

import msgspec

from skiagraph.cover.cover import Cover, Style
from skiagraph.project.clip import Clip, Count
from skiagraph.project.decisions import (
    Acceptance,
    Answer,
    Decision,
    Decisions,
    Form,
    Glance,
    HoldoutSubject,
    Level,
    Likeness,
    Marker,
    PersonSubject,
    Portrait,
    Reach,
    Sighting,
    Subject,
    SubjectKind,
)
from skiagraph.project.evidence import (
    Evidence,
    FromScan,
    Head,
    Listening,
    Person,
    Scan,
    Speech,
    Sweep,
    Track,
    TrackKind,
    TrackSource,
    Voice,
)
from skiagraph.project.voicing import Speaker, VoiceRange
from skiagraph.shape.change import Change, Keyframe, Repair
from skiagraph.shape.place import Place, Similarity
from skiagraph.shape.shape import Outline, Shape
from skiagraph.values import Value, replace
from skiagraph.voice.disguise import Disguise

__all__ = [
    "Acceptance",
    "Answer",
    "Change",
    "Clip",
    "Cover",
    "Decision",
    "Decisions",
    "Evidence",
    "Form",
    "FromScan",
    "Glance",
    "Head",
    "HoldoutSubject",
    "Issued",
    "Keyframe",
    "Level",
    "Likeness",
    "Listening",
    "Marker",
    "Outline",
    "Person",
    "PersonSubject",
    "Place",
    "Portrait",
    "Project",
    "Reach",
    "Repair",
    "Scan",
    "Shape",
    "Sighting",
    "Similarity",
    "Speaker",
    "Speech",
    "Style",
    "Subject",
    "SubjectKind",
    "Sweep",
    "Track",
    "TrackKind",
    "TrackSource",
    "Voice",
    "VoiceRange",
    "replace",
]

_LETTERS = {"clips": "c", "scans": "n", "tracks": "t", "subjects": "s", "sightings": "g", "voices": "v", "ranges": "r"}


class Issued(Value, frozen=True):
    """How many ids of each kind were ever given out.

    They only rise, also through undo, so no id comes to mean something else.
    """

    clips: Count = 0
    scans: Count = 0
    tracks: Count = 0
    subjects: Count = 0
    sightings: Count = 0
    voices: Count = 0
    ranges: Count = 0

    def next(self, kind: str) -> tuple[Issued, str]:
        """With one id of a kind more, and that id."""
        number = getattr(self, kind) + 1
        return replace(self, **{kind: number}), f"{_LETTERS[kind]}{number}"

    def knowing(self, kind: str, key: str) -> Issued:
        """With an id of a kind known as given out."""
        return replace(self, **{kind: max(getattr(self, kind), int(key[1:]))})

    def with_all_of(self, other: Issued) -> Issued:
        return Issued(*(max(getattr(self, name), getattr(other, name)) for name in self.__struct_fields__))


class Project(Value, frozen=True):
    """files: every clip that is known, also those that were taken out and may come back by undo; the rest as its class
    says."""

    files: tuple[Clip, ...] = ()
    evidence: Evidence = Evidence()
    decisions: Decisions = msgspec.field(default_factory=Decisions)
    issued: Issued = Issued()

    # What is in it

    @property
    def clips(self) -> tuple[Clip, ...]:
        """The clips in the project, in order."""
        by_key = {clip.key: clip for clip in self.files}
        return tuple(by_key[key] for key in self.decisions.clips)

    @property
    def subjects(self) -> tuple[Subject, ...]:
        return self.decisions.subjects

    @property
    def style(self) -> Style:
        return self.decisions.style

    @property
    def accepted(self) -> tuple[Acceptance, ...]:
        return self.decisions.accepted

    @property
    def likenesses(self) -> tuple[Likeness, ...]:
        return self.decisions.likenesses

    def clip(self, key: str) -> Clip:
        """Raises KeyError when it is not in the project."""
        if key in self.decisions.clips:
            for clip in self.files:
                if clip.key == key:
                    return clip
        raise KeyError(key)

    def subject(self, key: str) -> Subject:
        """Raises KeyError when there is none."""
        for subject in self.decisions.subjects:
            if subject.key == key:
                return subject
        raise KeyError(key)

    def scan_of(self, clip: str) -> Scan | None:
        """What the newest scan of a clip saw, or None."""
        return self.evidence.scan_of(clip)

    def tracks_of(self, sighting: Sighting) -> list[Track]:
        """The tracks a sighting rests on, in its order."""
        known = self.evidence.by_key()
        return [known[key] for key in sighting.tracks]

    def style_of(self, subject: Subject) -> Style:
        """How a subject is covered: by its own style, the house's for its kind, or the project's."""
        return subject.style or self.decisions.house.by_kind.get(subject.of.kind) or self.decisions.style

    def disguise_of(self, voice: VoiceRange) -> Disguise:
        """How a range of sound is disguised: by its own way, or the project's."""
        return voice.disguise or self.decisions.voice

    def rest_of(self, clip: str) -> Style | None:
        """How everything but those shown is covered in a clip; None where only some are covered."""
        return next((rest.style or self.decisions.style for rest in self.decisions.rests if rest.clip == clip), None)

    # With a part of it changed

    def deciding(self, **changes) -> Project:
        """With fields of the decisions changed."""
        return replace(self, decisions=replace(self.decisions, **changes))

    def with_subject(self, changed: Subject) -> Project:
        return self.deciding(subjects=tuple(changed if s.key == changed.key else s for s in self.subjects))

    def with_clip(self, changed: Clip) -> Project:
        """With what is known of a file changed."""
        return replace(self, files=tuple(changed if c.key == changed.key else c for c in self.files))

    def new_id(self, kind: str) -> tuple[Project, str]:
        """With one id more given out, and that id. kind: a field of Issued."""
        issued, key = self.issued.next(kind)
        return replace(self, issued=issued), key

    def without_leftovers(self) -> Project:
        """Without clips and tracks that nothing in it refers to any more: what is written to the file."""
        here = set(self.decisions.clips)
        scans = tuple(scan for scan in self.evidence.scans if scan.clip in here)
        wanted = {key for scan in scans for person in scan.people for key in person.tracks}
        wanted |= {
            key
            for subject in self.subjects
            for sighting in subject.sightings
            for key in (*sighting.tracks, sighting.cut)
        }
        tracks = tuple(track for track in self.evidence.tracks if track.key in wanted)
        files = tuple(clip for clip in self.files if clip.key in here)
        sweeps = tuple(sweep for sweep in self.evidence.sweeps if sweep.clip in here)
        evidence = Evidence(scans, tracks, sweeps, tuple(one for one in self.evidence.listenings if one.clip in here))
        if len(files) == len(self.files) and all(
            len(getattr(evidence, name)) == len(getattr(self.evidence, name)) for name in Evidence.__struct_fields__
        ):
            return self
        return replace(self, files=files, evidence=evidence)
