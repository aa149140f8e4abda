"""A found face that belongs to no subject."""

from __future__ import annotations

import numpy as np

from skiagraph.review.faces import judged_once
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
        frames, scores = table.frames[strange], table.scores[strange]
        for first, last in runs(np.unique(frames)):
            here = (frames >= first) & (frames <= last)
            worst = int(np.argmax(np.where(here, scores, 0)))
            yield Finding(scene.clip.key, "", self.reason, first, last, round(int(scores[worst]) / 100, 3), int(frames[worst]))

    def sentence(self, project, finding, told):
        return f"A face at {told.where} belongs to nobody in the register ({told.count}). Draw around it, or accept if it is none."
