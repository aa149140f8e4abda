"""How strong the covers of a clip are, on its own pictures: what detail is left, whether the detector still finds a
face, and whether the descriptor still tells who it is.

Descriptors live in memory only, as everywhere.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.strength import STRENGTH, Safety, detail_left, safety
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.footage.recognition import good_faces
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.lazily import stats
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import layers
from skiagraph.project.model import Clip, Project, Subject
from skiagraph.project.rows import CX, CY, HEIGHT, WIDTH, outline_rows, style_at
from skiagraph.track.descriptor import FaceDescriber

STEP = "Measuring covers"
# Frames of each subject that are looked at, and score from which a face in a cover counts.
FRAMES, SCORE = 4, 0.6
# Right ones first that luck explains this seldom, for anybody among so many people, are no luck.
LEVEL = 0.05


@dataclass(frozen=True, slots=True)
class Measured:
    """What was measured of one subject in a clip. cover: in words; detail: cycles across the face that are left;
    face_px: width of the largest face; found of looked: frames in which the detector sees a face in the cover; first of
    asked: in which the descriptor puts the right one first, among so many people; taken: share of looks under others'
    covers in which it puts this one first, who is nobody there. A recogniser that takes whatever is covered for one and
    the same person knows nothing by being right once."""

    subject: str
    cover: str
    detail: float
    face_px: float
    found: int
    looked: int
    first: int
    asked: int
    among: int
    taken: float = 0.0

    @property
    def is_known(self) -> bool:
        """Whether the right one comes first more often than by luck: a binomial test against how often this one comes
        first anyway, corrected for so many people (Bonferroni)."""
        luck = max(1 / max(self.among, 1), self.taken)
        return (
            self.asked > 0
            and self.among > 1
            and bool(stats.binom.sf(self.first - 1, self.asked, luck) < LEVEL / self.among)
        )

    def sentence(self) -> str:
        left = f"{self.detail:.1f} cycles of detail" if self.detail else "no detail"
        parts = [f"{self.cover}: {left} across a face of {self.face_px:.0f} px"]
        if self.looked:
            parts.append(
                "the detector finds"
                f" {'no face' if not self.found else f'a face in {self.found} of {self.looked} frames'} under it"
            )
        if self.asked:
            parts.append(
                f"a recogniser puts the right one first in {self.first} of {self.asked}, among {self.among} people"
            )
        return "; ".join(parts) + f". {verdict(self).capitalize()}."


def verdict(seen: Measured) -> Safety:
    """How safe a cover is by all that was measured."""
    by_detail = safety(seen.detail)
    if by_detail == Safety.TOO_WEAK or seen.is_known:
        return Safety.TOO_WEAK
    return Safety.WEAK if by_detail == Safety.WEAK or seen.found else Safety.SAFE


class Measuring:
    """Measures covers on pictures as they come. frames: those that are wanted. keys: of the people that are asked
    about, None for every covered one."""

    def __init__(
        self, project: Project, clip_key: str, keys: Iterable[str] | None = None, describer: FaceDescriber | None = None
    ):
        clip = project.clip(clip_key)
        wanted = set(keys) if keys is not None else None
        people = [
            s
            for s in project.subjects
            if s.of.hides and s.of.needs_strength and not s.dismissed and not s.doubtful and s.in_clip(clip_key)
        ]
        self._project, self._clip = project, clip
        self._asked = [s for s in people if s.is_covered and (wanted is None or s.key in wanted)]
        self._looked = {s.key: 0 for s in people}
        self._by_frame: dict[int, list[tuple[Subject, np.ndarray]]] = {}
        for subject in people:
            for frame, box in _faces(project, clip, subject):
                self._by_frame.setdefault(frame, []).append((subject, box))
        self._known: dict[str, list[np.ndarray]] = {}
        self._probes: dict[str, list[np.ndarray]] = {}
        self._found: dict[str, int] = {}
        self._describer = describer

    @property
    def frames(self) -> list[int]:
        return sorted(self._by_frame)

    def add(self, frame: int, source: np.ndarray, hidden: np.ndarray, finder: FaceFinder, squared: Squared) -> None:
        """What is seen in a frame. source, hidden: uint8 RGB of it as it was shot, and covered."""
        if self._describer is None:
            self._describer = FaceDescriber()
        describer, among = self._describer, {s.key for s in self._asked}
        rgb, covered = squared.picture(source), squared.picture(hidden)
        for subject, box in self._by_frame.get(frame, ()):
            self._looked[subject.key] += 1
            place = squared.boxes(box)
            if self._project.scan_of(self._clip.key) is None:
                there = finder.look(rgb, place)
                if not len(there.scores):
                    continue
                place = there.boxes[int(np.argmax(there.scores))]
            chip = describer.chip(rgb, place)
            if chip is not None:
                self._known.setdefault(subject.key, []).append(describer.describe(chip))
            if subject.key in among:
                seen = finder.look(covered, place)
                self._found[subject.key] = self._found.get(subject.key, 0) + bool(
                    len(seen.scores) and max(seen.scores) >= SCORE
                )
                # An attacker may know from elsewhere where the face is: it is cut out as it was in the source.
                under = describer.chip(rgb, place, seen=covered)
                if under is not None:
                    self._probes.setdefault(subject.key, []).append(describer.describe(under))

    def results(self) -> list[Measured]:
        """Of each person that is asked about."""
        means = {key: np.mean(vectors, axis=0) for key, vectors in self._known.items()}
        put = (
            {
                key: [min(means, key=lambda k: float(np.linalg.norm(means[k] - probe))) for probe in probes]
                for key, probes in self._probes.items()
            }
            if len(means) > 1
            else {}
        )
        return [self._result(s, put, len(means)) for s in self._asked]

    def _result(self, subject: Subject, put: dict[str, list[str]], among: int) -> Measured:
        """Of one person. put: whom the descriptor puts first in each look under each one's covers."""
        mine = put.get(subject.key, []) if subject.key in self._known else []
        others = [first for key, firsts in put.items() if key != subject.key for first in firsts]
        taken = (others.count(subject.key) + 1) / (len(others) + among) if others else 0.0
        return Measured(
            subject.key,
            self._project.style_of(subject).state(),
            strongest_detail(self._project, self._clip.key, subject),
            _largest_face(self._project, self._clip.key, subject),
            self._found.get(subject.key, 0),
            self._looked[subject.key],
            mine.count(subject.key),
            len(mine),
            among,
            round(taken, 3),
        )


