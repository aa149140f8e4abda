"""Proof on the delivered file: decode it, compare it with what it should show, search it again for faces."""

from __future__ import annotations

from contextlib import ExitStack, closing
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover
from skiagraph.cover.layer import Layer
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import probe
from skiagraph.media.frame import Frame
from skiagraph.media.index import load_index
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import layers
from skiagraph.project.model import Clip, Decision, Project, Style
from skiagraph.project.rows import outline_at
from skiagraph.review.faces import INSIDE, in_picture, points_of
from skiagraph.review.finding import Finding, Reason, runs
from skiagraph.track.descriptor import PRESENT, FaceDescriber
from skiagraph.track.scan import ScanSettings

STEP = "Checking the export"
# A face in the file counts from this score, and as hidden when this share of it lies under complete covers.
SCORE, HIDDEN, PARTLY = 0.6, 0.9, 0.25
# Below this score a second network has to agree that it is a face.
SURE = 0.74
# Where covers are in it, up to this score that network has to agree that the source shows a face just there.
SURE_BESIDE = 0.85
# Mean difference from the expected picture, of 255, that encoding may make inside a cover.
TOLERANCE = 6.0
# The file must be nearer to the covered picture than to the source by this much.
NEARER = 0.5
# A head grown by this holds the face of somebody who agreed to be seen, where so much of the face lies in it.
SHOWN_GROWN, SHOWN_SHARE = 0.15, 0.6
# Each side of the small pictures that are compared inside a cover, px.
_SIDE = 48


