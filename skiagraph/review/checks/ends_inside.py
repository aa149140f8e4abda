"""A path that ends inside the picture, away from its edge, though the clip goes on."""

from __future__ import annotations

from skiagraph.review.ends import gap_after, goes_on, hardly_left, loose_ends
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class EndsInside(FindingKind):
    """The finding reaches over the unsure rows at that end.

    What lies between two sightings of one subject is a gap instead.
    """

    reason, word = Reason.ENDS_INSIDE, "Lost"

    def among(self, scene, subject, sightings, others):
        second = max(1, round(float(scene.clip.rate)))
        for n, sighting in enumerate(sightings):
            if (
                loose_ends(scene, sightings, n)[1]
                and not gap_after(scene, sightings, sighting)
                and not goes_on(scene, subject, sighting, others, 1)
            ):
                ends = sighting.first + len(scene.rows(sighting)) - 1
                last = min(scene.clip.frames - 1, ends + second)
                yield Finding(
                    scene.clip.key,
                    subject.key,
                    self.reason,
                    min(hardly_left(scene, sighting), ends),
                    last,
                    float(scene.clip.frames - 1 - ends),
                    ends,
                )

    def sentence(self, project, finding, told):
        return f"Lost sight of {told.name} at {told.first} inside the picture. Extend the sighting, or accept the end."
