"""What is seen of an exported file, frame by frame beside its source.

While covers are compared, the next pictures are decoded and searched.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, closing
from pathlib import Path

import cv2
import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl, read_ahead, single_threaded_calls
from skiagraph.media.clip import ClipInfo, probe
from skiagraph.media.frame import Frame, ahead_of
from skiagraph.media.index import load_index
from skiagraph.media.pictures import CONTAINER
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import layers
from skiagraph.project.model import Clip, Project
from skiagraph.review.file_alike import Outside
from skiagraph.review.file_bodies import FileBodies
from skiagraph.review.file_covers import same_range, weak_covers
from skiagraph.review.file_faces import FileSearcher, open_faces
from skiagraph.review.finding import Finding, Reason, runs
from skiagraph.review.proof import Fact
from skiagraph.review.strength import Measured, Measuring
from skiagraph.review.unknown_faces import box_of, runs_of
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.results import FaceRows, FaceTable
from skiagraph.track.scan import ScanSettings
from skiagraph.track.unfaced import UNFACED

STEP = "Checking the export"
# Frames that are searched while covers of earlier ones are compared, and bytes that they may take: some are searched
# whole and take ten times as long as others.
AHEAD, AHEAD_BYTES = 8, 300 << 20


def see(project: Project, clip_key: str, film: Path, frames: range, begin: int, control: JobControl) -> Seen:
    """Look at frames of a clip and of the film that was exported from it. begin: the clip's frame that is the film's
    first. Raises Cancelled, CannotOpenMedia, SourceChanged, FrameNotDecoded."""
    clip = project.clip(clip_key)
    info = probe(film, clip.rate)
    index = load_index(info, control)
    source_info, source_index = open_source(clip, control)
    describer = FaceDescriber()
    scaled = info.upright_size != source_info.upright_size
    seen = Seen(project, clip_key, is_lossless(info) and not scaled, describer, info.upright_size if scaled else None)
    squared = Squared(float(source_info.upright_aspect))
    with ExitStack() as stack:
        stack.enter_context(single_threaded_calls())
        out = stack.enter_context(FrameReader(info, index, threads=1))
        source = stack.enter_context(FrameReader(source_info, source_index, threads=1))
        finder = stack.enter_context(FaceFinder(ScanSettings().smallest_for(source_info)))
        searching = stack.enter_context(ThreadPoolExecutor(1, thread_name_prefix="searching"))
        searcher, bodies = (
            FileSearcher(finder, describer, squared),
            stack.enter_context(FileBodies(squared, float(clip.rate))),
        )
        shots = stack.enter_context(closing(read_ahead((source.read(n) for n in frames), 3)))
        showns = stack.enter_context(closing(read_ahead((out.read(n - begin).like(source_info) for n in frames), 3)))
        ahead = ahead_of(source_info, AHEAD, AHEAD_BYTES, 4.0)
        for done, (n, shot, shown, covers, picture, found) in enumerate(
            _searched(project, clip_key, zip(frames, shots, showns), searcher, searching, ahead)
        ):
            seen.add(n, shot, shown, covers)
            faces = found.result()
            bare = open_faces(project, clip, n, shot, picture, faces, covers, searcher)
            for box, score in zip(bare.boxes, bare.scores.tolist()):
                seen.faces.add(n, box, score)
            for box in bodies.open_faces(project, clip, n, shot.rgb, faces.boxes, covers):
                seen.bodies.add(n, box, UNFACED.sure)
            if n in seen.wanted:
                seen.measuring.add(n, shot.rgb(), picture, finder, squared)
            control.report(STEP, done + 1, len(frames))
    return seen


def is_lossless(info: ClipInfo) -> bool:
    """Whether a film is of a kind that loses nothing. Numbered pictures are RGB, which most sources are not."""
    return (
        info.codec in ("ffv1", "huffyuv", "ffvhuff", "utvideo")
        or info.codec in ("png", "tiff")
        and info.container != CONTAINER
    )


def _searched(
    project: Project,
    clip: str,
    pairs: Iterator[tuple[int, Frame, Frame]],
    searcher: FileSearcher,
    pool: ThreadPoolExecutor,
    ahead: int,
) -> Iterator[tuple]:
    """Each pair of frames with its covers, the file's picture as RGB, and the search of that, which others of later
    frames run beside."""
    waiting: deque[tuple] = deque()
    for n, shot, shown in pairs:
        covers, picture = layers(project, clip, n), shown.rgb()
        found: Future = pool.submit(searcher.find, picture, covers)
        waiting.append((n, shot, shown, covers, picture, found))
        if len(waiting) > ahead:
            yield waiting.popleft()
    while waiting:
        yield waiting.popleft()


class Seen:
    """What was seen of an exported file so far."""

    def __init__(
        self,
        project: Project,
        clip: str,
        lossless: bool,
        describer: FaceDescriber,
        scaled: tuple[int, int] | None = None,
    ):
        """scaled: width and height px of the upright picture of the file, where it is another than the source's."""
        self._project, self._clip, self._scaled, self.lossless = project, clip, scaled, lossless
        self.weak: dict[str, dict[int, float]] = {}
        self.faces, self.bodies = FaceRows(), FaceRows()
        self.covers = 0
        self.outside = Outside(lossless)
        self.measuring = Measuring(project, clip, describer=describer)
        self.wanted = set(self.measuring.frames)
        self._measured: list[Measured] | None = None

    def add(self, n: int, shot: Frame, shown: Frame, covers: list) -> None:
        self.covers += sum(not layer.label for layer in covers)
        original, given = same_range(shot.grey(), shot, shown), shown.grey()
        for key, value in weak_covers(shot, shown, covers, original, given).items():
            self.weak.setdefault(key, {})[n] = value
        if self._scaled:
            # What a picture loses by being scaled is no difference.
            smaller = cv2.resize(
                original,
                self._scaled,
                interpolation=cv2.INTER_AREA if self._scaled[0] < original.shape[1] else cv2.INTER_LANCZOS4,
            )
            original = cv2.resize(smaller, original.shape[::-1], interpolation=cv2.INTER_LANCZOS4)
        self.outside.add(n, shot, shown, covers, original, given)

    @property
    def measured(self) -> list[Measured]:
        if self._measured is None:
            self._measured = self.measuring.results()
        return self._measured

    def findings(self, every: int) -> list[Finding]:
        found = [
            f
            for key, frames in self.weak.items()
            for f in _stretches(self._clip, key, Reason.FILE_DIFFERS, frames, every)
        ]
        scan = self._project.scan_of(self._clip)
        clip, cuts = self._project.clip(self._clip), scan.cuts if scan else ()
        found += _faces(clip, Reason.FILE_FACE, self.faces.table(), cuts, every)
        # Who is seen in one look may be there until the next.
        looks = max(every, UNFACED.each(float(clip.rate)))
        found += _faces(clip, Reason.FILE_BODY, self.bodies.table(), cuts, looks, looks - 1)
        found += _stretches(self._clip, "", Reason.FILE_PICTURE, self.outside.differing, every)
        for person in self.measured:
            if person.is_known:
                sightings = self._project.subject(person.subject).in_clip(self._clip)
                first, last = (
                    min(s.first for s in sightings),
                    min(max(s.last for s in sightings), self._project.clip(self._clip).frames - 1),
                )
                found.append(
                    Finding(
                        self._clip,
                        person.subject,
                        Reason.FILE_KNOWN,
                        first,
                        last,
                        round(person.first / person.asked, 2),
                        first,
                    )
                )
        return found

    def covers_fact(self, frames: int) -> Fact:
        bad = sum(len(v) for v in self.weak.values())
        return Fact(
            "Covers",
            f"{self.covers} covers in {frames} frames compared,"
            f" {'all as decided' if not bad else f'{bad} missing or weaker than decided'}",
            not bad,
        )

    def faces_fact(self, frames: int, smallest: int) -> Fact:
        bare, bodies = (len(np.unique(rows.table().frames)) for rows in (self.faces, self.bodies))
        return Fact(
            "Faces",
            f"{frames} frames searched for faces from {smallest} px, more finely around covers and along the edges, and"
            " two a second for whole bodies; "
            + (f"some that nobody agreed to show in {bare} frames" if bare else "none that nobody agreed to show")
            + (f", and somebody without a face that was found in {bodies}" if bodies else ""),
            not bare and not bodies,
        )

    def known_facts(self) -> list[Fact]:
        asked = [m for m in self.measured if m.asked]
        if not asked:
            return [Fact("Recogniser", "there was nobody to compare with", None)]
        known = [self._project.subject(m.subject).name for m in asked if m.is_known]
        right, of = sum(m.first for m in asked), sum(m.asked for m in asked)
        text = (
            f"puts the right one first in {right} of {of} looks under the covers of {len(asked)} people, among"
            f" {asked[0].among}"
        )
        return [
            Fact(
                "Recogniser",
                text + (f"; knows {', '.join(known)}" if known else "; nobody more often than by luck"),
                not known,
            )
        ]


