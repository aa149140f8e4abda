"""Recognising people across clips. What tells who somebody is stays in memory: a Gallery is never written anywhere."""

from __future__ import annotations

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.footage.source import SourceState, open_source, state_of
from skiagraph.jobs import JobControl
from skiagraph.media.reader import FrameReader
from skiagraph.project.cast import merge_subjects, with_likenesses
from skiagraph.project.model import Answer, Clip, Decision, Likeness, Project, Scan, Sighting, Subject, replace
from skiagraph.project.rows import CX, CY, WIDTH, outline_rows
from skiagraph.track.appearance import head_colours
from skiagraph.track.describing import describe
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.identity import IDENTITY, Signature, log_odds, probability
from skiagraph.track.light import in_ordinary_light
from skiagraph.track.results import ScanResult

STEP_RECALL = "Recalling faces"
# Frames per sighting that are looked at when a project was opened without its gallery, and most for one subject.
FRAMES, MOST = 3, 9


class Gallery:
    """How the people of a project look, by the track they were seen on."""

    def __init__(self):
        self._known: dict[str, Signature] = {}

    def learn(self, scan: Scan, result: ScanResult) -> None:
        """Take in what a scan learned of everybody in a clip."""
        for person, found in zip(scan.people, result.people):
            for track in person.tracks:
                self.put(track, found.signature)

    def with_all_of(self, other: Gallery) -> Gallery:
        """A gallery of its own that knows what either does."""
        both = Gallery()
        both._known = {**self._known, **other._known}
        return both

    def put(self, track: str, signature: Signature) -> None:
        self._known[track] = signature

    def of(self, subject: Subject, clip: str | None = None) -> Signature:
        """The signature of a subject, in one clip or in all."""
        parts = {
            id(s): s
            for sighting in subject.sightings
            if clip in (None, sighting.clip)
            for track in sighting.tracks
            if (s := self._known.get(track)) is not None
        }
        return Signature.joined(list(parts.values()))

    def lacks(self, subject: Subject) -> bool:
        return not any(track in self._known for s in subject.sightings for track in s.tracks)


