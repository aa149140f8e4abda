"""What is done on Review: accepting, mending, comparing, saying what is fine, playing what is unsure, and the
report."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QSettings, Signal
from PySide6.QtWidgets import QFileDialog

from skiagraph.desktop.document import Document
from skiagraph.desktop.long_jobs import LongJobs
from skiagraph.desktop.meeting_sheet import MeetingSheet, to_compare
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.reel_sheet import ReelSheet
from skiagraph.desktop.review_page import ReviewPage
from skiagraph.desktop.words import tr
from skiagraph.project import edits
from skiagraph.review.finding import Finding
from skiagraph.review.findings import acceptance_of
from skiagraph.review.reel import reel_of
from skiagraph.review.sheet import Crop, glance_of

# Endings of reports; kept apart from what writes them, which is only brought in when one is written.
REPORTS = (".pdf", ".html", ".json")


class ReviewWork(QObject):
    """goWanted: (clip, frame, subject or empty) to be shown in Cover."""

    goWanted = Signal(str, int, str)

    def __init__(
        self, document: Document, jobs: LongJobs, page: ReviewPage, portraits: Portraits, settings: QSettings, window
    ):
        super().__init__(window)
        self._document, self._jobs, self._page, self._portraits, self._settings, self._window = (
            document,
            jobs,
            page,
            portraits,
            settings,
            window,
        )
        page.accepted.connect(self._accept)
        page.withdrawn.connect(lambda answers: document.edit("take back acceptance", edits.withdraw, *answers))
        page.remedyWanted.connect(self._mend)
        page.compareWanted.connect(self.compare_people)
        page.fixWanted.connect(lambda crop: self.goWanted.emit(crop.clip, crop.at, crop.subject))
        page.said.connect(self._say_looked)
        page.reelWanted.connect(self.play_unsure)
        page.sweepWanted.connect(jobs.sweep)
        page.reportWanted.connect(self.write_report)
        page.nameChanged.connect(self.set_name)
        page.crops.failed.connect(window.notice.say)
        self.set_name(str(settings.value("name", "")))
        page.name.setText(document.by)

    def set_name(self, name: str) -> None:
        """Who sits here: kept for the next time, and said with every decision from now on."""
        self._document.by = name
        self._settings.setValue("name", name)

    def _accept(self, found: list[Finding], name: str, note: str) -> None:
        self.set_name(name)
        self._document.edit(
            "accept finding" if len(found) == 1 else "accept findings",
            lambda project: edits.accept(project, *(acceptance_of(project, f, name, note) for f in found)),
        )

    def _mend(self, found: list[Finding]) -> None:
        """Put findings right that can be put right by one click."""

        def mended(project):
            for finding in found:
                project = finding.kind.remedied(project, finding)
            return project

        self._document.edit("put right", mended)

    def _say_looked(self, crops: list[Crop], fine: bool) -> None:
        """Somebody looked at pictures of the contact sheet."""
        by = self._document.by
        self._document.edit(
            "found fine" if fine else "to be looked at again",
            lambda project: edits.glance(project, [glance_of(project, crop, fine, by) for crop in crops]),
        )

    def compare_people(self, first: Finding | None = None) -> None:
        """Go through the questions of whether somebody is the same person; first: a finding to begin with."""
        if not to_compare(self._document.settled, self._document.findings):
            self._window.notice.reply(
                tr(
                    "There is no question of who is who: it is asked where somebody who is shown met others or was out"
                    " of sight."
                )
            )
            return
        sheet = MeetingSheet(self._document, self._portraits, self._page.name.text(), first, self._window)
        sheet.exec()
        self._page.name.setText(sheet.name.text())
        self.set_name(sheet.name.text().strip())
        sheet.deleteLater()

    def play_unsure(self) -> None:
        """Play everything that is unsure, one stretch after the other."""
        parts = reel_of(self._document.settled, self._document.waiting)
        if not parts:
            self._window.notice.reply(
                tr("Nothing is unsure: there is no doubtful stretch and no open finding in any clip.")
            )
            return
        sheet = ReelSheet(self._document.settled, parts, self._window)
        sheet.fixWanted.connect(self.goWanted)
        sheet.exec()
        sheet.deleteLater()

    def write_report(self) -> None:
        """Ask where to, and write the report there."""
        path = self._document.path
        if path is None or not self._document.settled.clips:
            self._window.notice.reply(tr("There is nothing to report on yet: add clips first."))
            return
        name, _ = QFileDialog.getSaveFileName(
            self._window,
            tr("Write the report"),
            str(path.with_name(path.stem + "-report.pdf")),
            tr("PDF (*.pdf);;HTML (*.html);;JSON (*.json)"),
        )
        if name:
            target = Path(name)
            self._jobs.report(target if target.suffix.lower() in REPORTS else Path(name + ".pdf"), path.name)
