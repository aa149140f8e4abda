"""Where every subject is in every frame, as rows for other programs."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path as FilePath

import numpy as np

from skiagraph.project.model import Project
from skiagraph.project.rows import path_of, rows_at
from skiagraph.track.path import ORIGIN_NAMES, PLACED

COLUMNS = ("subject", "name", "clip", "frame", "cx", "cy", "width", "height", "angle", "confidence", "origin")


def track_rows(project: Project, clips: Sequence[str] | None = None) -> Iterator[tuple]:
    """One row, as COLUMNS, for each subject and frame in which it is seen, in the order of clips, subjects and frames.
    px of the upright clip; angle in degrees clockwise; origin: found, followed, bridged or placed. Where sightings of
    one subject lie over each other each has its row."""
    for clip in project.clips if clips is None else [project.clip(key) for key in clips]:
        for subject in project.subjects:
            for sighting in sorted(subject.in_clip(clip.key), key=lambda s: s.first):
                last = min(sighting.last, clip.frames - 1)
                if sighting.first > last:
                    continue
                path, marks = path_of(project, sighting), set(sighting.marks())
                for frame, row in zip(
                    range(sighting.first, last + 1), rows_at(project, sighting, sighting.first, last)
                ):
                    origin = PLACED if path is None or frame in marks else int(path.origin[path.row(frame)])
                    yield (
                        subject.key,
                        subject.name,
                        clip.path.name,
                        frame,
                        *(round(float(v), 2) for v in row[:5]),
                        round(float(np.clip(row[5], 0, 1)), 3),
                        ORIGIN_NAMES[origin],
                    )


def tracks_as_csv(project: Project, clips: Sequence[str]) -> Iterator[str]:
    """CSV (RFC 4180): a line of COLUMNS, then the rows."""
    line = io.StringIO(newline="")
    writer = csv.writer(line)
    for row in (COLUMNS, *track_rows(project, clips)):
        writer.writerow(row)
        yield line.getvalue()
        line.seek(0)
        line.truncate()


def tracks_as_json(project: Project, clips: Sequence[str]) -> Iterator[str]:
    """JSON: for each clip its name, size, rate and frames, and for each subject in it the decision, and rows of frame,
    cx, cy, width, height, angle, confidence, origin."""
    listed = []
    for key in clips:
        clip, people = project.clip(key), {}
        for subject, name, _, *row in track_rows(project, [key]):
            people.setdefault(
                subject,
                {"subject": subject, "name": name, "decision": str(project.subject(subject).decision), "rows": []},
            )["rows"].append(row)
        listed.append(
            {
                "clip": clip.path.name,
                "width": clip.width,
                "height": clip.height,
                "rate": [clip.rate.numerator, clip.rate.denominator],
                "frames": clip.frames,
                "timecode": clip.timecode,
                "subjects": list(people.values()),
            }
        )
    yield (
        json.dumps(
            {"format": "skiagraph-tracks", "version": 1, "columns": list(COLUMNS[3:]), "clips": listed},
            ensure_ascii=False,
            indent=1,
        )
        + "\n"
    )


def tracks_as_mot(project: Project, clips: Sequence[str]) -> Iterator[str]:
    """The text format of the MOT Challenge (Leal-Taixé et al., MOTChallenge 2015, arXiv 1504.01942), of one clip: frame
    from 1, number of the subject, left, top, width, height px, confidence, and -1 for places in the world. Turned
    outlines are given by the boxes around them."""
    for _, subject, row in sorted(
        ((row[3], int(row[0][1:]), row) for row in track_rows(project, clips)), key=lambda r: r[:2]
    ):
        _, _, _, frame, cx, cy, width, height, angle, confidence, _ = row
        lean = np.radians(angle)
        wide, tall = (
            np.hypot(width * np.cos(lean), height * np.sin(lean)),
            np.hypot(width * np.sin(lean), height * np.cos(lean)),
        )
        box = f"{cx - wide / 2:.2f},{cy - tall / 2:.2f},{wide:.2f},{tall:.2f}"
        yield f"{frame + 1},{subject},{box},{confidence:g},-1,-1,-1\n"


# By the ending of the file.
FORMS: dict[str, Callable[[Project, Sequence[str]], Iterator[str]]] = {
    ".csv": tracks_as_csv,
    ".json": tracks_as_json,
    ".txt": tracks_as_mot,
}
# Those that hold one clip.
OF_ONE_CLIP = (".txt",)


def write_tracks(project: Project, target: FilePath, clips: Sequence[str] | None = None) -> int:
    """Write where everybody is, in the form that the file's ending asks for, UTF-8; returns how many rows. clips: keys,
    None for all. Raises OSError, and ValueError where there is no such form, or it holds one clip and there are
    several."""
    keys = [clip.key for clip in project.clips] if clips is None else list(clips)
    suffix = FilePath(target).suffix.lower()
    if suffix not in FORMS:
        raise ValueError(
            f"{FilePath(target).name} does not end in a known form of tracks; end it in {', '.join(FORMS)}"
        )
    if suffix in OF_ONE_CLIP and len(keys) != 1:
        raise ValueError(
            f"{FilePath(target).name} holds the tracks of one clip, and there are {len(keys)}; choose one with --clip"
        )
    with open(target, "w", newline="", encoding="utf-8") as file:
        file.writelines(FORMS[suffix](project, keys))
    return sum(1 for _ in track_rows(project, keys))
