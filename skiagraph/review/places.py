"""What of a frame a crop of the contact sheet shows: the cover with its surroundings, always of the same shape.

And which way up a portrait is shown.
"""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import Project, Sighting, Subject
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import ANGLE, CX, CY, GROW, HEIGHT, WIDTH, outline_at
from skiagraph.review.finding import Scene

# Width over height of a crop; how many times as wide as the cover it is; px across at least, so that a small head is
# seen where it is.
ASPECT, AROUND, LEAST_PX = 0.8, 1.9, 48


def crop_box(scene: Scene, subject: Subject, sighting: Sighting, frame: int) -> tuple[int, int, int, int]:
    """x0, y0, x1, y1 px around where a subject is covered in a frame, or would be, next to its sighting.

    May reach beyond the picture.
    """
    rows = scene.rows(sighting)
    return within_picture(
        box_around(
            rows[int(np.clip(frame - sighting.first, 0, len(rows) - 1))], scene.project.style_of(subject).margin
        ),
        scene.clip.picture_size,
    )


def within_picture(box: tuple[int, int, int, int], size: tuple[int, int]) -> tuple[int, int, int, int]:
    """A box moved into the picture as far as it fits there."""
    x0, y0, x1, y1 = box
    right, down = (
        max(0, -low) - max(0, high - side) if high - low <= side else 0
        for low, high, side in ((x0, x1, size[0]), (y0, y1, size[1]))
    )
    return x0 + right, y0 + down, x1 + right, y1 + down


def box_around(row: np.ndarray, margin: float) -> tuple[int, int, int, int]:
    """The box of a crop around a row, as project.rows has it, that is covered with a margin."""
    grown = 1 + max(0.0, margin + row[GROW])
    lean = np.radians(row[ANGLE])
    cos, sin = abs(np.cos(lean)), abs(np.sin(lean))
    wide, tall = (row[WIDTH] * cos + row[HEIGHT] * sin) * grown, (row[WIDTH] * sin + row[HEIGHT] * cos) * grown
    across = max(LEAST_PX, AROUND * max(wide, tall * ASPECT))
    x0, y0 = round(float(row[CX] - across / 2)), round(float(row[CY] - across / ASPECT / 2))
    return x0, y0, x0 + round(float(across)), y0 + round(float(across / ASPECT))


def portrait_turns(project: Project, subject: Subject) -> int:
    """Quarter turns, clockwise, 0..3, by which whoever is in a subject's portrait leans: of somebody who lies the face
    is told from others more easily when it is shown upright."""
    portrait = subject.portrait
    sighting = sighting_at(subject, portrait.clip, portrait.frame) if portrait is not None else None
    return quarter_turns(outline_at(project, sighting, portrait.frame).angle) if sighting is not None else 0


def quarter_turns(angle: float) -> int:
    """Quarter turns, clockwise, 0..3, nearest to an angle in degrees clockwise."""
    return round(float(angle) / 90) % 4
