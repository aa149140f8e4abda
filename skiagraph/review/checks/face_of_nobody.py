"""A found face that belongs to no subject."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Decision
from skiagraph.project.overlap import within
from skiagraph.project.rows import shapes_of
from skiagraph.review.faces import judged_once, points_of
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs
from skiagraph.track.results import SIGN


@finding_kind
class FaceOfNobody(FindingKind):
    reason, word, exposing = Reason.NOBODYS_FACE, "Unknown face", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, found = scene.scan.faces, judged_once(scene)
        strange = np.flatnonzero((table.scores >= SIGN) & (found.owner < 0) & (table.frames < scene.clip.frames))
        if scene.project.rest_of(scene.clip.key) is not None:
            # All of the picture is covered but where somebody is shown.
            strange = strange[_seen_beside(scene, table.frames[strange], table.boxes[strange])]
        frames, scores = table.frames[strange], table.scores[strange]
        for first, last in runs(np.unique(frames)):
            here = (frames >= first) & (frames <= last)
            worst = int(np.argmax(np.where(here, scores, 0)))
            yield Finding(scene.clip.key, "", self.reason, first, last, round(int(scores[worst]) / 100, 3), int(frames[worst]))

    def sentence(self, project, finding, told):
        return f"A face at {told.where} belongs to nobody in the register ({told.count}). Draw around it, or accept if it is none."


def _seen_beside(scene, frames: np.ndarray, boxes: np.ndarray) -> np.ndarray:
    """Which faces lie, even in part, where somebody is shown: bool (n,)."""
    seen, points = np.zeros(len(frames), bool), points_of(boxes)
    for subject in scene.project.subjects:
        if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
            continue
        for sighting in scene.sightings(subject):
            rows = scene.rows(sighting)
            here = np.flatnonzero((frames >= sighting.first) & (frames < sighting.first + len(rows)))
            seen[here] |= within(points[here], rows[frames[here] - sighting.first], shapes_of(sighting, frames[here])).any(axis=1)
    return seen
