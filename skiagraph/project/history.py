"""History is a list of values, so undo and redo are an index."""

from __future__ import annotations

from dataclasses import dataclass

from skiagraph.project.model import Project

# Old steps are let go beyond this many; values share most of their parts, so they are cheap.
LIMIT = 500


@dataclass(frozen=True, slots=True)
class Step:
    """A value and the name of the edit that led to it, as shown in “Undo: …”."""

    name: str
    project: Project


class History:
    """Where the project is and was. Not shared between threads; the values in it may be."""

    def __init__(self, project: Project):
        self._steps = [Step("", project)]
        self._at = 0

    @property
    def project(self) -> Project:
        return self._steps[self._at].project

    @property
    def undo_name(self) -> str:
        """Name of the edit that undo would take back, empty when there is none."""
        return self._steps[self._at].name

    @property
    def redo_name(self) -> str:
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else ""

    def apply(self, name: str, project: Project) -> None:
        """Take the next value; what had been undone is gone."""
        del self._steps[self._at + 1:]
        self._steps.append(Step(name, project))
        if len(self._steps) > LIMIT:
            del self._steps[0]
        self._at = len(self._steps) - 1

    def amend(self, project: Project) -> None:
        """Replace the current value without a step of its own: results that arrive while a job runs."""
        self._steps[self._at] = Step(self._steps[self._at].name, project)

    def undo(self) -> bool:
        if self._at == 0:
            return False
        self._at -= 1
        return True

    def redo(self) -> bool:
        if self._at + 1 >= len(self._steps):
            return False
        self._at += 1
        return True
