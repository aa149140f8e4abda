"""Which subjects the register shows, and in what order, as plain values: a test without a window can hold it."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from skiagraph.project.cast import screen_time
from skiagraph.project.model import Clip, Decision, Project, Subject
from skiagraph.review.finding import Finding


class Show(StrEnum):
    """Whom the register lists. Dismissed ones are listed only when asked for."""

    EVERYBODY = "everybody"
    UNDECIDED = "undecided"
    COVERED = "covered"
    SHOWN = "shown"
    TO_LOOK_AT = "to-look-at"
    DOUBTFUL = "doubtful"
    DISMISSED = "dismissed"


class Order(StrEnum):
    FIRST_SEEN = "first-seen"
    SCREEN_TIME = "screen-time"
    FINDINGS = "findings"
    DECISION = "decision"
    NAME = "name"


_BY_DECISION = {Decision.UNDECIDED: 0, Decision.COVER: 1, Decision.SHOW: 2}


def register_rows(
    project: Project,
    clip: Clip,
    waiting: Iterable[Finding],
    show: Show = Show.EVERYBODY,
    order: Order = Order.FIRST_SEEN,
) -> list[Subject]:
    """The subjects of a clip that the register lists, in order; doubtful ones come last."""
    findings: dict[str, int] = {}
    for finding in waiting:
        if finding.clip == clip.key:
            findings[finding.subject] = findings.get(finding.subject, 0) + 1 + 10 * finding.is_exposing
    here = [s for s in project.subjects if s.in_clip(clip.key) or not s.sightings]
    tests = {
        Show.EVERYBODY: lambda s: not s.dismissed,
        Show.DISMISSED: lambda s: s.dismissed,
        Show.UNDECIDED: lambda s: not s.is_decided and s.of.hides,
        Show.COVERED: lambda s: s.is_covered,
        Show.SHOWN: lambda s: s.decision == Decision.SHOW and not s.dismissed and s.of.hides,
        Show.DOUBTFUL: lambda s: s.doubtful and not s.dismissed,
        Show.TO_LOOK_AT: lambda s: s.key in findings,
    }
    first = {s.key: min((g.first for g in s.in_clip(clip.key)), default=clip.frames) for s in here}
    keys = {
        Order.FIRST_SEEN: lambda s: first[s.key],
        Order.SCREEN_TIME: lambda s: -screen_time(project, s),
        Order.FINDINGS: lambda s: -findings.get(s.key, 0),
        Order.DECISION: lambda s: _BY_DECISION[s.decision],
        Order.NAME: lambda s: s.name.casefold(),
    }
    return sorted((s for s in here if tests[show](s)), key=lambda s: (s.doubtful, keys[order](s), first[s.key]))
