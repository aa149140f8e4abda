"""What is in front lays a face open: a face of somebody covered lies inside it, by the scan or by the path."""

from __future__ import annotations

import numpy as np

from skiagraph.project.overlap import head_points, within
from skiagraph.project.rows import shapes_of
from skiagraph.review.checks.head_bared import SEEN_SURE
from skiagraph.review.faces import judged_once, points_of
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs
from skiagraph.track.path import FOUND
from skiagraph.track.results import SIGN

# Share of a face that the detector saw, and of a head that a path saw, from which on what is in front shows more than
# what is in front. A hand before a mouth leaves a face that is found; an eye is a sixth of it.
FACE, HEAD = 0.25, 0.5


@finding_kind
class LaidOpen(FindingKind):
    reason, word, exposing = Reason.LAID_OPEN, "Laid open", True

    def on_scene(self, scene):
        for holdout in scene.project.subjects:
            if not holdout.is_in_front:
                continue
            for subject, sightings in scene.covered():
                if holdout.of.is_before(subject.key):
                    yield from self._of(scene, holdout, subject, sightings)

    def _of(self, scene, holdout, subject, sightings):
        """Frames in which one thing in front holds a face, or a head, of one covered subject."""
        share = np.zeros(scene.clip.frames)
        for front in scene.sightings(holdout):
            over = scene.rows(front)
            for frames, points, least in self._seen(
                scene, subject, sightings, front.first, front.first + len(over) - 1
            ):
                inside = within(points, over[frames - front.first], shapes_of(front, frames)).mean(axis=1)
                np.maximum.at(share, frames, np.where(inside >= least, inside, 0.0))
        for first, last in runs(np.flatnonzero(share)):
            worst = first + int(np.argmax(share[first : last + 1]))
            yield Finding(scene.clip.key, subject.key, self.reason, first, last, round(float(share[worst]), 3), worst)

    def _seen(self, scene, subject, sightings, first, last):
        """Frames within first .. last in which a face or a head of a subject was seen, points of it, and the share of
        them that may be in front."""
        if scene.scan is not None and len(scene.scan.faces):
            table, number = scene.scan.faces, [s.key for s in scene.project.subjects].index(subject.key)
            mine = np.flatnonzero(
                (judged_once(scene).owner == number)
                & (table.scores >= SIGN)
                & (table.frames >= first)
                & (table.frames <= last)
            )
            yield table.frames[mine].astype(int), points_of(table.boxes[mine]), FACE
        known = scene.project.evidence.by_key()
        for path in {key: known[key].path for s in sightings for key in s.tracks}.values():
            frames = np.arange(max(first, path.first), min(last, path.last) + 1)
            rows = path.rows()[frames - path.first].astype(float)
            seen = (path.origin[frames - path.first] == FOUND) & (rows[:, 5] >= SEEN_SURE)
            yield frames[seen], head_points(rows[seen]), HEAD

    def sentence(self, project, finding, told):
        return (
            f"What is in front lays {finding.worst:.0%} of the face of {told.name} open at {told.where} ({told.count})."
            " Make it smaller, or accept it if nothing of the face is seen."
        )
