"""Following a head that a person drew: by its look as anything, and where that fails by what a scan uses too, the face
detector, the shape of head and shoulders, and after an absence the face itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.follow.follower import AS_OF_LATE, WHOLE, OutlineFollower
from skiagraph.follow.step import Step, Why
from skiagraph.shape.place import Place
from skiagraph.shape.shape import Outline
from skiagraph.track.appearance import head_colours
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.following import Follower
from skiagraph.track.heads import head_rows
from skiagraph.track.identity import IDENTITY, Signature, log_odds
from skiagraph.track.silhouette import Silhouette
from skiagraph.values import replace


@dataclass(frozen=True, slots=True)
class HeadSettings:
    """face: score from which a face that the detector sees is one; the detector's own limit for a second look is lower,
    but here nobody checks it again. near: how far from where the head is expected a face may be, in its widths, for
    each frame since it was seen, and at most. sure: what a place is worth that the shape gave. described_every: frames
    between looks that are kept to know somebody again by; most_faces: of these at most. mine: log odds from which the
    only face there is taken for theirs when it is just where theirs was at most at_once frames before; joined: from
    which one is where others are or were near, as track.identity joins two sightings; another: under which a face is
    somebody else's, asked each asked_every frames where it looks only as it did of late."""

    face: float = 0.6
    near: float = 0.12
    near_most: float = 1.0
    sure: float = 0.35
    described_every: int = 12
    most_faces: int = 6
    mine: float = 1.1
    at_once: int = 2
    another: float = -1.5
    asked_every: int = 3
    joined: float = float(np.log(IDENTITY.join / (1 - IDENTITY.join)))


HEADS = HeadSettings()
# A face is so much smaller than its head.
_FACE_SIDE = 0.9


