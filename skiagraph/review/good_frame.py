"""A good frame to look at somebody, to draw around them or to follow from: large, whole in the picture, surely seen,
and not behind anybody."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Project, Subject
from skiagraph.project.overlap import head_points, share_within
from skiagraph.project.rows import CONFIDENCE, CX, CY, HEIGHT, WIDTH, outline_rows, path_of, shapes_of
from skiagraph.review.ends import visible_share
from skiagraph.track.path import FOUND

# Faces that the detector saw tell more than what was only followed.
NOT_FOUND = 0.6
# Of frames this nearly as good as the best the one nearest to where the editor stands is taken.
AS_GOOD = 0.97


def good_frame(project: Project, subject: Subject, clip_key: str, near: int) -> int | None:
    """The frame, or None where the subject is not in the clip. near: where the editor stands."""
    clip, best = project.clip(clip_key), []
    for sighting in subject.in_clip(clip_key):
        rows = outline_rows(project, sighting)[: max(0, clip.frames - sighting.first)]
        if not len(rows):
            continue
        frames = np.arange(sighting.first, sighting.first + len(rows))
        worth = rows[:, WIDTH] * rows[:, HEIGHT] * visible_share(rows, clip) ** 4 * rows[:, CONFIDENCE]
        path = path_of(project, sighting)
        if path is not None:
            worth = worth * np.where(
                path.origin[np.clip(frames - path.first, 0, len(path) - 1)] == FOUND, 1.0, NOT_FOUND
            )
        worth = worth * (1 - _hidden(project, subject, clip_key, frames, rows)) ** 2
        best += zip(worth.tolist(), frames.tolist())
    if not best:
        return None
    most = max(value for value, _ in best)
    return min((frame for value, frame in best if value >= AS_GOOD * most), key=lambda frame: abs(frame - near))


def _hidden(project: Project, subject: Subject, clip: str, frames: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Share of the head, in each row, that lies within the heads of others: who is in front is not known."""
    hidden = np.zeros(len(frames))
    for other in project.subjects:
        for sighting in (
            other.in_clip(clip) if other.key != subject.key and other.of.hides and not other.dismissed else ()
        ):
            over = outline_rows(project, sighting)
            there = (frames >= sighting.first) & (frames < sighting.first + len(over))
            over, mine = over[frames[there] - sighting.first], rows[there]
            near = (
                np.hypot(over[:, CX] - mine[:, CX], over[:, CY] - mine[:, CY])
                < (np.hypot(over[:, WIDTH], over[:, HEIGHT]) + np.hypot(mine[:, WIDTH], mine[:, HEIGHT])) / 2
            )
            if near.any():
                at = np.flatnonzero(there)[near]
                hidden[at] = np.maximum(
                    hidden[at], share_within(head_points(mine[near]), over[near], shapes_of(sighting, frames[at]))
                )
    return hidden
