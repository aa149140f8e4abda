"""Edits of how a whole project is covered: house styles, versions, the reverse, and labels.

Pure functions, as in edits.py.
"""

from __future__ import annotations

from skiagraph.cover.label import Label
from skiagraph.errors import EditRefused
from skiagraph.project.decisions import Rest, Version
from skiagraph.project.house import HouseStyle, default_house_style
from skiagraph.project.model import Project, Style, replace


def begun_project() -> Project:
    """An empty project, in the house style that this user's begin with."""
    style = default_house_style()
    return use_house_style(Project(), style) if style is not None else Project()


def use_house_style(project: Project, style: HouseStyle) -> Project:
    """The project with a house style for everybody; outlines, paths, keyframes and labels stay."""
    return project.deciding(
        style=style.style,
        house=style.house,
        subjects=tuple(replace(s, style=None) if s.style else s for s in project.subjects),
    )


def house_style_of(project: Project, name: str) -> HouseStyle:
    """How a project is covered, as a house style of a name."""
    return HouseStyle(style=project.style, house=replace(project.decisions.house, name=" ".join(name.split())[:100]))


# Versions


def versions(project: Project) -> list[str]:
    """Names of the versions, in order; none while there is only one look."""
    return [version.name for version in project.decisions.versions]


def add_version(project: Project, name: str) -> Project:
    """The project with a version more, which looks as the present one does until it is changed, and is worked on from
    now. The first time what there was becomes a version too."""
    name = " ".join(name.split())[:100]
    if not name:
        raise EditRefused("A version needs a name, such as the house it is for.")
    if name in versions(project):
        raise EditRefused(f"There is a version “{name}” already; choose another name.")
    if not project.decisions.versions:
        first = project.decisions.house.name or "Version 1"
        first = first if first != name else f"{first} (before)"
        project = project.deciding(versions=(_present(project, first),), version=first)
    project = _kept(project)
    return project.deciding(versions=(*project.decisions.versions, _present(project, name)), version=name)


def in_version(project: Project, name: str) -> Project:
    """The project in one of its versions: its styles for everybody, on the same paths and outlines.

    Raises EditRefused where there is none of the name.
    """
    if name == project.decisions.version:
        return project
    project = _kept(project)
    wanted = next((v for v in project.decisions.versions if v.name == name), None)
    if wanted is None:
        raise EditRefused(f"There is no version “{name}”; there are {', '.join(versions(project)) or 'none'}.")
    return project.deciding(
        style=wanted.style,
        house=wanted.house,
        rests=wanted.rests,
        version=name,
        subjects=tuple(
            replace(s, style=wanted.styles.get(s.key)) if s.style != wanted.styles.get(s.key) else s
            for s in project.subjects
        ),
    )


def rename_version(project: Project, name: str) -> Project:
    """The project with its present version called otherwise."""
    name, now = " ".join(name.split())[:100], project.decisions.version
    if not name or not now:
        raise EditRefused("A version needs a name, such as the house it is for.")
    if name != now and name in versions(project):
        raise EditRefused(f"There is a version “{name}” already; choose another name.")
    return project.deciding(
        versions=tuple(replace(v, name=name) if v.name == now else v for v in project.decisions.versions), version=name
    )


def remove_version(project: Project, name: str) -> Project:
    """The project without a version; the one before it is worked on where that was the present one."""
    names = versions(project)
    if name not in names or len(names) < 2:
        raise EditRefused("The only version stays; add another one first.")
    if name == project.decisions.version:
        at = names.index(name)
        project = in_version(project, names[at - 1] if at else names[1])
    return project.deciding(versions=tuple(v for v in project.decisions.versions if v.name != name))


def _present(project: Project, name: str) -> Version:
    """How the project looks now, as a version of a name."""
    return Version(
        name,
        project.style,
        project.decisions.house,
        {s.key: s.style for s in project.subjects if s.style is not None},
        project.decisions.rests,
    )


def _kept(project: Project) -> Project:
    """With what the present version looks like noted in it."""
    now = project.decisions.version
    return project.deciding(
        versions=tuple(_present(project, now) if v.name == now else v for v in project.decisions.versions)
    )


# The reverse


def cover_rest(project: Project, clip: str, style: Style | None = None) -> Project:
    """The project with everything in a clip covered but those who are shown. style: None for the project's."""
    project.clip(clip)
    return project.deciding(rests=(*(r for r in project.decisions.rests if r.clip != clip), Rest(clip, style)))


def uncover_rest(project: Project, clip: str) -> Project:
    """The project with only those covered in a clip who are to be."""
    return project.deciding(rests=tuple(r for r in project.decisions.rests if r.clip != clip))


# Labels


def set_label(project: Project, key: str, label: Label | None) -> Project:
    """The project with words beside a subject, or without them."""
    return project.with_subject(replace(project.subject(key), label=label))
