"""What a strict search of the clip found and nobody knows of: each run of it is listed, and covered by one click."""

from __future__ import annotations

import numpy as np

from skiagraph.review.faces import within_heads
from skiagraph.review.finding import Finding, Reason, finding_kind
from skiagraph.review.unknown_faces import UnknownFinding, box_of, run_with, runs_of
from skiagraph.track.results import FaceTable

# Share of a face in somebody's head from which on it is theirs; heads reach further by this.
KNOWN, BEYOND = 0.5, 0.2


@finding_kind
class StrictSweep(UnknownFinding):
    reason, word, exposing = Reason.STRICT, "Maybe a face", True

    def on_scene(self, scene):
        sweep = scene.project.evidence.sweep_of(scene.clip.key)
        if sweep is None or not len(sweep.faces):
            return
        table = sweep.faces
        strange = np.flatnonzero(~_known(scene, table) & (table.frames < scene.clip.frames))
        for run in runs_of(table, strange, scene.cuts):
            best = max(run, key=lambda n: (table.scores[n], -table.frames[n]))
            yield Finding(
                scene.clip.key,
                "",
                self.reason,
                int(table.frames[run[0]]),
                int(table.frames[run[-1]]),
                int(table.scores[best]) / 100,
                int(table.frames[best]),
                box_of(table, best),
            )

    def unknown_faces(self, scene, finding):
        sweep = scene.project.evidence.sweep_of(finding.clip)
        table = sweep.faces if sweep is not None else FaceTable.none()
        here = np.flatnonzero((table.frames >= finding.first) & (table.frames <= finding.last))
        here = here[~_known(scene, FaceTable(table.frames[here], table.boxes[here], table.scores[here]))]
        return table, run_with(finding, table, runs_of(table, here, scene.cuts))

    def sentence(self, project, finding, told):
        return (
            f"The strict search sees what may be a face at {told.where} ({told.count}, score {finding.worst:.2f}), and"
            " nobody in the register is there. Look; cover it, or accept if it is none."
        )


def _known(scene, table: FaceTable) -> np.ndarray:
    """Which faces lie in the head of somebody in the register, covered or shown: bool (n,)."""
    people = [s for s in scene.project.subjects if s.of.hides]
    return within_heads(scene, people, table.frames, table.boxes, lambda subject, rows: BEYOND).mean(axis=1) >= KNOWN
