"""Proof on the sound of an exported file: whether voices are disguised in it, whether a machine still knows them, and
whether they are heard plain elsewhere."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from importlib import resources
from pathlib import Path

import numpy as np

from skiagraph.jobs import JobControl
from skiagraph.lazily import signal
from skiagraph.media.audio import placed_blocks, read_track
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.project.model import Clip, Project, VoiceRange
from skiagraph.project.voices import ranges_in
from skiagraph.review.finding import Finding, Reason
from skiagraph.review.proof import Fact
from skiagraph.values import Value
from skiagraph.voice.background import of_room
from skiagraph.voice.drawing import lots

STEP = "Checking the voices"


class VoiceCheckSettings(Value, frozen=True):
    """plain: correlation of the file's sound with the source's, over window_s, from which it is the same sound and not
    disguised; what is disguised lies under 0.3 (measured on made-up voices), codecs give over 0.95. late_s: by how much
    the two may lie apart; loud: only where it is so loud at least, of the mean. least_s: speech that a machine can tell
    a speaker by. elsewhere: likeness with a speaker who is disguised from which plain speech is taken for theirs, where
    no made-up voice is liker by more than nearly; under what puts two pieces together (speakers.same), since a voice
    that is missed is heard. room_s: background that other voices are put into, looked for in the first looked_s."""

    plain: float = 0.7
    window_s: float = 0.5
    late_s: float = 0.03
    least_s: float = 1.5
    loud: float = 0.5
    room_s: float = 0.3
    looked_s: float = 600.0
    elsewhere: float = 0.7
    nearly: float = 0.05


CHECK = VoiceCheckSettings()


@dataclass(frozen=True, slots=True)
class FileVoices:
    """What was found. disguised: stretches of each track (from 0), s from the file's first picture, which are not to be
    compared with the source."""

    facts: tuple[Fact, ...]
    findings: tuple[Finding, ...]
    disguised: dict[int, list[tuple[float, float]]]


def disguised_in(
    project: Project, clip: str, tracks: int, begins_s: float, ends_s: float
) -> dict[int, list[tuple[float, float]]]:
    """What is disguised of each track (from 0) in a part of a clip, s from where that begins."""
    found: dict[int, list[tuple[float, float]]] = {}
    for track in range(tracks):
        here = [
            (max(0.0, r.begins_s - begins_s), min(ends_s, r.ends_s) - begins_s)
            for r in ranges_in(project, clip)
            if r.is_on(track + 1) and r.ends_s > begins_s and r.begins_s < ends_s
        ]
        if here:
            found[track] = here
    return found


def check_voices(
    project: Project,
    clip_key: str,
    source: ClipInfo,
    index: FrameIndex,
    film: ClipInfo,
    begins_s: float,
    ends_s: float,
    control: JobControl,
) -> FileVoices:
    """Compare the sound of a file with its source where voices are disguised. film: what holds the sound; begins_s,
    ends_s: the part of the clip that it holds. Raises Cancelled, CannotOpenMedia."""
    from skiagraph.voice.attacks import Others
    from skiagraph.voice.speakers import RATE, SpeakerEncoder

    clip = project.clip(clip_key)
    disguised = disguised_in(project, clip_key, min(len(source.sound), len(film.sound)), begins_s, ends_s)
    facts: list[Fact] = []
    findings: list[Finding] = []
    if not disguised:
        return FileVoices((), (), {})
    encoder = SpeakerEncoder()
    clean, known = made_up_voices(), {}
    for number, track in enumerate(disguised):
        control.report(STEP, number, len(disguised))
        at = _Sound(clip_key, clip, index, begins_s, ends_s, RATE)
        held: dict[int, tuple] = {}
        for (owner, channel), ranges in _by_owner(project, clip_key, track + 1, begins_s, ends_s).items():
            if channel not in held:
                held = {channel: tuple(_whole(info, track, RATE, channel, control) for info in (source, film))}
            shot, shown = held[channel]
            one = _Voice(project, at, track, owner, ranges, shot, shown)
            findings += one.left_plain()
            place = one.background
            if track not in known:
                known[track] = Others(
                    [_in_the_same_place(voice, place, number) for number, voice in enumerate(clean)],
                    encoder,
                    control.check,
                )
            others = known[track]
            told = one.attacked(encoder, others)
            facts += one.facts(told)
            findings += one.known(told)
            findings += _heard_elsewhere(project, at, track, one, shown, disguised[track], encoder, others)
    return FileVoices(tuple(facts), tuple(findings), disguised)


def made_up_voices() -> list[np.ndarray]:
    """Speech of other speakers, one channel at the speaker network's rate each: what ships, spoken by a machine."""
    from skiagraph.voice.speakers import RATE

    blocks = list(
        placed_blocks(Path(str(resources.files("skiagraph.assets").joinpath("voices", "made-up.opus"))), 0, Fraction(0))
    )
    whole = np.concatenate([block[:, 0].astype(float) for _, _, block in blocks])
    # Opus comes at 48 kHz, whatever it was made of.
    whole = signal.resample_poly(whole, RATE, blocks[0][0].rate)
    whole = whole / max(float(np.abs(whole).max()), 1e-9)
    each = MADE_UP_S * RATE
    return [whole[n : n + each] for n in range(0, len(whole) - each // 2, each)]


# Seconds of each speaker in what ships (tools/made_up_voices.py).
MADE_UP_S = 5


def _in_the_same_place(voice: np.ndarray, place: tuple[np.ndarray, float], number: int) -> np.ndarray:
    """A made-up voice as loud as the speaker, with the background of the clip: a network knows rooms and microphones
    too, and the speaker alone would be known by them. place: background (n,), and how loud the speaker is."""
    room, level = place
    said = voice / max(float(np.sqrt(np.mean(voice**2))), 1e-9) * level
    return said + of_room(room[:, None], len(voice), lots(b"a room", number))[:, 0] if room.any() else said


def _whole(info: ClipInfo, track: int, rate: int, channel: int, control: JobControl) -> tuple[int, np.ndarray]:
    """Place of the first sample and all samples of a track, its channels together or one of them, int16."""
    begin, parts = 0, []
    for place, block in read_track(info, track, rate, channel):
        control.check()
        begin = place if not parts else begin
        parts.append((np.clip(block, -1, 1) * 32767).astype(np.int16))
    return begin, np.concatenate(parts) if parts else np.zeros(0, np.int16)


def _by_owner(
    project: Project, clip: str, track: int, begins_s: float, ends_s: float
) -> dict[tuple[str, int], list[VoiceRange]]:
    """Ranges of a track by whose voice they are and by channel, in the order of channels; each that is nobody's by
    itself."""
    found: dict[tuple[str, int], list[VoiceRange]] = {}
    for one in sorted(ranges_in(project, clip), key=lambda r: r.channel):
        if one.is_on(track) and one.ends_s > begins_s and one.begins_s < ends_s:
            found.setdefault((one.subject or one.key, one.channel), []).append(one)
    return found


@dataclass(frozen=True, slots=True)
class _Sound:
    """Where times of a clip are: in the source's samples, in the file's, in frames."""

    key: str
    clip: Clip
    index: FrameIndex
    begins_s: float
    ends_s: float
    rate: int

    def cut(
        self, one: VoiceRange, shot: tuple[int, np.ndarray], shown: tuple[int, np.ndarray]
    ) -> tuple[np.ndarray, np.ndarray]:
        """What of a range lies in the file, as it was recorded and as the file has it: from the same moment on."""
        late = round(self.begins_s * self.rate)
        first = max(round(max(one.begins_s, self.begins_s) * self.rate), shot[0], shown[0] + late)
        after = max(first, round(min(one.ends_s, self.ends_s, 1e6) * self.rate))
        return shot[1][first - shot[0] : after - shot[0]] / 32768.0, shown[1][
            first - late - shown[0] : after - late - shown[0]
        ] / 32768.0

    def frame(self, seconds: float) -> int:
        return min(self.clip.frames - 1, self.index.frame_at(max(0.0, seconds)))


class _Voice:
    """The ranges of one voice in a track."""

    def __init__(self, project: Project, at: _Sound, track: int, owner: str, ranges: list[VoiceRange], shot, shown):
        self._project, self._at, self._track, self._ranges, self._shot = project, at, track, ranges, shot
        self.subject = owner if ranges[0].subject else ""
        self.name = (
            project.subject(self.subject).name
            if self.subject
            else f"the voice at {at.clip.at(at.frame(ranges[0].begins_s))}"
        )
        self.pieces = [(r, *at.cut(r, shot, shown)) for r in ranges]
        self.plain: list[tuple[VoiceRange, float]] = []

    def left_plain(self) -> list[Finding]:
        """Where the file holds the source's sound though it is to be disguised."""
        found = []
        for one, plain, heard in self.pieces:
            at = _same_sound(plain, heard, self._at.rate)
            if at is not None:
                self.plain.append((one, at))
                first = self._at.frame(one.begins_s + at)
                found.append(
                    Finding(
                        self._at.key,
                        self.subject,
                        Reason.VOICE_PLAIN,
                        first,
                        max(first, self._at.frame(one.ends_s)),
                        round(one.length_s, 2),
                        first,
                    )
                )
        return found

    def attacked(self, encoder, others):
        """What attackers make of it, or None where words are not to be understood, or too little is said."""
        from skiagraph.voice.attacks import attacked

        speaks = [(r, p, h) for r, p, h in self.pieces if self._project.disguise_of(r).speaks]
        if sum(len(p) for _, p, _ in speaks) < CHECK.least_s * self._at.rate:
            return None
        plain, heard = (np.concatenate([piece[k] for piece in speaks]) for k in (1, 2))
        if not len(heard) or np.abs(heard).max() < 1e-4 or np.abs(plain).max() < 1e-4:
            return None
        return attacked(plain, heard, others, self._project.disguise_of(speaks[0][0]), encoder)

    @property
    def background(self) -> tuple[np.ndarray, float]:
        """The quietest stretch around the voice, (n,), and how loud the voice is."""
        size = round(CHECK.room_s * self._at.rate)
        whole = self._shot[1][: round(CHECK.looked_s * self._at.rate)] / 32768.0
        steps = range(0, max(1, len(whole) - size), size // 4)
        quietest = min((whole[n : n + size] for n in steps), key=lambda piece: float((piece**2).mean()) or np.inf)
        plain = self.described
        return quietest, float(np.sqrt(np.mean(plain**2))) if len(plain) else 0.0

    @property
    def described(self) -> np.ndarray:
        """The speaker's own speech."""
        return np.concatenate([plain for _, plain, _ in self.pieces])

    def facts(self, told) -> list[Fact]:
        words = sorted({self._project.disguise_of(r).word.lower() for r in self._ranges})
        seconds = sum(r.length_s for r in self._ranges)
        text = f"{', '.join(words)}, {seconds:.1f} s in track {self._track + 1}"
        if self.plain:
            return [Fact(f"Voice, {self.name}", f"{text}: not disguised in the file", False)]
        if told is None:
            return [
                Fact(
                    f"Voice, {self.name}",
                    f"{text}: the source's sound is not in it",
                    None if any(self._project.disguise_of(r).speaks for r in self._ranges) else True,
                )
            ]
        from skiagraph.voice.attacks import is_known

        said = "; ".join(
            f"{one.by}: likeness {one.like:.2f}, {round(100 * one.others)} % of other voices are as like"
            for one in told
        )
        return [Fact(f"Voice, {self.name}", f"{text}. {said[0].upper()}{said[1:]}", not is_known(told))]

    def known(self, told) -> list[Finding]:
        from skiagraph.voice.attacks import is_known

        if told is None or not is_known(told) or self.plain:
            return []
        first, last = self._at.frame(self._ranges[0].begins_s), self._at.frame(self._ranges[-1].ends_s)
        return [
            Finding(self._at.key, self.subject, Reason.VOICE_KNOWN, first, last, max(one.like for one in told), first)
        ]


def _same_sound(plain: np.ndarray, heard: np.ndarray, rate: int) -> float | None:
    """When two sounds are the same first, s from their beginning, up to late_s apart; None where they never are."""
    size, late = round(CHECK.window_s * rate), round(CHECK.late_s * rate)
    # Where nobody speaks the background may stay as it is, and in silence everything is alike.
    least = max(1e-3, CHECK.loud * float(np.sqrt(np.mean(plain**2)))) if len(plain) else 1.0
    for first in range(0, max(1, min(len(plain), len(heard)) - size // 2), size):
        a, b = plain[first : first + size], heard[max(0, first - late) : first + size + late]
        loud = float(np.sqrt(np.mean(a**2))) if len(a) else 0.0
        if loud < least or len(b) < len(a) or not b.any():
            continue
        found = np.abs(np.correlate(b, a, "valid"))
        squares = np.concatenate([[0.0], np.cumsum(b**2)])
        power = np.sqrt(np.maximum(squares[len(a) :] - squares[: -len(a)], 1e-12) * float((a**2).sum()))
        if float((found / power).max()) >= CHECK.plain:
            return first / rate
    return None


def _heard_elsewhere(
    project: Project,
    at: _Sound,
    track: int,
    voice: _Voice,
    shown,
    disguised: list[tuple[float, float]],
    encoder,
    others,
) -> list[Finding]:
    """Speech in the file, outside of what is disguised, by a speaker who is disguised elsewhere."""
    from skiagraph.voice.activity import Activity, stretches
    from skiagraph.voice.speakers import likeness

    if len(voice.described) < CHECK.least_s * at.rate:
        return []
    speaker, activity = encoder.describe(voice.described), Activity()
    samples = shown[1].copy()
    for begins, ends in disguised:
        samples[
            max(0, round((begins - 0.05) * at.rate) - shown[0]) : max(0, round((ends + 0.05) * at.rate) - shown[0])
        ] = 0
    found = []
    for begins, ends in stretches(activity.heard(samples / 32768.0), activity.size / at.rate):
        piece = samples[round(begins * at.rate) : round(ends * at.rate)] / 32768.0
        for a, b in encoder.turns(piece):
            others.check()
            if b - a < CHECK.least_s * at.rate:
                continue
            here = encoder.describe(piece[a:b])
            if likeness(here, speaker) >= max(
                CHECK.elsewhere, *(likeness(here, other) - CHECK.nearly for other in others.described)
            ):
                when = [begins + (n + shown[0]) / at.rate + at.begins_s for n in (a, b)]
                first, last = (at.frame(t) for t in when)
                found.append(
                    Finding(
                        at.key,
                        voice.subject,
                        Reason.VOICE_PLAIN,
                        first,
                        max(first, last),
                        round(when[1] - when[0], 2),
                        first,
                    )
                )
    return found
