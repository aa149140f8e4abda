"""Edits of when somebody is there: the ends of sightings, where one is split, joined or absent.

Pure functions, as in edits.py.
"""

from __future__ import annotations

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.decisions import Form, Level
from skiagraph.project.evidence import FromJoining, Outlined, Track
from skiagraph.project.model import (
    Change,
    Project,
    Sighting,
    Subject,
    replace,
)
from skiagraph.project.rows import (
    CONFIDENCE,
    covered_path,
    rows_at,
)
from skiagraph.track.path import laid_over

# Where a path is this unsure or less it may be said that nobody is there; where it is surer somebody was seen.
ABSENT_BELOW = 0.35


def sighting_at(subject: Subject, clip: str, frame: int) -> Sighting | None:
    """The sighting that covers a frame, or None."""
    return next((s for s in subject.sightings if s.clip == clip and s.covers(frame)), None)


def seen_at(project: Project, key: str, clip: str, frame: int) -> tuple[Subject, Sighting]:
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    return subject, sighting


def with_changes(project: Project, subject: Subject, sighting: Sighting, **fields) -> Project:
    """The project with other values of some fields of a sighting."""
    return with_sighting(project, subject, sighting, replace(sighting, **fields))


def with_sighting(project: Project, subject: Subject, old: Sighting, new: Sighting | None) -> Project:
    sightings = (new if s is old else s for s in subject.sightings)
    return project.with_subject(replace(subject, sightings=tuple(s for s in sightings if s is not None)))


def room_around(project: Project, subject: Subject, clip: str, first: int, last: int) -> tuple[int, int]:
    """First and last frame between which a sighting of first .. last may grow: up to its neighbours, or the clip's
    ends."""
    low, high = 0, project.clip(clip).frames - 1
    for other in subject.in_clip(clip):
        if other.last < first:
            low = max(low, other.last + 1)
        elif other.first > last:
            high = min(high, other.first - 1)
    return low, high


def trim_sighting(project: Project, key: str, clip: str, inside: int, first: int, last: int) -> Project:
    """The sighting that covers frame `inside`, covered from first to last instead; neighbours and the clip's ends limit
    it.

    Drawn past the path the cover stays where the path ended. Raises EditRefused when nothing would be left.
    """
    subject, sighting = seen_at(project, key, clip, inside)
    low, high = room_around(project, subject, clip, sighting.first, sighting.last)
    first, last = int(np.clip(first, low, high)), int(np.clip(last, low, high))
    if first > last:
        raise EditRefused("A sighting has at least one frame; drag its end the other way.")
    return with_changes(
        project,
        subject,
        sighting,
        first=first,
        last=last,
        begin_set=sighting.begin_set or first != sighting.first,
        end_set=sighting.end_set or last != sighting.last,
    )


def extend_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    """The sighting at a frame covered from the first to the last frame of the clip, or up to its neighbours."""
    return trim_sighting(project, key, clip, frame, 0, project.clip(clip).frames - 1)


def remove_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    subject, sighting = seen_at(project, key, clip, frame)
    return with_sighting(project, subject, sighting, None)


def split_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    """The project with the sighting at a frame in two that touch: the second begins there.

    Nothing moves, and nothing is uncovered.
    """
    subject, sighting = seen_at(project, key, clip, frame)
    if frame == sighting.first:
        raise EditRefused("A sighting begins at this frame already.")
    project, new = project.new_id("sightings")
    parts = replace(sighting, last=frame - 1), replace(sighting, key=new, first=frame)
    return project.with_subject(
        replace(
            project.subject(key),
            sightings=tuple(p for s in subject.sightings for p in (parts if s is sighting else (s,))),
        )
    )


