"""An order: what somebody wants handed over, before it becomes files and jobs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import SkiagraphError
from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.handover.delivery import Delivered, Planned, existing, planned
from skiagraph.handover.names import DEFAULT_PATTERN, check_pattern
from skiagraph.handover.queue import Job, Queue
from skiagraph.handover.writer import Writer
from skiagraph.project.model import Project


@dataclass(frozen=True, slots=True)
class Order:
    """clips: keys; film: the writer of the film; beside: other writers; companions: what is written once for all;
    versions: none for the one that is worked on; parts: first and last frames of clips of which only parts are wanted;
    check: each film is checked."""

    clips: Sequence[str]
    film: Writer
    folder: Path
    beside: Sequence[Writer] = ()
    companions: Sequence[Companion] = ()
    versions: Sequence[str] = ()
    parts: Mapping[str, Sequence[tuple[int, int]]] | None = None
    pattern: str = DEFAULT_PATTERN
    preset: str = ""
    check: bool = True

    def plan(self, project: Project, queue: Queue, numbered: bool = False) -> list[Planned]:
        """The files of clips.

        Names that jobs in the queue will write are taken; numbered: so are those of files that exist. Raises
        SkiagraphError where something is missing of the order.
        """
        if not self.clips:
            raise SkiagraphError("No clip is chosen; tick those that are to be handed over.")
        if not str(self.folder).strip() or not self.folder.is_absolute():
            raise SkiagraphError("Choose a folder to write to first.")
        check_pattern(self.pattern)
        taken = [target.path for job in queue.jobs if job.is_open for target in job.targets]
        return planned(
            project,
            list(self.clips),
            self.folder,
            (self.film, *self.beside),
            beside=numbered,
            parts=self.parts,
            versions=self.versions,
            pattern=self.pattern,
            preset=self.preset,
            taken=taken,
        )

    def stem(self, project: Project, plan: Sequence[Planned], wanted: str, queue: Queue, numbered: bool = False) -> str:
        """Beginning of the names of companions.

        Those that jobs in the queue will write are taken; numbered: so are those of files that exist.
        """
        taken = {job.stem for job in queue.jobs if job.is_open and job.companions and job.folder == self.folder}
        for number in range(1, 100_000):
            stem = wanted if number == 1 else f"{wanted}-{number}"
            if stem not in taken and not (numbered and self._beside(project, plan, stem)):
                break
        return stem

    def _beside(self, project: Project, plan: Sequence[Planned], stem: str) -> list[Path]:
        """Companions of these names that exist."""
        handed = HandedOver(
            project,
            stem,
            [Delivered(entry.clip, entry.film, None, (), entry.version, entry.span) for entry in plan],
            project.decisions.programme if self.parts else None,
        )
        names = [name for companion in self.companions for name in companion.names(stem, handed)]
        return [self.folder / name for name in names if (self.folder / name).exists()]

    def existing(self, project: Project, plan: Sequence[Planned], stem: str) -> list[Path]:
        """Files that would be replaced."""
        return existing(plan) + self._beside(project, plan, stem)

    def put(
        self,
        queue: Queue,
        project: Project,
        plan: Sequence[Planned],
        stem: str,
        project_path: Path | None,
        may_replace: bool,
    ) -> list[Job]:
        """Into the queue. stem: of the names of companions. Raises SkiagraphError."""
        name = project_path.stem if project_path else stem
        return queue.add(
            project,
            name,
            plan,
            self.companions,
            check=self.check,
            may_replace=may_replace,
            project_path=str(project_path or ""),
            programme=project.decisions.programme if self.parts else None,
            stem=stem,
        )
