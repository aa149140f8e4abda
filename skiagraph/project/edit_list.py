"""Reading an edit list against the clips of a project: OpenTimelineIO, and CMX 3600 through its adapter."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from urllib.parse import unquote, urlparse

from skiagraph.errors import SkiagraphError
from skiagraph.project.clip import Clip
from skiagraph.project.model import Project
from skiagraph.project.programme import Programme, Use
from skiagraph.timecode import Timecode

SUFFIXES = (".otio", ".edl")
# A list of a long programme is some megabytes.
MOST_BYTES = 64 << 20


def read_programme(path: Path | str, project: Project, rate: Fraction | None = None, handles: int = 25) -> Programme:
    """Read an edit list against the clips of a project. rate: frames a second that a CMX 3600 list counts in, which it
    does not say; None for that of most clips. Raises SkiagraphError, also where a place that it uses does not exist in
    the clip, or a name fits several clips."""
    path = Path(path)
    timeline = _timeline(path, project, rate)
    uses, missing = [], []
    for item in timeline.find_clips():
        name = _name_of(item)
        if name is None:
            continue
        clip = clip_of_item(item, project)
        if clip is None:
            missing.append(name)
            continue
        uses.append(Use(clip.key, *frames_of_item(item, clip)))
    if not uses:
        raise SkiagraphError(
            f"{path.name} uses none of the clips of the project"
            + (f" (it names {', '.join(list(dict.fromkeys(missing))[:4])})" if missing else "")
            + "; add its clips first.",
            path=path,
        )
    return Programme(path.name[:400], timeline.to_json_string(-1), tuple(uses), tuple(missing), handles)


def _timeline(path: Path, project: Project, rate: Fraction | None):
    import opentimelineio as otio

    if path.suffix.lower() not in SUFFIXES:
        raise SkiagraphError(
            f"{path.name} is no edit list that can be read; choose one that ends in {' or '.join(SUFFIXES)}.", path=path
        )
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ValueError("it is far too large")
        text = path.read_text(encoding="utf-8", errors="replace")
        if path.suffix.lower() == ".otio":
            found = otio.adapters.read_from_string(text, adapter_name="otio_json")
        else:
            found = otio.adapters.read_from_string(
                text, adapter_name="cmx_3600", rate=_counted_in(text, project, rate), ignore_timecode_mismatch=True
            )
    except OSError as error:
        raise SkiagraphError(
            f"The edit list {path.name} cannot be read ({error.strerror}); check its place.", path=path
        ) from error
    except Exception as error:  # the library and its adapters raise many kinds
        raise SkiagraphError(
            f"{path.name} is no edit list, or it is damaged ({str(error).strip().rstrip('.') or type(error).__name__});"
            " write it anew.",
            path=path,
        ) from error
    if not isinstance(found, otio.schema.Timeline):
        raise SkiagraphError(f"{path.name} holds no timeline; write the programme itself.", path=path)
    return found


def _counted_in(text: str, project: Project, rate: Fraction | None) -> float:
    """What a CMX 3600 list counts in: numbers that are dropped say 29.97 or 59.94, and without that its frames are
    counted whole."""
    if rate is None:
        rates = Counter(clip.rate for clip in project.clips)
        rate = rates.most_common(1)[0][0] if rates else Fraction(25)
    nominal = round(rate)
    dropped = any(
        line.strip().upper().startswith("FCM") and "NON" not in line.upper() and "DROP" in line.upper()
        for line in text.splitlines()
    )
    return nominal * 1000 / 1001 if dropped and nominal in (30, 60) else float(nominal)


def name_of_media(item) -> str:
    """The file name that a clip of a list refers to, or an empty text."""
    url = getattr(item.media_reference, "target_url", "") or ""
    return Path(unquote(urlparse(url.replace("\\", "/")).path)).name if url else ""


def _name_of(item) -> str | None:
    """How a list calls what a clip is of; None for black, bars and what else no file holds."""
    if type(item.media_reference).__name__ == "GeneratorReference":
        return None
    return (
        name_of_media(item)
        or item.name
        or str(item.metadata.get("cmx_3600", {}).get("reel", ""))
        or "a clip without a name"
    )


def clip_of_item(item, project: Project) -> Clip | None:
    """The clip of the project that a clip of a list is of, or None. Raises SkiagraphError where that is not clear."""
    name = _name_of(item)
    return None if name is None else _clip_for(item, name, project)


def _clip_for(item, name: str, project: Project) -> Clip | None:
    """The clip of the project: by its whole path, by its file name, by its name without the ending; among several of a
    name the one that has the frames. Raises SkiagraphError where it stays unclear."""
    url = getattr(item.media_reference, "target_url", "") or ""
    path = unquote(urlparse(url).path)
    reel = str(item.metadata.get("cmx_3600", {}).get("reel", ""))
    names = [n for n in dict.fromkeys((name, item.name, reel)) if n]
    tests = [lambda c: bool(path) and str(c.path) == path]
    tests += [lambda c, n=n: c.path.name.casefold() == n.casefold() for n in names]
    tests += [lambda c, n=n: c.path.stem.casefold() == Path(n).stem.casefold() for n in names]
    tests += [lambda c, n=n: len(n) >= 6 and _as_reel(c.path.stem) == n.strip().upper() for n in names]
    for fits in tests:
        found = [clip for clip in project.clips if fits(clip)]
        if len(found) > 1:
            found = [clip for clip in found if _frames_within(item, clip) is not None]
            if len(found) != 1:
                raise SkiagraphError(
                    f"It is not clear which of the clips called {name} the list means; give one of them another name,"
                    " or a list with whole paths."
                )
        if found:
            return found[0]
    return None


def _as_reel(stem: str) -> str:
    """A name as lists of eight letters write it."""
    return "".join(letter for letter in stem.upper() if letter.isascii() and letter.isalnum())[:8]


def frames_of_item(item, clip: Clip) -> tuple[int, int]:
    """First and last frame that a clip of a list uses. Raises SkiagraphError where the clip has not all of them."""
    found = _frames_within(item, clip)
    if found is None:
        begin = item.visible_range().start_time
        raise SkiagraphError(
            f"The list uses {clip.path.name} from {_as_text(begin)} on, and the clip has {clip.at(0)} to"
            f" {clip.at(clip.frames - 1)}; write the list anew, or say in which rate it counts.",
            path=clip.path,
        )
    return found


def _as_text(time) -> str:
    try:
        return time.to_timecode()
    except ValueError:
        return f"frame {time.value:g}"


def _frames_within(item, clip: Clip) -> tuple[int, int] | None:
    """First and last frame of a clip that an item uses, dissolves and changes of speed included; None where the clip
    has not all of them."""
    used = item.visible_range()
    begin, length = _in_frames(used.start_time, clip), _in_frames(used.duration, clip) * _speed(item)
    for origin in _origins(item, clip):
        first, last = math.floor(begin - origin + 1e-6), math.ceil(begin - origin + max(length, 1) - 1e-6) - 1
        if 0 <= first and last < clip.frames:
            return first, last
    return None


def _origins(item, clip: Clip) -> Iterator[float]:
    """From where the frames of an item may be counted: the clip's own timecode, what the list says of the file,
    nothing."""
    yield Timecode.of(clip.rate, clip.timecode).first
    known = item.media_reference.available_range if item.media_reference is not None else None
    if known is not None:
        yield _in_frames(known.start_time, clip)
    yield 0.0


def _in_frames(time, clip: Clip) -> float:
    """A time of a list in frames of a clip.

    Counts in the same whole rate are numbers of frames, however fast they are.
    """
    if round(time.rate) == round(clip.rate):
        return float(time.value)
    return float(time.value) / time.rate * float(clip.rate)


def _speed(item) -> float:
    """How much of the clip goes by in the time of the item."""
    scale = 1.0
    for effect in item.effects:
        scale *= abs(getattr(effect, "time_scalar", 1.0))
    return scale
