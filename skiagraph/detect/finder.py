"""Finds the faces of one frame: all of it, or a second look at a place where one is expected."""

from __future__ import annotations

import os
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections, suppress
from skiagraph.detect.detector import FaceDetector
from skiagraph.detect.lifting import lifted
from skiagraph.detect.shrink import halved, shrunk
from skiagraph.detect.turned import TURNED, around_upright, stood_up, turned_back

# Scores under this are noise even for a second look.
FIRST_LOOK, SECOND_LOOK = 0.25, 0.25
# Measured: a face is found surely when its box spans this many px of what the detector is given.
SURE_SPAN = 18.0
# Each level is so many times coarser than the one before, as long as it has more px than this across.
COARSER, LEAST_ACROSS = 2, 320
# A level of so many times more px than this is searched in each so many frames, when each frame is searched, but not
# more rarely than in each eighth.
AFFORDABLE, REST_MOST = 640_000, 8
# A picture is searched with its mirror image around it, so wide, px, since half a face and its mirror image look like a
# face: whoever comes into the picture is found earlier, and longer who leaves it. The middle of such a face is the
# edge, give or take this share of its side.
BORDER, MIRRORED = 16, 0.1
# Along the edges a strip so wide, px, is searched at each level: twice as wide as faces that the next level does not
# see as well.
STRIP = 160
# A face whose middle is nearer, in its sides, to where a part of a frame was cut off from the rest may be half of one.
CUT_OFF = 0.6
# A level of more px than this is searched in parts of about so many px a side.
TILE_PX, TILE_SIDE = 5_000_000, 2000
# Second looks: side in px of the square that is looked at, and how many face sides of the frame it shows. The second is
# for who is not seen well in the first.
NEAR_SIDE, NEAR_REACH = 128, 3.4
CLOSE_SIDE, CLOSE_REACH = 192, 3.0
# A second look needs no px further from the middle of a box than so many of its longer sides.
LOOK_REACH = max(NEAR_REACH, CLOSE_REACH) / 2
# A second look that is this sure needs no third.
CONTENT = 0.6


@dataclass(frozen=True, slots=True)
class Search:
    """A search under way. result() waits for it. turned: of it, for those who lie or are upside down: a face may look
    like one both ways."""

    levels: tuple[Future, ...]
    turned: tuple[Future, ...] = ()

    def result(self) -> Detections:
        return Detections.joined(
            [suppress(Detections.joined([level.result() for level in levels])) for levels in (self.levels, self.turned)]
        )


