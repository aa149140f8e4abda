"""Edits: named pure functions from one project to the next. Input is never changed.

All raise EditRefused, with a sentence, when asked for something that makes no sense on the project given.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path as FilePath

import numpy as np

from skiagraph.project.outline import Outline, offset_at, outline_at
from skiagraph.errors import EditRefused
from skiagraph.media.clip import ClipInfo, fingerprint
from skiagraph.media.index import FrameIndex
from skiagraph.project.model import (Acceptance, Clip, Correction, CoverStyle, Decision, Offset, Portrait, Project, Reach, Sighting,
                                     Subject)
from skiagraph.track.path import PLACED, Path
from skiagraph.track.results import FoundPerson, ScanResult

# A subject drawn by hand is covered this far on each side of the frame until it is followed or its ends are dragged.
PLACED_S = 1.0


def add_clip(project: Project, info: ClipInfo, index: FrameIndex) -> Project:
    """The project with a clip more. The same contents twice are refused."""
    print_ = fingerprint(info.path)
    for clip in project.clips:
        if clip.fingerprint == print_ and clip.size == info.file_size:
            raise EditRefused(f"{info.path.name} is in the project already.")
    taken = {clip.key for clip in project.clips}
    key = next(f"c{n}" for n in range(1, len(taken) + 2) if f"c{n}" not in taken)
    width, height = info.upright_size
    clip = Clip(key, info.path, info.file_size, print_, width, height, info.rate, len(index), damage=index.damage)
    return replace(project, clips=project.clips + (clip,))


def remove_clip(project: Project, key: str) -> Project:
    """The project without a clip and without everybody who was seen only there."""
    project.clip(key)
    subjects = []
    for subject in project.subjects:
        left = tuple(s for s in subject.sightings if s.clip != key)
        if left or not subject.sightings:
            portrait = subject.portrait if subject.portrait and subject.portrait.clip != key else None
            subjects.append(replace(subject, sightings=left, portrait=portrait))
    return replace(project, clips=tuple(c for c in project.clips if c.key != key), subjects=tuple(subjects),
                   accepted=tuple(a for a in project.accepted if a.clip != key))


def relink_clip(project: Project, key: str, path: FilePath, *, same_contents: bool = True) -> Project:
    """The project with a clip found at another place. Raises EditRefused when the contents there are others."""
    clip = project.clip(key)
    path = FilePath(path).absolute()
    if same_contents and (path.stat().st_size != clip.size or fingerprint(path) != clip.fingerprint):
        raise EditRefused(f"{path.name} is not the same file as {clip.path.name} was; choose the original.")
    return project.with_clip(replace(clip, path=path))


def apply_scan(project: Project, clip_key: str, result: ScanResult, every: int) -> Project:
    """The project with everybody a scan found in a clip.

    Decisions, names, covers and hand work survive: a person who is where a known subject was keeps that subject, and
    sightings that were touched by hand stay as they are.
    """
    clip = project.clip(clip_key)
    project = project.with_clip(replace(clip, faces=result.faces, cuts=result.cuts, every=every,
                                        frames=result.frames, damage=result.damage or clip.damage))
    matched = _match_to_subjects(project, clip_key, result.people)
    subjects: list[Subject] = []
    for subject in project.subjects:
        person = matched.pop(subject.key, None)
        others = tuple(s for s in subject.sightings if s.clip != clip_key)
        mine = [s for s in subject.sightings if s.clip == clip_key]
        kept = tuple(s for s in mine if s.touched)
        if person is None:
            if others or kept or subject.decision != Decision.UNDECIDED or not mine:
                # A decision outlives a scan that missed the person; so does the cover.
                subjects.append(replace(subject, sightings=others + (tuple(mine) if not kept else kept)))
            continue
        fresh = tuple(s for s in _sightings(clip_key, person) if not any(_overlap(s, k) for k in kept))
        portrait = subject.portrait or Portrait(clip_key, person.best_frame, person.best_box)
        ordered = tuple(sorted(kept + fresh, key=lambda s: s.first))
        subjects.append(replace(subject, sightings=others + ordered, portrait=portrait, scan_key=f"{clip_key}:{person.key}"))
    taken = {s.key for s in project.subjects}
    number = _next_number(project)
    for person in result.people:
        if person.key not in {p.key for p in matched.get("", [])}:
            continue
        key = next(f"s{n}" for n in range(1, 10 ** 6) if f"s{n}" not in taken)
        taken.add(key)
        subjects.append(Subject(key, f"Person {number}", sightings=_sightings(clip_key, person),
                                portrait=Portrait(clip_key, person.best_frame, person.best_box), scan_key=f"{clip_key}:{person.key}"))
        number += 1
    return replace(project, subjects=tuple(subjects))


def _sightings(clip_key: str, person: FoundPerson) -> tuple[Sighting, ...]:
    return tuple(Sighting(clip_key, path, path.first, path.last) for path in person.paths)


def _overlap(a: Sighting, b: Sighting) -> bool:
    return a.first <= b.last and b.first <= a.last


def _next_number(project: Project) -> int:
    numbers = [int(s.name[7:]) for s in project.subjects if s.name.startswith("Person ") and s.name[7:].isdigit()]
    return max(numbers, default=0) + 1


def _match_to_subjects(project: Project, clip_key: str, people: Iterable[FoundPerson]) -> dict:
    """Which found person is which known subject, by subject key; the new ones under the key ""."""
    known = [s for s in project.subjects if s.in_clip(clip_key)]
    pairs = []
    for person in people:
        for subject in known:
            share = _shared(subject.in_clip(clip_key), person)
            if share > 0.3:
                pairs.append((share, subject.key, person))
    matched: dict = {}
    used = set()
    for share, key, person in sorted(pairs, key=lambda p: -p[0]):
        if key not in matched and person.key not in used:
            matched[key] = person
            used.add(person.key)
    matched[""] = [p for p in people if p.key not in used]
    return matched


def _shared(sightings: list[Sighting], person: FoundPerson) -> float:
    """Share of the common frames in which the two are at the same place."""
    near = common = 0
    for sighting in sightings:
        for path in person.paths:
            low, high = max(sighting.first, path.first), min(sighting.last, path.last)
            for frame in range(low, high + 1, 3):
                outline, row = outline_at(sighting, frame), path.row(frame)
                common += 1
                near += np.hypot(outline.cx - path.cx[row], outline.cy - path.cy[row]) < 0.5 * max(outline.width, path.width[row])
    return near / common if common else 0.0


def decide(project: Project, keys: Iterable[str], decision: Decision) -> Project:
    """The project with a decision on each of the subjects."""
    keys = set(keys)
    return replace(project, subjects=tuple(replace(s, decision=decision) if s.key in keys else s for s in project.subjects))


def rename(project: Project, key: str, name: str) -> Project:
    name = " ".join(name.split())
    if not name:
        raise EditRefused("A subject needs a name; type one or leave it as it was.")
    return project.with_subject(replace(project.subject(key), name=name[:80]))


def remove_subjects(project: Project, keys: Iterable[str]) -> Project:
    keys = set(keys)
    return replace(project, subjects=tuple(s for s in project.subjects if s.key not in keys),
                   accepted=tuple(a for a in project.accepted if a.subject not in keys))


def set_style(project: Project, key: str, style: CoverStyle | None) -> Project:
    """One subject's cover; None gives it back to the project's."""
    return project.with_subject(replace(project.subject(key), style=style))


def set_project_style(project: Project, style: CoverStyle) -> Project:
    return replace(project, style=style)


def sighting_at(subject: Subject, clip: str, frame: int) -> Sighting | None:
    """The sighting that covers a frame, or None."""
    return next((s for s in subject.sightings if s.clip == clip and s.first <= frame <= s.last), None)


def _with_sighting(project: Project, subject: Subject, old: Sighting, new: Sighting | None) -> Project:
    sightings = tuple(new if s is old else s for s in subject.sightings)
    return project.with_subject(replace(subject, sightings=tuple(s for s in sightings if s is not None)))


def move_outline(project: Project, key: str, clip: str, frame: int, wanted: Outline, reach: Reach) -> Project:
    """The project with a subject's outline where a person put it at a frame; reach says what else changes with it.

    Outside every sighting a new one is made around the frame.
    """
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        return _placed(project, subject, clip, frame, wanted)
    now = outline_at(sighting, frame)
    if reach in (Reach.FRAME, Reach.ONWARD):
        plain = replace(sighting, corrections=())
        offset = _offset_between(outline_at(plain, frame), wanted)
        corrections = [c for c in sighting.corrections if c.frame != frame]
        if reach == Reach.ONWARD:
            corrections = [c for c in corrections if c.frame < frame]
        corrections.append(Correction(frame, offset, holds=reach == Reach.ONWARD))
        changed = replace(sighting, corrections=tuple(sorted(corrections, key=lambda c: c.frame)))
        return _with_sighting(project, subject, sighting, changed)
    step = _offset_between(now, wanted)
    sightings = []
    for candidate in subject.sightings:
        if candidate is sighting or reach == Reach.ALL:
            candidate = replace(candidate, offset=_joined(candidate.offset, step))
        sightings.append(candidate)
    return project.with_subject(replace(subject, sightings=tuple(sightings)))


def _offset_between(now: Outline, wanted: Outline) -> Offset:
    return Offset((wanted.cx - now.cx) / now.width, (wanted.cy - now.cy) / now.height,
                  wanted.width / now.width, wanted.height / now.height, wanted.angle - now.angle)


def _joined(first: Offset, then: Offset) -> Offset:
    return Offset(first.dx + then.dx * first.width, first.dy + then.dy * first.height, first.width * then.width,
                  first.height * then.height, first.turn + then.turn)


def move_keyframe(project: Project, key: str, clip: str, frame: int, to: int) -> Project:
    """The project with a keyframe at another frame of the same sighting."""
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    moved = next((c for c in sighting.corrections if c.frame == frame), None) if sighting else None
    if moved is None:
        raise EditRefused("There is no keyframe there.")
    to = int(np.clip(to, sighting.first, sighting.last))
    others = [c for c in sighting.corrections if c.frame not in (frame, to)]
    changed = replace(sighting, corrections=tuple(sorted(others + [replace(moved, frame=to)], key=lambda c: c.frame)))
    return _with_sighting(project, subject, sighting, changed)


def remove_keyframe(project: Project, key: str, clip: str, frame: int) -> Project:
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None or not any(c.frame == frame for c in sighting.corrections):
        raise EditRefused("There is no keyframe at this frame.")
    return _with_sighting(project, subject, sighting, replace(sighting, corrections=tuple(c for c in sighting.corrections if c.frame != frame)))


def keyframe_here(project: Project, key: str, clip: str, frame: int) -> Project:
    """Hold the outline as it is now with a keyframe, so that later changes do not move it."""
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused("The subject is not seen at this frame.")
    correction = Correction(frame, offset_at(sighting, frame))
    others = [c for c in sighting.corrections if c.frame != frame]
    return _with_sighting(project, subject, sighting, replace(sighting, corrections=tuple(sorted(others + [correction], key=lambda c: c.frame))))


def trim_sighting(project: Project, key: str, clip: str, inside: int, first: int, last: int) -> Project:
    """The sighting that covers frame `inside`, covered from first to last instead; neighbours and the clip's ends limit it.

    Drawn past the path the cover stays where the path ended. Raises EditRefused when nothing would be left.
    """
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, inside)
    if sighting is None:
        raise EditRefused("The subject is not seen at this frame.")
    low, high = 0, project.clip(clip).frames - 1
    for other in subject.in_clip(clip):
        if other is not sighting:
            if other.last < sighting.first:
                low = max(low, other.last + 1)
            else:
                high = min(high, other.first - 1)
    first, last = int(np.clip(first, low, high)), int(np.clip(last, low, high))
    if first > last:
        raise EditRefused("A sighting has at least one frame.")
    return _with_sighting(project, subject, sighting, replace(sighting, first=first, last=last, trimmed=True))


def remove_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused("The subject is not seen at this frame.")
    return _with_sighting(project, subject, sighting, None)


def add_subject(project: Project, clip: str, frame: int, outline: Outline, path: Path | None = None) -> tuple[Project, str]:
    """The project with a subject drawn by hand at a frame, and its key. path: where it was followed to, if it was."""
    taken = {s.key for s in project.subjects}
    key = next(f"s{n}" for n in range(1, len(taken) + 2) if f"s{n}" not in taken)
    box = (outline.cx - outline.width * 0.4, outline.cy - outline.height * 0.25, outline.cx + outline.width * 0.4, outline.cy + outline.height * 0.4)
    subject = Subject(key, f"Person {_next_number(project)}", Decision.COVER, portrait=Portrait(clip, frame, box))
    project = replace(project, subjects=project.subjects + (subject,))
    if path is not None:
        sighting = Sighting(clip, path, path.first, path.last, placed=True)
        return project.with_subject(replace(subject, sightings=(sighting,))), key
    return _placed(project, subject, clip, frame, outline), key


def _placed(project: Project, subject: Subject, clip: str, frame: int, outline: Outline) -> Project:
    source = project.clip(clip)
    around = max(1, round(PLACED_S * float(source.rate)))
    low, high = 0, source.frames - 1
    for other in subject.in_clip(clip):
        low = max(low, other.last + 1) if other.last < frame else low
        high = min(high, other.first - 1) if other.first > frame else high
    path = Path.from_rows(frame, np.array([[outline.cx, outline.cy, outline.width, outline.height, outline.angle, 1.0]]), np.array([PLACED]))
    sighting = Sighting(clip, path, max(low, frame - around), min(high, frame + around), placed=True)
    ordered = tuple(sorted(subject.sightings + (sighting,), key=lambda s: (s.clip, s.first)))
    return project.with_subject(replace(subject, sightings=ordered))


def merge_subjects(project: Project, into: str, others: Iterable[str]) -> Project:
    """Several subjects that are one person become one; the first keeps name, decision and cover. A cover wins over show."""
    kept, others = project.subject(into), [project.subject(k) for k in others if k != into]
    sightings = sorted(kept.sightings + tuple(s for o in others for s in o.sightings), key=lambda s: (s.clip, s.first))
    decision = kept.decision
    if decision == Decision.SHOW and any(o.decision != Decision.SHOW for o in others):
        decision = Decision.UNDECIDED
    project = remove_subjects(project, [o.key for o in others])
    return project.with_subject(replace(kept, sightings=tuple(sightings), decision=decision))


def accept(project: Project, acceptance: Acceptance) -> Project:
    """The project with a finding accepted by somebody. A name is needed: somebody answers for it."""
    if not acceptance.by.strip():
        raise EditRefused("Type the name of whoever accepts this finding.")
    return replace(project, accepted=project.accepted + (acceptance,))


def withdraw(project: Project, acceptance: Acceptance) -> Project:
    return replace(project, accepted=tuple(a for a in project.accepted if a != acceptance))


