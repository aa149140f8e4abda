"""What a scan without any hand work covers, misses and confuses, on footage with exact truth.

    python -m benchmarks.quality [NAME ...] [--hard FOLDER] [--every N ...]

Prints tables as in docs/measured/people.md: of each way to scan, and how far what was stated of meetings holds. Without
--hard only the three clips of the demo are measured.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks import joins
from benchmarks.measures import identity, leaks, leaks_if_shown, strangers
from benchmarks.scenes import FILMS, made
from skiagraph.demo.ship import CLIPS, shipped
from skiagraph.demo.truth import ClipTruth, load_truth
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.media.index import open_clip
from skiagraph.project.model import Project
from skiagraph.track.scan import ScanSettings, scan

HEAD = (
    "| clip | people | found | leak frames | leaks no finding names | face covered | beyond 1.7 heads (median) | HOTA |"
    " IDF1 | switches | findings | not needed | per 10 s and person | another person in a subject (in no finding when"
    " shown) | leaks if one is shown (in no finding) | frames/s"
    " |\n|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|"
)


def measure(clip: Path, every: int, truth: ClipTruth | None = None, label: str = "") -> str:
    """One row of the table. truth: where it does not lie beside the clip."""
    info, index = open_clip(clip)
    truth = truth or _truth_of(clip)
    began = time.perf_counter()
    result = scan(info, index, ScanSettings(every=every))
    rate = len(index) / (time.perf_counter() - began)
    project = take_in(add_clip(Project(), info, index), "c1", result, every)
    others, shown = strangers(project, "c1", truth), leaks_if_shown(project, "c1", truth)
    leak, who = leaks(project, "c1", truth), identity(project, "c1", truth)
    seconds = sum(h.head_visible > 0.05 for heads in truth.heads for h in heads) / float(info.rate)
    people = sum(not s.doubtful for s in project.subjects)
    doubtful = len(project.subjects) - people
    return (
        f"| {label or clip.stem} | {len(truth.actors)} | {people}{f' + {doubtful} doubtful' if doubtful else ''} |"
        f" {leak.leak_share:.2%} ({len(leak.leaks)} of {leak.people_frames}) | {len(leak.unnamed)} |"
        f" {leak.covered_share:.2%} | {np.median(leak.excess):.1%} | {who.hota:.2f} | {who.idf1:.3f} | {who.switches} |"
        f" {leak.findings} | {leak.findings_needless} | {leak.findings_needless / seconds * 10:.2f} |"
        f" {len(others.frames)} ({len(others.unsaid)}) | {len(shown.leaks)} of {shown.frames} ({len(shown.unnamed)}) |"
        f" {rate:.1f} |"
    )


def _truth_of(clip: Path) -> ClipTruth:
    return load_truth(clip.with_name(clip.stem + ".truth.json"))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument(
        "--every",
        type=int,
        nargs="+",
        default=[1],
        help="search each n-th frame; with several the films are scanned in several ways",
    )
    parser.add_argument(
        "--hard", type=Path, help="folder for the harder films; drawn there if they are missing (some minutes)"
    )
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    # Nothing of an earlier, broken-off scan may be taken up.
    held = tempfile.TemporaryDirectory()
    os.environ["XDG_CACHE_HOME"] = held.name
    clips = [shipped(f"{name}.mp4") for name in CLIPS] + (
        made(options.hard, [name for name in FILMS if not options.names or name in options.names])
        if options.hard
        else []
    )
    pairs: list[tuple[float, bool]] = []
    for every in options.every:
        print(f"{'Every frame' if every == 1 else f'One frame in {every}'} searched:\n\n{HEAD}", flush=True)
        for clip in clips:
            if options.names and clip.stem not in options.names:
                continue
            truth = _truth_of(clip)
            with joins.recorded() as held:
                print(measure(clip, every, truth), flush=True)
            pairs += joins.stated(held, truth.heads)
        print()
    print(joins.table(pairs))


if __name__ == "__main__":
    main()
