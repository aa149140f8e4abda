"""How large a film will be, found out by encoding a little of it from several places."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from skiagraph.handover.export import write_clip
from skiagraph.handover.writer import Writer
from skiagraph.jobs import JobControl
from skiagraph.project.model import Project


@dataclass(frozen=True, slots=True)
class EstimateSettings:
    """places: where pieces are encoded, spread over what is written; more: nearer, and slower. frames: of each, from a
    key frame on; between_keys: frames from one key frame to the next in a film, by default in the encoders that have
    any (x264 and x265 250, SVT-AV1 about 160)."""

    places: int = 3
    frames: int = 24
    between_keys: int = 250


ESTIMATE = EstimateSettings()


def estimated_bytes(
    project: Project,
    clip_key: str,
    film: Writer,
    control: JobControl | None = None,
    parts: Sequence[tuple[int, int]] = (),
) -> int:
    """Bytes that the film of a clip will take, its sound included. parts: of the clip that are written, none for all of
    it. Raises what write_clip raises.

    A film is key frames and others: of each piece its first frame alone is encoded, and the whole piece; the difference
    is what other frames take.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    total = 0.0
    for first, last in parts or ((0, clip.frames - 1),):
        count = last - first + 1
        key_bytes, other_bytes = _measured(project, clip_key, film, first, count, control)
        keys = -(-count // ESTIMATE.between_keys)
        total += keys * key_bytes + (count - keys) * other_bytes
    return round(total)


def _measured(
    project: Project, clip_key: str, film: Writer, first: int, count: int, control: JobControl
) -> tuple[float, float]:
    """Mean bytes of a key frame and of another one."""
    length = min(ESTIMATE.frames, count)
    places = sorted({first + round(n * (count - length) / max(1, ESTIMATE.places - 1)) for n in range(ESTIMATE.places)})
    keys, others = [], []
    with tempfile.TemporaryDirectory() as folder:
        for n, place in enumerate(places):
            control.check()
            one = _bytes(project, clip_key, film, Path(folder) / f"{n}-key", (place, place))
            keys.append(one)
            if length > 1:
                others.append(
                    (_bytes(project, clip_key, film, Path(folder) / f"{n}-piece", (place, place + length - 1)) - one)
                    / (length - 1)
                )
            control.report("Estimating", n + 1, len(places))
    return sum(keys) / len(keys), sum(others) / len(others) if others else 0.0


def _bytes(project: Project, clip_key: str, film: Writer, stem: Path, span: tuple[int, int]) -> int:
    target = stem.with_name(film.name(stem.name))
    write_clip(project, clip_key, [(film, target)], None, span)
    return sum(path.stat().st_size for path in target.iterdir()) if target.is_dir() else target.stat().st_size


def size_word(count: int) -> str:
    """Bytes as people say them."""
    for unit, scale in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= scale:
            return f"{count / scale:.3g} {unit}"
    return f"{count} bytes"
