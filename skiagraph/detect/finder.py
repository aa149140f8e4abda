"""Finds the faces of one frame: the whole of it by tiles, or a second look at a place where one is expected."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.blazeface import FULL_RANGE, SHORT_RANGE, BlazeFace
from skiagraph.detect.detections import Detections, suppress
from skiagraph.detect.tiles import Tile, cut, shrunk, tile_plan

# Scores under this are noise even for a second look.
FIRST_LOOK, SECOND_LOOK = 0.35, 0.25


class FaceFinder:
    """Both detectors, one pair per thread. Frames are uint8 RGB, upright.

    smallest: px of the smallest face to find. threads: how many tiles are looked at together.
    """

    def __init__(self, smallest: int = 36, threads: int | None = None):
        self.smallest = smallest
        self._threads = threads or min(4, os.cpu_count() or 1)
        self._far = [BlazeFace(FULL_RANGE) for _ in range(self._threads)]
        self._near = [BlazeFace(SHORT_RANGE) for _ in range(self._threads)]
        self._pool = ThreadPoolExecutor(self._threads, thread_name_prefix="finder")

    def close(self) -> None:
        self._pool.shutdown(wait=True)

    def __enter__(self) -> FaceFinder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def find(self, frame_rgb: np.ndarray, limit: float = FIRST_LOOK) -> Detections:
        """All faces of a frame with a score of at least limit."""
        height, width = frame_rgb.shape[:2]
        tiles = tile_plan(width, height, self.smallest)
        side = self._far[0].side
        levels = {s: shrunk(frame_rgb, s, side) for s in {tile.side for tile in tiles}}
        shares = [self._pool.submit(self._look_at, n, tiles[n::self._threads], frame_rgb, levels, limit) for n in range(self._threads)]
        return suppress(Detections.joined([d for share in shares for d in share.result()]))

    def _look_at(self, worker: int, tiles, frame_rgb, levels, limit) -> list[Detections]:
        near_from = min(frame_rgb.shape[:2])
        side = self._far[worker].side
        found = []
        for tile in tiles:
            scale = tile.side / side
            square = cut(levels[tile.side], Tile(round(tile.left / scale), round(tile.top / scale), side))
            # The short-range model on the largest squares knows near faces, and profiles, better.
            for model in [self._far[worker]] + ([self._near[worker]] if tile.side >= near_from else []):
                seen = model.find(square, limit)
                if len(seen):
                    found.append(self._kept_inside(seen.moved(scale, tile.left, tile.top), tile, frame_rgb.shape))
        return found

    @staticmethod
    def _kept_inside(seen: Detections, tile: Tile, shape) -> Detections:
        """Without faces cut by an inner edge of the tile: the neighbour sees those whole."""
        height, width = shape[:2]
        edge = 2.0
        boxes = seen.boxes
        cut_off = ((boxes[:, 0] < tile.left + edge) & (tile.left > 0)) | ((boxes[:, 1] < tile.top + edge) & (tile.top > 0))
        cut_off |= (boxes[:, 2] > tile.left + tile.side - edge) & (tile.left + tile.side < width)
        cut_off |= (boxes[:, 3] > tile.top + tile.side - edge) & (tile.top + tile.side < height)
        return seen.take(~cut_off)

    def look(self, frame_rgb: np.ndarray, boxes_xyxy: np.ndarray, limit: float = SECOND_LOOK) -> Detections:
        """A second look around each of the boxes (n, 4), with both models at the scale that suits them.

        Only faces that overlap the box they were looked for at are returned.
        """
        boxes_xyxy = np.asarray(boxes_xyxy, float).reshape(-1, 4)
        shares = [self._pool.submit(self._look_around, n, boxes_xyxy[n::self._threads], frame_rgb, limit) for n in range(self._threads)]
        return suppress(Detections.joined([d for share in shares for d in share.result()]))

    def _look_around(self, worker, boxes, frame_rgb, limit) -> list[Detections]:
        found = []
        for box in boxes:
            size = max(box[2] - box[0], box[3] - box[1], 8.0)
            cx, cy = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
            for model, spread in ((self._far[worker], 4.0), (self._near[worker], 3.6)):
                side = max(int(size * spread), 24)
                tile = Tile(int(cx - side / 2), int(cy - side / 2), side)
                seen = model.find(cut(frame_rgb, tile), limit)
                if len(seen):
                    seen = seen.moved(1, tile.left, tile.top)
                    found.append(seen.take(iou(box[None], seen.boxes)[0] > 0.15))
        return found
