"""Edits of covers at some frames only: margin, feather and strength, and the cover on or off. Pure functions, as in edits.py."""

from __future__ import annotations

from skiagraph.errors import EditRefused
from skiagraph.project.entries import entered
from skiagraph.project.model import Level, Project, Reach, Style, replace
from skiagraph.project.outlines import sighting_at, trim_sighting


def set_style_at(project: Project, key: str, clip: str, frame: int, wanted: Style, reach: Reach) -> Project:
    """The project with a subject covered as a style says at a frame; reach says where else. Only the margin, the feather and the strength can differ from frame to frame;
    every sighting, and another kind of cover, is the subject's own style. Raises EditRefused where the subject is not seen."""
    subject = project.subject(key)
    base = project.style_of(subject)
    sighting = sighting_at(subject, clip, frame)
    if [c.kind for c in base.covers] != [c.kind for c in wanted.covers]:
        return project.with_subject(replace(subject, style=wanted))
    if reach == Reach.ALL:
        # What single frames have more stays more: it is in what was seen at this frame, and not in the style.
        margin, feather, strength = sighting.level_at(frame) if sighting else (0.0, 0.0, 1.0)
        covers = tuple(c.stronger(1 / float(strength)) for c in wanted.covers) if strength != 1 else wanted.covers
        return project.with_subject(replace(subject, style=replace(wanted, covers=covers, margin=max(0.0, wanted.margin - float(margin)), feather=max(0.0, wanted.feather - float(feather)))))
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    level = Level(frame, wanted.margin - base.margin, wanted.feather - base.feather, min(100.0, max(0.01, wanted.cover.strength() / base.cover.strength())))
    if reach == Reach.SIGHTING:
        before = sighting.level_at(frame)
        levels = tuple(replace(e, margin=e.margin + level.margin - before[0], feather=e.feather + level.feather - before[1], strength=e.strength * level.strength / before[2])
                       for e in sighting.levels) or (replace(level, frame=sighting.first),)
    else:
        def at(number: int) -> Level:
            margin, feather, strength = (float(v) for v in sighting.level_at(number))
            return Level(number, margin, feather, strength)

        levels = entered(sighting.levels, sighting, level, reach, at)
    changed = replace(sighting, levels=levels)
    return project.with_subject(replace(subject, sightings=tuple(changed if s is sighting else s for s in subject.sightings)))


def switch_off(project: Project, key: str, clip: str, frame: int, reach: Reach) -> Project:
    """The project with a subject not covered at a frame: in this frame, from here on, in this sighting, or wherever it is seen in this clip. At once, in one frame."""
    subject, sighting = project.subject(key), sighting_at(project.subject(key), clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} has no cover at this frame.")
    if reach == Reach.ALL:
        return project.with_subject(replace(subject, sightings=tuple(s for s in subject.sightings if s.clip != clip)))
    if reach == Reach.SIGHTING or sighting.first == sighting.last or reach == Reach.ONWARD and frame == sighting.first:
        return project.with_subject(replace(subject, sightings=tuple(s for s in subject.sightings if s is not sighting)))
    if reach == Reach.ONWARD or frame == sighting.last:
        return trim_sighting(project, key, clip, frame, sighting.first, frame - 1)
    if frame == sighting.first:
        return trim_sighting(project, key, clip, frame, frame + 1, sighting.last)
    project, new = project.new_id("sightings")
    parts = replace(sighting, last=frame - 1, end_set=True), replace(sighting, key=new, first=frame + 1, begin_set=True)
    return project.with_subject(replace(project.subject(key), sightings=tuple(p for s in subject.sightings for p in (parts if s is sighting else (s,)))))
