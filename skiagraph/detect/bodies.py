"""Bodies in a picture: where the heads are of all who can be seen, also of those who face away, run, stand close
together, or have faces a few px wide.

Network: MoveNet MultiPose Lightning (Google, 2021, Apache-2.0), made by tools/convert_bodies.py; people are read from
its maps as Zhou, Wang and Krähenbühl, Objects as points, 2019, describe.
"""

from __future__ import annotations

import math
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.detect.networks import onnx_network

# Sides of what the network looks at are multiples of this; a cell of its maps is so many px of that.
_MULTIPLE, _CELL = 32, 4
# Landmarks by number, as in COCO: nose, eyes and ears; shoulders; hips.
_HEAD, _EARS, _SHOULDERS, _HIPS = [0, 1, 2, 3, 4], [3, 4], [5, 6], [11, 12]
_WANTED = np.array([*_HEAD, *_SHOULDERS, *_HIPS])
# Shares of the stature: heights of a head, of its middle, of the shoulders and of the hips above the floor, and how far
# the shoulders are apart (Drillis and Contini, Body segment parameters, 1966).
_STATURE = {"head": 0.13, "middle": 0.935, "shoulders": 0.818, "hips": 0.53, "apart": 0.259}
# Where a landmark should be by the middle of its body is off by some cells: squared, as a share of the shorter side of
# the maps; the makers' number.
_ASTRAY = 0.3
# A head is so many times as high as its ears, eyes and nose are apart at the most; of small ones landmarks lie some
# cells astray.
_HIGH_BY_WIDE, _BLUR = 1.7, 4.0
# Rows of found bodies.
SCORE, HEAD_X, HEAD_Y, HIPS_X, HIPS_Y, HIGH = range(6)
# One column more while it is told who is somebody: the likelihood of the head.
_LIKELY = 6


@dataclass(frozen=True, slots=True)
class BodySettings:
    """What is looked at and who is taken for somebody. On recordings of real people (docs/measured/mended.md)."""

    # px of the longer side of a picture as it is looked at, in which heads are found from 5 px on, most from 9; larger:
    # smaller ones, in square measure more time
    side: int = 512
    # px of the longer side where somebody is in doubt: who fills the picture has a score of 0.9 in it and 0.4 in the
    # other
    coarser: int = 256
    # px of the longer side now and then, where nobody small is known: drawn heads that have 12 to 18 px in it are found
    # in nine of ten cases; in the first look, where they have 7 to 10, in four
    finer: int = 896
    # px of the longer side for what is around somebody small who may be there, with no more px than the whole picture
    # has at that, and now and then for the whole picture: of 564 drawn heads of 15 to 30 px 488 are surely found, with
    # 896 464; larger: smaller ones, and more work
    closer: int = 1280
    # of so many looks one is closer in the whole picture, where somebody small may be anywhere; larger: less work
    finer_each: int = 4
    # of so many looks one is coarser and finer whatever the first shows; larger: less work. Of 800 frames of recordings
    # it was never needed
    all_each: int = 12
    # score from which somebody is in doubt, so that a coarser look follows; smaller: more coarser looks. On recordings
    # each of 153 who are found, or surer, by a coarser look had that
    doubt: float = 0.05
    # score from which nobody is in doubt any more; larger: more coarser looks
    sure: float = 0.6
    # px of the look's that somebody's head is small below; larger: more finer looks
    small: float = 20.0
    # score from which somebody small may be there; smaller: more finer looks. So had each of 48 frames of recordings in
    # which a finer one shows somebody more, and 242 of 752 others
    small_score: float = 0.1
    # px of the smallest head at which that need be looked at, with no more px than the whole picture at `closer`;
    # larger: more work
    enough: float = 18.0
    # heads to either side, above and below them that are looked at more finely; larger: more work
    around: tuple[float, float, float] = (4.0, 3.0, 10.0)
    # times that a small picture is enlarged at most
    enlarged: float = 1.6
    # score from which there may be somebody; smaller: more are found, and more that are none
    least: float = 0.3
    # cells by which a small head lies astray in a look: where a finer one sees somebody that near, it is they
    # (docs/measured/mended.md, "Small people, from above"); larger: fewer who are none, and more missed whom only the
    # rougher look sees
    astray: float = 2.0
    # likelihood of the likeliest of ears, eyes and nose from which a head is in sight; 0.28 at least where the landmark
    # network confirmed one, 0.01 of legs; smaller: more are found
    head: float = 0.25


BODIES = BodySettings()


