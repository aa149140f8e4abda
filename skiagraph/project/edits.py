"""Edits: named pure functions from one project to the next.

Input is never changed. Those of outlines are in outlines.py, those of who is who in cast.py.

All raise EditRefused, with a sentence, when asked for something that makes no sense on the project given.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path as FilePath

from skiagraph.errors import EditRefused
from skiagraph.project.model import (
    Acceptance,
    Clip,
    Glance,
    Marker,
    PersonSubject,
    Project,
    Style,
    Subject,
    SubjectKind,
    VoiceRange,
    replace,
)
from skiagraph.project.programme import Programme


def add_clip(project: Project, facts: Clip) -> Project:
    """The project with a clip more; its key is given here. The same contents twice are refused."""
    for clip in project.clips:
        if clip.fingerprint == facts.fingerprint and clip.size == facts.size:
            raise EditRefused(f"{facts.path.name} is in the project already.")
    project, key = project.new_id("clips")
    return replace(project, files=(*project.files, replace(facts, key=key))).deciding(
        clips=(*project.decisions.clips, key)
    )


def remove_clip(project: Project, key: str) -> Project:
    """The project without a clip and without everybody who was seen only there."""
    project.clip(key)
    subjects = []
    for subject in project.subjects:
        left = tuple(s for s in subject.sightings if s.clip != key)
        if left or not subject.sightings:
            portrait = subject.portrait if subject.portrait and subject.portrait.clip != key else None
            subjects.append(replace(subject, sightings=left, portrait=portrait))
    there = {s.key for s in subjects}
    return project.deciding(
        clips=tuple(c for c in project.decisions.clips if c != key),
        subjects=tuple(subjects),
        accepted=tuple(a for a in project.accepted if a.clip != key),
        glances=tuple(g for g in project.decisions.glances if g.clip != key),
        likenesses=tuple(n for n in project.likenesses if n.one in there and n.other in there),
        markers=tuple(m for m in project.decisions.markers if m.clip != key),
        rests=tuple(r for r in project.decisions.rests if r.clip != key),
        versions=tuple(
            replace(v, rests=tuple(r for r in v.rests if r.clip != key)) for v in project.decisions.versions
        ),
        voices=_voices_without(project, {s.key for s in project.subjects} - there, lambda v: v.clip != key),
    )


def use_programme(project: Project, programme: Programme | None) -> Project:
    """The project with the edit list that says what is used of its clips; None for all of them.

    Covers do not depend on it.
    """
    return project.deciding(programme=programme)


def relink_clip(project: Project, key: str, path: FilePath, fingerprint: str = "") -> Project:
    """The project with a clip found at another place. fingerprint: of the file there as the clip's was made, empty
    where it was compared before. Raises EditRefused when the contents are others."""
    clip = project.clip(key)
    path = FilePath(path).absolute()
    if fingerprint and fingerprint != clip.fingerprint:
        raise EditRefused(f"{path.name} is not the same file as {clip.path.name} was; choose the original.")
    return project.with_clip(replace(clip, path=path))


def rename(project: Project, key: str, name: str) -> Project:
    name = " ".join(name.split())
    if not name:
        raise EditRefused("A subject needs a name; type one or leave it as it was.")
    return project.with_subject(replace(project.subject(key), name=name[:80], named=True))


def remove_subjects(project: Project, keys: Iterable[str]) -> Project:
    keys = set(keys)
    # A holdout of somebody who is gone is in front of nobody else for it.
    return project.deciding(
        subjects=tuple(s for s in project.subjects if s.key not in keys),
        accepted=tuple(a for a in project.accepted if a.subject not in keys),
        glances=tuple(g for g in project.decisions.glances if g.subject not in keys),
        likenesses=tuple(n for n in project.likenesses if n.one not in keys and n.other not in keys),
        voices=_voices_without(project, keys),
        speakers=tuple(s for s in project.decisions.speakers if s.subject not in keys),
    )


def _voices_without(
    project: Project, gone: set[str], kept: Callable[[VoiceRange], bool] = lambda voice: True
) -> tuple[VoiceRange, ...]:
    """Ranges of sound after some subjects are gone: they stay disguised, and are nobody's."""
    return tuple(replace(v, subject="") if v.subject in gone else v for v in project.decisions.voices if kept(v))


