"""A found face that is not fully inside its cover."""

from __future__ import annotations

import numpy as np

from skiagraph.review.faces import INSIDE, judged_once
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs
from skiagraph.track.results import SIGN


@finding_kind
class FaceOutside(FindingKind):
    reason, word, exposing = Reason.FACE_OUTSIDE, "Face outside", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, found = scene.scan.faces, judged_once(scene)
        bare = np.flatnonzero(
            (table.scores >= SIGN) & (found.owner >= 0) & (found.inside < INSIDE) & (table.frames < scene.clip.frames)
        )
        for owner in np.unique(found.owner[bare]):
            mine = bare[found.owner[bare] == owner]
            frames, inside = table.frames[mine], found.inside[mine]
            for first, last in runs(np.unique(frames)):
                here = (frames >= first) & (frames <= last)
                worst = int(np.argmin(np.where(here, inside, 2)))
                yield Finding(
                    scene.clip.key,
                    scene.project.subjects[owner].key,
                    self.reason,
                    first,
                    last,
                    round(float(inside[worst]), 3),
                    int(frames[worst]),
                )

    def sentence(self, project, finding, told):
        return (
            f"{told.name}: a face is only {finding.worst:.0%} under its cover at {told.where}. Move or enlarge the"
            " outline."
        )
