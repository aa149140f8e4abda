"""Edits of where somebody is: outlines, keyframes, repairs, and the ends of sightings. Pure functions, as in edits.py."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.decisions import PersonSubject, SubjectKind
from skiagraph.project.edits import next_name, with_new_subject
from skiagraph.project.evidence import FromFollowing, Outlined, Track
from skiagraph.project.model import Change, Decision, Outline, Portrait, Project, Reach, Repair, Sighting, Subject, replace
from skiagraph.project.rows import keyframe_change, outline_at, path_place, place_beneath, repair_change
from skiagraph.shape.change import Between, Keyframe, change_between, held_from, keyed, with_keyframe, without_keyframe
from skiagraph.shape.shape import Shape, nearest_turn
from skiagraph.track.path import Path


@dataclass(frozen=True, slots=True)
class HandSettings:
    """placed_s: seconds on each side for which somebody drawn by hand is covered, until followed or until the ends are dragged; more
    covers longer by itself. repair_frames: frames on each side within which a repair eases back; more is softer and reaches further.
    Both chosen by hand, as work at 25 frames a second."""

    placed_s: float = 1.0
    repair_frames: int = 8


HAND = HandSettings()


def sighting_at(subject: Subject, clip: str, frame: int) -> Sighting | None:
    """The sighting that covers a frame, or None."""
    return next((s for s in subject.sightings if s.clip == clip and s.covers(frame)), None)


def _seen(project: Project, key: str, clip: str, frame: int) -> tuple[Subject, Sighting]:
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    return subject, sighting


def _with_sighting(project: Project, subject: Subject, old: Sighting, new: Sighting | None) -> Project:
    sightings = (new if s is old else s for s in subject.sightings)
    return project.with_subject(replace(subject, sightings=tuple(s for s in sightings if s is not None)))


# Outlines


def move_outline(project: Project, key: str, clip: str, frame: int, wanted: Outline, reach: Reach) -> Project:
    """The project with a subject's outline where a person put it at a frame; reach says what else changes with it.

    Outside every sighting a new one is made around the frame.
    """
    subject = project.subject(key)
    sighting = sighting_at(subject, clip, frame)
    if sighting is None:
        return _placed(project, subject, clip, frame, wanted)
    if reach == Reach.ALL:
        now = outline_at(project, sighting, frame)
        step = change_between(now.place, wanted.place)
        others = [s if s is sighting else replace(s, whole=s.whole.then(step)) for s in subject.sightings]
        project = project.with_subject(replace(subject, sightings=tuple(others)))
        subject = project.subject(key)
    return _with_sighting(project, subject, sighting, _changed(project, sighting, frame, wanted, reach))


def _changed(project: Project, sighting: Sighting, frame: int, wanted: Outline, reach: Reach) -> Sighting:
    """A sighting whose outline is where it is wanted at a frame."""
    keys, repair = keyframe_change(sighting, frame), repair_change(sighting, frame)
    if reach in (Reach.SIGHTING, Reach.ALL):
        return replace(sighting, whole=change_between(path_place(project, sighting, frame), wanted.place, keys.then(repair)))
    if reach == Reach.FRAME and sighting.tracks:
        change = change_between(place_beneath(project, sighting, frame, keyframes=True), wanted.place)
        before = next((r for r in sighting.repairs if r.frame == frame), None)
        repaired = replace(before, change=change) if before else Repair(frame, change, HAND.repair_frames, HAND.repair_frames)
        return replace(sighting, repairs=tuple(sorted((*(r for r in sighting.repairs if r.frame != frame), repaired), key=lambda r: r.frame)))
    change = change_between(place_beneath(project, sighting, frame), wanted.place, repair)
    # Of all the same turns the one that is nearest to what it was.
    change = replace(change, turn=keys.turn + nearest_turn(change.turn - keys.turn))
    if reach == Reach.ONWARD:
        return replace(sighting, keyframes=held_from(sighting.keyframes, frame, change, sighting.first))
    # Without a path beneath there is nothing to ease back to: there, keyframes are the path.
    return replace(sighting, keyframes=keyed(sighting.keyframes, frame, change))


def set_shape(project: Project, key: str, clip: str, frame: int, shape: Shape) -> Project:
    """The project with the sighting at a frame covered in another shape. Where it is, its path and its keyframes, stays."""
    subject, sighting = _seen(project, key, clip, frame)
    return project if sighting.shape == shape else _with_sighting(project, subject, sighting, replace(sighting, shape=shape))


# Keyframes and repairs


def keyframe_here(project: Project, key: str, clip: str, frame: int) -> Project:
    """Hold the outline as it is now with a keyframe, so that later changes do not move it. Nothing moves, in any frame."""
    subject, sighting = _seen(project, key, clip, frame)
    if any(k.frame == frame and not k.pin for k in sighting.keyframes):
        raise EditRefused("There is a keyframe at this frame already; move the outline, or remove the keyframe.")
    return _with_sighting(project, subject, sighting, replace(
        sighting, keyframes=tuple(replace(k, pin=False) if k.frame == frame and k.pin else k for k in with_keyframe(sighting.keyframes, frame))))


def move_keyframe(project: Project, key: str, clip: str, frame: int, to: int) -> Project:
    """The project with what was set at a frame, keyframe or repair, at another frame of the same sighting."""
    subject, sighting = _seen(project, key, clip, frame)
    if frame not in sighting.marks():
        raise EditRefused("There is no keyframe at this frame; go to one with . or , first.")
    to = int(np.clip(to, sighting.first, sighting.last))

    def at(entries):
        moved = [replace(e, frame=to) for e in entries if e.frame == frame]
        return tuple(sorted([e for e in entries if e.frame != frame and not (moved and e.frame == to)] + moved, key=lambda e: e.frame))

    return _with_sighting(project, subject, sighting, replace(sighting, keyframes=at(sighting.keyframes), repairs=at(sighting.repairs)))


def remove_keyframe(project: Project, key: str, clip: str, frame: int) -> Project:
    """The project without what was set at a frame: the repair where there is one, else the keyframe."""
    subject, sighting = _seen(project, key, clip, frame)
    if any(r.frame == frame for r in sighting.repairs):
        return _with_sighting(project, subject, sighting, replace(sighting, repairs=tuple(r for r in sighting.repairs if r.frame != frame)))
    if any(k.frame == frame and not k.pin for k in sighting.keyframes):
        return _with_sighting(project, subject, sighting, replace(sighting, keyframes=without_keyframe(sighting.keyframes, frame)))
    raise EditRefused("There is no keyframe at this frame; go to one with . or , first.")


def keyframe_before(sighting: Sighting, frame: int) -> Keyframe | None:
    """The keyframe that says how the outline goes on at a frame: the last one up to it that has another after it."""
    asked = [k for k in sighting.keyframes if not k.pin]
    return next((k for k in reversed(asked[:-1]) if k.frame <= frame), None)


def set_between(project: Project, key: str, clip: str, frame: int, way: Between) -> Project:
    """The project with the outline going from the keyframe at or before a frame to the next one smoothly, straight, or held until there.
    The keyframes themselves stay where they are."""
    subject, sighting = _seen(project, key, clip, frame)
    begins = keyframe_before(sighting, frame)
    if begins is None:
        raise EditRefused("There are no two keyframes around this frame; set them first.")
    changed, after = [], False
    for keyframe in sighting.keyframes:
        if keyframe is begins:
            keyframe = replace(keyframe, to_next=way, leaving=None)
        elif after:
            keyframe = replace(keyframe, arriving=None)
        after = keyframe.frame == begins.frame
        changed.append(keyframe)
    return _with_sighting(project, subject, sighting, replace(sighting, keyframes=tuple(changed)))


# Sightings


def room_around(project: Project, subject: Subject, clip: str, first: int, last: int) -> tuple[int, int]:
    """First and last frame between which a sighting of first .. last may grow: up to its neighbours, or the clip's ends."""
    low, high = 0, project.clip(clip).frames - 1
    for other in subject.in_clip(clip):
        if other.last < first:
            low = max(low, other.last + 1)
        elif other.first > last:
            high = min(high, other.first - 1)
    return low, high


