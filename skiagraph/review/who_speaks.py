"""Who speaks: which subject each voice of a clip is, by somebody's word or by who is in the picture, and what of their
speech is heard plain."""

from __future__ import annotations

from dataclasses import dataclass

from skiagraph.project.evidence import Speech, Voice
from skiagraph.project.model import Project, Subject
from skiagraph.project.voices import left_plain, overlap, ranges_in, said_speaker
from skiagraph.values import Value


class WhoSettings(Value, frozen=True):
    """seen: share of what a voice says during which its speaker is in the picture at least; others: during which
    anybody else is at most, so that only one can be meant. Wide margins instead of measured ones: a voice that is not
    surely somebody's is a question."""

    seen: float = 0.8
    others: float = 0.5


WHO = WhoSettings()
# Plain speech shorter than this is the edge of a word, s; places this close are one finding, s.
LEAST_S, ONE_PLACE_S = 0.15, 4.0


@dataclass(frozen=True, slots=True)
class Speaks:
    """A voice and whose it is. subject: key, empty where nobody knows; said: somebody said so; free: somebody said that
    it is nobody of the register."""

    voice: Voice
    number: int
    subject: str = ""
    said: bool = False

    @property
    def free(self) -> bool:
        return self.said and not self.subject


def who_speaks(project: Project, clip: str) -> list[Speaks]:
    """The voices of a clip, numbered from 1."""
    listening = project.evidence.listening_of(clip)
    found = []
    for n, voice in enumerate(listening.voices if listening else (), 1):
        said = said_speaker(project, voice.key)
        if said is not None and (not said or any(s.key == said for s in project.subjects)):
            found.append(Speaks(voice, n, said, True))
        else:
            found.append(Speaks(voice, n, _likely(project, clip, voice)))
    return found


def _likely(project: Project, clip: str, voice: Voice) -> str:
    """The only subject who is in the picture while a voice speaks, or empty."""
    whole = sum(s.last - s.first + 1 for s in voice.speech)
    shares = (
        sorted(
            (
                (_seen(subject, clip, voice) / whole, subject.key)
                for subject in project.subjects
                if subject.of.hides and subject.of.needs_strength and not subject.dismissed and not subject.doubtful
            ),
            reverse=True,
        )
        if whole
        else []
    )
    if shares and shares[0][0] >= WHO.seen and (len(shares) == 1 or shares[1][0] <= WHO.others):
        return shares[0][1]
    return ""


def _seen(subject: Subject, clip: str, voice: Voice) -> int:
    """Frames of what a voice says in which a subject is in the picture."""
    spans = [
        (max(s.first, speech.first), min(s.last, speech.last)) for s in subject.in_clip(clip) for speech in voice.speech
    ]
    frames: set[int] = set()
    for first, last in spans:
        frames.update(range(first, last + 1))
    return len(frames)


@dataclass(frozen=True, slots=True)
class PlainSpeech:
    """Speech that is heard as it was recorded. why: elsewhere (the voice is disguised elsewhere), covered (its speaker
    is), maybe (somebody covered is in the picture)."""

    speaks: Speaks
    first: int
    last: int
    begins_s: float
    ends_s: float
    track: int
    why: str


def plain_speech(project: Project, clip_key: str) -> list[PlainSpeech]:
    """What of the speech in a clip may tell who is covered: of covered people, of voices that are disguised elsewhere,
    and of voices that may be of somebody covered. Places that are close are one."""
    found: list[PlainSpeech] = []
    ranges = ranges_in(project, clip_key)
    covered = {s.key for s in project.subjects if s.is_covered}
    for speaks in who_speaks(project, clip_key):
        if speaks.free or speaks.subject and speaks.subject not in covered and speaks.said:
            continue
        elsewhere = any(overlap(r, s) > 0 for r in ranges for s in speaks.voice.speech)
        places: list[PlainSpeech] = []
        for speech in speaks.voice.speech:
            why = (
                "elsewhere"
                if elsewhere
                else "covered"
                if speaks.subject in covered
                else "maybe"
                if _somebody_covered(project, clip_key, speech, covered, speaks.subject)
                else ""
            )
            for begins, ends in (
                left_plain(project, clip_key, speech.begins_s, speech.ends_s, speech.track) if why else ()
            ):
                if ends - begins >= LEAST_S:
                    places.append(_place(speaks, speech, begins, ends, why))
        found += _close_ones_together(places)
    return sorted(found, key=lambda p: (p.begins_s, p.track))


def _somebody_covered(project: Project, clip: str, speech: Speech, covered: set[str], speaker: str) -> bool:
    """Whether somebody covered may be who speaks.

    Whoever alone is in the picture of it, and shown, is taken for the speaker.
    """
    return not speaker and any(
        s.first <= speech.last and s.last >= speech.first
        for key in covered
        for s in project.subject(key).in_clip(clip)
        if project.subject(key).of.needs_strength
    )


def _place(speaks: Speaks, speech: Speech, begins: float, ends: float, why: str) -> PlainSpeech:
    length = max(1e-6, speech.ends_s - speech.begins_s)
    first, last = (
        round(speech.first + (t - speech.begins_s) / length * (speech.last - speech.first)) for t in (begins, ends)
    )
    return PlainSpeech(speaks, first, last, begins, ends, speech.track, why)


def _close_ones_together(places: list[PlainSpeech]) -> list[PlainSpeech]:
    together: list[PlainSpeech] = []
    for place in sorted(places, key=lambda p: (p.begins_s, p.track)):
        if together and place.begins_s - together[-1].ends_s < ONE_PLACE_S:
            before = together[-1]
            together[-1] = _joined(before, place)
        else:
            together.append(place)
    return together


def _joined(one: PlainSpeech, other: PlainSpeech) -> PlainSpeech:
    return PlainSpeech(
        one.speaks,
        min(one.first, other.first),
        max(one.last, other.last),
        one.begins_s,
        max(one.ends_s, other.ends_s),
        one.track,
        one.why,
    )


def name_of(project: Project, speaks: Speaks) -> str:
    """How a voice is called."""
    return project.subject(speaks.subject).name if speaks.subject else f"Voice {speaks.number}"


def voices_of(project: Project, clip: str, subject: str) -> list[Voice]:
    """The voices of a clip that are a subject's."""
    return [s.voice for s in who_speaks(project, clip) if s.subject == subject]
