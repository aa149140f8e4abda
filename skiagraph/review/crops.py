"""Pictures of the contact sheet: the result in a box of one frame, never the source."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import cv2
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.frame import Frame
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import held_at, layers
from skiagraph.project.model import Clip, Project, Subject
from skiagraph.project.rows import CX, CY, GROW, HEIGHT, TABLE_FRAMES, WIDTH, outline_rows, rows_at, style_at
from skiagraph.review.sheet import Crop, by_doubt

STEP = "Making the contact sheet"
# What lies beyond the picture, RGB.
BEYOND = (18, 17, 16)
# The most doubtful ones are made first, each by itself; the others as they come in the clip, which takes no longer than
# reading it once.
FIRST = 24


class CropReader:
    """Makes pictures of crops of one clip.

    Closes with `close` or as a context. wanted: frames that will ever be asked for, if not all may be.
    """

    def __init__(self, clip: Clip, control: JobControl | None = None, wanted: Iterable[int] | None = None):
        info, index = open_source(clip, control or JobControl())
        mask = None
        if wanted is not None:
            mask = np.zeros(len(index), bool)
            mask[[n for n in wanted if n < len(index)]] = True
        self._reader = FrameReader(info, index, threads=1, wanted=mask)
        self._last: Frame | None = None

    def __enter__(self) -> CropReader:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        self._reader.close()

    def picture(self, project: Project, crop: Crop, size: tuple[int, int], at: int | None = None) -> np.ndarray:
        """uint8 RGB, as large as fits into size (width, height). at: another frame than the crop's, for playing around
        it. Raises FrameNotDecoded, CannotOpenMedia, IndexError."""
        number = crop.at if at is None else at
        # Several people are often looked at in one frame, and to read it again a decoder has to go back.
        if self._last is None or self._last.number != number:
            self._last = self._reader.read(number)
        return result_in(project, crop.clip, self._last, crop.box, size)


def result_in(
    project: Project, clip: str, frame: Frame, box: tuple[int, int, int, int], size: tuple[int, int]
) -> np.ndarray:
    """The result within a box of a frame as it was shot: uint8 RGB, as large as fits into size."""
    near = [
        layer
        for layer in layers(project, clip, frame.number, subjects=_near(project, clip, frame.number, box))
        if _touch(layer.box, box)
    ]
    part, (left, top) = with_layers(frame, near).window(box)
    x0, y0, x1, y1 = box
    scale = min(size[0] / (x1 - x0), size[1] / (y1 - y0))
    move = np.float32([[scale, 0, (left - x0) * scale], [0, scale, (top - y0) * scale]])
    return cv2.warpAffine(
        part.rgb(),
        move,
        (max(1, round((x1 - x0) * scale)), max(1, round((y1 - y0) * scale))),
        flags=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=BEYOND,
    )


def _near(project: Project, clip: str, frame: int, box: tuple[int, int, int, int]) -> list[Subject]:
    """Whose covers or labels may come into a box, in the order of the register."""
    x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    found = []
    for subject in project.subjects:
        margin = project.style_of(subject).margin
        for sighting in subject.sightings if subject.label is None else ():
            if sighting.clip == clip and (at := held_at(project, sighting, frame)) is not None:
                row = (
                    outline_rows(project, sighting)[at - sighting.first]
                    if sighting.last - sighting.first < TABLE_FRAMES
                    else rows_at(project, sighting, at, at)[0]
                )
                style = style_at(project, subject, sighting, at)
                # Turned, in perspective, and with its soft edge a cover reaches no further than this.
                reach = 2 * np.hypot(row[WIDTH], row[HEIGHT]) * (1 + max(0.0, margin + row[GROW]) + style.feather)
                if (
                    abs(row[CX] - x) < reach + (box[2] - box[0]) / 2
                    and abs(row[CY] - y) < reach + (box[3] - box[1]) / 2
                ):
                    found.append(subject)
                    break
        if subject.label is not None:
            found.append(subject)
    return found


def _touch(one: Sequence[int], other: Sequence[int]) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def in_order_of_making(crops: Iterable[Crop]) -> list[Crop]:
    """The most doubtful first, then the others; both as they come in the clips, since to jump in a clip, or to another,
    takes longer than to go on."""
    ordered = by_doubt(crops)
    return as_they_come(ordered[:FIRST]) + as_they_come(ordered[FIRST:])


def as_they_come(crops: Iterable[Crop]) -> list[Crop]:
    """Clip by clip, in the order of frames."""
    return sorted(crops, key=lambda c: (c.clip, c.at, c.subject))


def pictures(
    project: Project, clip_key: str, crops: Sequence[Crop], size: tuple[int, int], control: JobControl | None = None
) -> Iterator[tuple[Crop, np.ndarray]]:
    """Each crop of a clip with its picture, in the order of making.

    Raises Cancelled, CannotOpenMedia, SourceChanged, FrameNotDecoded.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    ordered = [crop for crop in in_order_of_making(crops) if crop.at < clip.frames]
    with CropReader(clip, control, {crop.at for crop in ordered}) as reader:
        for done, crop in enumerate(ordered):
            yield crop, reader.picture(project, crop, size)
            control.report(STEP, done + 1, len(ordered))
