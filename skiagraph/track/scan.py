"""Scanning a clip: from its frames to everybody's paths. Two passes: one finds and links, one follows where nothing was found."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.errors import FrameNotDecoded
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex, keep_index
from skiagraph.media.reader import FrameReader
from skiagraph.track.bridging import Chain, Task, chains, path_of, tasks_of
from skiagraph.track.camera import CameraMotion
from skiagraph.track.linking import Linker, LinkSettings
from skiagraph.track.path import FOUND, Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult

STEP_FIND, STEP_FOLLOW = "Finding faces", "Following"
# How often, in searched frames, the people found so far are told.
PARTIAL_EVERY = 25
# Faces of at least this score go into the table against which covers are checked.
SURE_FACE = 0.55


@dataclass(frozen=True, slots=True)
class ScanSettings:
    """every: search each n-th frame; smallest: px of the smallest face to find in 1080 lines or more."""

    every: int = 1
    smallest: int = 36


def scan(info: ClipInfo, index: FrameIndex, settings: ScanSettings = ScanSettings(), control: JobControl | None = None,
         partial: Callable[[ScanResult], None] | None = None) -> ScanResult:
    """Find and follow everybody in a clip. partial is told of the people found so far, from the calling thread.

    Raises Cancelled.
    """
    control = control or JobControl()
    finder = FaceFinder(settings.smallest)
    try:
        return _Scan(info, index, settings, control, partial, finder).run()
    finally:
        finder.close()


class _Scan:
    def __init__(self, info, index, settings, control, partial, finder):
        self.info, self.index, self.settings, self.control = info, index, settings, control
        self.partial, self.finder = partial, finder
        self.size = info.upright_size
        self.rate = float(info.rate)
        self.linker = Linker(self.rate, LinkSettings(least=3 if settings.every == 1 else 2, patience_s=1.2 if settings.every < 4 else 1.6))
        self.faces: list[tuple[int, np.ndarray, float]] = []
        self.cuts: list[int] = []
        self.frames = len(index)
        self.damage = index.damage

    def run(self) -> ScanResult:
        self._find()
        return self._result(self._follow())

    def _find(self) -> None:
        camera, pending = CameraMotion(), None
        total = len(self.index)
        with FrameReader(self.info, self.index, threads=1) as reader, closing(read_ahead(self._prepared(reader), 4)) as frames:
            try:
                for frame, grey, rgb in frames:
                    step = camera.step(grey)
                    if step.cut:
                        self.cuts.append(frame)
                        self.linker.new_shot()
                        pending = None
                    pending = step.similarity if pending is None else _after(step.similarity, pending)
                    if rgb is not None:
                        found = self._search(rgb)
                        self.faces += [(frame, b, s) for b, s in zip(found.boxes, found.scores) if s >= SURE_FACE]
                        self.linker.update(frame, found, rgb, pending, lambda boxes, rgb=rgb: self._again(rgb, boxes))
                        pending = None
                        if self.partial and (frame // self.settings.every) % PARTIAL_EVERY == PARTIAL_EVERY - 1:
                            self.partial(self._result(self._found_so_far()))
                    self.control.report(STEP_FIND, frame + 1, total)
            except FrameNotDecoded as error:
                # The clip is good as far as it goes; whoever opens it next knows from the start.
                self.frames, self.damage = error.frame, str(error)
                if not error.frame:
                    raise
                self.index = self.index.cut(error.frame, str(error))
                keep_index(self.info, self.index)

    def _prepared(self, reader):
        for frame in reader.frames():
            wanted = frame.number % self.settings.every == 0 or frame.number == len(self.index) - 1
            yield frame.number, frame.grey(), self._square(frame.rgb()) if wanted else None

    def _square(self, rgb):
        """Square pixels for the detector: an anamorphic picture is widened."""
        aspect = float(self.info.upright_aspect)
        if abs(aspect - 1) < 0.01:
            return rgb
        return cv2.resize(rgb, (round(rgb.shape[1] * aspect), rgb.shape[0]), interpolation=cv2.INTER_LINEAR)

    def _search(self, rgb):
        return self._stored(self.finder.find(rgb))

    def _again(self, rgb, boxes):
        boxes = np.asarray(boxes, float).copy()
        boxes[:, ::2] *= float(self.info.upright_aspect)
        return self._stored(self.finder.look(rgb, boxes))

    def _stored(self, found):
        """From square px back to the clip's own."""
        aspect = float(self.info.upright_aspect)
        if abs(aspect - 1) >= 0.01:
            found.boxes[:, ::2] /= np.float32(aspect)
            found.landmarks[:, :, 0] /= np.float32(aspect)
        return found

    def _found_so_far(self) -> list[FoundPerson]:
        people = []
        for chain in chains(self.linker.tracklets, self.rate):
            first, last = int(chain.frames[0]), int(chain.frames[-1])
            every = np.arange(first, last + 1)
            rows = np.stack([np.interp(every, chain.frames, column) for column in np.column_stack([chain.heads, chain.scores]).T], axis=1)
            people.append(_person(chain, (Path.from_rows(first, rows, np.full(len(rows), FOUND)),)))
        return people

    def _follow(self) -> list[FoundPerson]:
        linked = chains(self.linker.tracklets, self.rate)
        bounds = [0, *self.cuts, self.frames]
        tasks = []
        for number, chain in enumerate(linked):
            shot = int(np.searchsorted(bounds, chain.frames[0], side="right")) - 1
            limits = bounds[shot], bounds[shot + 1] - 1
            tasks += [(number, task) for task in tasks_of(chain, self.size, limits, self.rate)]
        solved = self._solve(tasks)
        # Two ends that were not seen to meet may be two people: whether they are one is for recognition to say.
        return [_person(chain, (path,)) for number, chain in enumerate(linked) for path in path_of(chain, solved.get(number, {}), self.rate)]

    def _solve(self, tasks) -> dict[int, dict]:
        """Give every task its pictures in one sweep through the frames that any of them needs."""
        solved: dict[int, dict] = {}
        waiting = sorted(tasks, key=lambda entry: entry[1].first)
        needed = np.zeros(self.frames, bool)
        for _, task in waiting:
            needed[task.first:task.last + 1] = True
        wanted = np.flatnonzero(needed)
        open_tasks: list[tuple[int, Task, list[np.ndarray]]] = []
        with FrameReader(self.info, self.index, threads=1) as reader:
            greys = ((n, reader.read(int(n)).grey()) for n in wanted)
            with closing(read_ahead(greys, 4)) as frames:
                for done, (frame, grey) in enumerate(frames):
                    self.control.report(STEP_FOLLOW, done, len(wanted))
                    while waiting and waiting[0][1].first <= frame:
                        number, task = waiting.pop(0)
                        open_tasks.append((number, task, []))
                    for number, task, pictures in open_tasks:
                        x0, y0, x1, y1 = task.box
                        pictures.append(grey[y0:y1, x0:x1].copy())
                        if frame == task.last:
                            solved.setdefault(number, {})[task.key] = task.solve(pictures)
                    open_tasks = [entry for entry in open_tasks if entry[1].last > frame]
        self.control.report(STEP_FOLLOW, len(wanted), len(wanted))
        return solved

    def _result(self, people) -> ScanResult:
        ordered = sorted(self.faces, key=lambda entry: entry[0])
        table = FaceTable(np.array([f for f, _, _ in ordered], np.int32), np.array([b for _, b, _ in ordered]).round().astype(np.int16).reshape(-1, 4),
                          np.array([round(s * 100) for _, _, s in ordered], np.uint8)) if ordered else FaceTable.none()
        return ScanResult(tuple(people), table, tuple(self.cuts), self.frames, self.damage)


def _person(chain: Chain, paths: tuple[Path, ...]) -> FoundPerson:
    """The best face is the largest among the surest that is well inside the picture."""
    boxes = np.concatenate([np.asarray(t.boxes).reshape(-1, 4) for t in chain.parts])
    worth = chain.scores ** 3 * np.sqrt(np.maximum(boxes[:, 2] - boxes[:, 0], 1))
    mine = (chain.frames >= paths[0].first) & (chain.frames <= paths[-1].last)
    best = int(np.argmax(np.where(mine, worth, -1)))
    key = next(t.number for t in chain.parts if t.frames[-1] >= paths[0].first)
    return FoundPerson(key, paths, int(chain.frames[best]), tuple(float(v) for v in boxes[best]))


def _after(step: np.ndarray, before: np.ndarray) -> np.ndarray:
    """One similarity after another, both (2, 3)."""
    joined = np.vstack([step, [0, 0, 1]]) @ np.vstack([before, [0, 0, 1]])
    return joined[:2]
