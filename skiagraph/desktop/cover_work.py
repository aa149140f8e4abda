"""Work on how the selected is covered: its covers with their reach, its label, and how strong they are."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from skiagraph.cover.strength import STRENGTH, weakest_safe
from skiagraph.desktop.document import Document
from skiagraph.desktop.hand_work import HandWork
from skiagraph.desktop.inspector import Inspector
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.session import Session
from skiagraph.desktop.words import tr
from skiagraph.project import edits, housing, levels
from skiagraph.project.model import Project, Reach, Style, replace
from skiagraph.project.rows import WIDTH, outline_rows, style_at
from skiagraph.review.strength import Measured, measured

# So long nothing has to change before a strength is measured, ms.
SOON_MS = 160


class CoverWork(QObject):
    """Joins the inspector's part about covers to the document. tried: what a change would look like is shown; said: a
    sentence."""

    tried = Signal()
    said = Signal(str)

    def __init__(
        self, document: Document, session: Session, panel: Inspector, hand: HandWork, parent: QObject | None = None
    ):
        super().__init__(parent)
        self._document, self._session, self._panel, self._hand = document, session, panel, hand
        # What was measured: by clip and subject, with the style and the sightings it holds for.
        self._measured: dict[tuple[str, str], tuple[object, Measured]] = {}
        self._runner: JobRunner | None = None
        # Measuring a style takes a tenth of a second: not while a slider is pulled.
        self._soon = QTimer(self, interval=SOON_MS, singleShot=True)
        self._soon.timeout.connect(self.refresh)
        panel.styleMoved.connect(self._moved)
        panel.styleSettled.connect(self._settled)
        panel.styleForAll.connect(self._for_all)
        panel.styleFromAll.connect(lambda: self._edit("use the project's cover", edits.set_style, None))
        panel.labelChosen.connect(lambda label: self._edit("change label", housing.set_label, label))
        panel.meter.measureWanted.connect(self.measure)
        panel.safeWanted.connect(self.make_safe)

    def style_here(self, project: Project) -> Style:
        """How the selected is covered at this frame."""
        subject, sighting, frame = self._session.subject, self._hand.sighting(), self._session.frame
        style = project.style_of(subject)
        if sighting is None or not sighting.levels:
            return style
        return replace(
            style_at(project, subject, sighting, frame),
            margin=max(0.0, style.margin + float(sighting.level_at(frame)[0])),
        )

    def make_safe(self) -> None:
        """The weakest cover that is safe, as far as changes reach."""
        if self._session.subject is not None:
            self._settled(weakest_safe(self.style_here(self._document.project)))

    def measure(self) -> None:
        """Ask the networks about the cover of the selected, beside everything else."""
        subject, clip, project = self._session.subject, self._session.clip, self._document.settled
        if subject is None or clip is None or self._runner is not None:
            return
        if not any(s.key == subject.key for s in project.subjects):
            self.said.emit(tr("A scan has only just found {name}; measure when it is done.", name=subject.name))
            return
        state, key = self._state(project, subject.key), (clip.key, subject.key)
        self._panel.meter.measure.setEnabled(False)
        self._runner = JobRunner(lambda control: measured(project, key[0], [key[1]], control), self)
        self._runner.finished.connect(lambda found: self._learned(key, state, found))
        self._runner.failed.connect(self.said)
        self._runner.ended.connect(self._ended)
        self._runner.start()

    def refresh_soon(self) -> None:
        """Show how strong the cover is once nothing changes for a moment."""
        self._soon.start()

    def refresh(self) -> None:
        """Show how strong the cover of the selected is at this frame."""
        subject, clip, project = self._session.subject, self._session.clip, self._hand.project
        subject = next((s for s in project.subjects if subject is not None and s.key == subject.key), None)
        if subject is None or clip is None:
            return
        seen = [s for s in subject.in_clip(clip.key) if s.first < clip.frames]
        face = max((float(outline_rows(project, s)[:, WIDTH].max()) for s in seen), default=0.0) * STRENGTH.face_share
        state, known = self._measured.get((clip.key, subject.key), (None, None))
        if not subject.of.needs_strength:
            self._panel.meter.show_none()
            self._panel.show_safety()
            return
        self._panel.meter.show_strength(
            self.style_here(project), face or None, known if state == self._state(project, subject.key) else None
        )
        self._panel.show_safety()

    def _state(self, project: Project, key: str) -> object:
        subject = project.subject(key)
        return project.style_of(subject), subject.sightings

    def _learned(self, key: tuple[str, str], state: object, found: list[Measured]) -> None:
        if found:
            self._measured[key] = state, found[0]
            self.said.emit(found[0].sentence())
        else:
            self.said.emit(tr("Nobody who is covered was seen well enough to measure."))

    def _ended(self) -> None:
        self._runner = None
        self.refresh()

    def _moved(self, style: Style) -> None:
        if self._session.subject:
            try:
                self._hand.trial = self._with_style(self._document.project, style)
            except ValueError:
                return
            self.tried.emit()

    def _settled(self, style: Style) -> None:
        self._hand.drop_trial()
        if not self._session.subject or not self._document.edit("change cover", self._with_style, style):
            self.tried.emit()

    def _with_style(self, project: Project, style: Style) -> Project:
        """A project with the selected covered so at this frame, and as far as the reach of the cover says."""
        subject, sighting = self._session.subject, self._hand.sighting()
        reach = self._panel.cover_reach.value() if sighting else Reach.ALL
        return (
            project
            if style == self.style_here(project)
            else levels.set_style_at(project, subject.key, self._session.clip.key, self._session.frame, style, reach)
        )

    def _for_all(self) -> None:
        subject = self._session.subject
        if subject and subject.style:
            self._document.edit("use cover for everyone", edits.set_style_for_all, subject.style)

    def _edit(self, name: str, function, *arguments) -> None:
        if self._session.subject:
            self._document.edit(name, function, self._session.subject.key, *arguments)
