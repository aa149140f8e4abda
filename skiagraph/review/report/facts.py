"""What a report says, as plain values.

It holds no picture, no folder and no name of a file's author: only what somebody who keeps it has to know.
"""

from __future__ import annotations

import hashlib
import platform
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files

import numpy as np

from skiagraph import __version__
from skiagraph.cover.strength import safety
from skiagraph.errors import SkiagraphError
from skiagraph.footage.source import SourceState, state_of
from skiagraph.jobs import JobControl
from skiagraph.media.clip import library_versions
from skiagraph.project.model import Clip, Decision, Project, Subject
from skiagraph.project.voices import ranges_in
from skiagraph.review.finding import Finding, sentence
from skiagraph.review.findings import accepted_by, findings, was_accepted
from skiagraph.review.proof import Fact, Proof, sha256_of
from skiagraph.review.sheet import looked_through, sheet_of
from skiagraph.review.strength import strongest_detail
from skiagraph.track.stepping import smallest_face


@dataclass(frozen=True, slots=True)
class PersonFacts:
    """Somebody, or something, in a clip. seconds: on screen; spans: first and last frame of each sighting; detail:
    cycles across the face that the cover leaves, None where that is not measured; open, accepted: findings."""

    name: str
    kind: str
    decision: str
    by: str
    seconds: float
    spans: tuple[tuple[int, int], ...]
    covered: bool
    cover: str
    detail: float | None
    safety: str
    open: int
    accepted: int


@dataclass(frozen=True, slots=True)
class FindingFacts:
    """One finding. state: open, accepted, or open again since what it was about has changed."""

    who: str
    begin: str
    end: str
    what: str
    text: str
    exposing: bool
    state: str
    by: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class SheetFacts:
    """How much of the contact sheet was looked at: crops, those said to be fine, those to be looked at again, and by
    whom."""

    crops: int
    fine: int
    again: int
    by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class FileFacts:
    """An exported file. facts: what was compared; findings: of the check."""

    name: str
    bytes: int
    sha256: str
    version: str
    span: str
    seconds: float
    facts: tuple[Fact, ...]
    findings: tuple[FindingFacts, ...]

    @property
    def is_good(self) -> bool:
        return not self.findings


@dataclass(frozen=True, slots=True)
class ClipFacts:
    """A clip. scan: in words; voices: what was heard, and what of it is disguised, a line each."""

    name: str
    bytes: int
    sha256: str
    size: str
    rate: str
    frames: int
    begins: str
    ends: str
    seconds: float
    scan: str
    voices: tuple[str, ...]
    people: tuple[PersonFacts, ...]
    findings: tuple[FindingFacts, ...]
    sheet: SheetFacts
    delivered: tuple[FileFacts, ...]


@dataclass(frozen=True, slots=True)
class Report:
    """made: when, with the offset from UTC; made_with: programs and networks with their versions; verdict: in a
    sentence; good: nothing is open and every file was proved."""

    project: str
    version: str
    made: str
    made_with: tuple[tuple[str, str], ...]
    house: str
    clips: tuple[ClipFacts, ...]
    verdict: str
    good: bool


def report_of(
    project: Project,
    name: str,
    proofs: Iterable[Proof] = (),
    control: JobControl | None = None,
    now: datetime | None = None,
) -> Report:
    """The report of a project, called name. proofs: checks of files that were exported from it. now: when it is made,
    with a time zone. Raises Cancelled, and SkiagraphError where a file cannot be read."""
    control = control or JobControl()
    proofs = list(proofs)
    every = findings(project)
    clips = tuple(
        _clip(project, clip, every, [p for p in proofs if p.clip == clip.key], control) for clip in project.clips
    )
    verdict, good = _verdict(project, clips)
    now = now or datetime.now().astimezone()
    return Report(
        name,
        project.decisions.version,
        now.isoformat(sep=" ", timespec="seconds"),
        _made_with(),
        _house(project),
        clips,
        verdict,
        good,
    )


