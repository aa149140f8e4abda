"""A strict search of a whole clip, once: at a lower score and down to smaller faces than a scan takes for one, for
faces that nobody knows of. It covers nobody; what it finds is listed."""

from __future__ import annotations

from contextlib import ExitStack, closing
from dataclasses import dataclass

import numpy as np

from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN, one_way_up
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl, read_ahead, single_threaded_calls
from skiagraph.media.frame import ahead_of
from skiagraph.media.reader import FrameReader
from skiagraph.project.evidence import Sweep
from skiagraph.project.model import Project
from skiagraph.project.overlap import within
from skiagraph.project.rows import outline_rows, shapes_of
from skiagraph.shape.shape import disc_points
from skiagraph.track.results import FaceRows

STEP = "Searching strictly"
# Frames decoded ahead, and bytes that they may take.
AHEAD, AHEAD_BYTES = 4, 200 << 20


@dataclass(frozen=True, slots=True)
class SweepSettings:
    """finer: times as fine as a scan of the clip searches, so that faces of that share of its smallest are found;
    limit: the least score that counts; sure: from this score the detector is believed alone, below it the landmarks
    have to see a face too, as surely as present; known: a face of which this share lies in the head of somebody in the
    register is known. A lower limit and a finer search list more that is nobody. The limit is where the detector's own
    authors stop counting (Wu, Peng and Yu 2023 give recall down to 0.3); the rest are those of a scan, made wider.
    """

    finer: float = 2.0
    limit: float = 0.35
    sure: float = 0.6
    present: float = 0.4
    known: float = 0.5


SWEEP = SweepSettings()


def sweep_clip(project: Project, clip_key: str, control: JobControl | None = None) -> Sweep:
    """Search every frame of a clip. Raises Cancelled, CannotOpenMedia, SourceChanged, FrameNotDecoded."""
    # Only here, since this brings in the networks' runtimes.
    from skiagraph.detect.finder import FaceFinder
    from skiagraph.detect.squared import Squared
    from skiagraph.track.descriptor import FaceDescriber
    from skiagraph.track.scan import ScanSettings

    control, clip = control or JobControl(), project.clip(clip_key)
    info, index = open_source(clip, control)
    smallest = max(10, round(ScanSettings().smallest_for(info) / SWEEP.finer))
    known, rows, squared = _Known(project, clip_key), FaceRows(), Squared(float(info.upright_aspect))
    with ExitStack() as stack:
        stack.enter_context(single_threaded_calls())
        finder, describer = stack.enter_context(FaceFinder(smallest)), FaceDescriber()
        reader = stack.enter_context(FrameReader(info, index, threads=1))
        frames = stack.enter_context(
            closing(
                read_ahead(
                    ((f.number, squared.picture(f.rgb())) for f in reader.frames(0, clip.frames)),
                    ahead_of(info, AHEAD, AHEAD_BYTES, 3),
                )
            )
        )
        waiting = None
        for number, picture in _with_end(frames):
            search = (
                (number, picture, finder.submit(picture, SWEEP.limit, rolls=ON_A_SIDE + UPSIDE_DOWN))
                if picture is not None
                else None
            )
            if waiting is not None:
                before, shown = waiting[:2]
                found = one_way_up(waiting[2].result(), lambda box, roll: describer.presence(shown, box, roll))
                boxes = squared.stored(found).boxes
                for box, seen, score, roll in zip(
                    boxes, found.boxes, found.scores, np.nan_to_num(found.rolls).tolist()
                ):
                    if not known.is_known(before, box) and (
                        score >= SWEEP.sure and not roll or describer.presence(shown, seen, roll) >= SWEEP.present
                    ):
                        rows.add(before, box, float(score))
                control.report(STEP, before + 1, clip.frames)
            waiting = search
    return Sweep(clip_key, smallest, SWEEP.limit, rows.table())


def _with_end(frames):
    """The frames, and once more nothing, so that the last one's search is heard."""
    yield from frames
    yield None, None


class _Known:
    """Whose heads are where: of everybody in the register, whatever was decided."""

    def __init__(self, project: Project, clip: str):
        self._project = project
        self._sightings = [s for subject in project.subjects if subject.of.hides for s in subject.in_clip(clip)]

    def is_known(self, frame: int, box: np.ndarray) -> bool:
        half = (box[2:] - box[:2]) / 2
        points = ((box[:2] + box[2:]) / 2 + disc_points() * half)[None]
        for sighting in self._sightings:
            if sighting.covers(frame):
                row = outline_rows(self._project, sighting)[frame - sighting.first][None]
                # Beside the head as the detector sees it, by as much as a cover reaches beyond it.
                if within(points, row, shapes_of(sighting, np.array([frame])), 0.2).mean() >= SWEEP.known:
                    return True
        return False