class HeadFollower(OutlineFollower):
    """As OutlineFollower. sight: the RGB picture of the frame that is looked at, uint8 (rows, columns, 3)."""

    def __init__(
        self,
        grey: np.ndarray,
        place: Place,
        *arguments,
        sight: Callable[[], np.ndarray],
        finder: FaceFinder,
        describer: FaceDescriber,
        **named,
    ):
        super().__init__(grey, place, *arguments, **named)
        self._sight, self._finder, self._describer = sight, finder, describer
        self._silhouette = Silhouette()
        self._head: Follower | None = None
        self._known: list[Signature] = []
        # Whether others came so near that their shape could be taken for this one's.
        self._crossed = False
        self._steps = 0
        self._rgb = sight()
        row = self._face_at(self._rgb, place, 0.8)
        # Where the outline lies on the head that the detector sees, in its sizes.
        self._on_head = (
            np.array(
                [
                    (place.cx - row[0]) / row[2],
                    (place.cy - row[1]) / row[3],
                    place.width / row[2],
                    place.height / row[3],
                ]
            )
            if row is not None
            else np.array([0, 0, 1.0, 1.0])
        )
        self._describe(self._rgb, place)

    @property
    def is_plain(self) -> bool:
        """A head is more than its texture."""
        return False

    def step(self, grey: np.ndarray, ignored: np.ndarray | None = None) -> Step | Why:
        before, last = self._rgb, self.place
        self._rgb = self._sight()
        self._steps += 1
        told = super().step(grey, ignored)
        if isinstance(told, Step) and told.known and self._is_somebody_else(told):
            # Whoever crosses is learned with what they hide.
            self.place, self._crossed, self._head, self._unseen = last, True, None, max(1, self._unseen)
            self._late = self._start
            return Step(last, 0.0, False)
        if isinstance(told, Step) and told.known:
            self._head, self._crossed = None, False
            if self._steps % HEADS.described_every == 0:
                self._describe(self._rgb, told.place)
            return told
        if told in (Why.LEFT, Why.PLAIN, Why.CUT):
            return told
        return self._by_face(grey, ignored) or self._by_shape(before, last) or told

    def _is_somebody_else(self, told: Step) -> bool:
        """True where what looks only as it did of late has the face of another."""
        if told.confidence > AS_OF_LATE or self._steps % HEADS.asked_every or not any(len(k) for k in self._known):
            return False
        found = self._near_faces(told.place, 0.5)
        return bool(found) and max(odds for _, odds in found) < HEADS.another

    # Where the look fails

    def _by_face(self, grey: np.ndarray, ignored: np.ndarray | None) -> Step | None:
        """A face where the head should be, of nobody else: it has turned, and looks otherwise from now on."""
        found = self._near_faces(self.place, min(HEADS.near_most, 0.3 + HEADS.near * self._unseen))
        alone = len(found) == 1 and not self._crossed and self._unseen <= HEADS.at_once
        mine = [
            (row, odds)
            for row, odds in found
            if odds >= (HEADS.mine if alone and self._is_just_there(row) else HEADS.joined)
        ]
        if not mine or self._shown(self.place) < WHOLE:
            self._crossed = self._crossed or bool(found)
            return None
        row, _ = max(mine, key=lambda entry: entry[1])
        place = self._from_head(row)
        self.look_anew(grey, place, ignored)
        self._head, self._crossed = None, False
        return Step(place, 0.85, True)

    def _by_shape(self, before: np.ndarray, last: Place) -> Step | None:
        """The head as the shape of a person, followed from where it was seen last; not where somebody else's face is
        near, whose shape it would take."""
        if self._crossed or self._shown(self.place) < WHOLE or self._near_faces(self.place, 1.2):
            self._crossed, self._head = True, None
            return None
        if self._head is None:
            head = np.array([last.cx, last.cy, last.width, last.height, last.angle])
            self._head = Follower(before, head, self._speed, size=self._size, silhouette=self._silhouette)
        elif self._head.reason:
            return None
        row = self._head.step(before, self._rgb)
        if row is None or self._head.reason:
            return None
        place = replace(self.place, cx=float(row[0]), cy=float(row[1]), width=float(row[2]), height=float(row[3]))
        self.place = place
        if row[5] < HEADS.sure:
            return Step(place, 0.0, False)
        self._unseen = 0
        return Step(place, min(0.75, float(row[5])), True)

    def _is_just_there(self, row: np.ndarray) -> bool:
        """True for a head that is where it was a moment ago, and as large."""
        return (
            np.hypot(row[0] - self.place.cx, row[1] - self.place.cy) < 0.3 * self.place.width
            and 0.8 < row[2] / self.place.width < 1.25
        )

    def _near_faces(self, place: Place, near: float) -> list[tuple[np.ndarray, float]]:
        """Heads (5,) of the faces near where it should be, with the log odds that each is this person's."""
        half = place.width * (0.5 + near)
        found = self._finder.look(
            self._rgb, np.array([[place.cx - half, place.cy - half, place.cx + half, place.cy + half]]), HEADS.face
        )
        heads = []
        for box, row in zip(found.boxes, head_rows(found, place.angle)):
            away, size = np.hypot(row[0] - place.cx, row[1] - place.cy) / place.width, row[2] / place.width
            if away <= near and 0.5 <= size <= 2.0:
                heads.append((row.astype(float), self._odds(self._rgb, box)))
        return heads

    def _face_at(self, rgb: np.ndarray, place: Place, near: float) -> np.ndarray | None:
        """The head (5,) of the face that is nearest to where it should be, within so many widths; None where there is
        none."""
        half = place.width * (0.5 + near)
        found = self._finder.look(
            rgb, np.array([[place.cx - half, place.cy - half, place.cx + half, place.cy + half]]), HEADS.face
        )
        if not len(found):
            return None
        rows = head_rows(found, place.angle)
        away = np.hypot(rows[:, 0] - place.cx, rows[:, 1] - place.cy) / place.width
        size = rows[:, 2] / place.width
        away[(size < 0.5) | (size > 2.0)] = np.inf
        best = int(np.argmin(away))
        return rows[best].astype(float) if away[best] <= near else None

    def _from_head(self, row: np.ndarray) -> Place:
        dx, dy, across, down = self._on_head
        return replace(
            self.place,
            cx=float(row[0] + dx * row[2]),
            cy=float(row[1] + dy * row[3]),
            width=float(across * row[2]),
            height=float(down * row[3]),
        )

    # Who it is

    def _describe(self, rgb: np.ndarray, place: Place) -> None:
        """Keep how they look now, to know them again by."""
        if len(self._known) >= HEADS.most_faces:
            return
        side = place.width * _FACE_SIDE / 2
        box = np.array(
            [
                place.cx - side,
                place.cy - side + 0.1 * place.height,
                place.cx + side,
                place.cy + side + 0.1 * place.height,
            ]
        )
        seen = self._signature(rgb, box, place.angle)
        if seen.tells:
            self._known.append(seen)

    def _signature(self, rgb: np.ndarray, box: np.ndarray, angle: float = 0.0) -> Signature:
        """How somebody looks whose face is in a box."""
        chip, colours = self._describer.chip(rgb, box, angle), head_colours(rgb, box)
        if chip is None:
            return Signature(np.zeros((0, 128), np.float32), np.zeros(0, np.float32), colours)
        return Signature(self._describer.describe(chip)[None], np.array([chip.worth], np.float32), colours)

    def _odds(self, rgb: np.ndarray, box: np.ndarray) -> float:
        """Log odds that a face is this person's."""
        return log_odds(Signature.joined(self._known), self._signature(rgb, box), same_clip=True)

    @property
    def signature(self) -> Signature:
        """How they look, as far as it was seen. In memory only."""
        return Signature.joined(self._known)

    def sought(self, rgb: np.ndarray) -> Place | None:
        """Where in a frame somebody is who is the same by face and clothes, as surely as a scan joins two sightings;
        None where nobody is."""
        if not any(len(k) for k in self._known):
            return None
        found = self._finder.find(rgb, HEADS.face)
        odds = [self._odds(rgb, box) for box in found.boxes]
        best = int(np.argmax(odds)) if odds else -1
        if best < 0 or odds[best] < HEADS.joined:
            return None
        self._crossed = False
        return self._from_head(head_rows(found)[best].astype(float))


def is_head(outline: Outline) -> bool:
    """Heads are drawn with ellipses."""
    return outline.shape.kind == "ellipse"