def _verdict(project: Project, clips: Sequence[ClipFacts]) -> tuple[str, bool]:
    waiting = sum(f.state != "accepted" for c in clips for f in c.findings)
    exposing = sum(f.state != "accepted" and f.exposing for c in clips for f in c.findings)
    undecided = sum(s.of.hides and not s.is_decided and not s.doubtful and bool(s.sightings) for s in project.subjects)
    unproved = [c.name for c in clips if not c.delivered]
    bad = [f.name for c in clips for f in c.delivered if not f.is_good]
    said = []
    if bad:
        said.append(f"The check found something in {', '.join(bad)}.")
    if waiting:
        said.append(
            f"{waiting} finding{'s are' if waiting > 1 else ' is'} open"
            + (f", {exposing} of them may show somebody." if exposing else ".")
        )
    if undecided:
        said.append(f"Nobody decided about {undecided} {'people' if undecided > 1 else 'person'}; they are covered.")
    if unproved:
        said.append(f"No exported file of {', '.join(unproved)} was checked.")
    if not clips:
        return "There are no clips in the project.", False
    return " ".join(
        said
    ) or "Everybody is decided about, no finding is open, and every exported file was checked and is as decided.", not (
        bad or waiting or unproved
    )


def _clip(project: Project, clip: Clip, every: list[Finding], proofs: list[Proof], control: JobControl) -> ClipFacts:
    if state_of(clip) != SourceState.THERE:
        raise SkiagraphError(
            f"{clip.path.name} is not there, or no longer the file that was added, so the report cannot speak of it;"
            " put the original back.",
            path=clip.path,
        )
    mine = [f for f in every if f.clip == clip.key]
    waiting = [f for f in mine if accepted_by(project, f) is None]
    people = tuple(
        _person(project, clip, s, mine, waiting) for s in project.subjects if s.in_clip(clip.key) and not s.dismissed
    )
    rate = f"{float(clip.rate):.3f}".rstrip("0").rstrip(".")
    return ClipFacts(
        clip.path.name,
        clip.size,
        sha256_of(clip.path, control),
        f"{clip.width} × {clip.height}",
        f"{rate} frames/s",
        clip.frames,
        clip.at(0),
        clip.at(clip.frames - 1),
        round(clip.frames / float(clip.rate), 2),
        _scan(project, clip),
        _voices(project, clip),
        people,
        tuple(_finding(project, f) for f in mine),
        _sheet(project, clip, waiting),
        tuple(_file(project, p) for p in proofs),
    )


def _scan(project: Project, clip: Clip) -> str:
    scan = project.scan_of(clip.key)
    if scan is None:
        return "not scanned"
    how = "every frame searched" if scan.every == 1 else f"each {scan.every}th frame searched, the others followed"
    text = f"{how}, for faces from {smallest_face((clip.width, clip.height))} px on"
    if not scan.is_whole(clip.frames):
        begins, ends = (
            [scan.begun, *(last + 1 for _, last in scan.gaps)],
            [*(first - 1 for first, _ in scan.gaps), min(scan.reached, clip.frames) - 1],
        )
        text += (
            ", from " + ", ".join(f"{clip.at(first)} to {clip.at(last)}" for first, last in zip(begins, ends)) + " only"
        )
    sweep = project.evidence.sweep_of(clip.key)
    return text + (f"; swept once more, strictly, for faces from {sweep.smallest} px" if sweep else "")


def _voices(project: Project, clip: Clip) -> tuple[str, ...]:
    """What was heard, and each range that is disguised."""
    listening, ranges, rate = project.evidence.listening_of(clip.key), ranges_in(project, clip.key), float(clip.rate)
    if listening is None:
        lines = ["nobody listened to the sound"]
    else:
        count = len(listening.voices)
        lines = [
            (
                f"{count} voice{'s' if count != 1 else ''} heard, {sum(v.length_s for v in listening.voices):.1f} s of"
                " speech"
                if count
                else "nobody speaks, as far as can be heard"
            )
        ]
    names = {s.key: s.name for s in project.subjects}
    for one in ranges:
        first, last = max(0, round(one.begins_s * rate)), min(clip.frames, round(one.ends_s * rate)) - 1
        place = (f", track {one.track}" if one.track else "") + (f", channel {one.channel}" if one.channel else "")
        lines.append(
            f"{names.get(one.subject, 'nobody’s')}: {project.disguise_of(one).state().lower()}, {clip.at(first)} to"
            f" {clip.at(max(first, last))}{place}"
        )
    return tuple(lines)


