"""Everything is covered but somebody, and where that somebody is nobody is sure: what is shown there may be somebody
else."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Decision
from skiagraph.project.rows import CONFIDENCE
from skiagraph.review.finding import UNSURE, Finding, FindingKind, Reason, finding_kind, runs


@finding_kind
class ShownAstray(FindingKind):
    reason, word, exposing = Reason.SHOWN_ASTRAY, "Shown, unsure", True

    def on_scene(self, scene):
        if scene.project.rest_of(scene.clip.key) is None:
            return
        for subject in scene.project.subjects:
            if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
                continue
            for sighting in scene.sightings(subject):
                sure = scene.rows(sighting)[:, CONFIDENCE]
                for first, last in runs(np.flatnonzero(sure < UNSURE)):
                    worst = first + int(np.argmin(sure[first : last + 1]))
                    yield Finding(
                        scene.clip.key,
                        subject.key,
                        self.reason,
                        sighting.first + first,
                        sighting.first + last,
                        round(float(sure[worst]), 3),
                        sighting.first + worst,
                    )

    def sentence(self, project, finding, told):
        return (
            f"Everything but {told.name} is covered, and at {told.where} nobody is sure where that is ({told.count})."
            f" Put the outline right, or accept it if only {told.name} is seen."
        )
