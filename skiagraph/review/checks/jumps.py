"""A subject whose cover is at one place in one frame, and elsewhere in the next: at the seam of two sightings neither
may be where the head is."""

from __future__ import annotations

from skiagraph.boxes import cxcywh_to_xyxy, paired_iou
from skiagraph.review.ends import in_a_row, lies_within
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind

# Heads that overlap by less than this (IoU) from one frame to the next are at two places; nobody moves so fast whom a
# follower did not lose.
ELSEWHERE = 0.1


@finding_kind
class Jumps(FindingKind):
    reason, word, exposing = Reason.JUMPS, "Jumps", True

    def on_subject(self, scene, subject, sightings):
        for before, after in in_a_row(sightings):
            rows, following = scene.rows(before), scene.rows(after)
            if (
                after.first != before.last + 1
                or after.first in scene.cuts
                or not len(rows)
                or not len(following)
                or before.away_after
            ):
                continue
            here, there = cxcywh_to_xyxy(rows[-1:, :4]), cxcywh_to_xyxy(following[:1, :4])
            overlap = float(paired_iou(here, there)[0])
            if overlap < ELSEWHERE and not lies_within(here, there):
                yield Finding(
                    scene.clip.key,
                    subject.key,
                    self.reason,
                    max(before.first, before.last - 1),
                    min(after.first + 1, after.last),
                    overlap,
                    after.first,
                )

    def sentence(self, project, finding, told):
        return (
            f"The cover of {told.name} jumps to another place at {told.where}. Check the frames around it, and move the"
            " outline where the head is bare."
        )
