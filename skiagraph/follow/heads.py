"""Following a head that a person drew: by its look as anything, and where that fails by what a scan uses too, the face detector, the shape of head and shoulders,
and after an absence the face itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.follow.follower import OutlineFollower, Step, Why
from skiagraph.shape.place import Place
from skiagraph.shape.shape import Outline
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.following import Follower
from skiagraph.track.heads import head_rows
from skiagraph.track.identity import EVEN
from skiagraph.track.silhouette import Silhouette
from skiagraph.values import replace


@dataclass(frozen=True, slots=True)
class HeadSettings:
    """face: score from which a face that the detector sees is one; the detector's own limit for a second look is lower, but here nobody checks it again. near: how far
    from where the head is expected a face may be, in its widths, for each frame since it was seen, and at most. sure: what a place is worth that the shape
    gave. described_every: frames between faces that are kept to know somebody again by; most_faces: of these at most. known: distance of descriptors under which
    it is the same person, as in track.identity."""

    face: float = 0.6
    near: float = 0.12
    near_most: float = 1.0
    sure: float = 0.35
    described_every: int = 12
    most_faces: int = 6
    known: float = EVEN


HEADS = HeadSettings()
# A face is so much smaller than its head.
_FACE_SIDE = 0.9


class HeadFollower(OutlineFollower):
    """As OutlineFollower. sight: the RGB picture of the frame that is looked at, uint8 (rows, columns, 3)."""

    def __init__(self, grey: np.ndarray, place: Place, *arguments, sight: Callable[[], np.ndarray], finder: FaceFinder, describer: FaceDescriber, **named):
        super().__init__(grey, place, *arguments, **named)
        self._sight, self._finder, self._describer = sight, finder, describer
        self._silhouette = Silhouette()
        self._head: Follower | None = None
        self._faces: list[np.ndarray] = []
        self._steps = 0
        self._rgb = sight()
        row = self._face_at(self._rgb, place, 0.8)
        # Where the outline lies on the head that the detector sees, in its sizes.
        self._on_head = np.array([(place.cx - row[0]) / row[2], (place.cy - row[1]) / row[3], place.width / row[2], place.height / row[3]]) if row is not None else np.array([0, 0, 1.0, 1.0])
        self._describe(self._rgb, place)

    @property
    def is_plain(self) -> bool:
        """A head is more than its texture."""
        return False

    @property
    def faces(self) -> list[np.ndarray]:
        """Descriptors of the face as it was seen, float32 (128,) each. In memory only."""
        return self._faces

    def step(self, grey: np.ndarray, ignored: np.ndarray | None = None) -> Step | Why:
        before, last = self._rgb, self.place
        self._rgb = self._sight()
        self._steps += 1
        told = super().step(grey, ignored)
        if isinstance(told, Step) and told.known:
            self._head = None
            if self._steps % HEADS.described_every == 0:
                self._describe(self._rgb, told.place)
            return told
        if told in (Why.LEFT, Why.PLAIN, Why.CUT):
            return told
        return self._by_face(grey, ignored) or self._by_shape(before, last) or told

    # Where the look fails

    def _by_face(self, grey: np.ndarray, ignored: np.ndarray | None) -> Step | None:
        """A face where the head should be: it has turned, and looks otherwise from now on."""
        row = self._face_at(self._rgb, self.place, min(HEADS.near_most, 0.3 + HEADS.near * self._unseen))
        if row is None:
            return None
        place = self._placed(row)
        self.look_anew(grey, place, ignored)
        self._head = None
        return Step(place, 0.85, True)

    def _by_shape(self, before: np.ndarray, last: Place) -> Step | None:
        """The head as the shape of a person, followed from where it was seen last."""
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
        if row[5] < HEADS.sure or not self._head._seen:
            return Step(place, 0.0, False)
        self._unseen = 0
        return Step(place, min(0.75, float(row[5])), True)

    def _face_at(self, rgb: np.ndarray, place: Place, near: float) -> np.ndarray | None:
        """The head (5,) of the face that is nearest to where it should be, within so many widths; None where there is none."""
        half = place.width * (0.5 + near)
        found = self._finder.look(rgb, np.array([[place.cx - half, place.cy - half, place.cx + half, place.cy + half]]), HEADS.face)
        if not len(found):
            return None
        rows = head_rows(found, place.angle)
        away = np.hypot(rows[:, 0] - place.cx, rows[:, 1] - place.cy) / place.width
        size = rows[:, 2] / place.width
        away[(size < 0.5) | (size > 2.0)] = np.inf
        best = int(np.argmin(away))
        return rows[best].astype(float) if away[best] <= near else None

    def _placed(self, row: np.ndarray) -> Place:
        dx, dy, across, down = self._on_head
        return replace(self.place, cx=float(row[0] + dx * row[2]), cy=float(row[1] + dy * row[3]), width=float(across * row[2]), height=float(down * row[3]))

    # Who it is

    def _describe(self, rgb: np.ndarray, place: Place) -> None:
        """Keep the face as it looks now, to know it again by."""
        if len(self._faces) >= HEADS.most_faces:
            return
        side = place.width * _FACE_SIDE / 2
        chip = self._describer.chip(rgb, np.array([place.cx - side, place.cy - side + 0.1 * place.height, place.cx + side, place.cy + side + 0.1 * place.height]), place.angle)
        if chip is not None and chip.worth > 0.3:
            self._faces.append(self._describer.describe(chip))

    def sought(self, rgb: np.ndarray) -> Place | None:
        """Where in a frame somebody is who has the same face; None where nobody is, or nobody's face is known."""
        if not self._faces:
            return None
        found = self._finder.find(rgb, HEADS.face)
        best, place = HEADS.known, None
        for box, row in zip(found.boxes, head_rows(found)):
            chip = self._describer.chip(rgb, box)
            if chip is None or chip.worth < 0.2:
                continue
            away = float(np.min(np.linalg.norm(np.array(self._faces) - self._describer.describe(chip), axis=1)))
            if away < best:
                best, place = away, self._placed(row.astype(float))
        return place


def is_head(outline: Outline) -> bool:
    """Heads are drawn with ellipses."""
    return outline.shape.kind == "ellipse"
