"""What is done to the sound of a clip: the plan for each track, as it is played and as it is handed over."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.errors import CannotOpenMedia
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.audio import Waveform, read_samples, read_sound, waveform
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.project.evidence import Listening
from skiagraph.project.model import Clip, Project
from skiagraph.project.voices import laid_over
from skiagraph.remembering import Remembered
from skiagraph.voice.disguise import SILENT
from skiagraph.voice.drawing import desk_secret
from skiagraph.voice.kinds.room import Room
from skiagraph.voice.laying import Plan

# Length of the background that is looked for, and how far into a track, s.
ROOM_S, MOST_S = 2.0, 1800.0


def plans(project: Project, clip_key: str, info: ClipInfo, secret: bytes | None = None) -> dict[int, Plan]:
    """What is laid over the tracks of a clip, by their number from 0; tracks that stay as they are are not in it.
    secret: of the desk, None for this one's."""
    found = {}
    for n, sound in enumerate(info.sound):
        ranges = laid_over(project, clip_key, n + 1)
        if ranges:
            room, rate = (
                _room(project, clip_key, info, n, tuple((r.begins_s, r.ends_s) for r in ranges))
                if any(isinstance(r.disguise, Room) for r in ranges)
                else (None, 0)
            )
            found[n] = Plan(ranges, secret or desk_secret(), room, rate)
    return found


# Reading an hour of sound for its background takes a while, and playing asks for it each time.
_ROOMS = Remembered(32 << 20, size=lambda found: 256 if found[0] is None else found[0].nbytes)


def _room(
    project: Project, clip_key: str, info: ClipInfo, track: int, disguised: tuple[tuple[float, float], ...]
) -> tuple[np.ndarray | None, int]:
    clip, listening = project.clip(clip_key), project.evidence.listening_of(clip_key)
    return _ROOMS.get(
        (clip, *((listening,) if listening else ())),
        (track, disguised),
        lambda: room_of(info, track, listening, disguised),
    )


def heard(
    project: Project, clip_key: str, info: ClipInfo, start_s: float, tracks: Sequence[int] = (0,), plain: bool = False
) -> Iterator[np.ndarray]:
    """What is heard of some tracks (from 0) of a clip from a time on, as media.audio.read_sound gives it. plain: as it
    was recorded."""
    return read_sound(info, start_s, tracks, None if plain else plans(project, clip_key, info))


def room_of(
    info: ClipInfo, track: int, listening: Listening | None, disguised: Sequence[tuple[float, float]]
) -> tuple[np.ndarray | None, int]:
    """The quietest ROOM_S of a track (from 0) in which nobody speaks and nothing is disguised, float (n, channels), and
    its rate; None where there is none that is not digital silence."""
    spoken = [
        (s.begins_s, s.ends_s)
        for v in (listening.voices if listening else ())
        for s in v.speech
        if s.track == track + 1
    ]
    taken = [*spoken, *disguised]
    best, least, held, begin, rate = None, np.inf, [], None, 0
    for rate, at, block in read_samples(info, track):
        begin = at if begin is None else begin
        held.append(block)
        if sum(map(len, held)) < ROOM_S * rate:
            continue
        whole, first, last = np.concatenate(held), begin / rate, (at + len(block)) / rate
        held, begin = [], None
        level = float(np.sqrt((whole**2).mean()))
        if SILENT < level < least and not any(a < last and b > first for a, b in taken):
            best, least = whole, level
        if last > MOST_S and best is not None:
            break
    return best, rate


@dataclass(frozen=True, slots=True)
class Sound:
    """What is known of a clip's sound for showing it: its file, its frames, and the waveform of each track, None where
    it cannot be read."""

    info: ClipInfo
    index: FrameIndex
    waves: tuple[Waveform | None, ...]
    trouble: str = ""


def sound_of(clip: Clip, control: JobControl | None = None) -> Sound:
    """The sound of a clip. Raises Cancelled, CannotOpenMedia, SourceChanged, FrameNotDecoded."""
    info, index = open_source(clip, control)
    waves, trouble = [], ""
    for track in range(len(info.sound)):
        try:
            waves.append(waveform(info, track, control))
        except CannotOpenMedia as error:
            waves.append(None)
            trouble = str(error)
    return Sound(info, index, tuple(waves), trouble)
