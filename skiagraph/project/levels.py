"""Edits of covers at some frames only: whatever a cover says of itself, margin and feather, and the cover on or off.

Pure functions, as in edits.py.
"""

from __future__ import annotations

from skiagraph.errors import EditRefused
from skiagraph.project.entries import entered
from skiagraph.project.model import Cover, Level, Project, Reach, Sighting, Style, replace
from skiagraph.project.presence import sighting_at, trim_sighting
from skiagraph.values import parameters


def set_style_at(project: Project, key: str, clip: str, frame: int, wanted: Style, reach: Reach) -> Project:
    """The project with a subject covered as a style says at a frame; reach says where else.

    Everything about its covers may differ from frame to frame but their kinds and number: another kind is the subject's
    own style. Raises EditRefused where the subject is not seen.
    """
    subject = project.subject(key)
    base = project.style_of(subject)
    sighting = sighting_at(subject, clip, frame)
    if [c.kind for c in base.covers] != [c.kind for c in wanted.covers]:
        return project.with_subject(replace(subject, style=wanted))
    if reach == Reach.ALL:
        return project.with_subject(replace(subject, style=_without_level(wanted, base, sighting, frame)))
    if sighting is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    if reach == Reach.SIGHTING:
        levels = _on_all(sighting, base, wanted, frame)
    else:

        def at(number: int) -> Level:
            margin, feather, _ = (float(v) for v in sighting.level_at(number))
            return replace(
                _level(number, base, replace(base, covers=sighting.covers_at(number, base.covers))),
                margin=margin,
                feather=feather,
            )

        levels = entered(sighting.levels, sighting, _level(frame, base, wanted), reach, at)
    changed = replace(sighting, levels=levels)
    return project.with_subject(
        replace(subject, sightings=tuple(changed if s is sighting else s for s in subject.sightings))
    )


def _level(frame: int, base: Style, wanted: Style) -> Level:
    """What a style has more than another at a frame: strength alone where that says it all, so that it holds for
    another kind of cover too."""
    strength = min(100.0, max(0.01, wanted.cover.strength() / base.cover.strength()))
    alike = tuple(c.stronger(strength) for c in base.covers) if strength != 1 else base.covers
    margin, feather = wanted.margin - base.margin, wanted.feather - base.feather
    return (
        Level(frame, margin, feather, strength)
        if _same(alike, wanted.covers)
        else Level(frame, margin, feather, covers=wanted.covers)
    )


def _on_all(sighting: Sighting, base: Style, wanted: Style, frame: int) -> tuple[Level, ...]:
    """The levels of a sighting with what is wanted at one frame on all of it: what its keyframes say beside that
    stays."""
    if not sighting.levels:
        return (replace(_level(frame, base, wanted), frame=sighting.first),)
    before, here = sighting.level_at(frame), sighting.covers_at(frame, base.covers)
    factor = wanted.cover.strength() / here[0].strength()
    alone = _same(tuple(c.stronger(factor) for c in here), wanted.covers)
    changed = []
    for entry in sighting.levels:
        entry = replace(
            entry,
            margin=entry.margin + wanted.margin - base.margin - float(before[0]),
            feather=entry.feather + wanted.feather - base.feather - float(before[1]),
        )
        if alone:
            entry = replace(entry, strength=min(100.0, max(0.01, entry.strength * factor)))
        else:
            own = sighting.covers_at(entry.frame, base.covers)
            entry = replace(
                entry, strength=1.0, covers=tuple(_changed_alike(c, a, b) for c, a, b in zip(own, here, wanted.covers))
            )
        changed.append(entry)
    return tuple(changed)


def _changed_alike(cover: Cover, before: Cover, after: Cover) -> Cover:
    """A cover changed as another one of its kind was: numbers by as many times, everything else to what it was changed
    to."""
    changed = {}
    for parameter in parameters(type(cover)):
        a, b, mine = (getattr(c, parameter.name) for c in (before, after, cover))
        if a != b:
            changed[parameter.name] = type(mine)(mine * b / a) if parameter.form == "number" and a and mine else b
    return replace(cover, **changed)


def _same(one: tuple, other: tuple) -> bool:
    """Whether covers are the same but for what reckoning rounds away."""
    for a, b in zip(one, other):
        for name in a.__struct_fields__:
            x, y = getattr(a, name), getattr(b, name)
            if x != y and not (isinstance(x, float) and isinstance(y, float) and abs(x - y) < 1e-6):
                return False
    return True


def _without_level(wanted: Style, base: Style, sighting: Sighting | None, frame: int) -> Style:
    """A style as it is meant for every frame, from what is wanted at one: what single frames have more stays more, in
    what was seen there."""
    if sighting is None or not sighting.levels:
        return wanted
    margin, feather, strength = (float(v) for v in sighting.level_at(frame))
    here = sighting.covers_at(frame, base.covers)
    covers = (
        base.covers
        if _same(here, wanted.covers)
        else tuple(c.stronger(1 / strength) for c in wanted.covers)
        if strength != 1
        else wanted.covers
    )
    return replace(
        wanted, covers=covers, margin=max(0.0, wanted.margin - margin), feather=max(0.0, wanted.feather - feather)
    )


def switch_off(project: Project, key: str, clip: str, frame: int, reach: Reach) -> Project:
    """The project with a subject not covered at a frame: in this frame, from here on, in this sighting, or wherever it
    is seen in this clip. At once, in one frame."""
    subject, sighting = project.subject(key), sighting_at(project.subject(key), clip, frame)
    if sighting is None:
        raise EditRefused(f"{subject.name} has no cover at this frame.")
    if reach == Reach.ALL:
        return project.with_subject(replace(subject, sightings=tuple(s for s in subject.sightings if s.clip != clip)))
    if reach == Reach.SIGHTING or sighting.first == sighting.last or reach == Reach.ONWARD and frame == sighting.first:
        return project.with_subject(
            replace(subject, sightings=tuple(s for s in subject.sightings if s is not sighting))
        )
    if reach == Reach.ONWARD or frame == sighting.last:
        return trim_sighting(project, key, clip, frame, sighting.first, frame - 1)
    if frame == sighting.first:
        return trim_sighting(project, key, clip, frame, frame + 1, sighting.last)
    project, new = project.new_id("sightings")
    parts = replace(sighting, last=frame - 1, end_set=True), replace(sighting, key=new, first=frame + 1, begin_set=True)
    return project.with_subject(
        replace(
            project.subject(key),
            sightings=tuple(p for s in subject.sightings for p in (parts if s is sighting else (s,))),
        )
    )
