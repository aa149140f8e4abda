"""A sign that somebody is half in the picture at its edge, where a shot begins or ends."""

from __future__ import annotations

import numpy as np

from skiagraph.review.faces import judged_once
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind
from skiagraph.track.results import SIGN

# Somebody may be there for this long, in frames, before or after.
AT_EDGE_FRAMES = 8


@finding_kind
class MaybeAtEdge(FindingKind):
    reason, word, exposing = Reason.MAYBE_AT_EDGE, "Maybe at the edge", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, found = scene.scan.faces, judged_once(scene)
        for row in np.flatnonzero((table.scores < SIGN) & (found.owner < 0) & (table.frames < scene.clip.frames)):
            frame = int(table.frames[row])
            # Towards the inside of the shot whose end it is at.
            ends = frame == scene.clip.frames - 1 or frame + 1 in scene.cuts
            first, last = (max(0, frame - AT_EDGE_FRAMES), frame) if ends else (frame, min(scene.clip.frames - 1, frame + AT_EDGE_FRAMES))
            yield Finding(scene.clip.key, "", self.reason, first, last, round(int(table.scores[row]) / 100, 2), frame)

    def sentence(self, project, finding, told):
        return f"Somebody may be half in the picture at its edge at {told.where}, where the shot begins or ends. Draw around the face, or accept if there is none."
