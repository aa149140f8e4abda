"""Proof on the delivered file: decode it, compare it with what it should show and with its source, search it again for
faces, ask a recogniser what it still knows.

The file and its source are read together, once (file_seen.py).
"""

from __future__ import annotations

import time
from pathlib import Path

from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.audio import SoundFile
from skiagraph.media.clip import ClipInfo, probe
from skiagraph.media.index import load_index
from skiagraph.media.part import Part
from skiagraph.media.picture_files import sound_among
from skiagraph.media.pictures import CONTAINER
from skiagraph.media.samples import origin_of
from skiagraph.media.sound_alike import sound_alike
from skiagraph.project.model import Project
from skiagraph.review.file_alike import alike
from skiagraph.review.file_seen import see
from skiagraph.review.file_voices import FileVoices, check_voices
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.proof import Fact, Proof, sha256_of
from skiagraph.track.scan import ScanSettings


def check_file(
    project: Project,
    clip_key: str,
    film: Path | str,
    control: JobControl | None = None,
    *,
    every: int = 1,
    span: tuple[int, int] | None = None,
) -> list[Finding]:
    """Findings on an exported file, as `prove`."""
    return list(prove(project, clip_key, film, control, every=every, span=span).findings)


def prove(
    project: Project,
    clip_key: str,
    film: Path | str,
    control: JobControl | None = None,
    *,
    every: int = 1,
    span: tuple[int, int] | None = None,
    silent: bool = False,
) -> Proof:
    """What is wrong with an exported file, and what was compared: covers that are missing or too weak, faces that
    nobody agreed to show, somebody whom a recogniser still knows, and what else is not as in the source.

    Faces are searched for down to the size that a scan of the clip finds, in square pixels, and more finely around
    covers and edges. span: first and last frame of the part of the clip that the film holds, None for all of it. every:
    each n-th frame is looked at. silent: sound was left out on purpose. Raises CannotOpenMedia, SourceChanged,
    FrameNotDecoded, Cancelled.
    """
    control, begun = control or JobControl(), time.monotonic()
    film, clip = Path(film), project.clip(clip_key)
    info = probe(film, clip.rate)
    index = load_index(info, control)
    begin, end = (max(0, span[0]), min(span[1], clip.frames - 1)) if span else (0, clip.frames - 1)
    source_info, source_index = open_source(clip, control)
    if not _same_picture(source_info, info) or len(index) != end - begin + 1:
        last = max(0, min(len(index), clip.frames) - 1)
        shape = (
            f"{info.upright_size[0]} × {info.upright_size[1]}, {len(index)} frames instead of {clip.width} ×"
            f" {clip.height}, {end - begin + 1} frames"
        )
        return Proof(
            clip_key,
            film,
            (Finding(clip_key, "", Reason.FILE_SHAPE, 0, last, float(len(index)), 0),),
            (Fact("Shape", shape, False),),
            (begin, end),
            0,
            time.monotonic() - begun,
            info.file_size,
            sha256_of(film, control),
        )
    part = Part.of(source_info, source_index, begin, end) if span else None
    frames = range(begin, end + 1, every)
    seen = see(project, clip_key, film, frames, begin, control)
    digest = sha256_of(film, control)
    facts = alike(source_info, source_index, info, index, part, seen.lossless)
    heard = sound_among(info.path) if info.container == CONTAINER else film
    voices = FileVoices((), (), {})
    if not silent and heard is not None:
        begins, ends = (float(part.begins), float(part.ends)) if part else (0.0, float("inf"))
        begins -= float(origin_of(source_info)) if part else 0.0
        voices = check_voices(
            project,
            clip_key,
            source_info,
            source_index,
            info if heard is film else SoundFile.of(heard),
            begins,
            ends,
            control,
        )
    if silent or heard is None:
        facts.append(Fact("Sound", "left out, as asked for" if silent else "numbered pictures hold none", None))
    else:
        tracks = (
            sound_alike(source_info.path, heard, (part.begins, part.ends) if part else None, control, voices.disguised)
            if source_info.sound or info.sound
            else []
        )
        facts += [Fact(f"Sound track {t.number}", t.said, t.good) for t in tracks] or [
            Fact("Sound", "none, as in the source", None)
        ]
    findings = [*seen.findings(every), *voices.findings]
    findings += (
        [Finding(clip_key, "", Reason.FILE_CHANGED, begin, end, 0.0, begin)]
        if any(f.good is False for f in facts)
        else []
    )
    what = [
        seen.covers_fact(len(frames)),
        seen.faces_fact(len(frames), ScanSettings().smallest_for(source_info)),
        *seen.known_facts(),
        seen.outside.fact(clip),
        *voices.facts,
    ]
    return Proof(
        clip_key,
        film,
        tuple(sorted(findings, key=lambda f: (f.first, f.subject))),
        tuple([*what, *facts]),
        (begin, end),
        len(frames),
        time.monotonic() - begun,
        info.file_size,
        digest,
    )


def _same_picture(source: ClipInfo, film: ClipInfo) -> bool:
    """Whether a film shows a picture of the same form, if need be in another size."""
    mine, theirs = (info.upright_size[0] * info.upright_aspect / info.upright_size[1] for info in (source, film))
    # Sides that are scaled are rounded to even px.
    return source.upright_size == film.upright_size or abs(float(theirs / mine) - 1) <= 3 / min(film.upright_size)
