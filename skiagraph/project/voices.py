"""Edits of what is heard: ranges of sound that are disguised, and who speaks.

Pure functions from one project to the next; all raise EditRefused, with a sentence, where they make no sense.
"""

from __future__ import annotations

from collections.abc import Iterable

from skiagraph.errors import EditRefused
from skiagraph.project.evidence import Listening, Speech, Voice
from skiagraph.project.model import Project, Speaker, VoiceRange, replace
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.laying import Range

# A range is at least so long, s: a shorter one is a slip of the hand.
LEAST_S = 0.02
# Speech of one voice with a shorter pause between becomes one range, s: the room between two sentences stays as it was
# shot.
JOINED_S = 1.0


def take_listening(project: Project, listening: Listening) -> Project:
    """The project with what was heard in a clip. Nothing that was decided changes."""
    voices = []
    for voice in listening.voices:
        project, key = project.new_id("voices")
        voices.append(replace(voice, key=key))
    return replace(project, evidence=project.evidence.with_listening(replace(listening, voices=tuple(voices))))


def range_of(project: Project, key: str) -> VoiceRange:
    """Raises EditRefused when there is none."""
    found = next((v for v in project.decisions.voices if v.key == key), None)
    if found is None:
        raise EditRefused("That range of the sound is not there any more.")
    return found


def ranges_in(project: Project, clip: str) -> list[VoiceRange]:
    """The ranges of a clip, in order of time."""
    return sorted((v for v in project.decisions.voices if v.clip == clip), key=lambda v: (v.begins_s, v.ends_s, v.key))


def add_range(
    project: Project,
    clip: str,
    begins_s: float,
    ends_s: float,
    subject: str = "",
    track: int = 0,
    channel: int = 0,
    disguise: Disguise | None = None,
) -> Project:
    """The project with a range more, the last in decisions.voices."""
    project.clip(clip)
    if subject:
        project.subject(subject)
    begins_s, ends_s = _sound(begins_s, ends_s)
    project, key = project.new_id("ranges")
    return project.deciding(
        voices=(*project.decisions.voices, VoiceRange(key, clip, begins_s, ends_s, subject, track, channel, disguise))
    )


def _sound(begins_s: float, ends_s: float) -> tuple[float, float]:
    if ends_s - begins_s < LEAST_S:
        raise EditRefused(f"A range of sound lasts at least {1000 * LEAST_S:.0f} ms; draw it longer.")
    return round(float(begins_s), 6), round(float(ends_s), 6)


def _with(project: Project, changed: VoiceRange) -> Project:
    return project.deciding(voices=tuple(changed if v.key == changed.key else v for v in project.decisions.voices))


def move_ends(project: Project, key: str, begins_s: float, ends_s: float) -> Project:
    """A range that begins and ends elsewhere."""
    begins_s, ends_s = _sound(begins_s, ends_s)
    return _with(project, replace(range_of(project, key), begins_s=begins_s, ends_s=ends_s))


def split_range(project: Project, key: str, at_s: float) -> Project:
    """A range in two, that meet at a time; the second gets lots of its own."""
    one = range_of(project, key)
    if not one.begins_s + LEAST_S <= at_s <= one.ends_s - LEAST_S:
        raise EditRefused("Go to a place inside of the range to split it there.")
    at_s = round(float(at_s), 6)
    project, other = project.new_id("ranges")
    voices = project.decisions.voices
    place = next(n for n, v in enumerate(voices) if v.key == key) + 1
    return _with(
        project.deciding(voices=(*voices[:place], replace(one, key=other, begins_s=at_s), *voices[place:])),
        replace(one, ends_s=at_s),
    )


def join_ranges(project: Project, keys: Iterable[str]) -> Project:
    """Some ranges as one that reaches from the first to the last of them, on every track and channel that any of them
    was on. It is disguised as the first is."""
    chosen = sorted((range_of(project, key) for key in keys), key=lambda v: v.begins_s)
    if len(chosen) < 2:
        raise EditRefused("Choose two ranges or more to join them.")
    if len({v.clip for v in chosen}) > 1:
        raise EditRefused("Ranges of different clips cannot be joined.")
    first = chosen[0]
    tracks, channels, subjects = ({getattr(v, name) for v in chosen} for name in ("track", "channel", "subject"))
    together = replace(
        first,
        ends_s=max(v.ends_s for v in chosen),
        track=first.track if len(tracks) == 1 else 0,
        channel=first.channel if len(channels) == 1 and len(tracks) == 1 else 0,
        subject=first.subject if len(subjects) == 1 else "",
    )
    gone = {v.key for v in chosen[1:]}
    return _with(project.deciding(voices=tuple(v for v in project.decisions.voices if v.key not in gone)), together)


def next_range(project: Project, key: str) -> VoiceRange | None:
    """The range after one in its clip, which it may be joined with."""
    one = range_of(project, key)
    after = [v for v in ranges_in(project, one.clip) if v.begins_s >= one.begins_s and v.key != key]
    return after[0] if after else None