class FaceFinder:
    """The detector at several scales. Frames are uint8 RGB, upright.

    smallest: px of the smallest face to find. threads: how many looks are taken together.
    """

    def __init__(self, smallest: int = 36, threads: int | None = None):
        self.smallest = smallest
        self.threads = threads or min(4, os.cpu_count() or 1)
        self._detector = FaceDetector()
        self.pool = ThreadPoolExecutor(self.threads, thread_name_prefix="finder")
        # Somebody waits for a look, and nobody yet for searches begun ahead, which it would stand behind.
        self._looks = ThreadPoolExecutor(self.threads, thread_name_prefix="looks")

    def close(self) -> None:
        for pool in (self.pool, self._looks):
            pool.shutdown(wait=True, cancel_futures=True)

    def __enter__(self) -> FaceFinder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def find(self, frame_rgb: np.ndarray, limit: float = FIRST_LOOK, rolls: tuple[float, ...] = ()) -> Detections:
        """All faces of a frame with a score of at least limit. rolls: as in submit."""
        return self.submit(frame_rgb, limit, rolls=rolls).result()

    def submit(
        self, frame_rgb: np.ndarray, limit: float = FIRST_LOOK, turn: int | None = None, rolls: tuple[float, ...] = ()
    ) -> Search:
        """Begin to search a frame: all of it, or with a turn, the number of the frame in a row of searches, what is
        affordable in it: all levels in HD; the finest of larger frames more rarely. rolls: those of turned.ON_A_SIDE
        and UPSIDE_DOWN for which it is searched too, more coarsely."""
        height, width = frame_rgb.shape[:2]
        wanted = [size for size in level_sizes(width, height, self.smallest) if not turn or turn % _rest(size) == 0]
        looks = []
        for picture in _levels(frame_rgb, wanted):
            scale = width / picture.shape[1]
            for tile in _tiles(picture.shape[1], picture.shape[0]):
                looks.append(self.pool.submit(self._search_tile, picture, tile, scale, limit))
        turned = []
        if rolls:
            # The network knows faces as large as this picture.
            picture = shrunk(frame_rgb, level_sizes(width, height, TURNED.coarser * self.smallest)[0])
            turned = [
                self.pool.submit(self._search_turned, picture, roll, width / picture.shape[1], max(limit, TURNED.score))
                for roll in rolls
            ]
        return Search(tuple(looks), tuple(turned))

    def submit_edges(self, frame_rgb: np.ndarray, limit: float, finer: float, rolls: tuple[float, ...] = ()) -> Search:
        """Begin to search along the edges of a frame only, for faces that reach them. finer: times as fine as the
        smallest face needs; rolls: as in submit, but as finely."""
        height, width = frame_rgb.shape[:2]
        parts, turned = [], []
        for picture in _levels(frame_rgb, level_sizes(width, height, self.smallest / finer)):
            scale = width / picture.shape[1]
            for x0, y0, x1, y1 in _strips(picture.shape[1], picture.shape[0]):
                part, corner = picture[y0:y1, x0:x1], (x0 * scale, y0 * scale)
                parts.append(self.pool.submit(self._search, part, scale, limit, corner))
                turned += [self.pool.submit(self._search_turned, part, roll, scale, limit, corner) for roll in rolls]
        return Search(tuple(parts), tuple(turned))

    def submit_around(self, frame_rgb: np.ndarray, boxes_xyxy: np.ndarray, limit: float, finer: float) -> Search:
        """Begin to search parts of a frame only, boxes (n, 4). finer: times as fine as the smallest face needs."""
        height, width = frame_rgb.shape[:2]
        parts = []
        for x0, y0, x1, y1 in (
            np.clip(np.round(boxes_xyxy).astype(int), 0, [width, height, width, height]).reshape(-1, 4).tolist()
        ):
            if min(x1 - x0, y1 - y0) >= 8:
                part = frame_rgb[y0:y1, x0:x1]
                for picture in _levels(part, level_sizes(x1 - x0, y1 - y0, self.smallest / finer)):
                    parts.append(self.pool.submit(self._search, picture, (x1 - x0) / picture.shape[1], limit, (x0, y0)))
        return Search(tuple(parts))

    def submit_parts(self, frame_rgb: np.ndarray, parts_xyxy: np.ndarray, limit: float = FIRST_LOOK) -> Search:
        """Begin to search parts of a frame, (n, 4), as submit searches all of it; without faces that may be cut off
        where a part ends inside the frame."""
        height, width = frame_rgb.shape[:2]
        looks = []
        for x0, y0, x1, y1 in (
            np.clip(np.round(parts_xyxy).astype(int), 0, [width, height, width, height]).reshape(-1, 4).tolist()
        ):
            inner = (
                np.array([x0 if x0 else -np.inf, y0 if y0 else -np.inf]),
                np.array([x1 if x1 < width else np.inf, y1 if y1 < height else np.inf]),
            )
            for picture in _levels(frame_rgb[y0:y1, x0:x1], level_sizes(x1 - x0, y1 - y0, self.smallest)):
                looks.append(
                    self.pool.submit(self._search_part, picture, (x1 - x0) / picture.shape[1], limit, (x0, y0), inner)
                )
        return Search(tuple(looks))

    def _search_part(
        self,
        picture: np.ndarray,
        scale: float,
        limit: float,
        corner: tuple[float, float],
        inner: tuple[np.ndarray, np.ndarray],
    ) -> Detections:
        """inner: from and to which x and y, px of the frame, the part reaches inside it; infinite where it reaches the
        edge."""
        found = self._search(picture, scale, limit, corner)
        middle, near = (
            (found.boxes[:, :2] + found.boxes[:, 2:]) / 2,
            CUT_OFF * (found.boxes[:, 2:3] - found.boxes[:, 0:1]),
        )
        return found.take(((middle - inner[0] > near) & (inner[1] - middle > near)).all(axis=1))

    def _search_tile(
        self, picture: np.ndarray, tile: tuple[int, int, int, int], scale: float, limit: float
    ) -> Detections:
        """What is found in a part of a picture; faces whose middle is nearer another part are that one's."""
        if tile == (0, 0, picture.shape[1], picture.shape[0]):
            return self._search(picture, scale, limit)
        x0, y0, x1, y1 = tile
        found = self._search(picture[y0:y1, x0:x1], scale, limit, (x0 * scale, y0 * scale))
        if not len(found):
            return found
        middle = (found.boxes[:, :2] + found.boxes[:, 2:]) / 2 / scale
        low = np.array([x0 + STRIP / 2 if x0 else -np.inf, y0 + STRIP / 2 if y0 else -np.inf])
        high = np.array(
            [x1 - STRIP / 2 if x1 < picture.shape[1] else np.inf, y1 - STRIP / 2 if y1 < picture.shape[0] else np.inf]
        )
        return found.take(((middle >= low) & (middle < high)).all(axis=1))

    def _search(
        self, picture: np.ndarray, scale: float, limit: float, corner: tuple[float, float] = (0, 0)
    ) -> Detections:
        height, width = picture.shape[:2]
        wide = cv2.copyMakeBorder(lifted(picture), BORDER, BORDER, BORDER, BORDER, cv2.BORDER_REFLECT)
        found = self._detector.find(wide, limit).moved(1, -BORDER, -BORDER)
        return suppress(_without_mirrored(found, width, height)).moved(scale, *corner)

    def _search_turned(
        self, picture: np.ndarray, roll: float, scale: float, limit: float, corner: tuple[float, float] = (0, 0)
    ) -> Detections:
        upright, matrix = stood_up(picture, roll)
        return turned_back(self._search(upright, 1.0, limit), matrix, roll).moved(scale, *corner)

    def look(
        self,
        frame_rgb: np.ndarray,
        boxes_xyxy: np.ndarray,
        limit: float = SECOND_LOOK,
        thorough: np.ndarray | None = None,
        rolls: np.ndarray | None = None,
    ) -> Detections:
        """A second look around each of the boxes (n, 4); where it is not sure, a third from nearer, and mirrored.

        Only faces that overlap the box they were looked for at are returned. thorough: bool (n,), where a third look is
        worth it; rolls: (n,), degrees clockwise by which each head leaned.
        """
        boxes_xyxy = np.asarray(boxes_xyxy, float).reshape(-1, 4)
        wanted = list(
            zip(
                boxes_xyxy,
                np.ones(len(boxes_xyxy), bool) if thorough is None else thorough,
                np.zeros(len(boxes_xyxy)) if rolls is None else rolls,
            )
        )
        shares = [
            self._looks.submit(self._look_around, wanted[n :: self.threads], frame_rgb, limit)
            for n in range(1, min(self.threads, len(wanted)))
        ]
        own = self._look_around(wanted[:: self.threads], frame_rgb, limit)
        return suppress(Detections.joined([*own, *(d for share in shares for d in share.result())]))

    def _look_around(self, wanted, frame_rgb, limit) -> list[Detections]:
        found = []
        for box, thorough, roll in wanted:
            seen = self._near_box(frame_rgb, box, NEAR_SIDE, NEAR_REACH, limit, roll)
            if thorough and not _content(seen):
                seen = Detections.joined([seen, self._near_box(frame_rgb, box, CLOSE_SIDE, CLOSE_REACH, limit, roll)])
                if not _content(seen):
                    seen = Detections.joined(
                        [seen, self._near_box(frame_rgb, box, CLOSE_SIDE, NEAR_REACH, limit, roll, mirrored=True)]
                    )
            found.append(seen)
        return found

    def _near_box(
        self, frame_rgb, box, side: int, reach: float, limit: float, roll: float, mirrored: bool = False
    ) -> Detections:
        size = max(box[2] - box[0], box[3] - box[1], 8.0)
        scale = size * reach / side
        left, top = (box[0] + box[2] - size * reach) / 2, (box[1] + box[3] - size * reach) / 2
        turned = abs(roll) >= TURNED.looked_from
        if turned:
            square, matrix = around_upright(frame_rgb, (box[:2] + box[2:]) / 2, scale, side, roll)
        else:
            square, matrix = _cut(frame_rgb, left, top, scale, side), None
        square = lifted(square)
        seen = self._detector.find(np.ascontiguousarray(square[:, ::-1]) if mirrored else square, limit)
        if mirrored and len(seen):
            seen = _mirrored(seen, side)
        seen = turned_back(seen, matrix, roll) if turned else seen.moved(scale, left, top)
        seen = _without_mirrored(seen, frame_rgb.shape[1], frame_rgb.shape[0])
        return seen.take(iou(np.asarray(box)[None], seen.boxes)[0] > 0.15) if len(seen) else seen


