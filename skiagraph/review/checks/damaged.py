"""A clip that ends before its end."""

from __future__ import annotations

from skiagraph.review.finding import Finding, FindingKind, Reason, Scene, finding_kind


@finding_kind
class Damaged(FindingKind):
    reason, word = Reason.DAMAGED, "Damaged"

    def on_clip(self, scene: Scene):
        if scene.clip.damage:
            last = scene.clip.frames - 1
            yield Finding(scene.clip.key, "", self.reason, last, last, 0.0, last)

    def sentence(self, project, finding, told):
        return project.clip(finding.clip).damage or f"{project.clip(finding.clip).path.name} is damaged."
