"""What somebody who went through the contact sheet wants looked at again."""

from __future__ import annotations

from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind
from skiagraph.review.sheet import standing_glances


@finding_kind
class LookAgain(FindingKind):
    reason, word = Reason.LOOK_AGAIN, "Look again"

    def on_scene(self, scene):
        for glance in standing_glances(scene.project, scene.clip.key):
            if not glance.fine:
                yield Finding(
                    scene.clip.key,
                    glance.subject,
                    self.reason,
                    glance.first,
                    min(glance.last, scene.clip.frames - 1),
                    0.0,
                    (glance.first + min(glance.last, scene.clip.frames - 1)) // 2,
                )

    def sentence(self, project, finding, told):
        by = next(
            (
                g.by
                for g in reversed(project.decisions.glances)
                if (g.clip, g.subject, g.first) == (finding.clip, finding.subject, finding.first) and not g.fine
            ),
            "",
        )
        return (
            f"{by or 'Somebody'} wants {told.name or 'the picture'} to be looked at again at {told.where}"
            f" ({told.count})."
        )
