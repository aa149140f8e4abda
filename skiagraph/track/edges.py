"""Signs of somebody half in the picture at its edge, where a shot begins or ends and nothing more is to come that would
tell."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections, around
from skiagraph.detect.finder import FaceFinder, Search
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import quarters
from skiagraph.track.heads import head_rows
from skiagraph.track.judging import JUDGING, FaceJudge, ShapeJudge
from skiagraph.track.picture import Picture
from skiagraph.track.silhouette import SILHOUETTE


@dataclass(frozen=True, slots=True)
class EdgeSettings:
    """Looks at the edges where a shot begins or ends.

    Set by benchmarks/quality.py, where nobody half in the picture is missed.
    """

    # looks under way at most, each of which holds a picture
    ahead: int = 2
    # score from which there may be somebody; smaller: more signs
    score: float = 0.3
    # distance from the edge, in face sides; larger: more signs
    near: float = 0.15
    # score from which the landmark network is asked where the shape says nothing, since of a head that is hardly in the
    # picture there is none (turned); smaller: more signs
    sure: float = 0.65
    # how many times finer than usual the edge is searched; larger: smaller faces, more work
    finer: float = 2.5


EDGES = EdgeSettings()


class EdgeLooks:
    """Looks at edges, which nothing waits for. found: (frame, box in px of the clip, score) of each sign."""

    def __init__(self, finder: FaceFinder, judge: FaceJudge, silhouette: ShapeJudge, squared: Squared):
        self._finder, self._judge, self._silhouette, self._squared = finder, judge, silhouette, squared
        self.found: list[tuple[int, np.ndarray, float]] = []
        # Under way: frame, its picture, whom was seen in it, and the search.
        self._under_way: deque[tuple[int, np.ndarray, Detections, Search]] = deque()

    def look(self, picture: Picture, known: Detections) -> None:
        """Look at the edges of a picture harder than usual, also for who lies as one of those does who are known to be
        there; known: whom is surely seen in it, in px of the clip."""
        self._under_way.append(
            (
                picture.number,
                picture.rgb,
                known,
                self._finder.submit_edges(picture.rgb, EDGES.score, EDGES.finer, quarters(known.rolls)),
            )
        )
        self.finish(EDGES.ahead)

    def finish(self, most: int = 0) -> None:
        """Take in what was seen, where the shape says that there is somebody, or the landmark network that there is a
        face, until at most so many looks are under way."""
        while len(self._under_way) > most:
            frame, rgb, known, search = self._under_way.popleft()
            found = search.result()
            height, width = rgb.shape[:2]
            near = EDGES.near * (found.boxes[:, 2] - found.boxes[:, 0])
            touching = (
                (found.boxes[:, 0] < near)
                | (found.boxes[:, 2] > width - near)
                | (found.boxes[:, 1] < near)
                | (found.boxes[:, 3] > height - near)
            )
            found = found.take(touching & ~same_face(self._squared.stored(found), known))
            if len(found):
                found = found.take(np.array([self._is_somebody(rgb, found, n) for n in range(len(found))]))
            hints = self._squared.stored(found)
            self.found += [(frame, box, float(score)) for box, score in zip(hints.boxes, hints.scores)]

    def _is_somebody(self, rgb: np.ndarray, found: Detections, row: int) -> bool:
        sign = found.take([row])
        if self._silhouette.shape(rgb, head_rows(sign)[0]).share >= SILHOUETTE.gone:
            return True
        roll = float(np.nan_to_num(sign.rolls[0]))
        return (
            bool(sign.scores[0] >= EDGES.sure) and self._judge.presence(rgb, sign.boxes[0], roll) >= JUDGING.face_said
        )


def same_face(found: Detections, others: Detections) -> np.ndarray:
    """Which of the found are the same face as one of the others, bool (n,)."""
    same = np.zeros(len(found), bool)
    if len(found) and len(others):
        same |= iou(found.boxes, others.boxes).max(axis=1) >= 0.4
        for box in others.boxes:
            same |= around(found.boxes, box)
    return same
