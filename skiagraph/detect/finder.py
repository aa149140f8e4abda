"""Finds the faces of one frame: the whole of it by tiles, or a second look at a place where one is expected."""

from __future__ import annotations

import os
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.blazeface import FULL_RANGE, SHORT_RANGE, BlazeFace
from skiagraph.detect.detections import Detections, suppress
from skiagraph.detect.tiles import Tile, cut, shrunk, tile_plan

# Scores under this are noise even for a second look.
FIRST_LOOK, SECOND_LOOK = 0.35, 0.25
# A second look that is this sure needs no third.
CONTENT = 0.6
# Below this mean brightness a picture is lifted before it is searched.
DARK = 78.0


@dataclass(frozen=True, slots=True)
class Search:
    """A search under way. result() waits for it."""

    shares: tuple[Future, ...]

    def result(self) -> Detections:
        return suppress(Detections.joined([d for share in self.shares for d in share.result()]))


class FaceFinder:
    """Both detectors, one pair per thread. Frames are uint8 RGB, upright.

    smallest: px of the smallest face to find. threads: how many tiles are looked at together.
    """

    def __init__(self, smallest: int = 36, threads: int | None = None):
        self.smallest = smallest
        self.threads = threads or min(4, os.cpu_count() or 1)
        self._far = [BlazeFace(FULL_RANGE) for _ in range(self.threads)]
        self._near = [BlazeFace(SHORT_RANGE) for _ in range(self.threads)]
        self._free = list(range(self.threads))
        self.pool = ThreadPoolExecutor(self.threads, thread_name_prefix="finder")

    def close(self) -> None:
        self.pool.shutdown(wait=True, cancel_futures=True)

    def __enter__(self) -> FaceFinder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def find(self, frame_rgb: np.ndarray, limit: float = FIRST_LOOK) -> Detections:
        """All faces of a frame with a score of at least limit."""
        return self.submit(frame_rgb, limit).result()

    def submit(self, frame_rgb: np.ndarray, limit: float = FIRST_LOOK, turn: int | None = None, worth: int = 3) -> Search:
        """Begin to search a frame: all of it, or with a turn only its part of the squares (turn and worth: see tile_plan)."""
        height, width = frame_rgb.shape[:2]
        frame_rgb = lifted(frame_rgb)
        tiles = tile_plan(width, height, self.smallest, turn, worth)
        levels = shrunk(frame_rgb, {tile.side for tile in tiles}, self._far[0].side)
        largest = min(width, height)
        # The short-range model on the largest squares knows near faces, and profiles, better.
        calls = [(tile, False) for tile in tiles] + [(tile, True) for tile in tiles if tile.side >= largest]
        return Search(tuple(self.pool.submit(self._look_at, calls[n::self.threads], (width, height), levels, limit, turn is not None) for n in range(self.threads)))

    def _look_at(self, calls, size, levels, limit, alone) -> list[Detections]:
        worker = self._free.pop()
        try:
            side, found = self._far[worker].side, []
            for tile, near in calls:
                scale = tile.side / side
                square = cut(levels[tile.side], Tile(round(tile.left / scale), round(tile.top / scale), side))
                seen = (self._near if near else self._far)[worker].find(square, limit)
                if len(seen):
                    found.append(self._kept_inside(seen.moved(scale, tile.left, tile.top), tile, size, alone))
            return found
        finally:
            self._free.append(worker)

    @staticmethod
    def _kept_inside(seen: Detections, tile: Tile, size, alone: bool) -> Detections:
        """Without faces cut by an inner edge of the tile: the neighbour sees those whole.

        alone: the neighbour may not be searched in this turn, so a face near the edge has nobody to correct it and waits for its turn.
        """
        width, height = size
        boxes = seen.boxes
        edge = np.maximum(2.0, 0.15 * (boxes[:, 2] - boxes[:, 0])) if alone else 2.0
        cut_off = ((boxes[:, 0] < tile.left + edge) & (tile.left > 0)) | ((boxes[:, 1] < tile.top + edge) & (tile.top > 0))
        cut_off |= (boxes[:, 2] > tile.left + tile.side - edge) & (tile.left + tile.side < width)
        cut_off |= (boxes[:, 3] > tile.top + tile.side - edge) & (tile.top + tile.side < height)
        return seen.take(~cut_off)

    def look(self, frame_rgb: np.ndarray, boxes_xyxy: np.ndarray, limit: float = SECOND_LOOK, thorough: np.ndarray | None = None) -> Detections:
        """A second look around each of the boxes (n, 4); where it is not sure, a third with the other model, and mirrored.

        Only faces that overlap the box they were looked for at are returned. thorough: bool (n,), where a third look is worth it.
        """
        boxes_xyxy = np.asarray(boxes_xyxy, float).reshape(-1, 4)
        wanted = list(zip(boxes_xyxy, np.ones(len(boxes_xyxy), bool) if thorough is None else thorough))
        shares = [self.pool.submit(self._look_around, wanted[n::self.threads], frame_rgb, limit) for n in range(min(self.threads, len(wanted)))]
        return suppress(Detections.joined([d for share in shares for d in share.result()]))

    def _look_around(self, wanted, frame_rgb, limit) -> list[Detections]:
        worker = self._free.pop()
        try:
            found = []
            for box, thorough in wanted:
                seen = self._near_box(self._near[worker], frame_rgb, box, 3.6, limit)
                if thorough and (not len(seen) or seen.scores.max() < CONTENT):
                    seen = Detections.joined([seen, self._near_box(self._far[worker], frame_rgb, box, 4.0, limit)])
                    if not len(seen) or seen.scores.max() < CONTENT:
                        seen = Detections.joined([seen, self._near_box(self._near[worker], frame_rgb, box, 3.2, limit, mirrored=True)])
                found.append(seen)
            return found
        finally:
            self._free.append(worker)

    @staticmethod
    def _near_box(model: BlazeFace, frame_rgb, box, spread: float, limit: float, mirrored: bool = False) -> Detections:
        size = max(box[2] - box[0], box[3] - box[1], 8.0)
        cx, cy = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
        side = max(int(size * spread), 24)
        tile = Tile(int(cx - side / 2), int(cy - side / 2), side)
        square = lifted(cut(frame_rgb, tile))
        seen = model.find(np.ascontiguousarray(square[:, ::-1]) if mirrored else square, limit)
        if mirrored and len(seen):
            seen = _mirrored(seen, side)
        seen = seen.moved(1, tile.left, tile.top)
        return seen.take(iou(np.asarray(box)[None], seen.boxes)[0] > 0.15) if len(seen) else seen


