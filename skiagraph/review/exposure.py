"""Proof on the delivered file: decode it, compare it with what it should show and with its source, search it again for faces, ask a recogniser what it still knows.

The file and its source are read together, once. While covers are compared, the next pictures are decoded and searched.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, closing
from pathlib import Path

import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl, read_ahead, single_threaded_calls
from skiagraph.media.clip import ClipInfo, probe
from skiagraph.media.frame import Frame, ahead_of
from skiagraph.media.index import load_index
from skiagraph.media.part import Part
from skiagraph.media.reader import FrameReader
from skiagraph.media.sound_alike import sound_alike
from skiagraph.project.layers import layers
from skiagraph.project.model import Project
from skiagraph.review.file_alike import Outside, alike
from skiagraph.review.file_covers import same_range, weak_covers
from skiagraph.review.file_faces import FileSearcher, open_face
from skiagraph.review.finding import Finding, Reason, runs
from skiagraph.review.proof import Fact, Proof
from skiagraph.review.strength import Measured, Measuring
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.scan import ScanSettings

STEP = "Checking the export"
# Frames that are searched while covers of earlier ones are compared, and bytes that they may take: some are searched whole and take ten times as long as others.
AHEAD, AHEAD_BYTES = 8, 300 << 20


def check_file(project: Project, clip_key: str, film: Path | str, control: JobControl | None = None, *, every: int = 1, span: tuple[int, int] | None = None) -> list[Finding]:
    """Findings on an exported file, as `prove`."""
    return list(prove(project, clip_key, film, control, every=every, span=span).findings)


def prove(project: Project, clip_key: str, film: Path | str, control: JobControl | None = None, *, every: int = 1, span: tuple[int, int] | None = None) -> Proof:
    """What is wrong with an exported file, and what was compared: covers that are missing or too weak, faces that nobody agreed to show, somebody whom a recogniser still knows, and
    what else is not as in the source.

    Faces are searched for down to the size that a scan of the clip finds, in square pixels, and more finely around covers and edges. span: first and last frame of the part of the clip
    that the film holds, None for all of it. every: each n-th frame is looked at. Raises CannotOpenMedia, SourceChanged, FrameNotDecoded, Cancelled.
    """
    control, begun = control or JobControl(), time.monotonic()
    film, clip = Path(film), project.clip(clip_key)
    info = probe(film)
    index = load_index(info, control)
    begin, end = (max(0, span[0]), min(span[1], clip.frames - 1)) if span else (0, clip.frames - 1)
    if info.upright_size != (clip.width, clip.height) or len(index) != end - begin + 1:
        last = max(0, min(len(index), clip.frames) - 1)
        shape = f"{info.upright_size[0]} × {info.upright_size[1]}, {len(index)} frames instead of {clip.width} × {clip.height}, {end - begin + 1} frames"
        return Proof(clip_key, film, (Finding(clip_key, "", Reason.FILE_SHAPE, 0, last, float(len(index)), 0),), (Fact("Shape", shape, False),), (begin, end), 0, time.monotonic() - begun)
    source_info, source_index = open_source(clip, control)
    part = Part.of(source_info, source_index, begin, end) if span else None
    describer = FaceDescriber()
    seen = _Seen(project, clip_key, is_lossless(info), describer)
    frames = range(begin, end + 1, every)
    with ExitStack() as stack:
        stack.enter_context(single_threaded_calls())
        out = stack.enter_context(FrameReader(info, index, threads=1))
        source = stack.enter_context(FrameReader(source_info, source_index, threads=1))
        finder = stack.enter_context(FaceFinder(ScanSettings().smallest_for(source_info)))
        searching = stack.enter_context(ThreadPoolExecutor(1, thread_name_prefix="searching"))
        searcher, squared = FileSearcher(finder, describer, Squared(float(source_info.upright_aspect))), Squared(float(source_info.upright_aspect))
        sources = stack.enter_context(closing(read_ahead((source.read(n) for n in frames), 3)))
        shown = stack.enter_context(closing(read_ahead((out.read(n - begin) for n in frames), 3)))
        pairs = zip(frames, sources, shown)
        for done, (n, shot, shown, covers, picture, found) in enumerate(_searched(project, clip_key, pairs, searcher, searching, ahead_of(source_info, AHEAD, AHEAD_BYTES, 4.0))):
            seen.add(n, shot, shown, covers)
            score = open_face(project, clip, n, shot, picture, found.result(), covers, searcher)
            if score:
                seen.faces[n] = score
            if n in seen.wanted:
                seen.measuring.add(n, shot.rgb(), picture, finder, squared)
            control.report(STEP, done + 1, len(frames))
    tracks = sound_alike(source_info.path, film, (part.begins, part.ends) if part else None, control) if source_info.sound or info.sound else []
    facts = alike(source_info, source_index, info, index, part, is_lossless(info))
    facts += [Fact(f"Sound track {t.number}", t.said, t.good) for t in tracks] or [Fact("Sound", "none, as in the source", None)]
    findings = seen.findings(every)
    findings += [Finding(clip_key, "", Reason.FILE_CHANGED, begin, end, 0.0, begin)] if any(f.good is False for f in facts) else []
    what = [seen.covers_fact(len(frames)), seen.faces_fact(len(frames), finder.smallest), *seen.known_facts(), seen.outside.fact(clip)]
    return Proof(clip_key, film, tuple(sorted(findings, key=lambda f: (f.first, f.subject))), tuple([*what, *facts]), (begin, end), len(frames), time.monotonic() - begun)


def is_lossless(info: ClipInfo) -> bool:
    """Whether a film is of a kind that loses nothing."""
    return info.codec in ("ffv1", "huffyuv", "ffvhuff", "utvideo", "png", "tiff")


def _searched(project: Project, clip: str, pairs: Iterator[tuple[int, Frame, Frame]], searcher: FileSearcher, pool: ThreadPoolExecutor, ahead: int) -> Iterator[tuple]:
    """Each pair of frames with its covers, the file's picture as RGB, and the search of that, which others of later frames run beside."""
    waiting: deque[tuple] = deque()
    for n, shot, shown in pairs:
        covers, picture = layers(project, clip, n), shown.rgb()
        found: Future = pool.submit(searcher.find, picture, covers)
        waiting.append((n, shot, shown, covers, picture, found))
        if len(waiting) > ahead:
            yield waiting.popleft()
    while waiting:
        yield waiting.popleft()


