"""A cover that leaves so much detail that people or recognisers may know somebody by it."""

from __future__ import annotations

import numpy as np

from skiagraph.cover.strength import STRENGTH, Safety, detail_left, safety, weakest_safe
from skiagraph.project.housing import cover_rest
from skiagraph.project.model import replace
from skiagraph.project.rows import WIDTH, style_at
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class TooWeak(FindingKind):
    """Strength is against the size of the face, and a small face holds no more detail than its px: both count, in every
    frame."""

    reason, word, exposing = Reason.TOO_WEAK, "Cover too weak", True
    of_cover = True
    remedy = "Make safe"

    def on_scene(self, scene):
        rest = scene.project.rest_of(scene.clip.key)
        if rest is not None and safety(detail_left(rest)) == Safety.TOO_WEAK:
            yield Finding(scene.clip.key, "", self.reason, 0, scene.clip.frames - 1, detail_left(rest), 0)
        for subject, sightings in scene.covered():
            if not subject.of.needs_strength:
                continue
            style = scene.project.style_of(subject)
            keyed = any(s.levels for s in sightings)
            if not keyed and safety(detail_left(style)) != Safety.TOO_WEAK:
                continue
            for sighting in sightings:
                rows = scene.rows(sighting)
                if not len(rows):
                    continue
                face = rows[:, WIDTH] * STRENGTH.face_share
                left = (
                    self._left(scene, subject, sighting, len(rows))
                    if sighting.levels
                    else np.full(len(rows), detail_left(style))
                )
                weak = np.flatnonzero(np.minimum(left, face / 2) > STRENGTH.weak_cycles)
                if len(weak):
                    at = int(weak[np.argmax(face[weak])])
                    yield Finding(
                        scene.clip.key,
                        subject.key,
                        self.reason,
                        sighting.first + int(weak[0]),
                        sighting.first + int(weak[-1]),
                        round(float(left[at]), 2),
                        sighting.first + at,
                    )

    def _left(self, scene, subject, sighting, count: int) -> np.ndarray:
        """Detail that is left in each frame of a sighting with keyed strength, (count,).

        Between two keys a cover is no weaker than the weaker of them.
        """
        frames = np.arange(count) + sighting.first
        at_keys = np.array([detail_left(style_at(scene.project, subject, sighting, e.frame)) for e in sighting.levels])
        keys, holds = (
            np.array([e.frame for e in sighting.levels]),
            np.array([e.to_next == "hold" for e in sighting.levels]),
        )
        before = np.clip(np.searchsorted(keys, frames, side="right") - 1, 0, len(keys) - 1)
        after = np.where(holds[before] | (frames < keys[0]), before, np.minimum(before + 1, len(keys) - 1))
        return np.maximum(at_keys[before], at_keys[after])

    def remedied(self, project, finding):
        """With the weakest cover of the kind that is safe, in every frame."""
        if not finding.subject:
            return cover_rest(project, finding.clip, weakest_safe(project.rest_of(finding.clip)))
        subject = project.subject(finding.subject)
        # A keyframe that is weak goes with its covers; margins and feathers stay.
        sightings = tuple(
            replace(s, levels=tuple(replace(e, covers=(), strength=1.0) for e in s.levels)) for s in subject.sightings
        )
        return project.with_subject(
            replace(subject, style=weakest_safe(project.style_of(subject)), sightings=sightings)
        )

    def sentence(self, project, finding, told):
        return (
            f"The cover of {told.name or 'everything but those shown'} leaves {finding.worst:.1f} cycles of detail"
            f" across the face at {told.where} ({told.count}), enough for a recogniser. Make it stronger: up to"
            f" {STRENGTH.safe_cycles:.1f} is safe."
        )
