"""Edits of where somebody is: outlines, keyframes and repairs, and what was followed.

Pure functions, as in edits.py; when somebody is there is edited in presence.py.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.decisions import Form, HoldoutSubject, PersonSubject, SubjectKind
from skiagraph.project.edits import next_name, with_new_subject
from skiagraph.project.entries import HAND, entered
from skiagraph.project.evidence import Cut, FromFollowing, FromJoining, Outlined, Track
from skiagraph.project.model import (
    Change,
    Decision,
    Outline,
    Portrait,
    Project,
    Reach,
    Repair,
    Sighting,
    Subject,
    replace,
)
from skiagraph.project.presence import join_sightings, room_around, seen_at, sighting_at, with_changes, with_sighting
from skiagraph.project.rows import (
    keyframe_change,
    outline_at,
    path_place,
    place_beneath,
    repair_change,
)
from skiagraph.shape.change import (
    Between,
    Keyframe,
    change_between,
    held_from,
    keyed,
    moved,
    with_keyframe,
    without_keyframe,
)
from skiagraph.shape.place import Place, place_of
from skiagraph.shape.pointed import as_kind, reshaped
from skiagraph.shape.shape import Shape, nearest_turn
from skiagraph.track.masks import Masks
from skiagraph.track.path import FOUND, Path

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
    return with_sighting(project, subject, sighting, _changed(project, sighting, frame, wanted, reach))


def _changed(project: Project, sighting: Sighting, frame: int, wanted: Outline, reach: Reach) -> Sighting:
    """A sighting whose outline is where it is wanted at a frame."""
    keys, repair = keyframe_change(sighting, frame), repair_change(sighting, frame)
    if reach in (Reach.SIGHTING, Reach.ALL):
        return replace(
            sighting, whole=change_between(path_place(project, sighting, frame), wanted.place, keys.then(repair))
        )
    if reach == Reach.FRAME and sighting.tracks:
        change = change_between(place_beneath(project, sighting, frame, keyframes=True), wanted.place)
        before = next((r for r in sighting.repairs if r.frame == frame), None)
        repaired = (
            replace(before, change=change) if before else Repair(frame, change, HAND.repair_frames, HAND.repair_frames)
        )
        return replace(
            sighting,
            repairs=tuple(
                sorted((*(r for r in sighting.repairs if r.frame != frame), repaired), key=lambda r: r.frame)
            ),
        )
    change = change_between(place_beneath(project, sighting, frame), wanted.place, repair)
    # Of all the same turns the one that is nearest to what it was.
    change = replace(change, turn=keys.turn + nearest_turn(change.turn - keys.turn))
    if reach == Reach.ONWARD:
        return replace(sighting, keyframes=held_from(sighting.keyframes, frame, change, sighting.first))
    # Without a path beneath there is nothing to ease back to: there, keyframes are the path.
    return replace(sighting, keyframes=keyed(sighting.keyframes, frame, change))


def set_shape(
    project: Project, key: str, clip: str, frame: int, shape: Shape, reach: Reach = Reach.SIGHTING
) -> Project:
    """The project with a subject covered in another shape at a frame; reach says where else.

    Where it is, its path and its keyframes, stays. On the whole of a sighting, points that differ at some frames go on
    to differ by as much.
    """
    subject, sighting = seen_at(project, key, clip, frame)
    before = sighting.shape_at(frame)
    if before == shape:
        return project
    if reach == Reach.ALL:
        return project.with_subject(
            replace(subject, sightings=tuple(_in_shape(s, before, shape) for s in subject.sightings))
        )
    return with_sighting(
        project,
        subject,
        sighting,
        (
            _in_shape(sighting, before, shape)
            if reach == Reach.SIGHTING
            else replace(
                sighting,
                forms=entered(
                    sighting.forms, sighting, Form(frame, shape), reach, lambda n: Form(n, sighting.shape_at(n))
                ),
            )
        ),
    )


def set_shape_kind(project: Project, key: str, clip: str, frame: int, kind: str) -> Project:
    """The project with the sighting at a frame covered in a shape of another kind, as far as its points go."""
    subject, sighting = seen_at(project, key, clip, frame)
    if sighting.shape_at(frame).kind == kind:
        return project
    return with_changes(
        project,
        subject,
        sighting,
        shape=as_kind(sighting.shape, kind),
        forms=tuple(replace(f, shape=as_kind(f.shape, kind)) for f in sighting.forms),
    )


def _in_shape(sighting: Sighting, before: Shape, after: Shape) -> Sighting:
    return replace(
        sighting,
        shape=reshaped(sighting.shape, before, after),
        forms=tuple(replace(f, shape=reshaped(f.shape, before, after)) for f in sighting.forms),
    )


# Keyframes and repairs


def keyframe_here(project: Project, key: str, clip: str, frame: int) -> Project:
    """Hold the outline as it is now with a keyframe, so that later changes do not move it.

    Nothing moves, in any frame.
    """
    subject, sighting = seen_at(project, key, clip, frame)
    if any(k.frame == frame and not k.pin for k in sighting.keyframes):
        raise EditRefused("There is a keyframe at this frame already; move the outline, or remove the keyframe.")
    return with_changes(
        project,
        subject,
        sighting,
        keyframes=tuple(
            replace(k, pin=False) if k.frame == frame and k.pin else k for k in with_keyframe(sighting.keyframes, frame)
        ),
    )


def move_keyframe(project: Project, key: str, clip: str, frame: int, to: int) -> Project:
    """The project with what was set at a frame, keyframe or repair, at another frame of the same sighting."""
    subject, sighting = seen_at(project, key, clip, frame)
    if frame not in sighting.all_marks():
        raise EditRefused("There is no keyframe at this frame; go to one with . or , first.")
    to = int(np.clip(to, sighting.first, sighting.last))

    def at(entries):
        moved = [replace(e, frame=to) for e in entries if e.frame == frame]
        return tuple(
            sorted(
                [e for e in entries if e.frame != frame and not (moved and e.frame == to)] + moved,
                key=lambda e: e.frame,
            )
        )

    return with_changes(
        project,
        subject,
        sighting,
        keyframes=at(sighting.keyframes),
        repairs=at(sighting.repairs),
        forms=at(sighting.forms),
        levels=at(sighting.levels),
    )


def remove_keyframe(project: Project, key: str, clip: str, frame: int) -> Project:
    """The project without what was set at a frame: the repair where there is one, else the keyframe."""
    subject, sighting = seen_at(project, key, clip, frame)
    if any(r.frame == frame for r in sighting.repairs):
        return with_changes(project, subject, sighting, repairs=tuple(r for r in sighting.repairs if r.frame != frame))
    if any(k.frame == frame and not k.pin for k in sighting.keyframes):
        return with_changes(project, subject, sighting, keyframes=without_keyframe(sighting.keyframes, frame))
    if any(f.frame == frame for f in sighting.forms):
        left = tuple(f for f in sighting.forms if f.frame != frame)
        # The last of them was the shape of the whole.
        return with_changes(
            project, subject, sighting, forms=left, shape=sighting.shape if left else sighting.forms[0].shape
        )
    if any(e.frame == frame for e in sighting.levels):
        return with_changes(project, subject, sighting, levels=tuple(e for e in sighting.levels if e.frame != frame))
    raise EditRefused("There is no keyframe at this frame; go to one with . or , first.")


def remove_keyframes(project: Project, key: str, clip: str, first: int, last: int) -> Project:
    """The project without what was set by hand for a subject within first .. last of a clip: keyframes, repairs and
    points."""
    subject = project.subject(key)
    marked = [(s.key, f) for s in subject.in_clip(clip) for f in s.all_marks() if first <= f <= last]
    if not marked:
        raise EditRefused(f"{subject.name} has no keyframes there.")
    for sighting_key, frame in marked:
        sighting = project.subject(key).sighting(sighting_key)
        while frame in sighting.all_marks():
            project = _without_mark(project, key, sighting, frame)
            sighting = project.subject(key).sighting(sighting_key)
    return project


def _without_mark(project: Project, key: str, sighting: Sighting, frame: int) -> Project:
    subject = project.subject(key)
    left = tuple(f for f in sighting.forms if f.frame != frame)
    return with_changes(
        project,
        subject,
        sighting,
        repairs=tuple(r for r in sighting.repairs if r.frame != frame),
        keyframes=without_keyframe(sighting.keyframes, frame),
        forms=left,
        shape=sighting.shape if left or not sighting.forms else sighting.forms[0].shape,
        levels=tuple(e for e in sighting.levels if e.frame != frame),
    )


def set_repair_extent(project: Project, key: str, clip: str, frame: int, before: int, after: int) -> Project:
    """The project with the correction at a frame easing back within other numbers of frames."""
    subject, sighting = seen_at(project, key, clip, frame)
    repair = next((r for r in sighting.repairs if r.frame == frame), None)
    if repair is None:
        raise EditRefused("There is no correction at this frame.")
    changed = replace(repair, before=max(0, before), after=max(0, after))
    return with_changes(
        project, subject, sighting, repairs=tuple(changed if r is repair else r for r in sighting.repairs)
    )


def repeat_change(project: Project, key: str, clip: str, first: int, last: int, change: Change) -> Project:
    """The project with a correction made anew at every frame within first .. last in which the subject is seen: what it
    was there is changed by as much."""
    subject = project.subject(key)
    if not any(s.clip == clip and s.first <= last and first <= s.last for s in subject.sightings):
        raise EditRefused(f"{subject.name} is not seen there; go to a frame where the lane has a bar.")
    for sighting in subject.in_clip(clip):
        low, high = max(first, sighting.first), min(last, sighting.last)
        if low > high:
            continue
        if low == high:
            place = place_changed(outline_at(project, sighting, low).place, change)
            new = _changed(project, sighting, low, Outline(place, sighting.shape_at(low)), Reach.FRAME)
        else:
            # The same change on top from one end to the other, and what was there before and after stays.
            keys = with_keyframe(with_keyframe(sighting.keyframes, low), high)
            keys = with_keyframe(keys, low - 1) if low > sighting.first else keys
            keys = with_keyframe(keys, high + 1) if high < sighting.last else keys
            new = replace(
                sighting,
                keyframes=tuple(
                    (
                        replace(
                            k,
                            change=k.change.then(change),
                            to_next="straight" if k.frame == high else k.to_next,
                            arriving=None if k.frame == low else k.arriving,
                            leaving=None if k.frame == high else k.leaving,
                        )
                        if low <= k.frame <= high
                        else (
                            replace(k, to_next="straight", leaving=None)
                            if k.frame == low - 1
                            else replace(k, arriving=None)
                            if k.frame == high + 1
                            else k
                        )
                    )
                    for k in keys
                ),
            )
        project = with_sighting(project, project.subject(key), sighting, new)
    return project


def place_changed(place: Place, change: Change) -> Place:
    """A place with a change applied."""
    return place_of(moved(place.row()[None], change.row())[0])


def keyframe_before(sighting: Sighting, frame: int) -> Keyframe | None:
    """The keyframe that says how the outline goes on at a frame: the last one up to it that has another after it."""
    asked = [k for k in sighting.keyframes if not k.pin]
    return next((k for k in reversed(asked[:-1]) if k.frame <= frame), None)


def set_between(project: Project, key: str, clip: str, frame: int, way: Between) -> Project:
    """The project with the outline going from the keyframe at or before a frame to the next one smoothly, straight, or
    held until there. The keyframes themselves stay where they are."""
    subject, sighting = seen_at(project, key, clip, frame)
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
    return with_changes(project, subject, sighting, keyframes=tuple(changed))


def place_again(project: Project, key: str, clip: str, frame: int, outline: Outline) -> Project:
    """The project with a subject placed where it is seen again, at a frame at which it has no cover: the nearest
    sighting before it, else after it, goes on to there and a little further. What lies between goes over from the one
    to the other; where it had left the picture at its edge, nothing lies between."""
    subject = project.subject(key)
    if sighting_at(subject, clip, frame) is not None:
        return move_outline(project, key, clip, frame, outline, Reach.KEYFRAME)
    placed = _placed(project, subject, clip, frame, outline)
    before = [s for s in subject.in_clip(clip) if s.last < frame]
    if not before and not any(s.first > frame for s in subject.in_clip(clip)):
        return placed
    # Only the frame in which it was seen is known.
    new = next(s for s in placed.subject(key).in_clip(clip) if s.covers(frame))
    placed = with_sighting(
        placed, placed.subject(key), new, replace(new, first=frame) if before else replace(new, last=frame)
    )
    near = (
        max(before, key=lambda s: s.last)
        if before
        else min((s for s in subject.in_clip(clip) if s.first > frame), key=lambda s: s.first)
    )
    edge = outline_at(project, near, near.last if before else near.first).box(-0.25)
    clip_size = project.clip(clip).picture_size
    if edge[0] <= 0 or edge[1] <= 0 or edge[2] >= clip_size[0] or edge[3] >= clip_size[1]:
        return placed
    return join_sightings(placed, key, clip, near.last if before else frame)


def add_subject(
    project: Project, clip: str, frame: int, outline: Outline, of: SubjectKind = PersonSubject(), name: str = ""
) -> tuple[Project, str]:
    """The project with a subject drawn by hand at a frame, and its key."""
    box = (
        outline.cx - outline.width * 0.4,
        outline.cy - outline.height * 0.25,
        outline.cx + outline.width * 0.4,
        outline.cy + outline.height * 0.4,
    )
    project, subject = with_new_subject(
        project,
        decision=Decision.COVER,
        portrait=Portrait(clip, frame, box),
        of=of,
        name=name or next_name(project, of=of),
        named=bool(name),
    )
    return _placed(project, subject, clip, frame, outline), subject.key


def _is_by_hand(track: Track) -> bool:
    """True for a track on which nobody was seen but by following what a person placed."""
    return (
        isinstance(track.source, FromFollowing)
        or isinstance(track.source, FromJoining)
        and not (track.path.origin == FOUND).any()
    )


def rest_on_followed(project: Project, key: str, clip: str, frame: int, path: Path, motion: str = "") -> Project:
    """The project with a subject covered along a path that was followed from its outline at a frame.

    Nothing that was covered is less so. A sighting drawn by hand, or followed before, comes to rest on the path: what
    was placed at other frames stays exactly there, and beyond the path it goes on as far as it did. What a scan saw,
    and what was changed by hand where the path does not reach, stays covered as it is, and the path is a sighting
    beside it.
    """
    subject, there = seen_at(project, key, clip, frame)
    known = project.evidence.by_key()

    def may_rest(s: Sighting) -> bool:
        changed = s.whole != Change() or frame in s.marks()
        return (
            not s.tracks
            or all(_is_by_hand(known[t]) for t in s.tracks)
            and (not changed or path.first <= s.first and s.last <= path.last)
        )

    sighting = next((s for s in subject.sightings if s.clip == clip and s.covers(frame) and may_rest(s)), None)
    project, track = project.new_id("tracks")
    project = replace(
        project,
        evidence=project.evidence.with_tracks((Track(track, clip, path, FromFollowing(frame, motion), Outlined()),)),
    )
    if sighting is None:
        project, beside = project.new_id("sightings")
        made = Sighting(beside, clip, path.first, path.last, (track,), shape=there.shape_at(frame))
        return project.with_subject(
            replace(subject, sightings=tuple(sorted((*subject.sightings, made), key=lambda s: (s.clip, s.first))))
        )
    low, high = room_around(project, subject, clip, sighting.first, sighting.last)
    placed = [(k, outline_at(project, sighting, k)) for k in sighting.marks() if k != frame]
    # Where it had been followed before, that stays beneath for the frames that the new path does not have.
    new = replace(
        sighting,
        tracks=(track, *sighting.tracks),
        base=None,
        whole=Change(),
        keyframes=(),
        repairs=(),
        first=max(low, min(sighting.first, path.first)),
        last=min(high, max(sighting.last, path.last)),
    )
    for k, outline in placed:
        new = _changed(project, new, k, outline, Reach.KEYFRAME)
    return with_sighting(project, project.subject(key), sighting, new)


def also_seen(project: Project, key: str, clip: str, frame: int, paths: Iterable[Path], motion: str = "") -> Project:
    """The project with a subject covered also where it was seen again after an absence, in the shape it had at a frame.

    Nothing that was covered is less so.
    """
    for path in paths:
        subject = project.subject(key)
        near = sighting_at(subject, clip, frame) or next(iter(subject.in_clip(clip)), None)
        project, track = project.new_id("tracks")
        project, made = project.new_id("sightings")
        project = replace(
            project,
            evidence=project.evidence.with_tracks(
                (Track(track, clip, path, FromFollowing(frame, motion), Outlined()),)
            ),
        )
        sighting = Sighting(
            made,
            clip,
            path.first,
            path.last,
            (track,),
            shape=near.shape_at(frame) if near else Shape.kinds["ellipse"](),
        )
        project = project.with_subject(
            replace(subject, sightings=tuple(sorted((*subject.sightings, sighting), key=lambda s: (s.clip, s.first))))
        )
    return project


def _placed(project: Project, subject: Subject, clip: str, frame: int, outline: Outline) -> Project:
    around = max(1, round(HAND.placed_s * float(project.clip(clip).rate)))
    low, high = room_around(project, subject, clip, frame, frame)
    project, key = project.new_id("sightings")
    sighting = Sighting(
        key,
        clip,
        max(low, frame - around),
        min(high, frame + around),
        base=outline.place,
        shape=outline.shape,
        whole=Change(),
    )
    ordered = tuple(sorted((*subject.sightings, sighting), key=lambda s: (s.clip, s.first)))
    return project.with_subject(replace(subject, sightings=ordered))


# In front


def add_holdout(
    project: Project, clip: str, frame: int, outline: Outline, of: Iterable[str] | None = None, name: str = ""
) -> tuple[Project, str]:
    """The project with something that is in front and stays sharp, drawn at a frame, and its key. of: whom it is in
    front of; None for everybody."""
    kind = HoldoutSubject(True) if of is None else HoldoutSubject(False, tuple(of))
    return add_subject(project, clip, frame, outline, kind, name or next_name(project, of=kind))


def with_edge(project: Project, key: str, clip: str, frame: int, path: Path | None, masks: Masks | None) -> Project:
    """The project with the exact edge of what is in front, as it was found inside its outline on a path; None goes back
    to the outline."""
    subject, sighting = seen_at(project, key, clip, frame)
    if masks is None:
        return with_changes(project, subject, sighting, cut="")
    project, track = project.new_id("tracks")
    project = replace(
        project,
        evidence=project.evidence.with_tracks((Track(track, clip, path, FromFollowing(frame, "edge"), Cut(masks)),)),
    )
    return with_changes(project, subject, sighting, cut=track)


def set_holdout(project: Project, key: str, kind: HoldoutSubject) -> Project:
    """The project with what is in front of whom, and how soft its edge is, changed."""
    subject = project.subject(key)
    if subject.of.hides:
        raise EditRefused(f"{subject.name} is nothing that is in front.")
    known = {s.key for s in project.subjects if s.of.hides}
    return project.with_subject(
        replace(subject, of=replace(kind, subjects=tuple(k for k in kind.subjects if k in known)))
    )