class BodyFinder:
    """Looks at pictures in threads of its own. Closes with `close` or as a context."""

    def __init__(self, threads: int | None = None, settings: BodySettings = BODIES):
        self._pool, self._settings = (
            ThreadPoolExecutor(threads or min(2, os.cpu_count() or 1), thread_name_prefix="bodies"),
            settings,
        )
        self._network = onnx_network("bodies.onnx")

    def __enter__(self) -> BodyFinder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def submit(self, rgb: np.ndarray, turn: int = 1) -> Future[np.ndarray]:
        """Begin to look at an RGB picture with square pixels; for `find`."""
        return self._pool.submit(self.find, rgb, turn)

    def find(self, rgb: np.ndarray, turn: int = 1) -> np.ndarray:
        """Who may be where, (n, 6), the surest first: score, head x and y, hips x and y, height of the head, px. turn:
        which look at a film it is; some look more finely, the first of all does."""
        found = _told_apart(list(self._looks(rgb, turn)), self._settings)[:, :_LIKELY]
        kept: list[np.ndarray] = []
        for row in found[np.argsort(-found[:, SCORE], kind="stable")]:
            if all(
                np.hypot(*(row[HEAD_X:HIPS_X] - other[HEAD_X:HIPS_X])) > max(row[HIGH], other[HIGH]) / 2
                for other in kept
            ):
                kept.append(row)
        return np.array(kept).reshape(-1, 6)

    def _looks(self, rgb: np.ndarray, turn: int) -> Iterator[tuple[float, np.ndarray]]:
        """Of one look at a picture and of those that follow from it how many of its px each px of the picture is, and
        who may be there, as `_look` tells."""
        settings, own = self._settings, max(rgb.shape[:2])
        coarser, side = (min(px, round(settings.enlarged * own)) for px in (settings.coarser, settings.side))
        finer, closer = (max(side, min(px, own)) for px in (settings.finer, settings.closer))
        everything = turn % settings.all_each == 0
        signs = self._look(rgb, side)
        yield side / own, signs
        scores = signs[:, SCORE]
        if coarser < side and (everything or ((scores >= settings.doubt) & (scores < settings.sure)).any()):
            yield coarser / own, self._look(rgb, coarser)
        small = signs[(scores >= settings.small_score) & (signs[:, HIGH] * side < settings.small * own)]
        if finer > side and everything and not len(small):
            yield finer / own, self._look(rgb, finer)
        elif closer > side and len(small) and (everything or turn % settings.finer_each == 0):
            yield closer / own, self._look(rgb, closer)
        elif closer > side and len(small):
            x0, y0, x1, y1 = _around(small, rgb.shape, settings)
            scale = min(
                settings.enough / small[:, HIGH].min(),
                closer / own * math.sqrt(rgb.shape[0] * rgb.shape[1] / ((x1 - x0) * (y1 - y0))),
                1.0,
            )
            scale = max(finer / own, scale)
            found = self._look(rgb[y0:y1, x0:x1], round(scale * max(x1 - x0, y1 - y0)))
            found[:, HEAD_X:HIGH] += (x0, y0, x0, y0)
            yield scale, found

    def _look(self, rgb: np.ndarray, side: int) -> np.ndarray:
        """Who may be there, (n, 7), in doubt too, of a picture with so many px on its longer side."""
        scale = side / max(rgb.shape[:2])
        small = cv2.resize(
            rgb,
            (max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale))),
            interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR,
        )
        height, width = small.shape[:2]
        whole = cv2.copyMakeBorder(small, 0, -height % _MULTIPLE, 0, -width % _MULTIPLE, cv2.BORDER_CONSTANT)
        middles, likely, towards, finely = (
            plane[0]
            for plane in self._network.run(["middles", "likely", "towards", "finely"], {"picture": whole[None]})
        )
        found = _read(middles[0], likely, towards, finely, self._settings)
        found[:, HEAD_X:_LIKELY] *= _CELL / scale
        inside = (
            (found[:, HEAD_X:HIPS_X] >= 0).all(1)
            & (found[:, HEAD_X] < rgb.shape[1])
            & (found[:, HEAD_Y] < rgb.shape[0])
        )
        return found[inside]


