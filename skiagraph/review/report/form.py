"""Forms of the report: how it is written to a file. Each is registered once, by the ending of its files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from skiagraph.errors import SkiagraphError
from skiagraph.review.report.facts import Report
from skiagraph.review.written import write_whole


@dataclass(frozen=True, slots=True)
class Form:
    """suffix: of its files; word: how people call it; made: the file's bytes."""

    suffix: str
    word: str
    made: Callable[[Report], bytes]


FORMS: dict[str, Form] = {}


def report_form(suffix: str, word: str) -> Callable[[Callable[[Report], bytes]], Callable[[Report], bytes]]:
    """Register a function that makes a form."""

    def register(made: Callable[[Report], bytes]) -> Callable[[Report], bytes]:
        FORMS[suffix] = Form(suffix, word, made)
        return made

    return register


def form_for(target: Path | str) -> Form:
    """The form that a file name's ending asks for. Raises SkiagraphError."""
    form = FORMS.get(Path(target).suffix.lower())
    if form is None:
        raise SkiagraphError(
            f"“{Path(target).name}” does not end in a known form of report; end it in {' or '.join(FORMS)}.",
            path=Path(target),
        )
    return form


def write_report(report: Report, target: Path | str) -> None:
    """Write a report, in the form that its name asks for: beside the target and renamed when it is whole.

    Raises SkiagraphError.
    """
    write_whole(target, form_for(target).made(report))