def join_sightings(project: Project, key: str, clip: str, frame: int) -> Project:
    """The project with the sighting at or before a frame and the next one as one, covered through what lies between: of
    that nobody is sure, which is a finding. What each was keyed to holds where it was."""
    subject = project.subject(key)
    ordered = sorted(subject.in_clip(clip), key=lambda s: s.first)
    pair = next(
        ((a, b) for a, b in zip(ordered, ordered[1:]) if a.first <= frame < b.first or a.first <= frame <= a.last), None
    )
    if pair is None:
        raise EditRefused(f"{subject.name} is not seen again after this frame; there is nothing to join.")
    one, two = pair
    if (
        replace(
            two,
            key=one.key,
            first=one.first,
            last=one.last,
            begin_set=one.begin_set,
            end_set=one.end_set,
            away_after=one.away_after,
        )
        == one
    ):
        # They were one before.
        joined = replace(one, last=max(one.last, two.last), end_set=two.end_set, away_after=two.away_after)
    else:
        project, joined = _bridged(project, one, two)
    left = tuple(joined if s is one else s for s in subject.sightings if s is not two)
    return project.with_subject(replace(project.subject(key), sightings=left))


def _bridged(project: Project, one: Sighting, two: Sighting) -> tuple[Project, Sighting]:
    """Two sightings as one on a path of where they are covered, with a straight line between them."""
    if one.cut or two.cut:
        raise EditRefused(
            "The exact edge of one of them is known only for its own frames. Take the edge as drawn first, join, and"
            " find it again."
        )
    path, last = laid_over([covered_path(project, s) for s in (one, two)]), max(one.last, two.last)
    project, key = project.new_id("tracks")
    project = replace(
        project, evidence=project.evidence.with_tracks((Track(key, one.clip, path, FromJoining(), Outlined()),))
    )
    forms = {f.frame: f for s in (one, two) for f in s.forms}
    if one.shape_at(one.last) != two.shape_at(two.first):
        forms.setdefault(one.last, Form(one.last, one.shape_at(one.last), "hold"))
        forms.setdefault(two.first, Form(two.first, two.shape_at(two.first)))
    levels = {e.frame: e for s in (one, two) for e in s.levels}
    if levels:
        levels.setdefault(one.last, Level(one.last, *(float(v) for v in one.level_at(one.last)), "hold"))
        levels.setdefault(two.first, Level(two.first, *(float(v) for v in two.level_at(two.first))))
    return project, replace(
        one,
        last=last,
        tracks=(key,),
        base=None,
        whole=Change(),
        keyframes=(),
        repairs=(),
        forms=tuple(forms[f] for f in sorted(forms)),
        levels=tuple(levels[f] for f in sorted(levels)),
        end_set=two.end_set,
        away_after=two.away_after,
    )


def declare_absent(project: Project, key: str, clip: str, frame: int) -> Project:
    """The project in which a subject is not in the picture around a frame: in a gap, nothing is missing; where a path
    was only bridged or nobody is sure, the cover goes, at once and in one frame. Raises EditRefused where it was seen.
    """
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        before = [s for s in subject.in_clip(clip) if s.last < frame]
        if not before:
            raise EditRefused(f"{subject.name} was not seen before this frame; there is nothing to say.")
        last = max(before, key=lambda s: s.last)
        return with_changes(project, subject, last, away_after=True)
    rows = rows_at(project, sighting, sighting.first, sighting.last)
    bare = rows[:, CONFIDENCE] < ABSENT_BELOW
    at = frame - sighting.first
    if not bare[at]:
        raise EditRefused(
            f"{subject.name} is seen at this frame. Split the sighting, and remove or trim the part in which nobody is"
            " there."
        )
    low = at - int(np.argmax(~bare[at::-1])) + 1 if (~bare[:at]).any() else 0
    high = at + int(np.argmax(~bare[at:])) - 1 if (~bare[at:]).any() else len(bare) - 1
    parts = []
    if low > 0:
        parts.append(replace(sighting, last=sighting.first + low - 1, end_set=True, away_after=True))
    if high < len(bare) - 1:
        project, new = project.new_id("sightings")
        parts.append(
            replace(sighting, key=new if parts else sighting.key, first=sighting.first + high + 1, begin_set=True)
        )
    others = tuple(p for s in subject.sightings for p in (parts if s is sighting else (s,)))
    return project.with_subject(replace(project.subject(key), sightings=others))
