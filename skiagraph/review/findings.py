"""All findings on a project, and which of them a person accepted.

Made after every edit; only what changed is checked again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from skiagraph.boxes import iou
from skiagraph.logs import log
from skiagraph.project.looked import looked_at
from skiagraph.project.model import Acceptance, Project, Sighting, Subject
from skiagraph.project.rows import CX, CY, GROW, HEIGHT, WIDTH
from skiagraph.remembering import Remembered
from skiagraph.review.finding import KINDS, Finding, FindingKind, Reason, Scene

# Of others near somebody so many are looked at for whether they hide them.
MOST_NEIGHBOURS = 64
# Overlap (IoU) of two faces of nobody from which on what is accepted of one is accepted of the other. Larger: more is
# asked again.
SAME_PLACE = 0.2
_BOUNDS = Remembered(8 << 20)
_KEPT = Remembered(32 << 20, size=lambda found: 200 * (1 + len(found)))


def findings(project: Project) -> list[Finding]:
    """All findings on a project, in the order of clips and frames, accepted ones included.

    A check that fails is a finding itself: what it would have found is not known.
    """
    found: list[Finding] = []
    for clip in project.clips:
        scene = Scene.of(project, clip.key)
        of_clip = (clip,) if scene.scan is None else (clip, scene.scan)
        covered = list(scene.covered())
        neighbours = _neighbours(scene, covered)
        for kind in list(KINDS.values()):
            found += _kept(kind, scene, of_clip, ("clip", kind.reason), lambda k=kind: k.on_clip(scene))
            found += _guarded(kind, scene, lambda k=kind: k.on_scene(scene))
        for (subject, sightings), others in zip(covered, neighbours):
            style = (subject.key, round(project.style_of(subject).margin, 4))
            rest = tuple((other.key, round(project.style_of(other).margin, 4)) for other, _ in others)
            for kind in list(KINDS.values()):
                if type(kind).on_subject is not FindingKind.on_subject:
                    found += _kept(
                        kind,
                        scene,
                        (*of_clip, *sightings),
                        ("subject", kind.reason, style),
                        lambda k=kind: k.on_subject(scene, subject, sightings),
                    )
                if type(kind).among is not FindingKind.among:
                    found += _kept(
                        kind,
                        scene,
                        (*of_clip, *sightings, *(s for _, s in others)),
                        ("among", kind.reason, style, rest),
                        lambda k=kind: k.among(scene, subject, sightings, others),
                    )
    order = {clip.key: n for n, clip in enumerate(project.clips)}
    return sorted(found, key=lambda f: (order[f.clip], f.first, f.subject, f.reason))


def _kept(
    kind: FindingKind, scene: Scene, values: tuple, key: tuple, check: Callable[[], Iterable[Finding]]
) -> tuple[Finding, ...]:
    return _KEPT.get(values, key, lambda: _guarded(kind, scene, check))


def _guarded(kind: FindingKind, scene: Scene, check: Callable[[], Iterable[Finding]]) -> tuple[Finding, ...]:
    try:
        return tuple(check())
    except Exception:
        log.exception("the check for %s failed", kind.reason)
        return (Finding(scene.clip.key, "", Reason.CHECK_FAILED, 0, scene.clip.frames - 1, 0.0, 0),)


def _neighbours(scene: Scene, covered: list[tuple[Subject, list[Sighting]]]) -> list[list[tuple[Subject, Sighting]]]:
    """For each covered subject, the sightings of the other covered ones that share frames with it and come near it;
    where these are more than can be compared, the nearest. Whoever is left out hides nobody, so that there are rather
    more findings than fewer."""
    every = [(n, subject, s) for n, (subject, sightings) in enumerate(covered) for s in sightings]
    if not every:
        return []
    who = np.array([n for n, _, _ in every], int)
    bounds = np.array(
        [
            _BOUNDS.get(
                (s, scene.clip),
                round(scene.project.style_of(subject).margin, 4),
                lambda s=s, subject=subject: _bounds_of(scene, subject, s),
            )
            for _, subject, s in every
        ]
    )
    starts = np.concatenate([[0], np.cumsum([len(sightings) for _, sightings in covered])])
    found = []
    for n in range(len(covered)):
        mine = bounds[starts[n] : starts[n + 1]]
        near = np.zeros(len(every), bool)
        for low, high in zip(mine[:, :3], mine[:, 3:]):
            near |= ((bounds[:, :3] <= high) & (bounds[:, 3:] >= low)).all(axis=1)
        chosen = np.flatnonzero(near & (who != n))
        if len(chosen) > MOST_NEIGHBOURS:
            away = np.abs(bounds[chosen] - mine[0]).sum(axis=1)
            chosen = np.sort(chosen[np.argsort(away, kind="stable")[:MOST_NEIGHBOURS]])
        found.append([every[i][1:] for i in chosen])
    return found


def _bounds_of(scene: Scene, subject: Subject, sighting: Sighting) -> np.ndarray:
    """What a sighting's covers never reach beyond: (6,), least frame, x, y and largest, px."""
    rows = scene.rows(sighting)
    reach = np.hypot(rows[:, WIDTH], rows[:, HEIGHT]) / 2 * (1 + scene.project.style_of(subject).margin + rows[:, GROW])
    # By a frame more, so that what goes on where this ends, or ends where it begins, is near too.
    return np.array(
        [
            sighting.first - 1,
            (rows[:, CX] - reach).min(),
            (rows[:, CY] - reach).min(),
            sighting.last + 1,
            (rows[:, CX] + reach).max(),
            (rows[:, CY] + reach).max(),
        ]
    )


# Accepting


def acceptance_of(project: Project, finding: Finding, by: str, note: str = "") -> Acceptance:
    """The acceptance of a finding by somebody, bound to what was looked at."""
    return Acceptance(
        finding.clip,
        finding.subject,
        finding.reason,
        finding.first,
        finding.last,
        by,
        note,
        looked_at(project, finding.clip, finding.subject, finding.first, finding.last, finding.kind.of_cover),
        finding.box,
    )


def accepted_by(project: Project, finding: Finding) -> Acceptance | None:
    """The acceptance that closes a finding: of it or of one that contains it, at its place, as long as what was looked
    at is as it was."""
    for a in project.accepted:
        if (
            a.clip == finding.clip
            and a.subject == finding.subject
            and a.reason == finding.reason
            and a.first <= finding.first
            and finding.last <= a.last
            and _at_place(a, finding)
            and a.looked == looked_at(project, a.clip, a.subject, a.first, a.last, finding.kind.of_cover)
        ):
            return a
    return None


def _at_place(acceptance: Acceptance, finding: Finding) -> bool:
    """Whether what was accepted is the face that a finding is about, where it is about one."""
    if acceptance.box is None or finding.box is None:
        return acceptance.box is finding.box
    return bool(iou(np.array([acceptance.box], float), np.array([finding.box], float))[0, 0] >= SAME_PLACE)


def is_accepted(project: Project, finding: Finding) -> bool:
    return accepted_by(project, finding) is not None


def was_accepted(project: Project, finding: Finding) -> bool:
    """True for an open finding that somebody accepted before what it is about changed."""
    return any(
        a.clip == finding.clip
        and a.subject == finding.subject
        and a.reason == finding.reason
        and a.first <= finding.last
        and finding.first <= a.last
        and (a.box is None or _at_place(a, finding))
        for a in project.accepted
    ) and not is_accepted(project, finding)


def open_findings(project: Project, found: Iterable[Finding] | None = None) -> list[Finding]:
    return [f for f in (findings(project) if found is None else found) if not is_accepted(project, f)]
