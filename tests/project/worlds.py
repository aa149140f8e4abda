"""Small worlds for properties: clips without files, people who are where they are, and scans that see more or less of
them."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path as FilePath

import numpy as np

from skiagraph.project import edits
from skiagraph.project.model import Clip, Project
from skiagraph.project.overlap import head_points
from skiagraph.project.rows import cover_outline
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult

FRAMES, SIZE = 80, (480, 200)
LOOKED_AT = range(0, FRAMES, 7)


def world(clips: int = 1) -> Project:
    """A project of clips that nobody scanned yet."""
    project = Project()
    for n in range(clips):
        project = edits.add_clip(
            project,
            Clip("new", FilePath(f"/nowhere/{n}.mp4"), 1000 + n, f"samples:{n}", *SIZE, Fraction(25), FRAMES, FRAMES),
        )
    return project


def head(person: int, first: int, last: int, shift: float = 0.0) -> Path:
    """Where a person is in some frames: each has a lane of their own. shift: by how much a scan is off, px."""
    n = np.arange(first, last + 1)
    rows = np.stack(
        [
            40 + 90 * person + 0.3 * n + shift,
            90 + 20 * np.sin(n / 15 + person),
            36 + 0 * n,
            48 + 0 * n,
            0 * n,
            0.9 + 0 * n,
        ],
        axis=1,
    )
    return Path.from_rows(first, rows, np.zeros(len(n)))


def scan_of(seen: list[tuple[int, int, int, float]], reached: int | None = None) -> ScanResult:
    """A scan that saw people: (person, first, last, shift) each; stretches of one person are one person's."""
    people = []
    for person in sorted({p for p, *_ in seen}):
        paths, free = [], 0
        for _, first, last, shift in sorted(entry for entry in seen if entry[0] == person):
            first, last = max(first, free), min(last, FRAMES - 1, FRAMES - 1 if reached is None else reached - 1)
            if first <= last:
                paths.append(head(person, first, last, shift))
                free = last + 2
        if paths:
            people.append(FoundPerson(person, tuple(paths), paths[0].first, (0, 0, 9, 9), sure=0.95))
    return ScanResult(tuple(people), FaceTable.none(), (), FRAMES, reached=reached)


def covered_heads(project: Project, clip: str = "c1") -> dict[tuple[int, str, str], np.ndarray]:
    """Points of every head that is covered, by frame, subject and sighting."""
    found = {}
    for frame in LOOKED_AT:
        for subject in project.subjects:
            if subject.is_covered:
                for sighting in subject.in_clip(clip):
                    outline = cover_outline(project, sighting, frame, project.style_of(subject))
                    if outline is not None:
                        found[frame, subject.key, sighting.key] = head_points(outline.place.row()[None])[0]
    return found


def hidden_share(project: Project, frame: int, points: np.ndarray, clip: str = "c1") -> float:
    """The share of points that lie under complete covers; of those in the picture."""
    points = points[(points[:, 0] >= 0) & (points[:, 1] >= 0) & (points[:, 0] < SIZE[0]) & (points[:, 1] < SIZE[1])]
    hidden = np.zeros(len(points), bool)
    for subject in project.subjects:
        if subject.is_covered and not hidden.all():
            for sighting in subject.in_clip(clip):
                outline = cover_outline(project, sighting, frame, project.style_of(subject))
                if outline is not None:
                    hidden |= outline.contains(points)
    return float(hidden.mean()) if len(points) else 1.0
