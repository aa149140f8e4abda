"""Frames without cover, or with one that was not sure, between frames with it."""

from __future__ import annotations

import numpy as np

from skiagraph.review.ends import in_a_row, is_gap
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, hardly_rows


@finding_kind
class Gap(FindingKind):
    reason, word, exposing = Reason.GAP, "No cover", True

    def on_subject(self, scene, subject, sightings):
        for before, after in in_a_row(sightings):
            if is_gap(scene, before, after):
                missing = after.first - before.last - 1
                # Where the cover was not sure any more, or not yet, it is as if there were none.
                sure_before, sure_after = (np.flatnonzero(~hardly_rows(scene.rows(s))) for s in (before, after))
                first = before.first + int(sure_before[-1]) + 1 if len(sure_before) else before.first
                last = after.first + int(sure_after[0]) - 1 if len(sure_after) else after.last
                yield Finding(scene.clip.key, subject.key, self.reason, first, last, float(missing), before.last + 1)

    def sentence(self, project, finding, told):
        return f"{told.name} has no cover for {finding.worst:.0f} frames from {told.where}. Extend the sighting, or accept if {told.name} was away."