def set_style(project: Project, key: str, style: Style | None) -> Project:
    """One subject's cover; None gives it back to the project's."""
    return project.with_subject(replace(project.subject(key), style=style))


def set_project_style(project: Project, style: Style) -> Project:
    return project.deciding(style=style)


def set_style_for_all(project: Project, style: Style) -> Project:
    """One cover for everybody: the project's, and nobody has another; what else the house wants stays."""
    return project.deciding(
        style=style,
        house=replace(project.decisions.house, by_kind={}),
        subjects=tuple(replace(s, style=None) if s.style else s for s in project.subjects),
    )


def next_name(project: Project, word: str | None = None, of: SubjectKind = PersonSubject()) -> str:
    """A name that reads well for somebody unnamed: “Person 3”."""
    word = word or of.word
    numbers = [
        int(s.name[len(word) + 1 :])
        for s in project.subjects
        if s.name.startswith(f"{word} ") and s.name[len(word) + 1 :].isdigit()
    ]
    return f"{word} {max(numbers, default=0) + 1}"


def with_new_subject(project: Project, **fields) -> tuple[Project, Subject]:
    """The project with somebody more at the end of the register, and who that is."""
    project, key = project.new_id("subjects")
    subject = Subject(key, fields.pop("name", None) or next_name(project), **fields)
    return project.deciding(subjects=(*project.subjects, subject)), subject


def accept(project: Project, *acceptances: Acceptance) -> Project:
    """The project with findings accepted by somebody. A name is needed: somebody answers for it."""
    if any(not a.by.strip() for a in acceptances):
        raise EditRefused("Type the name of whoever accepts this finding.")
    return project.deciding(accepted=(*project.accepted, *acceptances))


def withdraw(project: Project, *acceptances: Acceptance) -> Project:
    """The project with findings open again that somebody had accepted."""
    return project.deciding(accepted=tuple(a for a in project.accepted if a not in acceptances))


# What was looked at


def glance(project: Project, glances: Iterable[Glance]) -> Project:
    """The project with what somebody said of stretches of the result; what was said of the same stretches before
    goes."""
    new = tuple(glances)
    places = {(g.clip, g.subject, g.first, g.last) for g in new}
    return (
        project.deciding(
            glances=(
                *(g for g in project.decisions.glances if (g.clip, g.subject, g.first, g.last) not in places),
                *new,
            )
        )
        if new
        else project
    )


def unglance(project: Project, glances: Iterable[Glance]) -> Project:
    """The project without having said so."""
    gone = set(glances)
    return project.deciding(glances=tuple(g for g in project.decisions.glances if g not in gone))


# Markers


def set_marker(project: Project, clip: str, frame: int, name: str) -> Project:
    """The project with a marker of a name at a frame; one that is there gets the name, and without a name it goes."""
    if not 0 <= frame < project.clip(clip).frames:
        raise EditRefused(f"{project.clip(clip).path.name} has no frame {frame}.")
    name = " ".join(name.split())[:200]
    others = [m for m in project.decisions.markers if (m.clip, m.frame) != (clip, frame)]
    if not name and len(others) == len(project.decisions.markers):
        raise EditRefused("There is no marker at this frame.")
    order = {c.key: n for n, c in enumerate(project.clips)}
    made = [*others, Marker(clip, frame, name)] if name else others
    return project.deciding(markers=tuple(sorted(made, key=lambda m: (order.get(m.clip, 0), m.frame))))


def move_marker(project: Project, clip: str, frame: int, to: int) -> Project:
    """The project with a marker at another frame of its clip; one that was there goes."""
    marker = next((m for m in project.decisions.markers if (m.clip, m.frame) == (clip, frame)), None)
    if marker is None:
        raise EditRefused("There is no marker at this frame.")
    to = max(0, min(to, project.clip(clip).frames - 1))
    return project if to == frame else set_marker(set_marker(project, clip, frame, ""), clip, to, marker.name)
