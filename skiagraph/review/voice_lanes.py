"""What the voice row shows, as values: a lane for each track of a clip with its speech and its ranges."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from skiagraph.project.model import Project
from skiagraph.project.voices import left_plain, ranges_in
from skiagraph.review.who_speaks import LEAST_S, name_of, plain_speech, who_speaks


class SpeechState(StrEnum):
    """disguised: in a range; plain: somebody has to decide; free: it may be heard, as far as is known."""

    DISGUISED = "disguised"
    PLAIN = "plain"
    FREE = "free"


@dataclass(frozen=True, slots=True)
class SpeechPart:
    """Speech on the screen of the row, s. name: whose; voice: its key."""

    begins_s: float
    ends_s: float
    state: SpeechState
    name: str
    voice: str
    subject: str


@dataclass(frozen=True, slots=True)
class RangePart:
    """A range: key, ends (s), what to call it, whose it is, its channel (0 for all), whether its disguise is weak."""

    key: str
    begins_s: float
    ends_s: float
    name: str
    word: str
    subject: str
    channel: int
    weak: bool


@dataclass(frozen=True, slots=True)
class VoiceLane:
    """One track, counted from 1."""

    track: int
    speech: tuple[SpeechPart, ...]
    ranges: tuple[RangePart, ...]


def voice_lanes(project: Project, clip: str, tracks: int) -> list[VoiceLane]:
    """The lanes of a clip with so many tracks."""
    waiting = [(p.begins_s, p.ends_s, p.speaks.voice.key) for p in plain_speech(project, clip)]
    names = {s.key: s.name for s in project.subjects}
    found = []
    for track in range(1, tracks + 1):
        speech = []
        for speaks in who_speaks(project, clip):
            for said in speaks.voice.speech:
                if said.track == track:
                    plain = [
                        p
                        for p in left_plain(project, clip, said.begins_s, said.ends_s, track)
                        if p[1] - p[0] >= LEAST_S
                    ]
                    open_here = any(
                        v == speaks.voice.key and a < said.ends_s and b > said.begins_s for a, b, v in waiting
                    )
                    state = SpeechState.DISGUISED if not plain else SpeechState.PLAIN if open_here else SpeechState.FREE
                    speech.append(
                        SpeechPart(
                            said.begins_s,
                            said.ends_s,
                            state,
                            name_of(project, speaks),
                            speaks.voice.key,
                            speaks.subject,
                        )
                    )
        ranges = [
            RangePart(
                r.key,
                r.begins_s,
                r.ends_s,
                names.get(r.subject, ""),
                project.disguise_of(r).word,
                r.subject,
                r.channel,
                project.disguise_of(r).weak,
            )
            for r in ranges_in(project, clip)
            if r.is_on(track)
        ]
        found.append(VoiceLane(track, tuple(sorted(speech, key=lambda s: s.begins_s)), tuple(ranges)))
    return found


def voice_summary(project: Project, clip: str, tracks: int) -> str:
    """The voice row in a line."""
    if not tracks:
        return "no sound"
    listening, ranges = project.evidence.listening_of(clip), ranges_in(project, clip)
    heard = (
        "not listened to yet"
        if listening is None
        else f"{len(listening.voices)} voice{'s' if len(listening.voices) != 1 else ''}"
        if listening.voices
        else "nobody speaks"
    )
    return f"{heard} · {len(ranges)} disguised" if ranges else heard


def snapped(project: Project, clip: str, track: int, seconds: float, within_s: float) -> float:
    """A time brought to the nearest end of speech on a track within some seconds, so that a range begins and ends in
    pauses; else as it was."""
    listening = project.evidence.listening_of(clip)
    ends = [
        t
        for v in (listening.voices if listening else ())
        for s in v.speech
        if s.track == track
        for t in (s.begins_s, s.ends_s)
    ]
    nearest = min(ends, key=lambda t: abs(t - seconds), default=seconds)
    return nearest if abs(nearest - seconds) <= within_s else seconds
