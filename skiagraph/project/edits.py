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
from skiagraph.project.model import Acceptance, Clip, Correction, CoverStyle, Decision, Offset, Portrait, Project, Reach, Sighting, Subject
from skiagraph.track.path import PLACED, Path

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
    left = {s.key for s in subjects}
    return replace(project, clips=tuple(c for c in project.clips if c.key != key), subjects=tuple(subjects),
                   accepted=tuple(a for a in project.accepted if a.clip != key),
                   likenesses=tuple(n for n in project.likenesses if n.one in left and n.other in left))


def relink_clip(project: Project, key: str, path: FilePath, *, same_contents: bool = True) -> Project:
    """The project with a clip found at another place. Raises EditRefused when the contents there are others."""
    clip = project.clip(key)
    path = FilePath(path).absolute()
    if same_contents and (path.stat().st_size != clip.size or fingerprint(path) != clip.fingerprint):
        raise EditRefused(f"{path.name} is not the same file as {clip.path.name} was; choose the original.")
    return project.with_clip(replace(clip, path=path))


def rename(project: Project, key: str, name: str) -> Project:
    name = " ".join(name.split())
    if not name:
        raise EditRefused("A subject needs a name; type one or leave it as it was.")
    return project.with_subject(replace(project.subject(key), name=name[:80]))


def remove_subjects(project: Project, keys: Iterable[str]) -> Project:
    keys = set(keys)
    return replace(project, subjects=tuple(s for s in project.subjects if s.key not in keys),
                   accepted=tuple(a for a in project.accepted if a.subject not in keys),
                   likenesses=tuple(n for n in project.likenesses if n.one not in keys and n.other not in keys))


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


def free_key(project: Project) -> str:
    taken = {s.key for s in project.subjects}
    return next(f"s{n}" for n in range(1, len(taken) + 2) if f"s{n}" not in taken)


def next_name(project: Project, word: str = "Person") -> str:
    """A name that reads well for somebody unnamed: “Person 3”."""
    numbers = [int(s.name[len(word) + 1:]) for s in project.subjects if s.name.startswith(f"{word} ") and s.name[len(word) + 1:].isdigit()]
    return f"{word} {max(numbers, default=0) + 1}"


def add_subject(project: Project, clip: str, frame: int, outline: Outline, path: Path | None = None) -> tuple[Project, str]:
    """The project with a subject drawn by hand at a frame, and its key. path: where it was followed to, if it was."""
    key = free_key(project)
    box = (outline.cx - outline.width * 0.4, outline.cy - outline.height * 0.25, outline.cx + outline.width * 0.4, outline.cy + outline.height * 0.4)
    subject = Subject(key, next_name(project), Decision.COVER, portrait=Portrait(clip, frame, box))
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


def accept(project: Project, acceptance: Acceptance) -> Project:
    """The project with a finding accepted by somebody. A name is needed: somebody answers for it."""
    if not acceptance.by.strip():
        raise EditRefused("Type the name of whoever accepts this finding.")
    return replace(project, accepted=project.accepted + (acceptance,))


def withdraw(project: Project, acceptance: Acceptance) -> Project:
    return replace(project, accepted=tuple(a for a in project.accepted if a != acceptance))


