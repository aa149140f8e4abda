"""What a strict search of the clip found and nobody knows of: each run of it is listed, and covered by one click."""

from __future__ import annotations

import numpy as np

from skiagraph.boxes import iou
from skiagraph.project import outlines
from skiagraph.project.model import Outline
from skiagraph.project.overlap import within
from skiagraph.project.rows import shapes_of
from skiagraph.review.faces import points_of
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind
from skiagraph.shape.place import Similarity
from skiagraph.track.path import BRIDGED, FOUND, Path
from skiagraph.track.results import FaceTable

# Faces that overlap by so much (IoU), no more frames apart than this, are one run.
SAME, APART = 0.2, 5
# Head of a face's box, in its sides: wide and high enough for any turn. Its middle lies higher by so much.
WIDE, HIGH, RISE = 1.6, 1.9, 0.12
# Share of a face in somebody's head from which on it is theirs; heads reach further by this.
KNOWN, BEYOND = 0.5, 0.2


@finding_kind
class StrictSweep(FindingKind):
    reason, word, exposing = Reason.STRICT, "Maybe a face", True
    remedy = "Cover it"

    def on_scene(self, scene):
        sweep = scene.project.evidence.sweep_of(scene.clip.key)
        if sweep is None or not len(sweep.faces):
            return
        table = sweep.faces
        strange = np.flatnonzero(~_known(scene, table) & (table.frames < scene.clip.frames))
        for run in runs_of(table, strange):
            best = max(run, key=lambda n: (table.scores[n], -table.frames[n]))
            yield Finding(scene.clip.key, "", self.reason, int(table.frames[run[0]]), int(table.frames[run[-1]]), int(table.scores[best]) / 100, int(table.frames[best]))

    def remedied(self, project, finding):
        """With somebody new who is covered wherever this run was seen."""
        table = project.evidence.sweep_of(finding.clip).faces
        here = np.flatnonzero((table.frames >= finding.first) & (table.frames <= finding.last))
        run = next((r for r in runs_of(table, here) if (table.frames[r[0]], table.frames[r[-1]]) == (finding.first, finding.last) and any(table.frames[n] == finding.at for n in r)), None)
        if run is None:
            return project
        path = _path(table, run)
        row = path.rows()[path.row(finding.at)]
        project, key = outlines.add_subject(project, finding.clip, finding.at, Outline(Similarity.of(row[:5])))
        return outlines.rest_on_followed(project, key, finding.clip, finding.at, path)

    def sentence(self, project, finding, told):
        return f"The strict search sees what may be a face at {told.where} ({told.count}, score {finding.worst:.2f}), and nobody in the register is there. Look; cover it, or accept if it is none."


def runs_of(table: FaceTable, rows: np.ndarray) -> list[list[int]]:
    """Rows of a table, of those given, as runs of one face each, in order of their first frames."""
    found: list[list[int]] = []
    open_: list[list[int]] = []
    for n in rows.tolist():
        frame, box = int(table.frames[n]), table.boxes[n].astype(float)[None]
        open_ = [run for run in open_ if frame - int(table.frames[run[-1]]) <= APART]
        near = [(float(iou(box, table.boxes[run[-1]].astype(float)[None])[0, 0]), run) for run in open_ if int(table.frames[run[-1]]) < frame]
        share, run = max(near, key=lambda pair: pair[0], default=(0.0, None))
        if run is not None and share >= SAME:
            run.append(n)
        else:
            run = [n]
            found.append(run)
            open_.append(run)
    return found


def _path(table: FaceTable, run: list[int]) -> Path:
    """Where the head of a run is in every frame of it: straight between those in which it was seen."""
    frames, boxes = table.frames[run].astype(int), table.boxes[run].astype(float)
    every = np.arange(frames[0], frames[-1] + 1)
    side = boxes[:, 2] - boxes[:, 0]
    known = np.column_stack([(boxes[:, 0] + boxes[:, 2]) / 2, (boxes[:, 1] + boxes[:, 3]) / 2 - RISE * side, WIDE * side, HIGH * side, np.zeros(len(run)), table.scores[run] / 100])
    rows = np.column_stack([np.interp(every, frames, column) for column in known.T])
    return Path.from_rows(int(every[0]), rows, np.where(np.isin(every, frames), FOUND, BRIDGED).astype(np.uint8))


def _known(scene, table: FaceTable) -> np.ndarray:
    """Which faces lie in the head of somebody in the register, covered or shown: bool (n,)."""
    known, points, frames = np.zeros(len(table), bool), points_of(table.boxes), table.frames
    for subject in scene.project.subjects:
        for sighting in scene.sightings(subject) if subject.of.hides else ():
            rows = scene.rows(sighting)
            here = np.flatnonzero((frames >= sighting.first) & (frames < sighting.first + len(rows)))
            known[here] |= within(points[here], rows[frames[here] - sighting.first], shapes_of(sighting, frames[here]), BEYOND).mean(axis=1) >= KNOWN
    return known