def remove_ranges(project: Project, keys: Iterable[str]) -> Project:
    """What is heard there is heard as it was recorded."""
    gone = {range_of(project, key).key for key in keys}
    return project.deciding(voices=tuple(v for v in project.decisions.voices if v.key not in gone))


def set_disguise(project: Project, keys: Iterable[str], disguise: Disguise | None) -> Project:
    """How some ranges are disguised; None gives them back to the project's."""
    for key in keys:
        project = _with(project, replace(range_of(project, key), disguise=disguise))
    return project


def set_usual_disguise(project: Project, disguise: Disguise) -> Project:
    """How ranges are disguised that say nothing of their own."""
    return project.deciding(voice=disguise)


def set_place(project: Project, keys: Iterable[str], track: int, channel: int) -> Project:
    """Which track and channel some ranges are on, from 1, 0 for all."""
    for key in keys:
        project = _with(project, replace(range_of(project, key), track=track, channel=channel))
    return project


def give_to(project: Project, keys: Iterable[str], subject: str) -> Project:
    """Whose voice it is in some ranges; empty for nobody's."""
    if subject:
        project.subject(subject)
    for key in keys:
        project = _with(project, replace(range_of(project, key), subject=subject))
    return project


def draw_anew(project: Project, keys: Iterable[str]) -> Project:
    """Other lots for some ranges."""
    for key in keys:
        one = range_of(project, key)
        project = _with(project, replace(one, draw=one.draw + 1))
    return project


# Who speaks


def name_speaker(project: Project, voice: str, subject: str | None) -> Project:
    """The project with somebody's word on who speaks with a voice: a subject, empty for somebody who is not in the
    register and may be heard, None for nothing said. Ranges that hold this voice and are nobody's become theirs."""
    if subject:
        project.subject(subject)
    kept = tuple(s for s in project.decisions.speakers if s.voice != voice)
    project = project.deciding(speakers=kept if subject is None else (*kept, Speaker(voice, subject)))
    if not subject:
        return project
    clip, heard = next(
        ((one.clip, v) for one in project.evidence.listenings for v in one.voices if v.key == voice), ("", None)
    )
    theirs = [
        r.key
        for r in ranges_in(project, clip)
        if not r.subject
        and heard is not None
        and any(overlap(r, s) > 0.5 * (s.ends_s - s.begins_s) for s in heard.speech)
    ]
    return give_to(project, theirs, subject)


def said_speaker(project: Project, voice: str) -> str | None:
    """Who was said to speak with a voice; empty for nobody of the register, None where nobody said."""
    return next((s.subject for s in project.decisions.speakers if s.voice == voice), None)


def overlap(one: VoiceRange, speech: Speech) -> float:
    """How long a piece of speech is in a range, s; 0 where it is on another track."""
    return (
        max(0.0, min(one.ends_s, speech.ends_s) - max(one.begins_s, speech.begins_s))
        if one.is_on(speech.track)
        else 0.0
    )


def disguise_voices(
    project: Project, clip: str, voices: Iterable[Voice], subject: str = "", disguise: Disguise | None = None
) -> Project:
    """Ranges over all that some voices say in a clip and that is not in one yet; pieces with a short pause between are
    one range."""
    pieces = sorted(((s.begins_s, s.ends_s, s.track) for v in voices for s in v.speech), key=lambda p: (p[2], p[0]))
    joined: list[list] = []
    for begins, ends, track in pieces:
        if joined and joined[-1][2] == track and begins - joined[-1][1] < JOINED_S:
            joined[-1][1] = max(joined[-1][1], ends)
        else:
            joined.append([begins, ends, track])
    several = len({p[2] for p in pieces}) > 1
    for begins, ends, track in joined:
        for left, right in left_plain(project, clip, begins, ends, track):
            project = add_range(project, clip, left, right, subject, track if several else 0, 0, disguise)
    return project


def left_plain(project: Project, clip: str, begins_s: float, ends_s: float, track: int) -> list[tuple[float, float]]:
    """What of a stretch of a track is in no range that is on all of its channels, longer than LEAST_S each."""
    found, at = [], begins_s
    for one in ranges_in(project, clip):
        if one.is_on(track) and not one.channel and one.ends_s > at and one.begins_s < ends_s:
            if one.begins_s - at >= LEAST_S:
                found.append((at, one.begins_s))
            at = max(at, one.ends_s)
    if ends_s - at >= LEAST_S:
        found.append((at, ends_s))
    return found


# What is done to samples


def laid_over(project: Project, clip_key: str, track: int) -> tuple[Range, ...]:
    """What is laid over a track of a clip, counted from 1, in order."""
    clip = project.clip(clip_key)
    return tuple(
        Range(
            v.begins_s,
            v.ends_s,
            project.disguise_of(v),
            (clip.fingerprint, v.key, v.draw, track),
            (v.channel - 1,) if v.channel else (),
        )
        for v in ranges_in(project, clip_key)
        if v.is_on(track)
    )
