"""Listening to a clip: where somebody speaks, and which of it is one speaker.

What tells speakers apart stays in memory.
"""

from __future__ import annotations

import numpy as np

from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.audio import read_track
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.project.evidence import Listening, Speech, Voice
from skiagraph.project.model import Project, replace

STEP = "Listening"


def listen_to(project: Project, clip_key: str, control: JobControl | None = None) -> Listening:
    """What is heard in a clip; voices have keys of their own (1, 2 ...) that project.voices.take_listening exchanges.

    Raises Cancelled, CannotOpenMedia, SourceChanged, FrameNotDecoded.
    """
    # Only here, since this brings in the networks' runtimes.
    from skiagraph.voice.activity import ACTIVITY
    from skiagraph.voice.speakers import SPEAKERS, groups

    control, clip = control or JobControl(), project.clip(clip_key)
    info, index = open_source(clip, control)
    found: list[Speech] = []
    described: list[np.ndarray] = []
    for track in range(len(info.sound)):
        for speech, numbers in _spoken(info, index, track, clip.frames, control):
            found.append(speech)
            described.append(numbers)
    voices: dict[int, list[Speech]] = {}
    for speech, group in zip(found, groups(described, [s.ends_s - s.begins_s for s in found])):
        said = voices.setdefault(group, [])
        if said and said[-1].track == speech.track and speech.begins_s <= said[-1].ends_s:
            said[-1] = replace(said[-1], ends_s=speech.ends_s, last=speech.last)
        else:
            said.append(speech)
    return Listening(
        clip_key,
        tuple(Voice(str(n + 1), tuple(said)) for n, said in sorted(voices.items())),
        ACTIVITY.begin,
        ACTIVITY.end,
        SPEAKERS.same,
    )


def _spoken(info: ClipInfo, index: FrameIndex, track: int, frames: int, control: JobControl):
    """The speech of a track, and what describes each voice in it.

    Its samples are held, 16 bits at 16 kHz: an hour is 115 MB.
    """
    from skiagraph.voice.activity import RATE, Activity, stretches
    from skiagraph.voice.speakers import SpeakerEncoder

    activity, probability, parts, begins = Activity(), [], [], None
    whole = index.time_s(frames - 1)
    for place, block in read_track(info, track, RATE):
        begins = place if begins is None else begins
        parts.append((np.clip(block, -1, 1) * 32767).astype(np.int16))
        probability += activity.heard(block)
        control.report(STEP, min(frames, max(0, index.frame_at(max(0.0, place / RATE)) + 1)) if whole else 0, frames)
    if begins is None:
        return
    samples = np.concatenate(parts)
    encoder = None
    for first_s, last_s in stretches(probability, activity.size / RATE):
        control.check()
        encoder = encoder or SpeakerEncoder()
        first_s, last_s = first_s + begins / RATE, min(last_s, len(samples) / RATE) + begins / RATE
        piece = samples[round(first_s * RATE) - begins : round(last_s * RATE) - begins] / 32768.0
        for a, b in encoder.turns(piece):
            ends = first_s + a / RATE, first_s + b / RATE
            shown = sorted(min(frames - 1, index.frame_at(max(0.0, t))) for t in ends)
            yield Speech(track + 1, round(ends[0], 4), round(ends[1], 4), *shown), encoder.describe(piece[a:b])
