"""What the commands share: exit codes, the bar of progress, how arguments are read, and how a project is opened."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from skiagraph.errors import SkiagraphError
from skiagraph.jobs import JobControl, Progress, format_left
from skiagraph.timecode import rate_of

if TYPE_CHECKING:
    from skiagraph.project.model import Clip, Project

OK, FAILED, FOUND, CANCELLED, ENDED = 0, 2, 3, 130, 143


class ProgressPrinter:
    """A bar on a terminal, a plain line for every tenth part otherwise."""

    WIDTH = 28

    def __init__(self, stream):
        self._stream, self._bar = stream, stream.isatty()
        self._said: tuple[str, int] | None = None

    def __call__(self, progress: Progress) -> None:
        share = progress.share
        if self._bar:
            filled = round((share or 0) * self.WIDTH)
            text = (
                f"{progress.step}  {'█' * filled}{'·' * (self.WIDTH - filled)}  {progress.done}/{progress.total or '?'}"
                f"  {format_left(progress.left_s)}"
            )
            if self._said and self._said[0] != progress.step:
                self._stream.write("\n")
            self._said = (progress.step, 0)
            self._stream.write(f"\r\x1b[K{text}")
            self._stream.flush()
            return
        tenth = int((share or 0) * 10)
        if self._said != (progress.step, tenth):
            self._said = (progress.step, tenth)
            left = format_left(progress.left_s)
            print(
                f"{progress.step}: {progress.done} of {progress.total or '?'} frames{', ' + left if left else ''}",
                file=self._stream,
                flush=True,
            )

    def end(self) -> None:
        if self._bar and self._said:
            self._stream.write("\n")
            self._said = None


def end_of_bar(control: JobControl) -> None:
    """Leave the line of a progress bar before printing results."""
    if isinstance(control.listener, ProgressPrinter):
        control.listener.end()


def load(path: Path) -> Project:
    """A project whose clips are all where they belong. Raises SkiagraphError where one is missing or changed."""
    from skiagraph.footage import relink
    from skiagraph.footage.damage import with_known_damage
    from skiagraph.footage.source import SourceState, state_of
    from skiagraph.project import file

    project = file.load(path)
    project = with_known_damage(relink.find_beside(project, [path.absolute().parent]))
    for clip in relink.missing(project):
        if state_of(clip) == SourceState.CHANGED:
            raise SkiagraphError(
                f"{clip.path.name} is no longer the file that was added; put the original back.", path=clip.path
            )
        raise SkiagraphError(
            f"{clip.path.name} is not where it was ({clip.path.parent}); put it beside the project.", path=clip.path
        )
    return project


def chosen_clips(project: Project, name: str | None) -> list[Clip]:
    """The clips of a name, or all. Raises SkiagraphError where there is none of it."""
    if name is None:
        return list(project.clips)
    chosen = [c for c in project.clips if name in (c.path.name, c.path.stem, c.key)]
    if not chosen:
        raise SkiagraphError(
            f"There is no clip {name} in the project; it has {', '.join(c.path.name for c in project.clips)}."
        )
    return chosen


def count(text: str) -> int:
    """Reads a whole number from 0."""
    if not text.isdigit():
        raise argparse.ArgumentTypeError(f"{text} is not a whole number from 0")
    return int(text)


def positive(text: str) -> int:
    """Reads a whole number from 1."""
    value = int(text) if text.isdigit() else 0
    if value < 1:
        raise argparse.ArgumentTypeError(f"{text} is not a whole number from 1")
    return value


def rate(text: str):
    """Reads frames a second."""
    try:
        return rate_of(text)
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text} is no rate; write a number as 25 or 23.976, or a fraction as 30000/1001"
        ) from None
