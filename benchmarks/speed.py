"""Speed as ratios within one run: export against a plain re-encode, scanning against the bare detector calls, playback
frames kept.

    python -m benchmarks.speed [--clip FILE] [--lines N] [--repeat N] [--only scan|export|crowd]

--lines: enlarge the clip to so many lines first, with key frames two seconds apart.

Each pair is measured in turns, so that whatever else the machine does falls on both.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import resource
import statistics
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.detect import detector, finder
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.handover.export import export_clip
from skiagraph.media.clip import ClipInfo
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import FrameIndex, open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import FilmWriter, PictureWriter
from skiagraph.memory import give_back_large_buffers
from skiagraph.project import edits, file
from skiagraph.project.model import (
    Cover,
    FromScan,
    Issued,
    Person,
    Project,
    Scan,
    Sighting,
    Style,
    Subject,
    Track,
    replace,
)
from skiagraph.track import descriptor, silhouette
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.scan import ScanSettings, scan
from skiagraph.track.stepping import plan_of


def seconds(function: Callable[[], object]) -> float:
    began = time.perf_counter()
    function()
    return time.perf_counter() - began


def processor_time() -> float:
    """Seconds of processor time that this process and all it began have taken, decoders too, which have processes of
    their own. Linux, proc(5)."""
    stats = {}
    for place in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            values = place.read_text().rsplit(")", 1)[1].split()
            # Parent; then time of its own and of those it waited for, in user and kernel mode.
            stats[int(place.parent.name)] = int(values[1]), sum(map(int, values[11:15]))
    family, before = {os.getpid()}, 0
    while len(family) > before:
        before = len(family)
        family |= {pid for pid, (parent, _) in stats.items() if parent in family}
    return sum(stats[pid][1] for pid in family if pid in stats) / os.sysconf("SC_CLK_TCK")


def in_turns(one, other, repeat: int) -> tuple[list[float], list[float]]:
    a, b = [], []
    for _ in range(repeat):
        a.append(seconds(one))
        b.append(seconds(other))
    return a, b


def export_ratio(clip: Path, repeat: int) -> None:
    """Export with covers against reading and writing every frame with the same encoder settings."""
    info, index = open_clip(clip)
    project = take_in(add_clip(Project(), info, index), "c1", scan(info, index, ScanSettings(every=10)), 10)
    with tempfile.TemporaryDirectory() as folder:

        def plain():
            with (
                FrameReader(info, index) as reader,
                FilmWriter(Path(folder) / "plain.mp4", info, FORMATS["h264-mp4"]) as writer,
            ):
                for frame in reader.frames():
                    writer.write(frame)

        def covered(styled, matte=None):
            return lambda: export_clip(
                styled, "c1", Path(folder) / "covered.mp4", FORMATS["h264-mp4"], matte_target=matte
            )

        for kind in Cover.kinds.values():
            tell_ratio(
                f"export, {kind.word.lower()}",
                covered(edits.set_project_style(project, Style.of(kind()))),
                plain,
                repeat,
            )
        tell_ratio("export with its matte", covered(project, Path(folder) / "matte.mkv"), plain, repeat)
        on = [
            sum(s.in_clip("c1") and any(g.covers(n) for g in s.sightings) for s in project.subjects)
            for n in range(len(index))
        ]
        print(f"{float(np.mean(on)):.1f} covers in a frame", flush=True)


def tell_ratio(what: str, one, other, repeat: int) -> None:
    a, b = in_turns(one, other, repeat)
    ratios = [x / y for x, y in zip(a, b)]
    print(
        f"{what}: {statistics.median(ratios):.2f} times a plain re-encode ({min(ratios):.2f} to {max(ratios):.2f})",
        flush=True,
    )


class _Spent:
    """CPU seconds that calls of some methods took, over all threads, and seconds in which at least one of them ran."""

    def __init__(self, *methods):
        self.total, self.busy, self._running, self._since, self._lock = 0.0, 0.0, 0, 0.0, threading.Lock()
        for owner, name in methods:
            setattr(owner, name, self._timed(getattr(owner, name)))

    def _timed(self, function):
        def timed(*arguments, **named):
            self._count(1)
            began = time.thread_time()
            try:
                return function(*arguments, **named)
            finally:
                spent = time.thread_time() - began
                self._count(-1, spent)

        return timed

    def _count(self, change: int, spent: float = 0.0) -> None:
        with self._lock:
            now = time.perf_counter()
            if self._running:
                self.busy += now - self._since
            self._running, self._since, self.total = self._running + change, now, self.total + spent


def scan_share(clip: Path) -> None:
    """Frames per second of both ways to scan, and which share of the CPU time passes outside the networks."""
    info, index = open_clip(clip)
    inside = _Spent(
        (detector.FaceDetector, "find"),
        (descriptor.FaceDescriber, "_landmarks"),
        (descriptor.FaceDescriber, "describe"),
        (silhouette.Silhouette, "_mask"),
    )
    rate = float(info.rate)
    for every in (1, 10):
        inside.total, inside.busy, cpu = 0.0, 0.0, processor_time()
        took = seconds(lambda e=every: scan(info, index, ScanSettings(every=e)))
        cpu = processor_time() - cpu
        print(
            f"scan {info.width}x{info.height}, {'every frame' if every == 1 else f'each {every}th frame'}:"
            f" {len(index) / took:.1f} frames/s, {len(index) / took / rate:.2f} times real time,"
            f" {cpu / len(index) * 1e3:.0f} ms CPU a frame, {1 - inside.total / cpu:.0%} of it outside the networks,"
            f" none of which ran in {1 - inside.busy / took:.0%} of the time; decoding its pictures once, alone, is"
            f" {decoding_alone(info, index, every) / cpu:.0%}",
            flush=True,
        )


def decoding_alone(info: ClipInfo, index: FrameIndex, every: int) -> float:
    """CPU seconds for the pictures that the sweep of a scan decodes."""
    needed = plan_of(index.non_reference, every, float(info.rate)).needed
    began = processor_time()
    with FrameReader(info, index, threads=1, rough=True, wanted=needed) as reader:
        for number in np.flatnonzero(needed):
            reader.read(int(number))
        return processor_time() - began


def bare_decoding(clip: Path) -> None:
    """Decoding alone, with one thread: the other ceiling."""
    info, index = open_clip(clip)
    with FrameReader(info, index, threads=1) as reader:
        took = seconds(lambda: sum(1 for _ in reader.frames()))
    print(f"bare decoding, one thread: {len(index) / took:.0f} frames/s", flush=True)


def enlarged(clip: Path, lines: int, folder: Path) -> Path:
    """The clip at a height of so many lines."""
    info, index = open_clip(clip)
    size = round(info.width * lines / info.height / 2) * 2, lines
    target = folder / f"{clip.stem}-{lines}.mp4"
    with (
        FrameReader(info, index) as reader,
        PictureWriter(
            target,
            size,
            info.rate,
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="mp4",
            options={"crf": "19", "preset": "medium", "g": "50"},
        ) as film,
    ):
        for frame in reader.frames():
            film.write(frame.rgb(*size), frame.number)
    return target


def bare_detector(clip: Path) -> None:
    """The detector's own calls on whole frames, without decoding, linking and following: the ceiling for searching
    every frame."""
    info, index = open_clip(clip)
    with FrameReader(info, index) as reader, finder.FaceFinder(36) as searcher:
        pictures = [reader.read(n).rgb() for n in range(0, len(index), max(1, len(index) // 12))]
        took = seconds(lambda: [searcher.find(picture) for picture in pictures])
    print(f"bare detector on whole frames: {len(pictures) / took:.1f} frames/s", flush=True)


def playback(clip: Path, covers: int = 0) -> None:
    """Play the clip once in the real window, offscreen, with covers on, and count what was shown. covers: so many by
    number instead of those of a scan."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from skiagraph.desktop import theme
    from skiagraph.desktop.window import MainWindow

    application = QApplication.instance() or QApplication(["skiagraph"])
    theme.apply(application)
    info, index = open_clip(clip)
    with tempfile.TemporaryDirectory() as folder:
        if covers:
            place = crowded(clip, covers, Path(folder))
        else:
            place = Path(folder) / "p.skiagraph"
            file.save(
                take_in(add_clip(Project(), info, index), "c1", scan(info, index, ScanSettings(every=10)), 10), place
            )
        window = MainWindow()
        window.show()
        window.open_project(place)
        loop = QEventLoop()
        QTimer.singleShot(1500, loop.quit)
        loop.exec()
        player = window.cover.player
        player.set_speed(1)
        player.speedChanged.connect(lambda speed: loop.quit() if not speed else None)
        QTimer.singleShot(round((len(index) / float(info.rate) + 5) * 1000), loop.quit)
        loop.exec()
        print(
            f"playback: {player.shown} of {len(index)} frames shown, {player.missed} left out,"
            f" {len(window.document.project.subjects)} covers",
            flush=True,
        )
        window.close()


