"""How a scan's time goes with length and people: films joined end to end, scanned by stepping, and what each stage took.

    python -m benchmarks.length --hard FOLDER [--minutes 1 5] [--people 2 10 60] [--every N]

Prints a table as in docs/measured.md. People count who acts in the films that are joined; nobody is in all of them, as in a long recording.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Sequence
from fractions import Fraction
from itertools import cycle
from pathlib import Path

from benchmarks.scenes import made
from skiagraph.demo.ship import CLIPS, shipped
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.jobs import JobControl, Progress
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import PictureWriter
from skiagraph.memory import give_back_large_buffers
from skiagraph.project.model import Project
from skiagraph.review.findings import findings
from skiagraph.track.scan import STEP_WHO, ScanSettings, scan
from skiagraph.track.second_pass import STEP_FOLLOW

# Films whose casts make up so many people; all of one size.
CASTS: dict[int, Sequence[str]] = {2: ("jackets",), 10: ("quay", "hall"), 60: ("quay", "hall", "voice", "meetings", "alike")}


def joined(names: Sequence[str], minutes: float, hard: Path, target: Path) -> Path:
    """Films end to end, again and again, until they are so long."""
    clips = [open_clip(shipped(f"{name}.mp4") if name in CLIPS else made(hard, [name])[0]) for name in names]
    left = round(minutes * 60 * float(clips[0][0].rate))
    with PictureWriter(target, clips[0][0].upright_size, Fraction(clips[0][0].rate), encoder="libx264", pixel_format="rgb24", store="yuv420p", muxer="mp4",
                       options={"preset": "veryfast", "crf": "20", "g": "50"}) as film:
        for info, index in cycle(clips):
            with FrameReader(info, index) as reader:
                for frame in reader.frames(0, min(left, len(index))):
                    film.write(frame.rgb())
            left -= len(index)
            if left <= 0:
                return target


def measured(clip: Path, every: int) -> tuple[float, float, float, float, int]:
    """Seconds of the scan, of following in it, of telling who is who, of all findings after it; and sightings."""
    info, index = open_clip(clip)
    begun: dict[str, float] = {}

    def told(progress: Progress) -> None:
        begun.setdefault(progress.step, time.perf_counter())

    start = time.perf_counter()
    result = scan(info, index, ScanSettings(every=every), JobControl(told))
    end = time.perf_counter()
    project = take_in(add_clip(Project(), info, index), "c1", result, every)
    before = time.perf_counter()
    findings(project)
    return end - start, begun[STEP_WHO] - begun.get(STEP_FOLLOW, begun[STEP_WHO]), end - begun[STEP_WHO], time.perf_counter() - before, sum(len(p.paths) for p in result.people)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--hard", type=Path, required=True)
    parser.add_argument("--minutes", type=float, nargs="*", default=[1, 5])
    parser.add_argument("--people", type=int, nargs="*", default=sorted(CASTS), choices=sorted(CASTS))
    parser.add_argument("--every", type=int, default=10)
    options = parser.parse_args()
    give_back_large_buffers()
    print("| minutes | people | sightings | scan | times real time | following | who is who | findings | both of the scan |\n|---|---|---|---|---|---|---|---|---|", flush=True)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = folder
        for minutes in options.minutes:
            for people in options.people:
                clip = joined(CASTS[people], minutes, options.hard, Path(folder) / f"{people}-{minutes}.mp4")
                whole, following, who, checked, sightings = measured(clip, options.every)
                print(f"| {minutes:g} | {people} | {sightings} | {whole:.0f} s | {minutes * 60 / whole:.2f} | {following:.0f} s | {who:.1f} s | {checked:.1f} s | {(who + checked) / whole:.1%} |", flush=True)
                clip.unlink()


if __name__ == "__main__":
    main()
