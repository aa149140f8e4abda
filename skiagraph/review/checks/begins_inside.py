"""A path that begins inside the picture, away from its edge, though the clip began before."""

from __future__ import annotations

from skiagraph.review.ends import gap_before, goes_on, hardly_begun, loose_ends
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class BeginsInside(FindingKind):
    reason, word = Reason.BEGINS_INSIDE, "Appears"

    def among(self, scene, subject, sightings, others):
        second = max(1, round(float(scene.clip.rate)))
        for n, sighting in enumerate(sightings):
            if (
                loose_ends(scene, sightings, n)[0]
                and not gap_before(scene, sightings, sighting)
                and not goes_on(scene, subject, sighting, others, -1)
            ):
                last = max(hardly_begun(scene, sighting), sighting.first)
                yield Finding(
                    scene.clip.key,
                    subject.key,
                    self.reason,
                    max(0, sighting.first - second),
                    last,
                    float(sighting.first),
                    sighting.first,
                )

    def sentence(self, project, finding, told):
        return f"{told.name} appears at {told.last} inside the picture. Check the frames before it."
