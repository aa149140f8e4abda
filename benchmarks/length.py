"""How a scan's time goes with length and people: films joined end to end, scanned by stepping, and what each stage
took.

    python -m benchmarks.length --hard FOLDER [--minutes 1 5] [--people 2 10 60] [--every N]
    python -m benchmarks.length --sightings 300 1000    # who is who alone, for so many made-up sightings in an hour

Prints a table as in docs/measured/speed.md. People count who acts in the films that are joined; nobody is in all of
them, as in a long recording.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Sequence
from itertools import cycle
from pathlib import Path

import av
import numpy as np

from benchmarks.scenes import made
from skiagraph.demo.ship import CLIPS, shipped
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.jobs import JobControl, Progress
from skiagraph.media.index import open_clip
from skiagraph.memory import give_back_large_buffers
from skiagraph.project.model import Project
from skiagraph.review.findings import findings
from skiagraph.track.describing import Description
from skiagraph.track.meetings import meetings_of
from skiagraph.track.path import FOUND
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.people import people_of
from skiagraph.track.reconsidering import reconsidered
from skiagraph.track.scan import STEP_WHO, ScanSettings, scan
from skiagraph.track.second_pass import STEP_FOLLOW
from skiagraph.track.stretch import Stretch

# Films whose casts make up so many people; all of one size.
CASTS: dict[int, Sequence[str]] = {
    2: ("jackets",),
    10: ("quay", "hall"),
    60: ("quay", "hall", "voice", "meetings", "alike"),
}


def joined(names: Sequence[str], minutes: float, hard: Path, target: Path) -> Path:
    """Films end to end, again and again, until they are so long; their packets as they are.

    All have one codec, size and rate.
    """
    clips = [shipped(f"{name}.mp4") if name in CLIPS else made(hard, [name])[0] for name in names]
    with av.open(str(target), "w", format="mpegts") as film:
        stream, offset, step = None, 0, 0
        for clip in cycle(clips):
            with av.open(str(clip)) as source:
                video = source.streams.video[0]
                stream = stream or film.add_stream_from_template(video)
                # Each film says anew how it is coded.
                annexb = av.bitstream.BitStreamFilterContext("h264_mp4toannexb", video)
                step = round(1 / (video.average_rate * video.time_base))
                for packet in source.demux(video):
                    if packet.dts is None:
                        continue
                    for made_over in annexb.filter(packet):
                        made_over.pts, made_over.dts, made_over.stream = (
                            made_over.pts + offset,
                            made_over.dts + offset,
                            stream,
                        )
                        film.mux(made_over)
                offset += video.frames * step
                if offset * video.time_base >= minutes * 60:
                    return target


def measured(clip: Path, every: int) -> tuple[float, float, float, float, float, int]:
    """Seconds of the film, of its scan, of following in it, of telling who is who, of all findings after it; and
    sightings."""
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
    return (
        len(index) / float(info.rate),
        end - start,
        begun[STEP_WHO] - begun.get(STEP_FOLLOW, begun[STEP_WHO]),
        end - begun[STEP_WHO],
        time.perf_counter() - before,
        sum(len(p.paths) for p in result.people),
    )


def made_up(count: int, hour: int = 90_000, cast: int = 60) -> tuple[list[Stretch], dict]:
    """Sightings of made-up people who go straight through an hour of 1280 × 720 at 25 frames/s, and what was seen of
    them, as track.meetings wants it."""
    rng = np.random.default_rng(1)
    faces, clothes = rng.normal(size=(cast, 128)), rng.dirichlet(np.full(256, 0.2), cast)
    faces /= np.linalg.norm(faces, axis=1)[:, None]
    stretches, seen = [], {}
    for number in range(count):
        who, first, length, width = (
            int(rng.integers(cast)),
            int(rng.integers(hour - 400)),
            int(rng.integers(60, 350)),
            rng.uniform(40, 90),
        )
        (begin, end), height = rng.uniform(50, 1200, 2), rng.uniform(200, 500)
        rows = np.stack(
            [np.linspace(begin, end, length), *(np.full(length, v) for v in (height, width, 1.3 * width, 0.0, 0.9))],
            axis=1,
        )
        path = HeadPath.from_rows(first, rows, np.full(length, FOUND))
        boxes = path.boxes().astype(float)
        views = faces[who] + 0.02 * rng.normal(size=(5, 128))
        views /= np.linalg.norm(views, axis=1)[:, None]
        described = tuple(
            (first + int(n), Description(boxes[int(n)], view.astype(np.float32), float(rng.uniform(0.3, 1)), 0.99))
            for n, view in zip(np.linspace(0, length - 1, 5), views)
        )
        looks = np.sqrt(clothes[who] + rng.uniform(0, 0.002, 256))
        looks = (looks / np.linalg.norm(looks)).astype(np.float32)
        found = tuple((first + n, boxes[n], 0.9) for n in range(0, length, 10))
        for frame, box, _ in found:
            there = seen.setdefault(frame, ([], []))
            there[0].append(box)
            there[1].append(looks)
        stretches.append(Stretch(path, (number,), found, described, looks, False, number))
    return stretches, {frame: (np.array(places), colours) for frame, (places, colours) in seen.items()}


def who_is_who(counts: Sequence[int]) -> None:
    print("| sightings in an hour | meetings | asked anew | grouped |\n|---|---|---|---|", flush=True)
    for count in counts:
        stretches, seen = made_up(count)
        start = time.perf_counter()
        meetings = meetings_of([s.path for s in stretches], 25.0)
        made = reconsidered(stretches, meetings, seen, 25.0)
        between = time.perf_counter()
        people_of(made.stretches, joins=made.joins, asked=made.asked)
        print(
            f"| {count} | {len(meetings)} | {between - start:.1f} s | {time.perf_counter() - between:.1f} s |",
            flush=True,
        )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--hard", type=Path)
    parser.add_argument("--minutes", type=float, nargs="*", default=[1, 5])
    parser.add_argument("--people", type=int, nargs="*", default=sorted(CASTS), choices=sorted(CASTS))
    parser.add_argument("--every", type=int, default=10)
    parser.add_argument("--sightings", type=int, nargs="*", default=[])
    options = parser.parse_args()
    if options.sightings:
        who_is_who(options.sightings)
        return
    if options.hard is None:
        parser.error("say where the films are, or are to be drawn: --hard FOLDER")
    give_back_large_buffers()
    print(
        "| minutes | people | sightings | scan | times real time | following | who is who | findings | both of the scan"
        " |\n|---|---|---|---|---|---|---|---|---|",
        flush=True,
    )
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = folder
        for minutes in options.minutes:
            for people in options.people:
                clip = joined(CASTS[people], minutes, options.hard, Path(folder) / f"{people}-{minutes}.ts")
                length, whole, following, who, checked, sightings = measured(clip, options.every)
                print(
                    f"| {minutes:g} | {people} | {sightings} | {whole:.0f} s | {length / whole:.2f} | {following:.0f} s"
                    f" | {who:.1f} s | {checked:.1f} s | {(who + checked) / whole:.1%} |",
                    flush=True,
                )
                clip.unlink()


if __name__ == "__main__":
    main()