def trim_sighting(project: Project, key: str, clip: str, inside: int, first: int, last: int) -> Project:
    """The sighting that covers frame `inside`, covered from first to last instead; neighbours and the clip's ends limit it.

    Drawn past the path the cover stays where the path ended. Raises EditRefused when nothing would be left.
    """
    subject, sighting = _seen(project, key, clip, inside)
    low, high = room_around(project, subject, clip, sighting.first, sighting.last)
    first, last = int(np.clip(first, low, high)), int(np.clip(last, low, high))
    if first > last:
        raise EditRefused("A sighting has at least one frame; drag its end the other way.")
    return _with_sighting(project, subject, sighting, replace(
        sighting, first=first, last=last, begin_set=sighting.begin_set or first != sighting.first, end_set=sighting.end_set or last != sighting.last))


def extend_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    """The sighting at a frame covered from the first to the last frame of the clip, or up to its neighbours."""
    return trim_sighting(project, key, clip, frame, 0, project.clip(clip).frames - 1)


def remove_sighting(project: Project, key: str, clip: str, frame: int) -> Project:
    subject, sighting = _seen(project, key, clip, frame)
    return _with_sighting(project, subject, sighting, None)


def add_subject(project: Project, clip: str, frame: int, outline: Outline, of: SubjectKind = PersonSubject(), name: str = "") -> tuple[Project, str]:
    """The project with a subject drawn by hand at a frame, and its key."""
    box = (outline.cx - outline.width * 0.4, outline.cy - outline.height * 0.25, outline.cx + outline.width * 0.4, outline.cy + outline.height * 0.4)
    project, subject = with_new_subject(project, decision=Decision.COVER, portrait=Portrait(clip, frame, box), of=of, name=name or next_name(project, of=of), named=bool(name))
    return _placed(project, subject, clip, frame, outline), subject.key


