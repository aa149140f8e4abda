"""A clip, or the rest of one, that nobody was looked for in."""

from __future__ import annotations

from skiagraph.review.finding import Finding, FindingKind, Reason, Scene, finding_kind


@finding_kind
class NotScanned(FindingKind):
    reason, word, exposing = Reason.NOT_SCANNED, "Not scanned", True

    def on_clip(self, scene: Scene):
        reached = scene.scan.reached if scene.scan else 0
        if scene.scan and scene.scan.begun:
            yield Finding(scene.clip.key, "", self.reason, 0, scene.scan.begun - 1, 0.0, 0)
        for first, last in scene.scan.gaps if scene.scan else ():
            yield Finding(scene.clip.key, "", self.reason, first, last, 0.0, first)
        if reached < scene.clip.frames:
            yield Finding(scene.clip.key, "", self.reason, reached, scene.clip.frames - 1, 0.0, reached)

    def sentence(self, project, finding, told):
        name = project.clip(finding.clip).path.name
        scan = project.scan_of(finding.clip)
        if scan is not None and finding.last < scan.begun:
            return (
                f"{name} was scanned only from {project.clip(finding.clip).at(scan.begun)} on. Scan it again, or accept"
                " if nobody is in what comes before."
            )
        if scan is not None and (finding.first, finding.last) in scan.gaps:
            return (
                f"{name} was not scanned from {told.first} to {told.last}. Scan it again, or accept if nobody is in it."
            )
        if finding.first:
            return f"{name} was scanned only up to {told.first}. Scan it again, or accept if nobody is in the rest."
        return f"{name} has not been scanned. Scan it, or accept if nobody is in it."