def _faces(
    clip: Clip, reason: str, table: FaceTable, cuts: Sequence[int], every: int, around: int = 0
) -> Iterator[Finding]:
    """A finding for each face that is seen in a table, with so many frames around, as far as its shot goes. cuts:
    frames with which shots begin; every: each n-th frame was looked at."""
    bounds = np.array([0, *cuts, clip.frames])
    for run in runs_of(table, range(len(table)), cuts, every - 1):
        best = max(run, key=lambda row: (table.scores[row], -row))
        seen = tuple((int(table.frames[row]), box_of(table, row)) for row in run)
        shot = int(np.searchsorted(bounds, seen[0][0], side="right"))
        first, last = max(int(bounds[shot - 1]), seen[0][0] - around), min(int(bounds[shot]) - 1, seen[-1][0] + around)
        yield Finding(
            clip.key,
            "",
            reason,
            first,
            last,
            int(table.scores[best]) / 100,
            int(table.frames[best]),
            box_of(table, best),
            seen,
        )


def _stretches(clip: str, key: str, reason: str, frames: dict[int, float], every: int) -> Iterator[Finding]:
    for first, last in runs(np.array(sorted(frames), int), join=max(6, every)):
        worst = max(v for f, v in frames.items() if first <= f <= last)
        at = next(f for f, v in frames.items() if first <= f <= last and v == worst)
        yield Finding(clip, key, reason, first, last, round(worst, 2), at)
