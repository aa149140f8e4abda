"""Copying hand work: keyframes to other frames, and where somebody is covered to another subject or another clip.

Pure functions, as in edits.py.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.evidence import FromJoining, Outlined, Track
from skiagraph.project.model import Form, Keyframe, Level, Project, Repair, Shape, Sighting, Subject, replace
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import covered_path
from skiagraph.shape.change import without_keyframe
from skiagraph.track.path import Path


@dataclass(frozen=True, slots=True)
class CopiedKeyframes:
    """What was set by hand in a stretch: keyframes, repairs and forms, each with its frame counted from the first of
    them."""

    keyframes: tuple[Keyframe, ...]
    repairs: tuple[Repair, ...]
    forms: tuple[Form, ...]
    levels: tuple[Level, ...] = ()

    def __len__(self) -> int:
        return len({e.frame for e in (*self.keyframes, *self.repairs, *self.forms, *self.levels)})


@dataclass(frozen=True, slots=True)
class CopiedSighting:
    """Where somebody is covered: the clip it is of, and size of its picture; path; shape and forms by frames of it."""

    clip: str
    size: tuple[int, int]
    path: Path
    shape: Shape
    forms: tuple[Form, ...]


def copied_keyframes(project: Project, key: str, clip: str, first: int, last: int) -> CopiedKeyframes:
    """What was set by hand for a subject within first .. last of a clip. Raises EditRefused when it is nothing."""
    subject = project.subject(key)
    here = [s for s in subject.in_clip(clip)]
    marks = sorted({f for s in here for f in s.all_marks() if first <= f <= last})
    if not marks:
        raise EditRefused(f"{subject.name} has no keyframes there.")

    def of(entries):
        return tuple(
            sorted((replace(e, frame=e.frame - marks[0]) for e in entries if e.frame in marks), key=lambda e: e.frame)
        )

    return CopiedKeyframes(
        of(k for s in here for k in s.keyframes if not k.pin),
        of(r for s in here for r in s.repairs),
        of(f for s in here for f in s.forms),
        of(e for s in here for e in s.levels),
    )


def with_keyframes(project: Project, key: str, clip: str, frame: int, copied: CopiedKeyframes) -> Project:
    """The project with what was copied set from a frame on, in the place of what was set at those frames.

    What lies beyond the sighting is left out.
    """
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")

    def merged(now, given):
        fresh = {e.frame + frame: replace(e, frame=e.frame + frame) for e in given if e.frame + frame <= sighting.last}
        return tuple(sorted([*(e for e in now if e.frame not in fresh), *fresh.values()], key=lambda e: e.frame))

    keyframes = sighting.keyframes
    for entry in copied.keyframes:
        keyframes = without_keyframe(keyframes, entry.frame + frame)
    changed = replace(
        sighting,
        keyframes=merged(keyframes, (replace(k, arriving=None, leaving=None) for k in copied.keyframes)),
        repairs=merged(sighting.repairs, copied.repairs),
        forms=merged(sighting.forms, copied.forms),
        levels=merged(sighting.levels, copied.levels),
    )
    return project.with_subject(
        replace(subject, sightings=tuple(changed if s is sighting else s for s in subject.sightings))
    )


def copied_sighting(project: Project, key: str, clip: str, frame: int) -> CopiedSighting:
    """Where a subject is covered in the sighting at a frame. Raises EditRefused when there is none."""
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    return CopiedSighting(
        clip, project.clip(clip).picture_size, covered_path(project, sighting), sighting.shape, sighting.forms
    )


def with_sighting(project: Project, key: str, clip: str, frame: int, copied: CopiedSighting) -> Project:
    """The project with a subject covered where another one was: in the same clip in the same frames, in another from a
    frame on, at the same share of the picture. What a subject had before stays."""
    subject: Subject = project.subject(key)
    target = project.clip(clip)
    path, forms = copied.path, copied.forms
    if clip != copied.clip:
        shift = frame - path.first
        rows, scale = path.rows().astype(float), np.array(target.picture_size) / copied.size
        rows[:, :2] *= scale
        rows[:, 2:4] *= scale.mean()
        path = Path.from_rows(frame, rows, path.origin, path.lean)
        forms = tuple(replace(f, frame=f.frame + shift) for f in forms if f.frame + shift >= 0)
    if path.first >= target.frames:
        raise EditRefused(f"{target.path.name} ends before these frames.")
    path = path.part(path.first, target.frames - 1)
    project, track = project.new_id("tracks")
    project, made = project.new_id("sightings")
    project = replace(
        project, evidence=project.evidence.with_tracks((Track(track, clip, path, FromJoining(), Outlined()),))
    )
    sighting = Sighting(
        made, clip, path.first, path.last, (track,), shape=copied.shape, forms=forms, begin_set=True, end_set=True
    )
    ordered = tuple(sorted((*subject.sightings, sighting), key=lambda s: (s.clip, s.first)))
    return project.with_subject(replace(subject, sightings=ordered))