def check_file(project: Project, clip_key: str, film: Path | str, control: JobControl | None = None, *, every: int = 1, span: tuple[int, int] | None = None) -> list[Finding]:
    """Findings on an exported file: a cover that is missing or too weak, a face that nobody agreed to show, another shape.

    The file and its source are decoded together; faces are searched for down to the size that a scan of the clip finds, in square
    pixels. span: first and last frame of the part of the clip that the film holds, None for all of it. Raises CannotOpenMedia, SourceChanged, FrameNotDecoded, Cancelled.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    info = probe(film)
    index = load_index(info, control)
    begin, end = (max(0, span[0]), min(span[1], clip.frames - 1)) if span else (0, clip.frames - 1)
    if info.upright_size != (clip.width, clip.height) or len(index) != end - begin + 1:
        last = max(0, min(len(index), clip.frames) - 1)
        return [Finding(clip_key, "", Reason.FILE_SHAPE, 0, last, float(len(index)), 0)]
    source_info, source_index = open_source(clip, control)
    weak: dict[str, dict[int, float]] = {}
    faces: dict[int, float] = {}
    with ExitStack() as stack:
        out = stack.enter_context(FrameReader(info, index, threads=1))
        source = stack.enter_context(FrameReader(source_info, source_index, threads=1))
        finder = stack.enter_context(FaceFinder(ScanSettings().smallest_for(source_info)))
        searcher = _Searcher(finder, FaceDescriber(), Squared(float(source_info.upright_aspect)))
        pairs = ((n, source.read(n), out.read(n - begin)) for n in range(begin, end + 1, every))
        for n, shot, shown in stack.enter_context(closing(read_ahead(pairs, 3))):
            covers = layers(project, clip_key, n)
            for key, value in _weak_covers(shot, shown, covers).items():
                weak.setdefault(key, {})[n] = value
            score = _open_face(project, clip, n, shot, shown, covers, searcher)
            if score:
                faces[n] = score
            control.report(STEP, n - begin + 1, end - begin + 1)
    found = [f for key, frames in weak.items() for f in _stretches(clip_key, key, Reason.FILE_DIFFERS, frames, every)]
    found += _stretches(clip_key, "", Reason.FILE_FACE, faces, every)
    return sorted(found, key=lambda f: (f.first, f.subject))


def _stretches(clip, key, reason, frames, every):
    for first, last in runs(np.array(sorted(frames), int), join=max(6, every)):
        worst = max(v for f, v in frames.items() if first <= f <= last)
        at = next(f for f, v in frames.items() if first <= f <= last and v == worst)
        yield Finding(clip, key, reason, first, last, round(worst, 2), at)


def _weak_covers(shot: Frame, shown: Frame, covers: list[Layer]) -> dict[str, float]:
    """Subjects whose complete part does not show the cover, with the mean difference from it (of 255)."""
    if not covers:
        return {}
    given, original = shown.grey(), _same_range(shot.grey(), shot, shown)
    weak = _unlike(covers, _expected(shot, shown, covers), given, original)
    for kind in Cover.kinds.values():
        # A file may have been rendered with another kind of cover for everybody; what counts is that one is there.
        if not weak:
            break
        others = [replace(layer, style=Style((kind(),), layer.style.margin, layer.style.feather))
                  for layer in covers if layer.subject in weak and not layer.label and layer.style.cover.kind != kind().kind]
        if others:
            still = _unlike(others, _expected(shot, shown, others), given, original)
            weak = {key: value for key, value in weak.items() if key in still or all(o.subject != key for o in others)}
    return weak


def _expected(shot: Frame, shown: Frame, covers: list[Layer]) -> np.ndarray:
    return _same_range(with_layers(shot, covers).grey(), shot, shown)


def _unlike(covers: list[Layer], expected, given, original) -> dict[str, float]:
    """Subjects whose cover is not what it should be, in grey pictures of the file, the covered source and the source."""
    weak: dict[str, float] = {}
    for layer in covers:
        if layer.label:
            continue
        x0, y0, x1, y1 = layer.box
        inside = layer.alpha == 255
        if not inside.any():
            continue
        want, have, was = (_small(a[y0:y1, x0:x1]) for a in (expected, given, original))
        mask = _small(inside.astype(np.uint8) * 255) > 254
        if not mask.any():
            mask[:] = True
        from_cover, from_source = (float(np.abs(have - other)[mask].mean()) for other in (want, was))
        hides = float(np.abs(want - was)[mask].mean())
        if from_cover > TOLERANCE or (hides > 2.0 and from_cover > NEARER * hides and from_cover > from_source):
            weak[layer.subject] = max(weak.get(layer.subject, 0.0), round(from_cover, 2))
    return weak


def _same_range(grey, shot, shown):
    """Luma of the source on the scale of the file, when one has full and the other limited range."""
    if shot.full_range == shown.full_range:
        return grey
    wide = grey.astype(np.float32)
    scaled = wide * (219 / 255) + 16 if shot.full_range else (wide - 16) * (255 / 219)
    return np.clip(scaled + 0.5, 0, 255).astype(np.uint8)


def _small(area: np.ndarray) -> np.ndarray:
    return cv2.resize(area, (min(_SIDE, area.shape[1]), min(_SIDE, area.shape[0])), interpolation=cv2.INTER_AREA).astype(np.float32)


class _Searcher:
    """Finds faces in pictures of any pixel aspect; boxes in px of the clip."""

    def __init__(self, finder: FaceFinder, describer: FaceDescriber, squared: Squared):
        self._finder, self._describer, self._squared = finder, describer, squared

    def find(self, rgb: np.ndarray):
        """Boxes (n, 4) px of the clip, and scores."""
        found = self._finder.find(self._squared.picture(rgb), SCORE)
        return self._squared.stored(found).boxes, found.scores

    def presence(self, rgb: np.ndarray, box: np.ndarray) -> float:
        return self._describer.presence(self._squared.picture(rgb), self._squared.boxes(box[None])[0])

    def look(self, rgb: np.ndarray, box: np.ndarray) -> np.ndarray:
        """Boxes (n, 4) px of the clip of what is found just there."""
        return self._squared.stored(self._finder.look(self._squared.picture(rgb), self._squared.boxes(box[None]))).boxes


def _open_face(project: Project, clip: Clip, n: int, shot: Frame, shown: Frame, covers: list[Layer], searcher: _Searcher) -> float:
    """The highest score of a face in the file that is neither under a cover nor of somebody who agreed to be seen.

    A cover may look like a face itself, mosaics do. So where a find lies partly under a cover, the source is asked where
    the face really is: exposed is what of that is not hidden.
    """
    picture = shown.rgb()
    boxes, scores = searcher.find(picture)
    worst = 0.0
    for box, score in zip(boxes, scores):
        points = _face_points(box, clip)
        hidden = _share_hidden(points, covers)
        if hidden >= HIDDEN or _is_of_shown(project, clip, n, points):
            continue
        if score < SURE and searcher.presence(picture, box) < PRESENT:
            continue
        if hidden > PARTLY:
            source = shot.rgb()
            if score < SURE_BESIDE and searcher.presence(source, box) < PRESENT:
                continue
            real = searcher.look(source, box)
            if not len(real) or all(_share_hidden(_face_points(b, clip), covers) >= INSIDE for b in real):
                continue
        worst = max(worst, float(score))
    return worst


def _face_points(box: np.ndarray, clip: Clip) -> np.ndarray:
    """Points of the face itself, (n, 2), where it is inside the picture."""
    points = points_of(box[None])
    return points[0][in_picture(points, clip)[0]]


def _share_hidden(points, covers) -> float:
    hidden = np.zeros(len(points), bool)
    for layer in covers:
        if layer.label:
            continue
        x0, y0, x1, y1 = layer.box
        px, py = points[:, 0].astype(int) - x0, points[:, 1].astype(int) - y0
        inside = (px >= 0) & (py >= 0) & (px < x1 - x0) & (py < y1 - y0)
        hidden[inside] |= layer.alpha[py[inside], px[inside]] == 255
    return float(hidden.mean())


def _is_of_shown(project: Project, clip: Clip, n: int, points) -> bool:
    """True for a face of somebody who agreed to be seen. Who was dismissed as nobody did not agree."""
    for subject in project.subjects:
        if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
            continue
        for sighting in subject.in_clip(clip.key):
            outline = outline_at(project, sighting, n)
            if outline is not None and outline.grown_by(SHOWN_GROWN).contains(points).mean() > SHOWN_SHARE:
                return True
    return False
