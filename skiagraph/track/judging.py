"""Second opinions of what a detector found: what only looks like a face goes, half of one stays, and rolls are measured
now and then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, iou
from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import TURNED, between_rolls, one_way_up
from skiagraph.track.describing import DESCRIBING, facing
from skiagraph.track.descriptor import LANDMARKS_REACH
from skiagraph.track.heads import head_rows
from skiagraph.track.linking import Expected
from skiagraph.track.picture import Picture
from skiagraph.track.silhouette import SHAPE_REACH, SILHOUETTE


@dataclass(frozen=True, slots=True)
class JudgingSettings:
    """Second opinions of what a detector found.

    The landmark network sees 0.9 or more on nearly all real faces and under 0.5 on nearly all others, on drawn and
    textured footage; the rest set by benchmarks/quality.py.
    """

    # score from which the roll of a face is measured; larger: seldom
    measured_score: float = 0.6
    # seconds between two measurements of one track
    measure_every_s: float = 0.96
    # score from which the landmark network is asked; smaller: more is asked and believed
    asked_from: float = 0.45
    # score from which nobody has to be asked; larger: more work, fewer faces that are none
    asked_to: float = 0.82
    # presence, 0..1, from which that network takes it for a face; larger: less is believed
    face_said: float = 0.5
    # seconds for which an opinion of the landmark network about a place holds
    opinion_holds_s: float = 0.32
    # overlap (IoU) from which two boxes are at one place
    same_place: float = 0.5
    # overlap (IoU) with where somebody is expected from which a sign is theirs; smaller: more is continued
    expected_here: float = 0.3
    # share of the head that is person for a weak sign to count; of backgrounds hardly any has a third, of half hidden
    # heads most have two thirds (measured); larger: fewer half hidden ones
    somebody: float = 0.55
    # score with which such a sign counts
    somebody_score: float = 0.5
    # width of such a sign against the smallest face to find, at least; smaller ones are hands
    somebody_least: float = 0.75
    # seconds after a loss for which somebody is where they were
    just_lost_s: float = 0.48
    # sides of a face around its middle that its head reaches, in profile; larger: more signs are parts of known heads
    on_head: float = 0.9
    # degrees by which a head turns over at most from one look to the next; larger: who stands is taken for lying more
    # easily
    turns: float = 75.0
    # score from which whoever is seen in a search needs no look of their own; larger: more looks
    good: float = 0.55
    # how far a face that only the shape confirms has to look this way (track.describing.facing); smaller: more, of
    # which those in profile are placed badly (behind, night)
    faces: float = 0.5
    # score of what the landmark network does not take for a face, with which it may continue a track
    hint_score: float = 0.45


JUDGING = JudgingSettings()


class FaceJudge(Protocol):
    """What the landmark network tells of a box in a picture."""

    def presence(self, rgb: np.ndarray, box: np.ndarray, roll: float = 0.0) -> float:
        """How surely a face is there that leans by about so many degrees, 0..1."""

    def roll(self, rgb: np.ndarray, box: np.ndarray, about: float = 0.0) -> float:
        """Degrees clockwise by which the face leans, which are not far from those that are given; NaN where none is
        seen."""


class ShapeJudge(Protocol):
    """What the silhouette network tells of a head: an object with share and margin, as track.silhouette.Shape."""

    def shape(self, rgb: np.ndarray, head: np.ndarray): ...


@dataclass(slots=True)
class _Opinion:
    """What was said of a place, (4,): by the landmark network, whether a face is there, and by the shape, whether
    somebody is. None: not asked yet."""

    frame: int
    place: np.ndarray
    face: bool | None = None
    person: bool | None = None


class Judging:
    """squared: of the clip's pixels; rate: frames a second; smallest: px of the smallest face to find; every: the scan
    searches each n-th frame, and an opinion holds for the next search at least."""

    def __init__(
        self, judge: FaceJudge, silhouette: ShapeJudge, squared: Squared, rate: float, smallest: int, every: int = 1
    ):
        self._judge, self._silhouette, self._squared, self._rate, self._smallest = (
            judge,
            silhouette,
            squared,
            rate,
            smallest,
        )
        self._holds = max(round(JUDGING.opinion_holds_s * rate), every + 2 if every > 1 else 0)
        self._opinions: list[_Opinion] = []
        # When the roll of a tracklet was measured last.
        self._rolled: dict[int, int] = {}

    def measured(self, picture: Picture, found: Detections, expected: list[Expected]) -> Detections:
        """With the roll of whoever is new, or was not measured for a while."""
        rolls, places = found.rolls.copy(), self._squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))
        for row in np.flatnonzero(found.scores >= JUDGING.measured_score):
            overlap = iou(found.boxes[row][None], places)[0] if len(places) else np.zeros(0)
            number = (
                expected[int(overlap.argmax())].number if len(overlap) and overlap.max() > JUDGING.same_place else None
            )
            if (
                number is None
                or number not in self._rolled
                or picture.number - self._rolled[number] >= round(JUDGING.measure_every_s * self._rate)
            ):
                about = _about(found.rolls[row])
                measured = self._judge.roll(
                    picture.near(found.boxes[row], LANDMARKS_REACH).rgb, found.boxes[row], about
                )
                rolls[row] = about if about and np.isnan(measured) else measured
                if number is not None:
                    self._rolled[number] = picture.number
        return replace(found, rolls=rolls)

    def believed(self, picture: Picture, found: Detections, expected: list[Expected]) -> Detections:
        """Without what only looks like a face, where none was expected; where one was, it counts as a hint only.

        A weak sign of a face where the shape says that somebody is counts as a face: half of it is hidden.
        """
        places, found = self._places(expected), self._one_way_up(picture, found, expected)
        steady = places[[n for n, e in enumerate(expected) if not e.missed and e.score >= DESCRIBING.hardly]]
        kept, scores = np.ones(len(found), bool), found.scores.copy()
        # Where somebody was a moment ago their own head gives weak signs, and is followed better by its picture.
        good = found.scores >= JUDGING.good
        lost = places[[n for n, e in enumerate(expected) if e.sure and e.missed <= JUDGING.just_lost_s * self._rate]]
        # Of several weak signs on one head the strongest counts.
        for n in np.argsort(-found.scores, kind="stable"):
            box, score = found.boxes[n], found.scores[n]
            if len(steady) and iou(box[None], steady)[0].max() > JUDGING.same_place:
                continue
            roll = _about(found.rolls[n])
            expected_here = bool(len(places)) and iou(box[None], places)[0].max() > JUDGING.expected_here
            if roll:
                # Far fewer faces lie than there are things that look like one that does, however sure the detector is.
                if self._judge.presence(picture.near(box, LANDMARKS_REACH).rgb, box, roll) < (
                    JUDGING.face_said if expected_here else TURNED.lies
                ):
                    kept[n], scores[n] = expected_here, min(score, JUDGING.hint_score)
                continue
            if score >= JUDGING.asked_to or score >= JUDGING.asked_from and self._is_face(picture, box):
                continue
            if not self._is_part(picture, found, n, lost, places, good) and self._is_person(picture, found, n):
                scores[n] = (
                    JUDGING.somebody_score if good[n] and picture.coloured else max(score, JUDGING.somebody_score)
                )
                good[n] = True
            elif score >= JUDGING.asked_from:
                kept[n], scores[n] = expected_here, min(score, JUDGING.hint_score)
        return replace(found, scores=scores).take(kept)

    def _places(self, expected: list[Expected]) -> np.ndarray:
        """Where they are expected, (n, 4) in square pixels."""
        return self._squared.boxes(np.array([e.box for e in expected]).reshape(-1, 4))

    def _one_way_up(self, picture: Picture, found: Detections, expected: list[Expected]) -> Detections:
        """Without those who lie where somebody stood a moment ago, and each face once."""
        lying = ~np.isnan(found.rolls)
        if not lying.any():
            return found
        there = iou(found.boxes, self._places(expected)) > JUDGING.expected_here
        before = [[e.roll for e, here in zip(expected, row) if here and not e.missed] for row in there]
        kept = [
            not lies or not rolls or min(between_rolls(roll, r) for r in rolls) < JUDGING.turns
            for lies, rolls, roll in zip(lying, before, found.rolls.tolist())
        ]
        return one_way_up(
            found.take(np.array(kept)),
            lambda box, roll: self._judge.presence(picture.near(box, LANDMARKS_REACH).rgb, box, roll),
        )

    def _is_part(
        self, picture: Picture, found: Detections, row: int, lost: np.ndarray, places: np.ndarray, good: np.ndarray
    ) -> bool:
        """Whether a sign of a face is one of a head that is known or found, or of one that is better followed by its
        picture.

        lost: where those are who were seen a moment ago; places: where all are who are expected; good: which of the
        found are good ones.
        """
        # A good one that is no face to the landmark network may be out of focus, where those who face this way are
        # placed well, and others are not; in coloured light it errs anyhow.
        soft = good[row] and not picture.coloured
        if soft and facing(found.landmarks[row]) < JUDGING.faces:
            return True
        return _on_head(
            found.boxes[row], [*(places if soft else lost), *found.boxes[good & (np.arange(len(found)) != row)]]
        )

    def _is_face(self, picture: Picture, box: np.ndarray) -> bool:
        opinion = self._opinion(picture.number, box)
        if opinion.face is None:
            opinion.face = self._judge.presence(picture.near(box, LANDMARKS_REACH).rgb, box) >= JUDGING.face_said
        return opinion.face

    def _is_person(self, picture: Picture, found: Detections, row: int) -> bool:
        box = found.boxes[row]
        if box[2] - box[0] < JUDGING.somebody_least * self._smallest:
            return False
        opinion = self._opinion(picture.number, box)
        if opinion.person is None:
            head = head_rows(found.take([row]))[0]
            shape = self._silhouette.shape(picture.near(cxcywh_to_xyxy(head[None, :4]), SHAPE_REACH).rgb, head)
            opinion.person = shape.share >= JUDGING.somebody and shape.margin >= SILHOUETTE.clear
        return opinion.person

    def _opinion(self, frame: int, box: np.ndarray) -> _Opinion:
        """What was said of a place a moment ago, or room for what is said now."""
        self._opinions = [o for o in self._opinions if abs(frame - o.frame) < self._holds]
        for opinion in self._opinions:
            if iou(box[None], opinion.place[None])[0, 0] > JUDGING.same_place:
                return opinion
        self._opinions.append(_Opinion(frame, box))
        return self._opinions[-1]


def _about(roll: float) -> float:
    """The roll that a face was found with in a turned picture, or 0 where it was found upright."""
    return 0.0 if np.isnan(roll) else float(roll)


def _on_head(box: np.ndarray, known: Sequence[np.ndarray]) -> bool:
    """True when the middle of a box lies on the head of one of the known faces, (4,) each."""
    faces = np.array(known).reshape(-1, 4)
    away = np.abs((faces[:, :2] + faces[:, 2:]) / 2 - (box[:2] + box[2:]) / 2)
    return bool((away < JUDGING.on_head * (faces[:, 2:] - faces[:, :2])).all(axis=1).any())
