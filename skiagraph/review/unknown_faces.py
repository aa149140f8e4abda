"""Faces that were found and belong to nobody in the register: the runs they make, where the head of each is, and
somebody new who is covered there by one click."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.boxes import iou
from skiagraph.project import outlines
from skiagraph.project.model import Outline, Project
from skiagraph.project.rows import GROW
from skiagraph.remembering import Remembered
from skiagraph.review.faces import within_heads
from skiagraph.review.finding import Box, Finding, FindingKind, Scene
from skiagraph.shape.place import Similarity
from skiagraph.track.path import BRIDGED, FOUND, Path
from skiagraph.track.results import FaceTable


@dataclass(frozen=True, slots=True)
class UnknownSettings:
    """How single faces become one head on its way.

    Nothing is known of these heads but the faces, so that widths are for any turn of the head (track.heads).
    """

    # overlap (IoU) of faces from which they are one run; smaller: longer runs
    same: float = 0.2
    # frames from one face of a run to the next at most, those that are not searched aside; larger: longer runs
    apart: int = 6
    # width of the head, in sides of the face's box; larger: wider covers
    wide: float = 1.6
    # height of the head, in sides of the face's box; larger: wider covers
    high: float = 1.9
    # by so much its middle lies above that of the face
    rise: float = 0.12
    # frames before and after those in which it was seen, at most, in which it is held in its place; larger: longer
    # covers that may be beside it
    holds: int = 12
    # share of its confidence that a head keeps with each frame in which it was not seen, and is held in its place;
    # smaller: wider covers (project.rows)
    lasts: float = 0.9


UNKNOWN = UnknownSettings()
_RUNS = Remembered(16 << 20, size=lambda found: 64 * len(found) + 32 * sum(map(len, found)))


@dataclass(frozen=True, slots=True, eq=False)
class UnknownHead:
    """Somebody unknown, as they are marked in the picture. frame: the one that is looked at; path: of their head, over
    all frames of the finding."""

    finding: Finding
    frame: int
    path: Path

    @property
    def outline(self) -> Outline:
        return _outline(self.path, self.frame)

    @property
    def seen(self) -> bool:
        """Whether a face was found in that very frame, and not only near it."""
        return bool(self.path.origin[self.path.row(self.frame)] == FOUND)


class UnknownFinding(FindingKind):
    """A kind of finding about faces that belong to nobody: where they are is marked in the picture, and one click
    covers somebody new there."""

    remedy = "Cover it"

    def unknown_faces(self, scene: Scene, finding: Finding) -> tuple[FaceTable, np.ndarray]:
        """A table, and the rows of it, in order of frames, with the faces that the finding is about, as far as they
        still belong to nobody."""
        raise NotImplementedError

    def remedied(self, project, finding):
        """With somebody new for each head that was seen, covered wherever it was, and where it may be in the frames of
        the finding."""
        for path in paths_of(Scene.of(project, finding.clip), finding):
            project, _ = cover_head(project, UnknownHead(finding, min(max(finding.at, path.first), path.last), path))
        return project


def runs_of(
    table: FaceTable,
    rows: Iterable[int],
    cuts: Sequence[int] = (),
    unseen: int = 0,
    settings: UnknownSettings = UNKNOWN,
) -> list[list[int]]:
    """Rows of a table, of those given, as runs of one face each, in order of their first frames. cuts: frames with
    which shots begin, over which no run goes; unseen: so many frames lie between two that were searched.
    """
    chosen = np.fromiter(rows, int)
    return [
        list(run)
        for run in _RUNS.get(
            (table,),
            (chosen.tobytes(), tuple(cuts), unseen, settings),
            lambda: _runs(table, chosen, cuts, settings.apart + unseen, settings.same),
        )
    ]


def _runs(table: FaceTable, rows: np.ndarray, cuts: Sequence[int], apart: int, same: float) -> list[list[int]]:
    found: list[list[int]] = []
    open_: list[list[int]] = []
    shot = 0
    for n in rows.tolist():
        frame, box = int(table.frames[n]), table.boxes[n].astype(float)[None]
        before, shot = shot, bisect_right(cuts, frame)
        open_ = [] if shot != before else [run for run in open_ if frame - int(table.frames[run[-1]]) <= apart]
        before = [run for run in open_ if int(table.frames[run[-1]]) < frame]
        shares = iou(box, table.boxes[[run[-1] for run in before]].astype(float))[0] if before else np.zeros(0)
        if len(shares) and shares.max() >= same:
            before[int(shares.argmax())].append(n)
        else:
            found.append([n])
            open_.append(found[-1])
    return found


def path_of(table: FaceTable, run: list[int], first: int, last: int, settings: UnknownSettings = UNKNOWN) -> Path:
    """Where the head of a run of faces is, from one frame to another at most: straight between those in which it was
    seen, held in its place before and after."""
    frames, boxes = table.frames[run].astype(int), table.boxes[run].astype(float)
    begin, end = int(frames[0]), int(frames[-1])
    every = np.arange(min(max(first, begin - settings.holds), begin), max(min(last, end + settings.holds), end) + 1)
    side = (boxes[:, 2:] - boxes[:, :2]).max(axis=1)
    known = np.column_stack(
        [
            (boxes[:, 0] + boxes[:, 2]) / 2,
            (boxes[:, 1] + boxes[:, 3]) / 2 - settings.rise * side,
            settings.wide * side,
            settings.high * side,
            np.zeros(len(run)),
            table.scores[run] / 100,
        ]
    )
    rows = np.column_stack([np.interp(every, frames, column) for column in known.T])
    rows[:, 5] *= settings.lasts ** np.maximum(np.maximum(frames[0] - every, every - frames[-1]), 0)
    return Path.from_rows(int(every[0]), rows, np.where(np.isin(every, frames), FOUND, BRIDGED).astype(np.uint8))


def box_of(table: FaceTable, row: int) -> Box:
    """The box of a row of a table, px."""
    x0, y0, x1, y1 = table.boxes[row].tolist()
    return x0, y0, x1, y1


def run_with(finding: Finding, table: FaceTable, runs: Iterable[list[int]]) -> np.ndarray:
    """Rows, in order, of the run that a finding is about: the one with its face.

    None where there is no such run any more.
    """
    run = next(
        (
            r
            for r in runs
            if any(int(table.frames[row]) == finding.at and box_of(table, row) == finding.box for row in r)
        ),
        [],
    )
    return np.array(sorted(run), int)


def hidden_share(scene: Scene, table: FaceTable) -> np.ndarray:
    """Share of each face of a table that lies under complete covers, (n,)."""
    covered = [s for s in scene.project.subjects if s.is_covered]
    return within_heads(
        scene,
        covered,
        table.frames,
        table.boxes,
        lambda subject, rows: scene.project.style_of(subject).margin + rows[:, GROW],
    ).mean(axis=1)


def paths_of(scene: Scene, finding: Finding) -> list[Path]:
    """The heads that a finding is about and that are nobody's, none where it is about something else."""
    if not isinstance(finding.kind, UnknownFinding):
        return []
    table, rows = finding.kind.unknown_faces(scene, finding)
    return [
        path_of(table, run, finding.first, finding.last)
        for run in runs_of(table, rows, scene.cuts, finding.last - finding.first)
    ]


def cover_head(project: Project, head: UnknownHead) -> tuple[Project, str]:
    """The project with somebody new who is covered along the path of an unknown head, and their key.

    Their portrait is where their face was found, as near to the head's frame as that is.
    """
    clip, path = head.finding.clip, head.path
    found = path.first + np.flatnonzero(path.origin == FOUND)
    at = int(found[np.argmin(np.abs(found - head.frame))])
    project, key = outlines.add_subject(project, clip, at, _outline(path, at))
    return outlines.rest_on_followed(project, key, clip, at, path), key


def heads_at(project: Project, found: Iterable[Finding], clip: str, frame: int) -> list[UnknownHead]:
    """Everybody unknown in a frame of a clip, of some findings; nobody where the clip is gone since they were made."""
    here = [f for f in dict.fromkeys(found) if f.clip == clip and not f.subject and f.first <= frame <= f.last]
    if not here or all(known.key != clip for known in project.clips):
        return []
    scene = Scene.of(project, clip)
    return [
        UnknownHead(finding, frame, path)
        for finding in here
        for path in paths_of(scene, finding)
        if path.first <= frame <= path.last
    ]


def _outline(path: Path, frame: int) -> Outline:
    return Outline(Similarity.of(path.rows()[path.row(frame)][:5]))