def rest_on_followed(project: Project, key: str, clip: str, frame: int, path: Path, motion: str = "") -> Project:
    """The project with a subject covered along a path that was followed from its outline at a frame.

    Nothing that was covered is less so. A sighting drawn by hand, or followed before, comes to rest on the path: what was placed at other frames stays
    exactly there, and beyond the path it goes on as far as it did. What a scan saw, and what was changed by hand where the path does not reach, stays covered
    as it is, and the path is a sighting beside it.
    """
    subject, there = _seen(project, key, clip, frame)
    known = project.evidence.by_key()

    def may_rest(s: Sighting) -> bool:
        changed = s.whole != Change() or frame in s.marks()
        return not s.tracks or all(isinstance(known[t].source, FromFollowing) for t in s.tracks) and (not changed or path.first <= s.first and s.last <= path.last)

    sighting = next((s for s in subject.sightings if s.clip == clip and s.covers(frame) and may_rest(s)), None)
    project, track = project.new_id("tracks")
    project = replace(project, evidence=project.evidence.with_tracks((Track(track, clip, path, FromFollowing(frame, motion), Outlined()),)))
    if sighting is None:
        project, beside = project.new_id("sightings")
        made = Sighting(beside, clip, path.first, path.last, (track,), shape=there.shape)
        return project.with_subject(replace(subject, sightings=tuple(sorted((*subject.sightings, made), key=lambda s: (s.clip, s.first)))))
    low, high = room_around(project, subject, clip, sighting.first, sighting.last)
    placed = [(k, outline_at(project, sighting, k)) for k in sighting.marks() if k != frame]
    # Where it had been followed before, that stays beneath for the frames that the new path does not have.
    new = replace(sighting, tracks=(track, *sighting.tracks), base=None, whole=Change(), keyframes=(), repairs=(),
                  first=max(low, min(sighting.first, path.first)), last=min(high, max(sighting.last, path.last)))
    for k, outline in placed:
        new = _changed(project, new, k, outline, Reach.KEYFRAME)
    return _with_sighting(project, project.subject(key), sighting, new)


def _placed(project: Project, subject: Subject, clip: str, frame: int, outline: Outline) -> Project:
    around = max(1, round(HAND.placed_s * float(project.clip(clip).rate)))
    low, high = room_around(project, subject, clip, frame, frame)
    project, key = project.new_id("sightings")
    sighting = Sighting(key, clip, max(low, frame - around), min(high, frame + around), base=outline.place, shape=outline.shape, whole=Change())
    ordered = tuple(sorted((*subject.sightings, sighting), key=lambda s: (s.clip, s.first)))
    return project.with_subject(replace(subject, sightings=ordered))
