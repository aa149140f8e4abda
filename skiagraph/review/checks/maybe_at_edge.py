"""A sign that somebody is half in the picture at its edge, where a shot begins or ends."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from skiagraph.review.faces import judged_once
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind
from skiagraph.track.results import SIGN

# Somebody may be there for this long, in frames, before or after.
AT_EDGE_FRAMES = 8
# What lies no further away than so many of its sizes is at the same place.
NEAR_SIZES = 1.5


@finding_kind
class MaybeAtEdge(FindingKind):
    reason, word, exposing = Reason.MAYBE_AT_EDGE, "Maybe at the edge", True

    def on_scene(self, scene):
        if scene.scan is None or not len(scene.scan.faces):
            return
        table, found = scene.scan.faces, judged_once(scene)
        places: list[tuple[Finding, np.ndarray]] = []
        for row in np.flatnonzero((table.scores < SIGN) & (found.owner < 0) & (table.frames < scene.clip.frames)):
            frame, box = int(table.frames[row]), table.boxes[row].astype(float)
            # Towards the inside of the shot whose end it is at.
            ends = frame == scene.clip.frames - 1 or frame + 1 in scene.cuts
            first, last = (max(0, frame - AT_EDGE_FRAMES), frame) if ends else (frame, min(scene.clip.frames - 1, frame + AT_EDGE_FRAMES))
            made = Finding(scene.clip.key, "", self.reason, first, last, round(int(table.scores[row]) / 100, 2), frame)
            # One place, one finding, however often it was looked at there.
            same = next((n for n, (known, place) in enumerate(places) if first <= known.last + 1 and _beside(place, box)), None)
            if same is None:
                places.append((made, box))
            else:
                known, place = places[same]
                better = max(known, made, key=lambda f: f.worst)
                places[same] = replace(better, first=min(known.first, first), last=max(known.last, last)), box
        yield from (made for made, _ in places)

    def sentence(self, project, finding, told):
        return f"Somebody may be half in the picture at its edge at {told.where}, where the shot begins or ends. Draw around the face, or accept if there is none."


def _beside(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether two boxes are of one place: no further apart than they are large."""
    size = max(one[2] - one[0], one[3] - one[1], other[2] - other[0], other[3] - other[1])
    return bool(np.abs((one[:2] + one[2:] - other[:2] - other[2:]) / 2).max() <= NEAR_SIZES * size)