def recall(project: Project, gallery: Gallery, control: JobControl, besides: str = "") -> None:
    """Look at a few frames of everybody whom the gallery does not know: after a project was opened. besides: a clip to
    leave out."""
    lacking = [s for s in project.subjects if not s.doubtful and not s.dismissed and gallery.lacks(s)]
    for clip in project.clips:
        wanted: dict[int, list[tuple[str, np.ndarray]]] = {}
        if clip.key == besides or state_of(clip) != SourceState.THERE:
            continue
        for subject in lacking:
            for sighting in [s for s in subject.in_clip(clip.key) if s.tracks][: MOST // FRAMES]:
                for frame, box in good_faces(project, clip, sighting)[:FRAMES]:
                    wanted.setdefault(frame, []).append((sighting.tracks[0], box))
        if wanted:
            _look(clip, wanted, gallery, control)


def good_faces(project: Project, clip: Clip, sighting: Sighting) -> list[tuple[int, np.ndarray]]:
    """Found faces of a sighting, large and sure first, apart in time."""
    scan, rows = project.scan_of(clip.key), outline_rows(project, sighting)
    if scan is None:
        return []
    table, found = scan.faces, []
    for n in range(
        int(np.searchsorted(table.frames, sighting.first)),
        int(np.searchsorted(table.frames, min(sighting.last, clip.frames - 1) + 1)),
    ):
        frame, box = int(table.frames[n]), table.boxes[n].astype(float)
        row = rows[frame - sighting.first]
        if np.hypot((box[0] + box[2]) / 2 - row[CX], (box[1] + box[3]) / 2 - row[CY]) < 0.5 * row[WIDTH]:
            found.append((float(table.scores[n]) * np.sqrt(max(box[2] - box[0], 1.0)), frame, box))
    chosen: list[tuple[int, np.ndarray]] = []
    for _, frame, box in sorted(found, key=lambda entry: -entry[0]):
        if all(abs(frame - other) > 8 for other, _ in chosen):
            chosen.append((frame, box))
    return chosen


def _look(clip: Clip, wanted, gallery: Gallery, control: JobControl) -> None:
    info, index = open_source(clip, control)
    describer, squared = FaceDescriber(), Squared(float(info.upright_aspect))
    found: dict[str, list] = {}
    colours: dict[str, list] = {}
    with FrameReader(info, index) as reader:
        for done, frame in enumerate(sorted(wanted)):
            control.report(STEP_RECALL, done, len(wanted))
            picture = in_ordinary_light(squared.picture(reader.read(frame).rgb()))
            for track, box in wanted[frame]:
                found.setdefault(track, [])
                description = describe(describer, picture, squared, box)
                if description is not None:
                    found[track].append(description)
                look = None if picture.coloured else head_colours(picture.rgb, squared.boxes(box))
                if look is not None:
                    colours.setdefault(track, []).append(look)
    for track, mine in found.items():
        mean = np.sqrt(np.mean(np.square(colours[track]), axis=0)) if track in colours else None
        vectors = np.array([d.vector for d in mine]) if mine else np.zeros((0, 128), np.float32)
        gallery.put(track, Signature(vectors, np.array([d.worth for d in mine], np.float32), mean))


def link_clip(project: Project, clip: str, gallery: Gallery) -> Project:
    """The project with those who are new in a clip joined to whom they are known to be from other clips, or asked
    about.

    Joined only where it is sure, nobody has decided yet about the new one, and the other is not to be seen: a face is
    never shown because a machine took it for somebody who agreed.
    """
    fresh = [
        s
        for s in project.subjects
        if s.sightings and all(g.clip == clip for g in s.sightings) and not s.doubtful and not s.dismissed
    ]
    asked: list[Likeness] = []
    for subject in fresh:
        mine = gallery.of(subject)
        if not mine.tells:
            continue
        odds = []
        for other in project.subjects:
            if (
                other.key == subject.key
                or other.doubtful
                or other.dismissed
                or not any(g.clip != clip for g in other.sightings)
                or _kept_apart(project, subject, other)
            ):
                continue
            if _at_once(subject, other):
                continue
            theirs = Signature.joined([gallery.of(other, c) for c in {g.clip for g in other.sightings} - {clip}])
            if not theirs.tells:
                continue
            odds.append((log_odds(mine, theirs, same_clip=False), other.key))
        odds.sort(reverse=True)
        if not odds:
            continue
        best = probability(odds[0][0])
        rival = probability(odds[1][0]) if len(odds) > 1 else 0.0
        other = project.subject(odds[0][1])
        free = subject.decision == Decision.UNDECIDED and other.decision != Decision.SHOW
        if best >= IDENTITY.join and rival < IDENTITY.join and free:
            merged = merge_subjects(project, other.key, [subject.key])
            project = merged.with_subject(_less_sure(merged.subject(other.key), best))
            continue
        asked += [
            Likeness(key, subject.key, probability(value))
            for value, key in odds
            if probability(value) >= IDENTITY.propose
        ]
    return with_likenesses(project, asked)


def ask_who(project: Project, key: str, mine: Signature, gallery: Gallery) -> Project:
    """The project with the question asked whether somebody who was followed by hand is one of those who are known
    already. They are never made one without an answer: a person drew them."""
    subject, asked = project.subject(key), []
    for other in project.subjects if mine.tells else ():
        if (
            other.key == key
            or not other.of.hides
            or other.doubtful
            or other.dismissed
            or _kept_apart(project, subject, other)
            or _at_once(subject, other)
        ):
            continue
        theirs = gallery.of(other)
        if theirs.tells:
            likely = probability(
                log_odds(
                    mine, theirs, same_clip=any(g.clip == s.clip for g in other.sightings for s in subject.sightings)
                )
            )
            asked += [Likeness(other.key, key, likely)] if likely >= IDENTITY.propose else []
    return with_likenesses(project, sorted(asked, key=lambda n: -n.probability)[:1])


def _less_sure(subject: Subject, sure: float) -> Subject:
    return replace(subject, sure=min(subject.sure, sure))


def _kept_apart(project: Project, one: Subject, other: Subject) -> bool:
    return any(n.is_about(one.key, other.key) and n.answer == Answer.NO for n in project.likenesses)


def _at_once(one: Subject, other: Subject) -> bool:
    return any(
        a.clip == b.clip and a.first <= b.last and b.first <= a.last for a in one.sightings for b in other.sightings
    )
