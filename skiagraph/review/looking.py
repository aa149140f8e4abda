"""What Review shows as its contact sheet: crops of all clips in sections, and how much of them was looked at.

Plain values: a test without a window can hold it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from skiagraph.project.model import Project
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.sheet import Crop, Looked, looked_through, sheet_of


class Arranged(StrEnum):
    """How crops are arranged: those of a person together, as they come; or all by doubt."""

    PERSON = "person"
    DOUBT = "doubt"


@dataclass(frozen=True, slots=True)
class Part:
    """Crops under one heading, each with what was said of it. title, told: whose they are, and how many of them were
    looked at."""

    title: str
    told: str
    crops: tuple[tuple[Crop, Looked], ...]


@dataclass(frozen=True, slots=True)
class Sheet:
    """parts: in order; crops: of all; fine: so many of them were found fine; again: are to be looked at again; changed:
    were looked at, and have changed since."""

    parts: tuple[Part, ...]
    crops: int
    fine: int
    again: int
    changed: int


class SheetMaker:
    """Makes the contact sheet of a project anew after each edit; crops are only made again where something but what was
    looked at has changed."""

    def __init__(self):
        self._made_of: tuple = ()
        self._crops: list[Crop] = []

    def sheet(
        self, project: Project, found: Sequence[Finding], arranged: Arranged = Arranged.PERSON, everything: bool = False
    ) -> Sheet:
        """The contact sheet. found: open findings; everything: also what was found fine.

        Persons come with the most doubtful first.
        """
        decisions = project.decisions
        # What somebody wants looked at again is on the sheet already.
        about = tuple(f for f in found if f.reason != Reason.LOOK_AGAIN)
        made_of = (
            decisions.subjects,
            decisions.style,
            decisions.house,
            decisions.clips,
            project.files,
            project.evidence,
        )
        if (
            len(self._made_of) != 2
            or any(a is not b for a, b in zip(self._made_of[0], made_of))
            or self._made_of[1] != about
        ):
            self._made_of = made_of, about
            self._crops = [crop for clip in project.clips for crop in sheet_of(project, clip.key, about)]
        return whole_sheet(project, self._crops, arranged, everything)


def whole_sheet(
    project: Project, crops: Sequence[Crop], arranged: Arranged = Arranged.PERSON, everything: bool = False
) -> Sheet:
    """Crops with what was said of them, arranged. everything: also what was found fine."""
    every = list(zip(crops, looked_through(project, crops)))
    order = {c.key: n for n, c in enumerate(project.clips)}
    left = [pair for pair in every if everything or not pair[1].is_fine]
    if arranged == Arranged.DOUBT:
        left.sort(key=lambda pair: (-pair[0].doubt, order[pair[0].clip], pair[0].at, pair[0].subject))
        parts = [Part("Most doubtful first", _told(every, len(left)), tuple(left))] if left else []
    else:
        groups: dict[tuple[str, str], list[tuple[Crop, Looked]]] = {}
        for pair in left:
            groups.setdefault((pair[0].subject, pair[0].clip), []).append(pair)
        several = len({c for _, c in groups}) > 1
        whole: dict[tuple[str, str], list[tuple[Crop, Looked]]] = {}
        for pair in every:
            whole.setdefault((pair[0].subject, pair[0].clip), []).append(pair)
        ranked = sorted(groups.items(), key=lambda g: (order[g[0][1]], -_weight(g[1])))
        parts = [
            Part(
                _title(project, subject) + (f" · {project.clip(key).path.name}" if several else ""),
                _told(whole[subject, key], len(members)),
                tuple(members),
            )
            for (subject, key), members in ranked
        ]
    return Sheet(
        tuple(parts),
        len(every),
        sum(one.is_fine for _, one in every),
        sum(one.is_again for _, one in every),
        sum(one.changed for _, one in every),
    )


def _weight(members: Sequence[tuple[Crop, Looked]]) -> float:
    """How doubtful somebody is: the mean of the three most doubtful crops."""
    worst = sorted((crop.doubt for crop, _ in members), reverse=True)[:3]
    return sum(worst) / len(worst)


def _title(project: Project, subject: str) -> str:
    return project.subject(subject).name if subject else "Nobody known"


def _told(every: Sequence[tuple[Crop, Looked]], left: int) -> str:
    fine = sum(looked.is_fine for _, looked in every)
    changed = sum(looked.changed for _, looked in every)
    parts = [
        f"{left} to look at" if fine else f"{left} picture{'s' if left != 1 else ''}",
        f"{fine} fine" if fine else "",
        f"{changed} changed since" if changed else "",
    ]
    return "  ·  ".join(part for part in parts if part)
