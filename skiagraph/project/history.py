"""History: undo and redo are an index into the decisions.

Evidence is outside of it: what arrives belongs to every step.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from skiagraph.project.model import Decisions, Project, replace

# Old steps are let go beyond this many; values share most of their parts, so they are cheap.
LIMIT = 500


@dataclass(slots=True)
class Step:
    """Decisions, the name of the edit that led to them, as shown in “Undo: …”, and how many arrivals they stand on."""

    name: str
    decisions: Decisions
    arrived: int


class History:
    """Where the project is and was. Not shared between threads; the values in it may be.

    Evidence that arrives carries the decisions of all steps over, each when it is gone to: so undo never takes a scan
    back, and nobody whom it found is missing in an earlier step.
    """

    def __init__(self, project: Project):
        self._rest = project
        self._arrivals: list[Callable[[Project], Project]] = []
        self._steps = [Step("", project.decisions, 0)]
        self._at = 0
        self._current: Project | None = None

    @property
    def project(self) -> Project:
        if self._current is None:
            step = self._steps[self._at]
            value = replace(self._rest, decisions=step.decisions)
            for carry in self._arrivals[step.arrived :]:
                value = carry(value)
            step.decisions, step.arrived = value.decisions, len(self._arrivals)
            self._current = self._rest = value
        return self._current

    @property
    def undo_name(self) -> str:
        """Name of the edit that undo would take back, empty when there is none."""
        return self._steps[self._at].name

    @property
    def redo_name(self) -> str:
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else ""

    def apply(self, name: str, project: Project) -> None:
        """Take the next value, made from the present one; what had been undone is gone."""
        del self._steps[self._at + 1 :]
        self._steps.append(Step(name, project.decisions, len(self._arrivals)))
        if len(self._steps) > LIMIT:
            del self._steps[0]
        self._at = len(self._steps) - 1
        self._current = self._rest = replace(project, issued=project.issued.with_all_of(self._rest.issued))

    def arrive(self, project: Project, carry: Callable[[Project], Project]) -> None:
        """Take in evidence: project is the present value with it; carry gives a value's decisions on its footing, and
        is asked for each step when that is gone to."""
        self._rest = replace(project, issued=project.issued.with_all_of(self._rest.issued))
        self._arrivals.append(carry)
        self._current = None

    def learn(self, project: Project) -> None:
        """Take in what is known anew of files or evidence, or ids that were given out, without a step: the decisions
        stay."""
        self._rest = replace(
            project, decisions=self._steps[self._at].decisions, issued=project.issued.with_all_of(self._rest.issued)
        )
        self._current = None

    def undo(self) -> bool:
        if self._at == 0:
            return False
        self._go(self._at - 1)
        return True

    def redo(self) -> bool:
        if self._at + 1 >= len(self._steps):
            return False
        self._go(self._at + 1)
        return True

    def _go(self, step: int) -> None:
        # What arrived is settled where we stand before we leave.
        _ = self.project
        self._at, self._current = step, None