def measured(
    project: Project, clip_key: str, keys: Iterable[str] | None = None, control: JobControl | None = None
) -> list[Measured]:
    """Of every covered person in a clip, or of those of the given keys.

    Raises CannotOpenMedia, SourceChanged, FrameNotDecoded, Cancelled.
    """
    control, clip = control or JobControl(), project.clip(clip_key)
    measuring = Measuring(project, clip_key, keys)
    if measuring.frames:
        info, index = open_source(clip, control)
        squared = Squared(float(info.upright_aspect))
        with FrameReader(info, index) as reader, FaceFinder(24, 1) as finder:
            for done, frame in enumerate(measuring.frames):
                control.report(STEP, done, len(measuring.frames))
                shot = reader.read(frame)
                measuring.add(
                    frame, shot.rgb(), with_layers(shot, layers(project, clip_key, frame)).rgb(), finder, squared
                )
    return measuring.results()


def _faces(project: Project, clip: Clip, subject: Subject) -> list[tuple[int, np.ndarray]]:
    """Frames and boxes (x0, y0, x1, y1 px) of a subject's face: found ones where the clip was scanned, else where its
    outline says."""
    sightings = [s for s in subject.in_clip(clip.key) if s.first < clip.frames]
    if project.scan_of(clip.key) is not None:
        return [found for sighting in sightings for found in good_faces(project, clip, sighting)[:FRAMES]][:FRAMES]
    chosen = []
    for sighting in sightings[:FRAMES]:
        rows = outline_rows(project, sighting)[: clip.frames - sighting.first]
        for n in np.unique(
            np.linspace(0, len(rows) - 1, FRAMES // min(FRAMES, len(sightings))).round().astype(int)
        ).tolist():
            half = rows[n, WIDTH : HEIGHT + 1] / 2
            chosen.append(
                (sighting.first + n, np.concatenate([rows[n, CX : CY + 1] - half, rows[n, CX : CY + 1] + half]))
            )
    return chosen[:FRAMES]


def _largest_face(project: Project, clip: str, subject: Subject) -> float:
    """Width of a subject's largest face in a clip, px."""
    return max(float(outline_rows(project, s)[:, WIDTH].max()) for s in subject.in_clip(clip)) * STRENGTH.face_share


def strongest_detail(project: Project, clip: str, subject: Subject) -> float:
    """The most detail that a subject's cover leaves anywhere in a clip, cycles across the face."""
    face = _largest_face(project, clip, subject)
    keyed = [
        detail_left(style_at(project, subject, s, level.frame), face)
        for s in subject.in_clip(clip)
        for level in s.levels
    ]
    return max([detail_left(project.style_of(subject), face), *keyed])
