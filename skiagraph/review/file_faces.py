"""Faces in an exported file that nobody agreed to show: all of it is searched, and more closely where somebody is
covered."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.cover.layer import Layer
from skiagraph.cover.strength import STRENGTH
from skiagraph.detect.detections import Detections, suppress
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN
from skiagraph.media.frame import Frame
from skiagraph.project.model import Clip, Decision, Project
from skiagraph.project.rows import outline_at
from skiagraph.review.faces import INSIDE, in_picture, points_of
from skiagraph.track.descriptor import PRESENT, FaceDescriber

# A face in the file counts from this score, and as hidden when this share of it lies under complete covers.
SCORE, HIDDEN, PARTLY = 0.6, 0.9, 0.25
# Around covers of faces that are hardly larger than the smallest that are looked for, by so much of their size, it is
# searched so many times as finely as elsewhere; and along the edges. Parts are cut on a grid of so many px.
AROUND, FINER, FINER_EDGES, GRID_PX = 0.5, 2.0, 1.4, 16
# Below this score a second network has to agree that it is a face.
SURE = 0.74
# Where covers are in it, up to this score that network has to agree that the source shows a face just there.
SURE_BESIDE = 0.85
# A head grown by this holds the face of somebody who agreed to be seen, where so much of the face lies in it.
SHOWN_GROWN, SHOWN_SHARE = 0.15, 0.6


@dataclass(frozen=True, slots=True)
class FileSearchSettings:
    """How an exported file is searched.

    Every frame is, but what of the picture is as it was when it was searched last is not searched again.

    whole_every: all of the picture in each so many frames, and after a cut; cell_px: side of the cells whose change is
    measured; changed: mean difference of one, of 255, from which it is searched again: an encoder leaves less
    (measured: under 3 at the quality of our formats); room: px around changed cells, so that a face is seen with its
    surroundings; closely_every: second looks at where somebody is covered, in each so many frames; finely_every: the
    finer search around small covers, and edges_every: along the edges, in each so many. Larger values are quicker and
    find less. Whoever lies, or is upside down, is searched for in the frames of whole_every. Set by
    benchmarks/review.py: with them nothing is missed that a whole search of every frame finds.
    """

    whole_every: int = 16
    cell_px: int = 16
    changed: float = 5.0
    room: int = 48
    closely_every: int = 4
    finely_every: int = 8
    edges_every: int = 24


FILE_SEARCH = FileSearchSettings()


class FileSearcher:
    """Finds faces in the frames of a film, one after another, in pictures of any pixel aspect; boxes in px of the clip.

    Not to be shared between threads that search.
    """

    def __init__(self, finder: FaceFinder, describer: FaceDescriber, squared: Squared):
        self._finder, self._describer, self._squared = finder, describer, squared
        self._turn = 0
        # What of the last frames was searched, small and grey, and what was found.
        self._searched: np.ndarray | None = None
        self._found = Detections.none()

    def find(self, rgb: np.ndarray, covers: list[Layer]) -> Detections:
        """Boxes (n, 4) px of the clip, and scores, in the next frame: of a search of what changed in it, of second
        looks at where somebody is covered, and now and then of a finer search around small covers and along the edges.
        """
        picture = self._squared.picture(rgb)
        heads = [layer for layer in covers if layer.subject and not layer.label]
        small = (
            [layer for layer in heads if _face_px(layer) < FINER * self._finder.smallest]
            if self._turn % FILE_SEARCH.finely_every == 0
            else []
        )
        more = (
            [
                self._finder.submit_around(
                    picture, self._squared.boxes(around_covers(small, (rgb.shape[1], rgb.shape[0]))), SCORE, FINER
                )
            ]
            if small
            else []
        )
        more += (
            [self._finder.submit_edges(picture, SCORE, FINER_EDGES)]
            if self._turn % FILE_SEARCH.edges_every == 0
            else []
        )
        self._found = self._in_changed(picture)
        found = [self._found, *(search.result() for search in more)]
        if heads and self._turn % FILE_SEARCH.closely_every == 0:
            places = np.array([_face_in(layer) for layer in heads])
            found.append(self._finder.look(picture, self._squared.boxes(places), SCORE, np.zeros(len(places), bool)))
        self._turn += 1
        return self._squared.stored(suppress(Detections.joined(found)))

    def _in_changed(self, picture: np.ndarray) -> Detections:
        """Faces of a frame: what was found before, where it is as it was, and what is found in the rest."""
        cell = FILE_SEARCH.cell_px
        now = cv2.resize(
            picture, (max(1, picture.shape[1] // cell), max(1, picture.shape[0] // cell)), interpolation=cv2.INTER_AREA
        ).astype(np.int16)
        if self._searched is None or self._searched.shape != now.shape or self._turn % FILE_SEARCH.whole_every == 0:
            self._searched = now
            return self._finder.find(
                picture, SCORE, ON_A_SIDE + UPSIDE_DOWN if self._turn % FILE_SEARCH.whole_every == 0 else ()
            )
        changed = (np.abs(now - self._searched).max(axis=2) > FILE_SEARCH.changed).astype(np.uint8)
        windows = _windows(changed, -(-FILE_SEARCH.room // cell)) * cell
        if (
            len(windows)
            and (windows[:, 2:] - windows[:, :2]).prod(axis=1).sum() > 0.6 * picture.shape[0] * picture.shape[1]
        ):
            self._searched = now
            return self._finder.find(picture, SCORE)
        self._searched = np.where(_filled(changed.shape, windows // cell)[..., None], now, self._searched)
        fresh = self._finder.submit_around(picture, windows, SCORE, 1.0).result() if len(windows) else Detections.none()
        # A face of which only a part lies in what changed is looked at anew, where it was.
        before = self._found
        touched = (
            np.array([any(_meet(box, window) for window in windows) for box in before.boxes], bool)
            if len(before)
            else np.zeros(0, bool)
        )
        again = (
            self._finder.look(
                picture,
                before.boxes[touched],
                SCORE,
                np.zeros(int(touched.sum()), bool),
                np.nan_to_num(before.rolls[touched]),
            )
            if touched.any()
            else Detections.none()
        )
        return suppress(Detections.joined([before.take(~touched), again, fresh]))

    def presence(self, rgb: np.ndarray, box: np.ndarray, roll: float) -> float:
        """How surely a face is in a box, (4,), 0..1. roll: degrees clockwise by which it leans."""
        return self._describer.presence(self._squared.picture(rgb), self._squared.boxes(box[None])[0], roll)

    def look(self, rgb: np.ndarray, box: np.ndarray, roll: float) -> np.ndarray:
        """Boxes (n, 4) px of the clip of what is found just there."""
        return self._squared.stored(
            self._finder.look(self._squared.picture(rgb), self._squared.boxes(box[None]), rolls=np.array([roll]))
        ).boxes


def _windows(changed: np.ndarray, room: int) -> np.ndarray:
    """Boxes (n, 4) of cells around what changed, grown by so many cells; those that touch are one."""
    grown = cv2.dilate(changed, np.ones((2 * room + 1, 2 * room + 1), np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(grown)
    boxes = stats[1:count, :4]
    return np.column_stack([boxes[:, :2], boxes[:, :2] + boxes[:, 2:]])


def _filled(shape: tuple[int, int], boxes: np.ndarray) -> np.ndarray:
    """bool of a shape, True in the boxes."""
    mask = np.zeros(shape, bool)
    for x0, y0, x1, y1 in boxes.tolist():
        mask[y0:y1, x0:x1] = True
    return mask


def _meet(one: np.ndarray, other: np.ndarray) -> bool:
    return bool(one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3])


def around_covers(covers: list[Layer], size: tuple[int, int]) -> np.ndarray:
    """Boxes (n, 4) px around covers, as far as somebody may look out of them; parts that lie over each other are
    one."""
    mask = np.zeros((-(-size[1] // GRID_PX), -(-size[0] // GRID_PX)), np.uint8)
    for layer in covers:
        if not layer.label and layer.subject:
            x0, y0, x1, y1 = layer.box
            more_x, more_y = AROUND * (x1 - x0), AROUND * (y1 - y0)
            mask[
                max(0, int((y0 - more_y) // GRID_PX)) : int((y1 + more_y) // GRID_PX) + 1,
                max(0, int((x0 - more_x) // GRID_PX)) : int((x1 + more_x) // GRID_PX) + 1,
            ] = 1
    count, _, stats, _ = cv2.connectedComponentsWithStats(mask)
    boxes = stats[1:count, :4].astype(float) * GRID_PX
    return np.column_stack([boxes[:, :2], boxes[:, :2] + boxes[:, 2:]])


def _face_px(layer: Layer) -> float:
    """Width of the face under a cover, px, by that of what is covered."""
    return STRENGTH.face_share * layer.outline.width / (1 + layer.style.margin)


def _face_in(layer: Layer) -> tuple[float, float, float, float]:
    """Where the face under a cover should be: x0, y0, x1, y1 px."""
    half = _face_px(layer) / 2
    return layer.outline.cx - half, layer.outline.cy - half, layer.outline.cx + half, layer.outline.cy + half


def open_faces(
    project: Project,
    clip: Clip,
    n: int,
    shot: Frame,
    picture: np.ndarray,
    found: Detections,
    covers: list[Layer],
    searcher: FileSearcher,
) -> Detections:
    """Of the faces found in a frame of the file, px of the clip, those that are neither under a cover nor of somebody
    who agreed to be seen. picture: uint8 RGB of the file.

    A cover may look like a face itself, mosaics do. So where a find lies partly under a cover, the source is asked
    where the face really is: exposed is what of that is not hidden.
    """
    open_ = np.zeros(len(found), bool)
    for row, (box, score, roll) in enumerate(zip(found.boxes, found.scores, np.nan_to_num(found.rolls).tolist())):
        points = face_points(box, clip)
        hidden = share_hidden(points, covers)
        if hidden >= HIDDEN or is_of_shown(project, clip, n, points):
            continue
        # However sure the detector is of somebody who lies, what stands looks like that now and then.
        if (score < SURE or roll) and searcher.presence(picture, box, roll) < PRESENT:
            continue
        if hidden > PARTLY:
            source = shot.rgb()
            if score < SURE_BESIDE and searcher.presence(source, box, roll) < PRESENT:
                continue
            real = searcher.look(source, box, roll)
            if not len(real) or all(share_hidden(face_points(b, clip), covers) >= INSIDE for b in real):
                continue
        open_[row] = True
    return found.take(open_)


def face_points(box: np.ndarray, clip: Clip) -> np.ndarray:
    """Points of the face itself, (n, 2), where it is inside the picture."""
    points = points_of(box[None])
    return points[0][in_picture(points, clip)[0]]


def share_hidden(points: np.ndarray, covers: list[Layer]) -> float:
    """Share of points, (n, 2) px, under complete covers."""
    hidden = np.zeros(len(points), bool)
    for layer in covers:
        if layer.label:
            continue
        x0, y0, x1, y1 = layer.box
        px, py = points[:, 0].astype(int) - x0, points[:, 1].astype(int) - y0
        inside = (px >= 0) & (py >= 0) & (px < x1 - x0) & (py < y1 - y0)
        hidden[inside] |= layer.alpha[py[inside], px[inside]] == 255
    return float(hidden.mean())


def is_of_shown(
    project: Project, clip: Clip, n: int, points: np.ndarray, grown: float = SHOWN_GROWN, share: float = SHOWN_SHARE
) -> bool:
    """True for a face, by points of it, (n, 2) px, of somebody who agreed to be seen: so much of it lies in their head,
    grown by so much. Who was dismissed as nobody did not agree."""
    for subject in project.subjects:
        if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
            continue
        for sighting in subject.in_clip(clip.key):
            outline = outline_at(project, sighting, n)
            if outline is not None and outline.grown_by(grown).contains(points).mean() > share:
                return True
    return False
