"""Frames without cover, or with one that was not sure, between frames with it."""

from __future__ import annotations

from skiagraph.review.ends import hardly_begun, hardly_left, in_a_row, is_gap
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class Gap(FindingKind):
    reason, word, exposing = Reason.GAP, "No cover", True

    def on_subject(self, scene, subject, sightings):
        for before, after in in_a_row(sightings):
            if is_gap(scene, before, after):
                missing = after.first - before.last - 1
                # Where the cover was not sure any more, or not yet, it is as if there were none.
                yield Finding(
                    scene.clip.key,
                    subject.key,
                    self.reason,
                    hardly_left(scene, before),
                    hardly_begun(scene, after),
                    float(missing),
                    before.last + 1,
                )

    def sentence(self, project, finding, told):
        return (
            f"{told.name} has no cover for {finding.worst:.0f} frames from {told.where}. Extend the sighting, or accept"
            f" if {told.name} was away."
        )
