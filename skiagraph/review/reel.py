"""Everything that is unsure, one stretch after the other: what is played before delivery."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from skiagraph.project.model import Project
from skiagraph.review.doubt import doubt_of
from skiagraph.review.finding import Finding, Scene, runs

# From this doubt on a frame is played; around each stretch so much is played besides, s.
FROM_DOUBT, AROUND_S = 0.5, 1.0


@dataclass(frozen=True, slots=True)
class ReelPart:
    """One stretch, first .. last, both included. why: what is unsure in it, in words: (name or empty, reason) each;
    subjects: keys of whom it is about."""

    clip: str
    first: int
    last: int
    why: tuple[tuple[str, str], ...]
    subjects: tuple[str, ...]


def reel_of(project: Project, found: Iterable[Finding]) -> list[ReelPart]:
    """All doubtful stretches of all clips, with a second around each; those that touch are one. found: open
    findings."""
    parts: list[ReelPart] = []
    here: dict[str, list[Finding]] = {}
    for finding in found:
        here.setdefault(finding.clip, []).append(finding)
    for clip in project.clips:
        scene = Scene.of(project, clip.key)
        doubtful = _doubtful(scene) + [
            (f.first, f.last, f.subject, f.kind.word)
            for f in here.get(clip.key, ())
            if f.last - f.first < clip.frames - 1
        ]
        if not doubtful:
            continue
        around = round(AROUND_S * float(clip.rate))
        wanted = np.zeros(clip.frames, bool)
        for first, last, _, _ in doubtful:
            wanted[max(0, first - around) : last + around + 1] = True
        for first, last in runs(np.flatnonzero(wanted), join=1):
            about = [(key, word) for begin, end, key, word in doubtful if begin <= last and end >= first]
            why = tuple(dict.fromkeys((project.subject(key).name if key else "", word) for key, word in about))
            parts.append(ReelPart(clip.key, first, last, why, tuple(dict.fromkeys(key for key, _ in about if key))))
    return parts


def _doubtful(scene: Scene) -> list[tuple[int, int, str, str]]:
    """Frames of everybody covered that are doubtful: first, last, subject, reason."""
    covered = [(s, sightings) for s in scene.project.subjects if s.is_covered and (sightings := scene.sightings(s))]
    found = []
    for subject, sightings in covered:
        for sighting in sightings:
            doubt = doubt_of(scene, subject, sighting, covered)
            most = doubt.most
            for first, last in runs(np.flatnonzero(most >= FROM_DOUBT)):
                worst = first + int(np.argmax(most[first : last + 1]))
                found.append((sighting.first + first, sighting.first + last, subject.key, doubt.why(worst)))
    return found