def _without_mirrored(found: Detections, width: int, height: int) -> Detections:
    """Without faces in the mirror image around a picture of this size, and without halves at its edge that are seen as
    whole faces too."""
    if not len(found):
        return found
    side = (found.boxes[:, 2] - found.boxes[:, 0])[:, None]
    middle = (found.boxes[:, :2] + found.boxes[:, 2:]) / 2
    beyond = np.maximum(-middle, middle - np.array([width, height]))
    kept = (beyond < MIRRORED * side).all(axis=1)
    half = kept & (beyond > -MIRRORED * side).any(axis=1)
    whole = middle[kept & ~half]
    for row in np.flatnonzero(half):
        kept[row] = not (np.abs(whole - middle[row]) < side[row]).all(axis=1).any()
    return found.take(kept)


def _content(seen: Detections) -> bool:
    return bool(len(seen) and seen.scores.max() >= CONTENT)


def level_sizes(width: int, height: int, smallest: float) -> list[tuple[int, int]]:
    """Sizes at which a frame is searched, the finest first, in which the smallest face to find spans enough px."""
    scale, sizes = min(2.0, SURE_SPAN / smallest), []
    while not sizes or max(sizes[-1]) > LEAST_ACROSS:
        sizes.append((max(4, 4 * round(width * scale / 4)), max(4, 4 * round(height * scale / 4))))
        scale /= COARSER
    return sizes


