"""Second opinions of what a detector found: what only looks like a face goes, half of one stays, and rolls are measured now and then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from skiagraph.boxes import iou
from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.track.describing import HARDLY
from skiagraph.track.heads import head_rows
from skiagraph.track.linking import Expected
from skiagraph.track.picture import Picture
from skiagraph.track.silhouette import CLEAR

# The roll of a face of this score is measured every so many seconds.
MEASURED_SCORE, MEASURE_EVERY_S = 0.6, 0.96
# A face of a score between these is shown to the landmark network for a second opinion: on drawn and
# textured footage that network sees 0.9 or more on nearly all real faces and under 0.5 on nearly all others.
ASKED_FROM, ASKED_TO = 0.45, 0.82
FACE_SAID = 0.5
# An opinion of a place holds for so many seconds, for boxes that overlap by this much (IoU).
OPINION_HOLDS_S, SAME_PLACE = 0.32, 0.5
# A weak sign of a face where this share of the head would be person counts with this score. Of backgrounds that look like a face
# hardly any has a third, of half hidden heads most have two thirds (measured). Smaller ones, against the smallest face to find, are hands.
SOMEBODY, SOMEBODY_SCORE, SOMEBODY_LEAST = 0.55, 0.5, 0.75
# Who was lost no longer ago, in seconds, is where they were.
JUST_LOST_S = 0.48
# A head reaches so many face sides around the middle of its face, in profile.
ON_HEAD = 0.9
# Whoever is seen with at least this score in a search needs no look of their own.
GOOD = 0.55
# What the landmark network does not take for a face continues a track only as a hint of this score.
HINT_SCORE = 0.45


class FaceJudge(Protocol):
    """What the landmark network tells of a box in a picture."""

    def presence(self, rgb: np.ndarray, box: np.ndarray) -> float:
        """How surely a face is there, 0..1."""

    def roll(self, rgb: np.ndarray, box: np.ndarray) -> float:
        """Degrees clockwise by which the face leans."""


class ShapeJudge(Protocol):
    """What the silhouette network tells of a head: an object with share and margin, as track.silhouette.Shape."""

    def shape(self, rgb: np.ndarray, head: np.ndarray): ...


@dataclass(slots=True)
class _Opinion:
    """What was said of a place, (4,): by the landmark network, whether a face is there, and by the shape, whether somebody is. None: not asked yet."""

    frame: int
    place: np.ndarray
    face: bool | None = None
    person: bool | None = None


class Judging:
    """squared: of the clip's pixels; rate: frames a second; smallest: px of the smallest face to find; every: the scan searches each
    n-th frame, and an opinion holds for the next search at least."""

    def __init__(self, judge: FaceJudge, silhouette: ShapeJudge, squared: Squared, rate: float, smallest: int, every: int = 1):
        self._judge, self._silhouette, self._squared, self._rate, self._smallest = judge, silhouette, squared, rate, smallest
        self._holds = max(round(OPINION_HOLDS_S * rate), every + 2 if every > 1 else 0)
        self._opinions: list[_Opinion] = []
        # When the roll of a tracklet was measured last.
        self._rolled: dict[int, int] = {}

    def measured(self, picture: Picture, found: Detections, expected: list[Expected]) -> Detections:
        """With the roll of whoever is new, or was not measured for a while."""
        rolls, places = found.rolls.copy(), self._squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))
        for row in np.flatnonzero(found.scores >= MEASURED_SCORE):
            overlap = iou(found.boxes[row][None], places)[0] if len(places) else np.zeros(0)
            number = expected[int(overlap.argmax())].number if len(overlap) and overlap.max() > SAME_PLACE else None
            if number is None or number not in self._rolled or picture.number - self._rolled[number] >= round(MEASURE_EVERY_S * self._rate):
                rolls[row] = self._judge.roll(picture.rgb, found.boxes[row])
                if number is not None:
                    self._rolled[number] = picture.number
        return replace(found, rolls=rolls)

    def believed(self, picture: Picture, found: Detections, expected: list[Expected]) -> Detections:
        """Without what only looks like a face, where none was expected; where one was, it counts as a hint only.

        A weak sign of a face where the shape says that somebody is counts as a face: half of it is hidden.
        """
        places = self._squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))
        steady = places[[n for n, e in enumerate(expected) if not e.missed and e.score >= HARDLY]]
        kept, scores = np.ones(len(found), bool), found.scores.copy()
        # Where somebody was a moment ago their own head gives weak signs, and is followed better by its picture.
        heads = [*places[[n for n, e in enumerate(expected) if e.sure and e.missed <= JUST_LOST_S * self._rate]], *found.boxes[found.scores >= GOOD]]
        # Of several weak signs on one head the strongest counts.
        for n in np.argsort(-found.scores, kind="stable"):
            box, score = found.boxes[n], found.scores[n]
            if score >= ASKED_TO or len(steady) and iou(box[None], steady)[0].max() > SAME_PLACE:
                continue
            if score >= ASKED_FROM and self._is_face(picture, box):
                continue
            if not _on_head(box, heads) and self._is_person(picture, found, n):
                scores[n] = max(score, SOMEBODY_SCORE)
                heads.append(box)
            elif score >= ASKED_FROM:
                kept[n], scores[n] = len(places) and iou(box[None], places)[0].max() > 0.3, min(score, HINT_SCORE)
        return replace(found, scores=scores).take(kept)

    def _is_face(self, picture: Picture, box: np.ndarray) -> bool:
        opinion = self._opinion(picture.number, box)
        if opinion.face is None:
            opinion.face = self._judge.presence(picture.rgb, box) >= FACE_SAID
        return opinion.face

    def _is_person(self, picture: Picture, found: Detections, row: int) -> bool:
        box = found.boxes[row]
        if box[2] - box[0] < SOMEBODY_LEAST * self._smallest:
            return False
        opinion = self._opinion(picture.number, box)
        if opinion.person is None:
            shape = self._silhouette.shape(picture.rgb, head_rows(found.take([row]))[0])
            opinion.person = shape.share >= SOMEBODY and shape.margin >= CLEAR
        return opinion.person

    def _opinion(self, frame: int, box: np.ndarray) -> _Opinion:
        """What was said of a place a moment ago, or room for what is said now."""
        self._opinions = [o for o in self._opinions if abs(frame - o.frame) < self._holds]
        for opinion in self._opinions:
            if iou(box[None], opinion.place[None])[0, 0] > SAME_PLACE:
                return opinion
        self._opinions.append(_Opinion(frame, box))
        return self._opinions[-1]


def _on_head(box: np.ndarray, known: Sequence[np.ndarray]) -> bool:
    """True when the middle of a box lies on the head of one of the known faces, (4,) each."""
    faces = np.array(known).reshape(-1, 4)
    away = np.abs((faces[:, :2] + faces[:, 2:]) / 2 - (box[:2] + box[2:]) / 2)
    return bool((away < ON_HEAD * (faces[:, 2:] - faces[:, :2])).all(axis=1).any())