class _Seen:
    """What was seen of an exported file so far."""

    def __init__(self, project: Project, clip: str, lossless: bool, describer: FaceDescriber):
        self._project, self._clip = project, clip
        self.weak: dict[str, dict[int, float]] = {}
        self.faces: dict[int, float] = {}
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
        self.outside.add(n, shot, shown, covers, original, given)

    @property
    def measured(self) -> list[Measured]:
        if self._measured is None:
            self._measured = self.measuring.results()
        return self._measured

    def findings(self, every: int) -> list[Finding]:
        found = [f for key, frames in self.weak.items() for f in _stretches(self._clip, key, Reason.FILE_DIFFERS, frames, every)]
        found += _stretches(self._clip, "", Reason.FILE_FACE, self.faces, every)
        found += _stretches(self._clip, "", Reason.FILE_PICTURE, self.outside.differing, every)
        for person in self.measured:
            if person.is_known:
                sightings = self._project.subject(person.subject).in_clip(self._clip)
                first, last = min(s.first for s in sightings), min(max(s.last for s in sightings), self._project.clip(self._clip).frames - 1)
                found.append(Finding(self._clip, person.subject, Reason.FILE_KNOWN, first, last, round(person.first / person.asked, 2), first))
        return found

    def covers_fact(self, frames: int) -> Fact:
        bad = sum(len(v) for v in self.weak.values())
        return Fact("Covers", f"{self.covers} covers in {frames} frames compared, {'all as decided' if not bad else f'{bad} missing or weaker than decided'}", not bad)

    def faces_fact(self, frames: int, smallest: int) -> Fact:
        return Fact("Faces", f"{frames} frames searched for faces from {smallest} px, more finely around covers and along the edges; " + (
            "none that nobody agreed to show" if not self.faces else f"one that nobody agreed to show in {len(self.faces)} frames"), not self.faces)

    def known_facts(self) -> list[Fact]:
        asked = [m for m in self.measured if m.asked]
        if not asked:
            return [Fact("Recogniser", "there was nobody to compare with", None)]
        known = [self._project.subject(m.subject).name for m in asked if m.is_known]
        right, of = sum(m.first for m in asked), sum(m.asked for m in asked)
        text = f"puts the right one first in {right} of {of} looks under the covers of {len(asked)} people, among {asked[0].among}"
        return [Fact("Recogniser", text + (f"; knows {', '.join(known)}" if known else "; nobody more often than by luck"), not known)]


def _stretches(clip: str, key: str, reason: str, frames: dict[int, float], every: int) -> Iterator[Finding]:
    for first, last in runs(np.array(sorted(frames), int), join=max(6, every)):
        worst = max(v for f, v in frames.items() if first <= f <= last)
        at = next(f for f, v in frames.items() if first <= f <= last and v == worst)
        yield Finding(clip, key, reason, first, last, round(worst, 2), at)
