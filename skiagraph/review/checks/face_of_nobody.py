"""A found face that belongs to no subject."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Clip, Decision
from skiagraph.review.checks.maybe_at_edge import AT_EDGE_FRAMES
from skiagraph.review.faces import judged_once, within_heads
from skiagraph.review.finding import Finding, Reason, finding_kind
from skiagraph.review.unknown_faces import UnknownFinding, box_of, run_with, runs_of
from skiagraph.track.results import SIGN, FaceTable
from skiagraph.track.stepping import step_of


@finding_kind
class FaceOfNobody(UnknownFinding):
    reason, word, exposing = Reason.NOBODYS_FACE, "Unknown face", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, bounds, unseen = scene.scan.faces, np.array([0, *scene.cuts, scene.clip.frames]), _unseen(scene)
        for run in runs_of(table, _strange(scene), scene.cuts, unseen):
            best, (first, last) = (
                max(run, key=lambda row: (table.scores[row], -row)),
                table.frames[[run[0], run[-1]]].tolist(),
            )
            shot = int(np.searchsorted(bounds, first, side="right"))
            begin, end = int(bounds[shot - 1]), int(bounds[shot]) - 1
            # They may have been there since all of the picture was searched the time before, and until the next; and
            # whoever is coming into the picture just there is not found at once.
            before, after = (
                max(unseen, AT_EDGE_FRAMES if _at_edge(table.boxes[row], scene.clip) else 0) if ends else unseen
                for row, ends in ((run[0], last == end), (run[-1], first == begin))
            )
            yield Finding(
                scene.clip.key,
                "",
                self.reason,
                max(begin, first - before),
                min(end, last + after),
                int(table.scores[best]) / 100,
                int(table.frames[best]),
                box_of(table, best),
            )

    def unknown_faces(self, scene, finding):
        table = scene.scan.faces if scene.scan is not None else FaceTable.none()
        return table, run_with(
            finding, table, runs_of(table, _strange(scene), scene.cuts, _unseen(scene)) if len(table) else ()
        )

    def sentence(self, project, finding, told):
        return (
            f"A face at {told.where} belongs to nobody in the register ({told.count}). Cover it, or accept if it is"
            " none."
        )


def _strange(scene) -> np.ndarray:
    """Rows of the scan's table with faces of nobody, of which something is seen."""
    table = scene.scan.faces
    strange = np.flatnonzero(
        (table.scores >= SIGN) & (judged_once(scene).owner < 0) & (table.frames < scene.clip.frames)
    )
    if scene.project.rest_of(scene.clip.key) is not None:
        # All of the picture is covered but where somebody is shown.
        strange = strange[_seen_beside(scene, table.frames[strange], table.boxes[strange])]
    return strange


def _unseen(scene) -> int:
    """So many frames in a row the scan did not search whole."""
    return step_of(scene.scan.every, float(scene.clip.rate)) - 1


def _at_edge(box: np.ndarray, clip: Clip) -> bool:
    """Whether a face reaches the edge of the picture."""
    return bool(((box[:2] <= 0) | (box[2:] >= [clip.width, clip.height])).any())


def _seen_beside(scene, frames: np.ndarray, boxes: np.ndarray) -> np.ndarray:
    """Which faces lie, even in part, where somebody is shown: bool (n,)."""
    shown = [s for s in scene.project.subjects if s.decision == Decision.SHOW and not s.dismissed and s.of.hides]
    return within_heads(scene, shown, frames, boxes, lambda subject, rows: 0.0).any(axis=1)
