"""A found face that belongs to no subject."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Clip, Decision
from skiagraph.review.checks.maybe_at_edge import AT_EDGE_FRAMES
from skiagraph.review.faces import judged_once, within_heads
from skiagraph.review.finding import Finding, Reason, finding_kind, runs
from skiagraph.review.unknown_faces import UnknownFinding
from skiagraph.track.results import SIGN, FaceTable
from skiagraph.track.stepping import step_of


@finding_kind
class FaceOfNobody(UnknownFinding):
    reason, word, exposing = Reason.NOBODYS_FACE, "Unknown face", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, strange = scene.scan.faces, _strange(scene)
        frames, scores, boxes = table.frames[strange], table.scores[strange], table.boxes[strange]
        bounds = np.array([0, *scene.cuts, scene.clip.frames])
        unseen = step_of(scene.scan.every, float(scene.clip.rate)) - 1
        for first, last in runs(np.unique(frames)):
            here = (frames >= first) & (frames <= last)
            worst = int(np.argmax(np.where(here, scores, 0)))
            shot = int(np.searchsorted(bounds, first, side="right")) - 1, int(np.searchsorted(bounds, last, side="right"))
            begin, end = int(bounds[shot[0]]), int(bounds[shot[1]]) - 1
            # They may have been there since all of the picture was searched the time before, and until the next; and whoever is coming into the picture just there is not found at once.
            before, after = (max(unseen, AT_EDGE_FRAMES if _at_edge(boxes[frames == frame], scene.clip) else 0) if ends else unseen for frame, ends in ((first, last == end), (last, first == begin)))
            yield Finding(scene.clip.key, "", self.reason, max(begin, first - before), min(end, last + after), round(int(scores[worst]) / 100, 3), int(frames[worst]))

    def unknown_faces(self, scene, finding):
        if scene.scan is None:
            return FaceTable.none(), np.zeros(0, int)
        table, strange = scene.scan.faces, _strange(scene)
        return table, strange[(table.frames[strange] >= finding.first) & (table.frames[strange] <= finding.last)]

    def sentence(self, project, finding, told):
        return f"A face at {told.where} belongs to nobody in the register ({told.count}). Cover it, or accept if it is none."


def _strange(scene) -> np.ndarray:
    """Rows of the scan's table with faces of nobody, of which something is seen."""
    table = scene.scan.faces
    strange = np.flatnonzero((table.scores >= SIGN) & (judged_once(scene).owner < 0) & (table.frames < scene.clip.frames))
    if scene.project.rest_of(scene.clip.key) is not None:
        # All of the picture is covered but where somebody is shown.
        strange = strange[_seen_beside(scene, table.frames[strange], table.boxes[strange])]
    return strange


def _at_edge(boxes: np.ndarray, clip: Clip) -> bool:
    """Whether any of some faces reaches the edge of the picture."""
    return bool(((boxes[:, :2] <= 0) | (boxes[:, 2:] >= [clip.width, clip.height])).any())


def _seen_beside(scene, frames: np.ndarray, boxes: np.ndarray) -> np.ndarray:
    """Which faces lie, even in part, where somebody is shown: bool (n,)."""
    shown = [s for s in scene.project.subjects if s.decision == Decision.SHOW and not s.dismissed and s.of.hides]
    return within_heads(scene, shown, frames, boxes, lambda subject, rows: 0.0).any(axis=1)
