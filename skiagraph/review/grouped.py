"""The list of findings as Review shows it: filtered, worst first, in groups.

Plain values: a test without a window can hold it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from skiagraph.project.model import Acceptance, Project
from skiagraph.review.finding import Finding
from skiagraph.review.findings import accepted_by, was_accepted


class State(StrEnum):
    """Which findings are listed."""

    OPEN = "open"
    ACCEPTED = "accepted"
    ALL = "all"


class By(StrEnum):
    """What findings are grouped by."""

    WORST = "worst"
    PERSON = "person"
    CLIP = "clip"
    REASON = "reason"


@dataclass(frozen=True, slots=True)
class Listed:
    """One finding in the list. again: somebody accepted it before what it is about changed."""

    finding: Finding
    answer: Acceptance | None = None
    again: bool = False


@dataclass(frozen=True, slots=True)
class Group:
    """title: what its findings have in common."""

    title: str
    rows: tuple[Listed, ...]


def listed(project: Project, found: Sequence[Finding], state: State = State.OPEN) -> list[Listed]:
    """The findings of a state, each with its answer."""
    rows = []
    for finding in found:
        answer = accepted_by(project, finding)
        if state == State.ALL or (answer is not None) == (state == State.ACCEPTED):
            rows.append(Listed(finding, answer, answer is None and was_accepted(project, finding)))
    return rows


def grouped(project: Project, rows: Sequence[Listed], by: By = By.WORST) -> list[Group]:
    """The rows in groups: those that may show somebody first in each, then in the order of clips and frames; persons in
    the order of the register, reasons with the most findings first."""
    order = {clip.key: n for n, clip in enumerate(project.clips)}
    place = {subject.key: n for n, subject in enumerate(project.subjects)}
    titles = {
        By.WORST: lambda f: "May show somebody" if f.is_exposing else "Worth a look",
        By.PERSON: lambda f: project.subject(f.subject).name if f.subject else "Nobody known",
        By.CLIP: lambda f: project.clip(f.clip).path.name,
        By.REASON: lambda f: f.kind.word,
    }
    keys = {
        By.WORST: lambda f: not f.is_exposing,
        By.PERSON: lambda f: place.get(f.subject, len(place)),
        By.CLIP: lambda f: order[f.clip],
        By.REASON: lambda f: f.reason,
    }
    groups: dict[object, list[Listed]] = {}
    for row in sorted(rows, key=lambda r: (not r.finding.is_exposing, order[r.finding.clip], r.finding.first)):
        groups.setdefault(keys[by](row.finding), []).append(row)
    ranked = sorted(groups.items(), key=(lambda g: (-len(g[1]), g[0])) if by == By.REASON else lambda g: g[0])
    return [Group(titles[by](members[0].finding), tuple(members)) for _, members in ranked]
