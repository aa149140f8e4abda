"""Somebody who is shown came so near to somebody else that a path may have gone on on the other: what is shown after that may be the wrong one."""

from __future__ import annotations

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, paired_iou
from skiagraph.project.model import Decision
from skiagraph.project.rows import CX, HEIGHT
from skiagraph.remembering import Remembered
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs

# Heads that overlap by so much of both together were one before the other, in part; meetings this close in frames are one. Between heads that never come nearer no follower goes over: chosen by
# hand, on the wide side, and held against the exchanges of benchmarks/quality.py.
MET, ONE_MEETING = 0.12, 12

_MET = Remembered(16 << 20, size=lambda frames: frames.nbytes + 64)


@finding_kind
class SamePerson(FindingKind):
    """Only for who is shown: of two who are covered it does not matter which is which. One finding for each meeting, from the one before to the next one."""

    reason, word = Reason.SAME_PERSON, "Same person?"

    def on_scene(self, scene):
        for subject in scene.project.subjects:
            if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
                continue
            others = [s for other in scene.project.subjects if other.key != subject.key and other.is_covered and not other.doubtful for s in scene.sightings(other)]
            for sighting in scene.sightings(subject):
                near = [s for s in others if s.first <= sighting.last and s.last >= sighting.first]
                frames = np.unique(np.concatenate([_MET.get((sighting, s, scene.clip), "met", lambda s=s: self._met(scene, sighting, s)) for s in near])) if near else np.zeros(0, int)
                meetings = list(runs(frames, ONE_MEETING))
                last = min(sighting.last, scene.clip.frames - 1)
                for n, (begin, end) in enumerate(meetings):
                    before = meetings[n - 1][1] + 1 if n else sighting.first
                    after = meetings[n + 1][0] - 1 if n + 1 < len(meetings) else last
                    # On which side of it the wrong one is shown is not known.
                    if before < begin and end < last:
                        yield Finding(scene.clip.key, subject.key, self.reason, before, after, float(end - begin + 1), end + 1)

    def _met(self, scene, one, other) -> np.ndarray:
        """Frames in which the heads of two sightings overlap."""
        mine, theirs = scene.rows(one), scene.rows(other)
        first, last = max(one.first, other.first), min(one.first + len(mine), other.first + len(theirs))
        if first >= last:
            return np.zeros(0, int)
        boxes = (cxcywh_to_xyxy(rows[first - s.first:last - s.first, CX:HEIGHT + 1]) for rows, s in ((mine, one), (theirs, other)))
        return first + np.flatnonzero(paired_iou(*boxes) >= MET)

    def sentence(self, project, finding, told):
        return f"{told.name} was close to somebody who is covered. Check that this is the same person before that and after {told.where}; if not, swap them from there on, or split."
