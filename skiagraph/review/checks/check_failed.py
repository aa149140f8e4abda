"""A check that could not be made: what it would have found is not known."""

from __future__ import annotations

from skiagraph.review.finding import FindingKind, Reason, finding_kind


@finding_kind
class CheckFailed(FindingKind):
    reason, word, exposing = Reason.CHECK_FAILED, "Not checked", True

    def sentence(self, project, finding, told):
        return (
            f"A check of {project.clip(finding.clip).path.name} could not be made, so something may be missing from"
            " this list; the details are in the log."
        )
