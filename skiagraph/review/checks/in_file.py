"""What the check of an exported file finds: made by exposure.py, which decodes it."""

from __future__ import annotations

from skiagraph.review.finding import FindingKind, Reason, finding_kind


@finding_kind
class CoverMissing(FindingKind):
    reason, word, exposing = Reason.FILE_DIFFERS, "Cover missing", True

    def sentence(self, project, finding, told):
        return f"{told.name or 'Everything but those shown'}: the cover is missing or too weak in the exported file at {told.where} ({told.count}). Export again."


@finding_kind
class FaceInFile(FindingKind):
    reason, word, exposing = Reason.FILE_FACE, "Face in file", True

    def sentence(self, project, finding, told):
        return f"A face can be seen in the exported file at {told.where} ({told.count}) that nobody agreed to show."


@finding_kind
class OtherShape(FindingKind):
    reason, word, exposing = Reason.FILE_SHAPE, "Other shape", True

    def sentence(self, project, finding, told):
        return f"The exported file does not have the shape of {project.clip(finding.clip).path.name}. Export again."
