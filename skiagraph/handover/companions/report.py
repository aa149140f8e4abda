"""The report of what was decided, found and proved, as PDF and HTML."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.jobs import JobControl
from skiagraph.values import Value


@Companion.register
class ReportFiles(Companion, Value, frozen=True, tag_field="kind", tag="report"):
    word: ClassVar[str] = "The report, as PDF and HTML"
    title: ClassVar[str] = "report"
    short: ClassVar[str] = "report"

    def names(self, stem: str, handed: HandedOver) -> list[str]:
        return [f"{stem}-report.pdf", f"{stem}-report.html"]

    def write(self, handed: HandedOver, folder: Path, stem: str, control: JobControl) -> list[Path]:
        # Only here, since this brings in what lays pages out.
        from skiagraph.review.report import report_of, write_report

        report = report_of(
            handed.project, handed.name, [done.proof for done in handed.delivered if done.proof is not None], control
        )
        written = [folder / name for name in self.names(stem, handed)]
        for path in written:
            write_report(report, path)
        return written
