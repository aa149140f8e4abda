"""Where every subject is in every frame, as rows for other programs."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from pathlib import Path as FilePath

import numpy as np

from skiagraph.project.model import Project
from skiagraph.project.rows import path_of, rows_at
from skiagraph.track.path import ORIGIN_NAMES, PLACED

COLUMNS = ("subject", "name", "clip", "frame", "cx", "cy", "width", "height", "angle", "confidence", "origin")


def track_rows(project: Project) -> Iterator[tuple]:
    """One row, as COLUMNS, for each subject and frame in which it is seen, in the order of clips, subjects and frames. px of the upright clip; angle in degrees
    clockwise; origin: found, followed, bridged or placed. Where sightings of one subject lie over each other each has its row."""
    for clip in project.clips:
        for subject in project.subjects:
            for sighting in sorted(subject.in_clip(clip.key), key=lambda s: s.first):
                last = min(sighting.last, clip.frames - 1)
                if sighting.first > last:
                    continue
                path, marks = path_of(project, sighting), set(sighting.marks())
                for frame, row in zip(range(sighting.first, last + 1), rows_at(project, sighting, sighting.first, last)):
                    origin = PLACED if path is None or frame in marks else int(path.origin[path.row(frame)])
                    yield (subject.key, subject.name, clip.path.name, frame, *(round(float(v), 2) for v in row[:5]), round(float(np.clip(row[5], 0, 1)), 3), ORIGIN_NAMES[origin])


def write_tracks(project: Project, target: FilePath) -> int:
    """Write the rows as CSV (RFC 4180, UTF-8); returns how many. Raises OSError."""
    count = 0
    with open(target, "w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(COLUMNS)
        for row in track_rows(project):
            writer.writerow(row)
            count += 1
    return count