_DECISIONS = {
    Decision.COVER: "covered",
    Decision.SHOW: "shown, agreed to be seen",
    Decision.UNDECIDED: "undecided, hence covered",
}


def _person(project: Project, clip: Clip, subject: Subject, mine: list[Finding], waiting: list[Finding]) -> PersonFacts:
    sightings = sorted(subject.in_clip(clip.key), key=lambda s: s.first)
    spans = tuple((s.first, min(s.last, clip.frames - 1)) for s in sightings if s.first < clip.frames)
    seen = np.zeros(clip.frames, bool)
    for first, last in spans:
        seen[first : last + 1] = True
    style = project.style_of(subject)
    detail = strongest_detail(project, clip.key, subject) if subject.is_covered and subject.of.needs_strength else None
    decision = "in front, stays sharp" if not subject.of.hides else _DECISIONS[subject.decision]
    about = [f for f in mine if f.subject == subject.key]
    still = [f for f in waiting if f.subject == subject.key]
    return PersonFacts(
        subject.name + (" (doubtful)" if subject.doubtful else ""),
        subject.of.word.lower(),
        decision,
        subject.decided_by,
        round(float(seen.sum()) / float(clip.rate), 2),
        spans,
        subject.is_covered,
        style.state() if subject.is_covered else "",
        None if detail is None else round(detail, 2),
        "" if detail is None else str(safety(detail)),
        len(still),
        len(about) - len(still),
    )


def _finding(project: Project, finding: Finding) -> FindingFacts:
    clip = project.clip(finding.clip)
    who = project.subject(finding.subject).name if finding.subject else ""
    answer = accepted_by(project, finding)
    state = (
        "accepted"
        if answer
        else "open again, since what it is about has changed"
        if was_accepted(project, finding)
        else "open"
    )
    return FindingFacts(
        who,
        clip.at(finding.first),
        clip.at(finding.last),
        finding.kind.word,
        sentence(project, finding),
        finding.is_exposing,
        state,
        answer.by if answer else "",
        answer.note if answer else "",
    )


def _sheet(project: Project, clip: Clip, waiting: list[Finding]) -> SheetFacts:
    crops = sheet_of(project, clip.key, waiting)
    looked = looked_through(project, crops)
    return SheetFacts(
        len(crops),
        sum(one.is_fine for one in looked),
        sum(one.is_again for one in looked),
        tuple(sorted({one.glance.by for one in looked if one.glance and one.glance.by})),
    )


def _file(project: Project, proof: Proof) -> FileFacts:
    clip = project.clip(proof.clip)
    return FileFacts(
        proof.film.name,
        proof.bytes,
        proof.sha256,
        proof.version,
        f"{clip.at(proof.span[0])} to {clip.at(proof.span[1])}",
        round(proof.seconds, 1),
        proof.facts,
        tuple(_finding(project, f) for f in proof.findings),
    )


def _house(project: Project) -> str:
    house = project.decisions.house
    parts = [house.name or "no house style", *(rule.sentence() for rule in house.rules)]
    return "; ".join(parts)


def _made_with() -> tuple[tuple[str, str], ...]:
    models = files("skiagraph.assets").joinpath("models")
    networks = [
        (f"network {path.name}", "SHA-256 " + hashlib.sha256(path.read_bytes()).hexdigest()[:16] + " …")
        for path in sorted(models.iterdir(), key=lambda p: p.name)
        if path.name.endswith((".onnx", ".tflite"))
    ]
    return (("Skiagraph", __version__), ("Python", platform.python_version()), *library_versions(), *networks)
