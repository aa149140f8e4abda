"""Where the outline of a sighting is in every frame: its path's row, with what was changed on the whole, keyframes and
repairs on top."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.project.model import Project, Sighting, Style, Subject, replace
from skiagraph.remembering import Remembered
from skiagraph.shape.change import Change, change_at, keyframe_changes, moved, repair_changes
from skiagraph.shape.place import Perspective, Place, Similarity, place_of
from skiagraph.shape.shape import Outline, Shape
from skiagraph.track.path import PLACED, Path, laid_over


@dataclass(frozen=True, slots=True)
class GrowthSettings:
    """How much larger than the head a cover is where the path is unsure or fast, in shares of the head.

    unsure_below: confidence under which it grows; unsure_growth: by so much for each unit of confidence missing;
    unsure_most: at most. speed_growth: for each of its widths that a head moves in a frame; speed_most: at most. Larger
    values cover more than is needed. Set by the leaks and the excess in benchmarks/quality.py.
    """

    unsure_below: float = 0.8
    unsure_growth: float = 0.45
    unsure_most: float = 0.25
    speed_growth: float = 0.25
    speed_most: float = 0.25


GROWTH = GrowthSettings()
# Columns of the rows.
CX, CY, WIDTH, HEIGHT, ANGLE, CONFIDENCE, GROW, SHEAR, TILT_X, TILT_Y = range(10)
_PLACE = [CX, CY, WIDTH, HEIGHT, ANGLE, SHEAR, TILT_X, TILT_Y]

# Whole tables are kept within this memory; of longer sightings single frames are reckoned as they are asked for.
TABLE_FRAMES = 3000
_TABLES = Remembered(96 << 20)
# Most projects have nobody in front, and some have thousands of people.
_FRONTS = Remembered(1 << 16, size=lambda fronts: 64 * (1 + len(fronts)))
_PATHS = Remembered(64 << 20, size=lambda path: 25 * len(path))


def path_of(project: Project, sighting: Sighting) -> Path | None:
    """The path beneath a sighting: of all its tracks as one, or None where it was placed by hand."""
    if not sighting.tracks:
        return None
    paths = tuple(track.path for track in project.tracks_of(sighting))
    return paths[0] if len(paths) == 1 else _PATHS.get(paths, "one", lambda: laid_over(paths))


def rows_at(project: Project, sighting: Sighting, first: int, last: int) -> np.ndarray:
    """Rows of frames first .. last, both included, of a sighting: float64 (n, 10) cx, cy, width, height, angle,
    confidence, growth, shear, tilt_x, tilt_y.

    growth: how much larger than the head the cover has to be for speed and doubt, as a share, and by hand.
    """
    frames = np.arange(first, last + 1)
    rows = moved(_beneath(project, sighting, frames), sighting.whole.row(), SHEAR)
    growth = rows[:, GROW].copy()
    if sighting.keyframes:
        rows = moved(rows, keyframe_changes(sighting.keyframes, frames), SHEAR)
    if sighting.repairs:
        rows = moved(rows, repair_changes(sighting.repairs, frames), SHEAR)
    marks = sighting.marks()
    if marks:
        rows[np.isin(frames, marks), CONFIDENCE] = 1.0
    rows[:, GROW] = growth
    if sighting.levels:
        rows[:, GROW] += np.array([sighting.level_at(frame)[0] for frame in frames.tolist()])
    return rows


def _beneath(project: Project, sighting: Sighting, frames: np.ndarray) -> np.ndarray:
    """Rows (n, 10) of what is beneath all changes."""
    path = path_of(project, sighting)
    if path is None:
        base = sighting.base.row()
        return np.tile([*base[:5], 1.0, 0.0, *base[5:]], (len(frames), 1)).astype(float)
    row = np.clip(frames - path.first, 0, len(path) - 1)
    low, high = max(0, int(row[0]) - 1), min(len(path), int(row[-1]) + 2)
    part = slice(low, high)
    rows = np.stack(
        [path.cx[part], path.cy[part], path.width[part], path.height[part], path.angle[part], path.confidence[part]],
        axis=1,
    ).astype(float)
    speed = (
        np.hypot(np.gradient(rows[:, CX]), np.gradient(rows[:, CY])) / np.maximum(rows[:, WIDTH], 1)
        if len(rows) > 1
        else np.zeros(1)
    )
    doubt = np.clip((GROWTH.unsure_below - rows[:, CONFIDENCE]) * GROWTH.unsure_growth, 0, GROWTH.unsure_most)
    growth = doubt + np.clip(speed * GROWTH.speed_growth, 0, GROWTH.speed_most)
    return np.column_stack([rows, growth, path.leaning()[part]])[row - low]


def outline_rows(project: Project, sighting: Sighting) -> np.ndarray:
    """Every row of a sighting from first to last, as rows_at; read-only."""
    return _TABLES.get(
        (sighting,), "rows", lambda: _read_only(rows_at(project, sighting, sighting.first, sighting.last))
    )


def _read_only(rows: np.ndarray) -> np.ndarray:
    rows.flags.writeable = False
    return rows


def outline_at(project: Project, sighting: Sighting, frame: int) -> Outline | None:
    """The outline at a frame, or None outside the sighting."""
    return None if not sighting.covers(frame) else _outline(project, sighting, frame)[0]


def cover_outline(project: Project, sighting: Sighting, frame: int, style: Style) -> Outline | None:
    """The outline with its margin and its growth: inside it the cover is complete."""
    if not sighting.covers(frame):
        return None
    outline, growth = _outline(project, sighting, frame)
    return outline.grown_by(max(0.0, style.margin + growth))


def style_at(project: Project, subject: Subject, sighting: Sighting, frame: int) -> Style:
    """How a subject is covered in a frame of a sighting. Its margin is in the rows, as growth."""
    style = project.style_of(subject)
    if not sighting.levels:
        return style
    feather = sighting.level_at(frame)[1]
    return replace(
        style, covers=sighting.covers_at(frame, style.covers), feather=float(np.clip(style.feather + feather, 0, 3))
    )


def _outline(project: Project, sighting: Sighting, frame: int) -> tuple[Outline, float]:
    # All rows at once cost as little as one where they are few.
    short = sighting.last - sighting.first < TABLE_FRAMES
    row = (
        outline_rows(project, sighting)[frame - sighting.first]
        if short
        else rows_at(project, sighting, frame, frame)[0]
    )
    path = path_of(project, sighting)
    origin = PLACED if path is None or frame in sighting.marks() else int(path.origin[path.row(frame)])
    return Outline(place_of(row[_PLACE]), sighting.shape_at(frame), 0.0, float(row[CONFIDENCE]), origin), float(
        row[GROW]
    )


def place_beneath(project: Project, sighting: Sighting, frame: int, *, keyframes: bool = False) -> Place:
    """Where a sighting is at a frame before its keyframes and repairs, or with the keyframes."""
    rows = moved(_beneath(project, sighting, np.array([frame])), sighting.whole.row(), SHEAR)
    if keyframes and sighting.keyframes:
        rows = moved(rows, keyframe_changes(sighting.keyframes, np.array([frame])), SHEAR)
    return _exact_place(rows[0])


def keyframe_change(sighting: Sighting, frame: int) -> Change:
    """What the keyframes of a sighting ask for at a frame."""
    return change_at(sighting.keyframes, frame)


def repair_change(sighting: Sighting, frame: int) -> Change:
    """What the repairs of a sighting ask for at a frame."""
    return Change.of(repair_changes(sighting.repairs, np.array([frame]))[0])


def path_place(project: Project, sighting: Sighting, frame: int) -> Place:
    """Where the path beneath a sighting is at a frame, before anything was changed."""
    return _exact_place(_beneath(project, sighting, np.array([frame]))[0])


def _exact_place(row: np.ndarray) -> Place:
    """The place of a row as it is reckoned with; what is drawn is kept within what a plane may tilt."""
    return Similarity.of(row) if not row[SHEAR:].any() else Perspective(*(float(v) for v in row[_PLACE]))


def covered_path(project: Project, sighting: Sighting) -> Path:
    """Where a sighting is covered in each of its frames, with all that was changed by hand, as a path."""
    rows, path = rows_at(project, sighting, sighting.first, sighting.last), path_of(project, sighting)
    frames = np.arange(sighting.first, sighting.last + 1)
    origin = (
        np.full(len(rows), PLACED, np.uint8)
        if path is None
        else path.origin[np.clip(frames - path.first, 0, len(path) - 1)]
    )
    return Path.from_rows(sighting.first, rows[:, :6], origin, rows[:, SHEAR:])


def place_on(path: Path, frame: int) -> Place:
    """The place of a path's row."""
    n = path.row(frame)
    return (
        place_of(np.array([*path.rows()[n, :5], *path.leaning()[n]], float))
        if path.lean is not None
        else Similarity.of(path.rows()[n, :5])
    )


def shapes_of(sighting: Sighting, frames: np.ndarray) -> Shape | list[Shape]:
    """The shape of a sighting in some frames: one for all of them, or one for each."""
    return [sighting.shape_at(frame) for frame in frames.tolist()] if sighting.forms else sighting.shape


def in_front_at(project: Project, clip: str, frame: int) -> list[tuple[Subject, Sighting]]:
    """What is in front of anybody in a frame."""
    fronts = _FRONTS.get((project.decisions,), "fronts", lambda: tuple(s for s in project.subjects if s.is_in_front))
    return [
        (holdout, sighting)
        for holdout in fronts
        for sighting in holdout.sightings
        if sighting.clip == clip and sighting.covers(frame)
    ]


def fronts_of(project: Project, subject: Subject, clip: str, frame: int) -> list[tuple[Subject, Sighting]]:
    """What is in front of a subject in a frame: no cover of the subject is laid on it.

    Nothing is in front of what is in front itself.
    """
    return (
        []
        if not subject.of.hides
        else [
            (holdout, sighting)
            for holdout, sighting in in_front_at(project, clip, frame)
            if holdout.of.is_before(subject.key)
        ]
    )
