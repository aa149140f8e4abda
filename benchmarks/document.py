"""What a long project costs: opening, saving, editing, findings. One hour with 60 people unless said otherwise.

    python -m benchmarks.document [--minutes N] [--people N]

Each figure is the median of several runs, with what plain JSON of the same bytes costs in the same run, to compare
machines by.
"""

from __future__ import annotations

import argparse
import json
import logging
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np

RATE, STRETCH = 25, 900


def made(minutes: float, people: int, path: Path):
    """A project of one clip without a file: everybody seen ten times an hour, with faces found on their heads."""
    from skiagraph.footage.scanning import take_in
    from skiagraph.project import edits
    from skiagraph.project.model import Clip, Project
    from skiagraph.track.path import Path as HeadPath
    from skiagraph.track.results import FaceTable, FoundPerson, ScanResult

    rng = np.random.default_rng(1)
    frames = round(minutes * 60 * RATE)
    times = max(1, round(minutes / 6))
    found, boxes = [], []
    for person in range(people):
        paths = []
        for n in range(times):
            first = int(rng.integers(0, max(1, frames // times - STRETCH))) + n * frames // times
            length = min(STRETCH, frames - first)
            k = np.arange(length)
            cx, cy = (
                160 + 1600 * rng.random() + np.cumsum(rng.normal(0, 0.8, length)),
                200 + 600 * rng.random() + 20 * np.sin(k / 30),
            )
            rows = np.stack(
                [
                    cx,
                    cy,
                    90 + 10 * np.sin(k / 70),
                    120 + 10 * np.sin(k / 70),
                    4 * np.sin(k / 50),
                    np.clip(rng.normal(0.8, 0.15, length), 0, 1),
                ],
                axis=1,
            )
            paths.append(HeadPath.from_rows(first, rows, rng.integers(0, 3, length)))
            boxes.append(np.stack([first + k, cx - 40, cy - 30, cx + 40, cy + 50], axis=1))
        found.append(FoundPerson(person, tuple(paths), paths[0].first, (0, 0, 9, 9), sure=0.95))
    table = np.concatenate(boxes)
    table = table[np.argsort(table[:, 0], kind="stable")]
    faces = FaceTable(table[:, 0].astype(np.int32), table[:, 1:].astype(np.int16), np.full(len(table), 90, np.uint8))
    project = edits.add_clip(
        Project(), Clip("new", path, 1, "samples:none", 1920, 1080, Fraction(RATE), frames, frames)
    )
    return take_in(project, "c1", ScanResult(tuple(found), faces, (), frames), 1)


def median_ms(function: Callable[[int], object], times: int = 5) -> float:
    took = []
    for n in range(times):
        began = time.perf_counter()
        function(n)
        took.append(time.perf_counter() - began)
    return statistics.median(took) * 1000


def measure(minutes: float, people: int, folder: Path) -> None:
    from skiagraph.project import cast, edits, file, outlines
    from skiagraph.project.model import Decision, Outline, Reach
    from skiagraph.review.findings import findings

    place = folder / "long.skiagraph"
    project = made(minutes, people, folder / "long.mp4")
    rows = sum(len(t.path) for t in project.evidence.tracks)
    print(
        f"{minutes:g} minutes, {people} people, {sum(len(s.sightings) for s in project.subjects)} sightings, {rows}"
        f" rows, {len(project.scan_of('c1').faces)} faces",
        flush=True,
    )
    file.save(project, place)
    raw = place.read_bytes()
    plain = median_ms(lambda n: json.loads(raw))
    print(f"file: {len(raw) / 1e6:.1f} MB; as plain JSON it is parsed in {plain:.0f} ms")
    print(f"open: {median_ms(lambda n: file.load(place)):.0f} ms")
    project = file.load(place)
    began = time.perf_counter()
    file.save(project, place)
    print(f"save, the first time after opening: {(time.perf_counter() - began) * 1000:.0f} ms, in the background")
    print(
        f"save after an edit: {median_ms(lambda n: file.save(edits.rename(project, 's1', f'Name {n}'), place)):.0f} ms,"
        " in the background"
    )
    began = time.perf_counter()
    count = len(findings(project))
    print(f"findings, the first time: {time.perf_counter() - began:.2f} s ({count})")

    def moved(n: int):
        s = project.subjects[n].sightings[0]
        return outlines.move_outline(
            project, project.subjects[n].key, "c1", s.first + 100, Outline.at(500 + n, 400, 90, 120), Reach.FRAME
        )

    changed = [moved(n) for n in range(5)]
    print(
        f"edit, an outline moved: {median_ms(moved):.1f} ms; a decision:"
        f" {median_ms(lambda n: cast.decide(project, [f's{n + 1}'], Decision.SHOW)):.1f} ms"
    )
    print(f"findings after an edit: {median_ms(lambda n: findings(changed[n])):.0f} ms")
    window(place)


def window(place: Path) -> None:
    """Edits in the real window, until the register, the inspector and the outlines show them."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from skiagraph.desktop import theme
    from skiagraph.desktop.window import COVER, MainWindow
    from skiagraph.project import cast, outlines
    from skiagraph.project.model import Decision, Outline, Reach

    application = QApplication.instance() or QApplication(["skiagraph"])
    theme.apply(application)
    window = MainWindow()
    window.show()
    began = time.perf_counter()
    window.open_project(place)
    window.show_step(COVER)
    application.processEvents()
    print(f"opened in the window: {(time.perf_counter() - began) * 1000:.0f} ms")

    def rest(ms: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(ms, loop.quit)
        loop.exec()

    rest(6000)
    document, took, refreshed = window.document, {"a decision": [], "an outline moved": []}, []
    for n in range(8):
        key = document.project.subjects[n].key
        sighting = document.project.subjects[n].sightings[0]
        window.session.set_frame(sighting.first + 50)
        window.session.select([key])
        rest(400)
        for what, edit in (
            ("a decision", lambda: document.edit("x", cast.decide, [key], Decision.COVER)),
            (
                "an outline moved",
                lambda: document.edit(
                    "x",
                    outlines.move_outline,
                    key,
                    "c1",
                    sighting.first + 50,
                    Outline.at(500, 400, 90, 120),
                    Reach.FRAME,
                ),
            ),
        ):
            began = time.perf_counter()
            edit()
            window.repaint()
            took[what].append(time.perf_counter() - began)
            loop = QEventLoop()
            document.findingsChanged.connect(loop.quit)
            QTimer.singleShot(5000, loop.quit)
            loop.exec()
            refreshed.append(time.perf_counter() - began)
            document.findingsChanged.disconnect(loop.quit)
    for what, values in took.items():
        print(f"in the window, {what}: {statistics.median(values) * 1000:.0f} ms (most {max(values) * 1000:.0f})")
    print(
        f"in the window, findings refreshed after an edit: {statistics.median(refreshed) * 1000:.0f} ms (most"
        f" {max(refreshed) * 1000:.0f}); of that 60 ms are waited"
    )
    window.close()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--people", type=int, default=60)
    options = parser.parse_args()
    # The clip has no file, so no portrait can be made of anybody.
    logging.getLogger("skiagraph").addHandler(logging.NullHandler())
    logging.getLogger("skiagraph").propagate = False
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = folder
        measure(options.minutes, options.people, Path(folder))


if __name__ == "__main__":
    main()
