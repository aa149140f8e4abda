"""A sign that somebody is half in the picture at its edge, where a shot begins or ends."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from skiagraph.review.faces import judged_once
from skiagraph.review.finding import Finding, Reason, finding_kind
from skiagraph.review.unknown_faces import UnknownFinding, box_of, run_with
from skiagraph.track.results import SIGN, FaceTable

# Somebody may be there for this long, in frames, before or after.
AT_EDGE_FRAMES = 8
# What lies no further away than so many of its sizes is at the same place.
NEAR_SIZES = 1.5


@finding_kind
class MaybeAtEdge(UnknownFinding):
    reason, word, exposing = Reason.MAYBE_AT_EDGE, "Maybe at the edge", True

    def on_scene(self, scene):
        yield from (made for made, _ in _places(scene))

    def unknown_faces(self, scene, finding):
        if scene.scan is None:
            return FaceTable.none(), np.zeros(0, int)
        return scene.scan.faces, run_with(finding, scene.scan.faces, [rows for _, rows in _places(scene)])

    def sentence(self, project, finding, told):
        return (
            f"Somebody may be half in the picture at its edge at {told.where}, where the shot begins or ends. Cover"
            " them and follow, or accept if there is nobody."
        )


def _places(scene) -> list[tuple[Finding, list[int]]]:
    """One place, one finding, however often it was looked at there: each with the rows of the scan's table that are its
    signs."""
    if scene.scan is None or not len(scene.scan.faces):
        return []
    table, found = scene.scan.faces, judged_once(scene)
    places: list[tuple[Finding, list[int]]] = []
    for row in np.flatnonzero((table.scores < SIGN) & (found.owner < 0) & (table.frames < scene.clip.frames)).tolist():
        frame = int(table.frames[row])
        # Towards the inside of the shot whose end it is at.
        ends = frame == scene.clip.frames - 1 or frame + 1 in scene.cuts
        first, last = (
            (max(0, frame - AT_EDGE_FRAMES), frame)
            if ends
            else (frame, min(scene.clip.frames - 1, frame + AT_EDGE_FRAMES))
        )
        made = Finding(
            scene.clip.key,
            "",
            Reason.MAYBE_AT_EDGE,
            first,
            last,
            int(table.scores[row]) / 100,
            frame,
            box_of(table, row),
        )
        same = next(
            (
                n
                for n, (known, rows) in enumerate(places)
                if first <= known.last + 1
                and _beside(table.boxes[rows[-1]].astype(float), table.boxes[row].astype(float))
            ),
            None,
        )
        if same is None:
            places.append((made, [row]))
        else:
            known, rows = places[same]
            better = max(known, made, key=lambda f: f.worst)
            places[same] = replace(better, first=min(known.first, first), last=max(known.last, last)), [*rows, row]
    return places


def _beside(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether two boxes are of one place: no further apart than they are large."""
    size = max(one[2] - one[0], one[3] - one[1], other[2] - other[0], other[3] - other[1])
    return bool(np.abs((one[:2] + one[2:] - other[:2] - other[2:]) / 2).max() <= NEAR_SIZES * size)