def crowded(clip: Path, covers: int, folder: Path) -> Path:
    """A project on a clip with so many covers that wander over the picture, each a fifteenth of its height high."""
    info, index = open_clip(clip)
    project, frames = add_clip(Project(), info, index), len(index)
    width, height = info.upright_size
    n = np.arange(frames)
    tracks, subjects = [], []
    for k in range(covers):
        rows = np.stack(
            [
                width * (0.5 + 0.42 * np.sin(n / 40 + k)),
                height * (0.5 + 0.4 * np.cos(n / 55 + 2 * k)),
                np.full(frames, height / 20),
                np.full(frames, height / 15),
                10 * np.sin(n / 20 + k),
                np.full(frames, 0.9),
            ],
            axis=1,
        )
        tracks.append(Track(f"t{k + 1}", "c1", HeadPath.from_rows(0, rows, np.zeros(frames)), FromScan("n1")))
        subjects.append(
            Subject(
                f"s{k + 1}", f"Person {k + 1}", sightings=(Sighting(f"g{k + 1}", "c1", 0, frames - 1, (f"t{k + 1}",)),)
            )
        )
    people = tuple(Person(k + 1, (t.key,), 0, (0.0, 0.0, 1.0, 1.0)) for k, t in enumerate(tracks))
    project = replace(
        project,
        evidence=project.evidence.with_scan(Scan("n1", "c1", 1, frames, people), tuple(tracks)),
        issued=Issued(1, 1, covers, covers, covers),
    ).deciding(subjects=tuple(subjects))
    place = folder / "crowded.skiagraph"
    file.save(project, place)
    return place


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--clip", type=Path, default=shipped("quay.mp4"))
    parser.add_argument("--repeat", type=int, default=3)
    parser.add_argument("--lines", type=int)
    parser.add_argument("--only", choices=["scan", "export", "crowd"])
    options = parser.parse_args()
    # As the application does.
    give_back_large_buffers()
    with tempfile.TemporaryDirectory() as folder:
        # Nothing of an earlier, broken-off scan may be taken up.
        os.environ["XDG_CACHE_HOME"] = folder
        clip = enlarged(options.clip, options.lines, Path(folder)) if options.lines else options.clip
        if options.only == "crowd":
            return playback(clip, 20)
        if options.only in (None, "export"):
            export_ratio(clip, options.repeat)
        if options.only == "export":
            return None
        if not options.only:
            playback(clip)
            playback(clip, 20)
        bare_decoding(clip)
        bare_detector(clip)
        scan_share(clip)
    print(f"largest memory of this run: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