def _strips(width: int, height: int) -> list[tuple[int, int, int, int]]:
    """Parts of a level, x0, y0, x1, y1, that together hold what lies along its edges; larger faces there are for
    coarser levels."""
    if min(width, height) < 3 * STRIP:
        return [(0, 0, width, height)]
    return [
        (0, 0, width, STRIP),
        (0, height - STRIP, width, height),
        (0, 0, STRIP, height),
        (width - STRIP, 0, width, height),
    ]


def _tiles(width: int, height: int) -> list[tuple[int, int, int, int]]:
    """Parts of a level, x0, y0, x1, y1, that lie over each other by a strip, so that the detector's memory does not
    grow with the picture."""
    if width * height <= TILE_PX:
        return [(0, 0, width, height)]
    across, down = (-(-side // TILE_SIDE) for side in (width, height))
    return [
        (
            max(0, width * n // across - STRIP // 2),
            max(0, height * m // down - STRIP // 2),
            min(width, width * (n + 1) // across + STRIP // 2),
            min(height, height * (m + 1) // down + STRIP // 2),
        )
        for m in range(down)
        for n in range(across)
    ]


def _rest(size: tuple[int, int]) -> int:
    """A level of this size is searched in each so many frames."""
    return min(REST_MOST, max(1, round(size[0] * size[1] / AFFORDABLE)))


def _levels(frame_rgb: np.ndarray, sizes: list[tuple[int, int]]) -> list[np.ndarray]:
    """The frame at falling sizes, each made from the one before it."""
    made: list[np.ndarray] = []
    for size in sizes:
        made.append(shrunk(made[-1] if made else frame_rgb, size))
    return made


def _cut(frame_rgb: np.ndarray, left: float, top: float, scale: float, side: int) -> np.ndarray:
    """A square of the frame, scale times `side` px wide, as uint8 (side, side, 3); mirrored beyond the frame."""
    height, width = frame_rgb.shape[:2]
    x0, y0 = max(0, int(left)), max(0, int(top))
    part = frame_rgb[y0 : min(height, int(top + scale * side) + 2), x0 : min(width, int(left + scale * side) + 2)]
    if not part.size:
        return np.full((side, side, 3), 128, np.uint8)
    times = 1
    while scale >= 2 * times and min(part.shape[:2]) >= 2:
        part, times = halved(part), 2 * times
    placed = np.float32([[scale / times, 0, (left - x0) / times], [0, scale / times, (top - y0) / times]])
    return cv2.warpAffine(
        part, placed, (side, side), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
    )


def _mirrored(seen: Detections, side: int) -> Detections:
    boxes, marks = seen.boxes.copy(), seen.landmarks.copy()
    boxes[:, [0, 2]] = side - seen.boxes[:, [2, 0]]
    marks[:, :, 0] = side - marks[:, :, 0]
    # The picture's left eye and corner of the mouth are what was right in the mirror.
    return Detections(boxes, seen.scores, np.ascontiguousarray(marks[:, [1, 0, 2, 4, 3]]))
