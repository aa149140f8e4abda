"""What handing over costs, and how true it is: each format against H.264 in the same run, estimated sizes against real
ones, covers alone against the covered film.

    python -m benchmarks.handover [--clip quay] [--frames 100] [--alone]
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np

import skiagraph.handover  # noqa: F401  every writer
from skiagraph.cover.composite import with_layers
from skiagraph.demo.ship import write_demo
from skiagraph.footage.recognition import Gallery
from skiagraph.footage.scanning import scan_clip, take_in
from skiagraph.handover.estimate import estimated_bytes
from skiagraph.handover.export import write_clip
from skiagraph.handover.preset import SHAPES, film_in
from skiagraph.handover.writers.covers_only import ALPHA_FORMS, CoversOnly
from skiagraph.jobs import JobControl
from skiagraph.media.frame import planes_of
from skiagraph.media.index import open_clip
from skiagraph.media.picture_files import UprightRgb
from skiagraph.media.reader import FrameReader
from skiagraph.project import file
from skiagraph.project.layers import layers


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--clip", default="quay")
    parser.add_argument("--frames", type=int, default=100)
    parser.add_argument("--alone", action="store_true", help="only the covers alone")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held)
        project = file.load(write_demo(folder / "demo"))
        key = next(c.key for c in project.clips if c.path.stem == options.clip)
        project = take_in(project, key, scan_clip(project, key, 5, Gallery(), JobControl()), 5)
        span = 0, min(options.frames, project.clip(key).frames) - 1
        if not options.alone:
            formats(project, key, span, folder)
        alone(project, key, span, folder)


def formats(project, key: str, span: tuple[int, int], folder: Path) -> None:
    """Each format between two runs of H.264, whose mean it is compared with."""

    def export(film, name: str) -> tuple[float, Path]:
        target, begun = folder / film.name(name), time.perf_counter()
        write_clip(project, key, [(film, target)], None, span)
        return time.perf_counter() - begun, target

    def size_of(path: Path) -> int:
        return sum(p.stat().st_size for p in path.iterdir()) if path.is_dir() else path.stat().st_size

    plain = film_in("h264-mp4")
    before, _ = export(plain, "warm")
    print("| format | time of an export, H.264 1 | size, MB | estimated / real |\n|---|---|---|---|")
    for shape, label in SHAPES.items():
        film = film_in(shape)
        took, path = export(film, shape)
        after, _ = export(plain, f"after-{shape}")
        real = size_of(path)
        print(
            f"| {label} | {2 * took / (before + after):.2f} | {real / 1e6:.1f} |"
            f" {estimated_bytes(project, key, film, parts=[span]) / real:.2f} |",
            flush=True,
        )
        before = after


def alone(project, key: str, span: tuple[int, int], folder: Path) -> None:
    """Covers laid over the source against the covered film, of 255."""
    print("\n| covers only | worst luma | mean luma in covers | time of an export, H.264 1 |\n|---|---|---|---|")
    for form, how in ALPHA_FORMS.items():
        target = folder / CoversOnly(form).name(form)
        begun = time.perf_counter()
        write_clip(project, key, [(CoversOnly(form), target)], None, span)
        took = time.perf_counter() - begun
        begun = time.perf_counter()
        write_clip(project, key, [(film_in("h264-mp4"), folder / f"{form}-plain.mp4")], None, span)
        plain = time.perf_counter() - begun
        worst, means = 0.0, []
        info, index = open_clip(project.clip(key).path)
        rgb = UprightRgb(info, (info.width, info.height))
        with FrameReader(info, index) as source, FrameReader(*open_clip(target)) as over:
            for n in range(span[0], span[1] + 1, 10):
                shot = source.read(n)
                covered = with_layers(shot, layers(project, key, n))
                found, wanted, alpha = _laid(shot, over.read(n - span[0]), covered, rgb)
                far = np.abs(found - wanted)
                worst = max(worst, float(far.max()))
                means.append(float(far[alpha > 0].mean()) if (alpha > 0).any() else 0.0)
        print(f"| {how.label} | {worst:.2f} | {np.mean(means):.2f} | {took / plain:.2f} |", flush=True)


def _laid(shot, over, covered, rgb: UprightRgb) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Luma where covers lie over a source, luma of the covered picture, and alpha.

    RGB is compared in its green, of both pictures as exact RGB.
    """
    planes, depth = planes_of(over.picture), over.layout.depth
    alpha = planes[3].astype(float) / ((1 << depth) - 1)
    scale = 1 << (depth - 8)
    if over.layout.is_rgb:
        below, after = (rgb.of(frame)[..., 1].astype(float) / (257 if rgb.deep else 1) for frame in (shot, covered))
        return alpha * planes[0] / (257 if depth == 16 else 1) + (1 - alpha) * below, after, alpha
    below, after = (f.planes()[0].astype(float) / (1 << (f.layout.depth - 8)) for f in (shot, covered))
    return alpha * planes[0] / scale + (1 - alpha) * below, after, alpha


if __name__ == "__main__":
    main()