def lifted(rgb: np.ndarray) -> np.ndarray:
    """A dark picture with its shadows lifted by a gamma curve and each channel brought to a like mean; others as they are.

    Detectors were trained on daylight; lamps at night leave faces dark and of one colour.
    """
    thumb = rgb[::8, ::8].reshape(-1, 3)
    mean = thumb.mean(axis=0)
    if mean.mean() >= DARK or mean.mean() < 4:
        return rgb
    gamma = float(np.clip(np.log(DARK / 255 * 1.25) / np.log(max(mean.mean(), 1) / 255), 0.4, 1))
    balance = np.clip(mean.mean() / np.maximum(mean, 1), 0.7, 1.5)
    steps = np.arange(256)[:, None] * balance
    table = np.clip((np.clip(steps, 0, 255) / 255) ** gamma * 255, 0, 255).astype(np.uint8)
    return cv2.LUT(rgb, table.reshape(1, 256, 3))


def _mirrored(seen: Detections, side: int) -> Detections:
    boxes, marks = seen.boxes.copy(), seen.landmarks.copy()
    boxes[:, [0, 2]] = side - seen.boxes[:, [2, 0]]
    marks[:, :, 0] = side - marks[:, :, 0]
    # The picture's left eye and ear are what was right in the mirror.
    return Detections(boxes, seen.scores, np.ascontiguousarray(marks[:, [1, 0, 2, 3, 5, 4]]))