def _told_apart(looks: Sequence[tuple[float, np.ndarray]], settings: BodySettings) -> np.ndarray:
    """Who is there by all looks, each with its px for a px of the picture, (n, 7).

    A rougher look has small heads some cells astray, and sees a third between two who stand side by side: where a finer
    one sees somebody, it is they, and as surely as in either.
    """
    scales, found = (
        np.concatenate([np.full(len(rows), scale) for scale, rows in looks]),
        np.concatenate([rows for _, rows in looks]),
    )
    there = (found[:, SCORE] >= settings.least) & (found[:, _LIKELY] >= settings.head)
    scales, found = scales[there], found[there]
    astray, score = settings.astray * _CELL / scales, found[:, SCORE].copy()
    apart = np.hypot(*np.moveaxis(found[:, None, HEAD_X:HIPS_X] - found[None, :, HEAD_X:HIPS_X], 2, 0))
    more_finely = (scales > scales[:, None]) & (apart <= astray[:, None]) & (found[:, HIGH] / 2 < astray)[:, None]
    found[:, SCORE] = np.maximum(score, np.where(more_finely, score[:, None], 0.0).max(axis=0, initial=0.0))
    return found[~more_finely.any(axis=1)]


def _around(signs: np.ndarray, shape: tuple[int, ...], settings: BodySettings) -> tuple[int, int, int, int]:
    """What there is around people of whom there are signs, (n, 7): x0, y0, x1, y1 px of a picture, rows and columns."""
    x, y, high = signs[:, HEAD_X], signs[:, HEAD_Y], signs[:, HIGH]
    beside, above, below = settings.around
    low = np.min(x - beside * high), np.min(y - above * high)
    most = np.max(x + beside * high), np.max(y + below * high)
    return max(0, int(low[0])), max(0, int(low[1])), min(shape[1], int(most[0]) + 1), min(shape[0], int(most[1]) + 1)


def _read(
    middles: np.ndarray, likely: np.ndarray, towards: np.ndarray, finely: np.ndarray, settings: BodySettings
) -> np.ndarray:
    """People of the maps of a look, (n, 7) as BodyFinder gives them and how likely their head is, in cells: a peak of
    middles, and of each landmark the likeliest cell near where it should be."""
    rows, columns = np.nonzero(
        (middles >= settings.doubt) & (middles >= cv2.dilate(middles, np.ones((5, 5), np.uint8)))
    )
    height, width = middles.shape
    reach = _ASTRAY * min(height, width)
    # Further away a landmark counts less than a thousandth.
    near = math.ceil(math.sqrt(-math.log(0.001) * reach))
    found = []
    for row, column in zip(rows, columns):
        points, sure = np.zeros((17, 2)), np.zeros(17)
        for kind in _WANTED:
            y, x = row + towards[2 * kind, row, column], column + towards[2 * kind + 1, row, column]
            top, left = (int(min(max(at - near, 0), size - 1)) for at, size in ((y, height), (x, width)))
            part = likely[kind, top : max(int(y) + near, top) + 1, left : max(int(x) + near, left) + 1]
            down, along = top + np.arange(part.shape[0])[:, None], left + np.arange(part.shape[1])[None]
            at = np.unravel_index(
                int(np.argmax(part * (np.exp(-((down - y) ** 2) / reach) * np.exp(-((along - x) ** 2) / reach)))),
                part.shape,
            )
            at = top + at[0], left + at[1]
            sure[kind], points[kind] = (
                likely[kind][at],
                (at[1] + finely[2 * kind + 1][at], at[0] + finely[2 * kind][at]),
            )
        # Ears stay in the middle of a head that turns.
        head, hips = points[_EARS].mean(axis=0), points[_HIPS].mean(axis=0)
        if sure[_HEAD].max() >= settings.doubt:
            found.append(
                (
                    middles[row, column],
                    *head,
                    *hips,
                    _height_of_head(points[_HEAD], head, points[_SHOULDERS], hips),
                    sure[_HEAD].max(),
                )
            )
    return np.array(found, float).reshape(-1, 7)


def _height_of_head(parts: np.ndarray, head: np.ndarray, shoulders: np.ndarray, hips: np.ndarray) -> float:
    """By the trunk of who leans forward, by the shoulders of who sits behind something, and by itself where of a body
    that fills the picture only it can be seen."""
    away, trunk, apart = (
        float(np.hypot(*(one - other)))
        for one, other in ((head, hips), (shoulders.mean(axis=0), hips), (shoulders[0], shoulders[1]))
    )
    s = _STATURE
    itself = _HIGH_BY_WIDE * float(np.ptp(parts[:, 0])) - _BLUR
    return max(
        itself,
        s["head"] * max(away / (s["middle"] - s["hips"]), trunk / (s["shoulders"] - s["hips"]), apart / s["apart"]),
    )
