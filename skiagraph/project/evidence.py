"""Evidence: what was seen. Immutable, identified, outside of undo; jobs bring it by swapping in whole values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

import msgspec

from skiagraph.project.clip import Count, Key, Positive
from skiagraph.remembering import Remembered
from skiagraph.track.masks import Masks
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable
from skiagraph.values import Family, Value, replace

Share = Annotated[float, msgspec.Meta(ge=0, le=1)]


class TrackKind(Family):
    """What a track is of."""

    __slots__ = ()


@TrackKind.register
class Head(TrackKind, Value, frozen=True, tag_field="kind", tag="head"):
    """A head, crown to chin and ear to ear, as the face detector and the followers give it."""


@TrackKind.register
class Outlined(TrackKind, Value, frozen=True, tag_field="kind", tag="outlined"):
    """Whatever an outline that a person placed encloses."""


@TrackKind.register
class Cut(TrackKind, Value, frozen=True, tag_field="kind", tag="cut"):
    """Something inside a loose outline with its exact edge: masks in the unit frame of the path's rows."""

    masks: Masks


class TrackSource(Family):
    """Which job a track comes from, with its settings."""

    __slots__ = ()


@TrackSource.register
class FromScan(TrackSource, Value, frozen=True, tag_field="kind", tag="scan"):
    """A scan of the whole clip, which searched each n-th frame."""

    scan: Key
    every: Positive = 1


@TrackSource.register
class FromFollowing(TrackSource, Value, frozen=True, tag_field="kind", tag="following"):
    """Following an outline that a person placed at a frame. motion: what was allowed to change."""

    frame: Count
    motion: Annotated[str, msgspec.Meta(max_length=40)] = ""


@TrackSource.register
class FromJoining(TrackSource, Value, frozen=True, tag_field="kind", tag="joining"):
    """Where somebody was covered in two sightings that a person made one, or in one that was copied from elsewhere."""


class Track(Value, frozen=True):
    """Something seen in an unbroken stretch of a clip. Never edited; an id stands for one path for ever."""

    key: Key
    clip: Key
    path: Path
    source: TrackSource
    of: TrackKind = Head()

    def __post_init__(self):
        msgspec.structs.force_setattr(self, "path", self.path.kept())


class Join(Value, frozen=True):
    """Where a scan asked whether somebody is the same person on both sides, and took them for it. first, last: frames
    in between; others: keys of the people who were there; same: probability."""

    first: Count
    last: Count
    others: tuple[int, ...] = ()
    same: Share = 1.0


class Person(Value, frozen=True):
    """Somebody a scan believes its tracks to be of. key: number within the scan; best: frame and box x0, y0, x1, y1 px
    of the best face; doubtful: hardly a face; sure: that all tracks are one person; joins: where they met others or
    were out of sight."""

    key: int
    tracks: tuple[Key, ...]
    best_frame: Count
    best_box: tuple[float, float, float, float]
    doubtful: bool = False
    sure: Share = 1.0
    joins: tuple[Join, ...] = ()


class Scan(Value, frozen=True):
    """One search of a clip for people: who and where, every face the detector was sure of, and where shots begin.

    every: each n-th frame was searched; reached: frames from the beginning that were looked at, fewer than the clip's
    when a person kept what a cancelled scan had found; likely: (key, key, probability) of people who may be one; begun:
    the first frame that was looked at, when only a part was asked for; gaps: first and last frames between parts that
    were not looked at.
    """

    key: Key
    clip: Key
    every: Positive
    reached: Count
    people: tuple[Person, ...] = ()
    faces: FaceTable = msgspec.field(default_factory=FaceTable.none)
    cuts: tuple[Count, ...] = ()
    likely: tuple[tuple[int, int, Share], ...] = ()
    begun: Count = 0
    gaps: tuple[tuple[Count, Count], ...] = ()

    def is_whole(self, frames: int) -> bool:
        """Whether every frame of a clip of so many was looked at."""
        return self.reached >= frames and not self.begun and not self.gaps


class Sweep(Value, frozen=True):
    """A strict search of a whole clip, for faces that nobody knows of: what was found, at a lower score and down to
    smaller faces than a scan takes for one. It covers nobody; it is for a person to look at.

    smallest: px of the smallest face that was looked for; limit: the least score that counts.
    """

    clip: Key
    smallest: Positive
    limit: Share
    faces: FaceTable = msgspec.field(default_factory=FaceTable.none)


class Speech(Value, frozen=True):
    """Somebody speaks, without a longer pause: from begins_s to ends_s, seconds from the first picture, while frames
    first .. last are on the screen. track: counted from 1."""

    track: Positive
    begins_s: Annotated[float, msgspec.Meta(ge=-86_400, le=1_000_000)]
    ends_s: Annotated[float, msgspec.Meta(ge=-86_400, le=1_000_000)]
    first: Count
    last: Count


class Voice(Value, frozen=True):
    """What one speaker says in a clip, as far as voices could be told apart; what tells them apart is not kept."""

    key: Key
    speech: tuple[Speech, ...]

    @property
    def length_s(self) -> float:
        return sum(s.ends_s - s.begins_s for s in self.speech)


class Listening(Value, frozen=True):
    """What was heard in the sound of a clip. begin, end: probability of speech from which it counts, and under which it
    ends; same: likeness from which two pieces of speech are one speaker's."""

    clip: Key
    voices: tuple[Voice, ...] = ()
    begin: Share = 0.5
    end: Share = 0.35
    same: Share = 0.8


class Evidence(Value, frozen=True):
    """scans: at most one for each clip; tracks: of those scans, of jobs, and of former scans, on which covers may still
    rest; sweeps, listenings: at most one for each clip."""

    scans: tuple[Scan, ...] = ()
    tracks: tuple[Track, ...] = ()
    sweeps: tuple[Sweep, ...] = ()
    listenings: tuple[Listening, ...] = ()

    def by_key(self) -> Mapping[str, Track]:
        return _BY_KEY.get((self,), "tracks", lambda: {track.key: track for track in self.tracks})

    def scan_of(self, clip: str) -> Scan | None:
        return next((scan for scan in self.scans if scan.clip == clip), None)

    def in_clip(self, clip: str) -> list[Track]:
        return [track for track in self.tracks if track.clip == clip]

    def with_scan(self, scan: Scan, tracks: tuple[Track, ...]) -> Evidence:
        """A scan in the place of the clip's former one, whose tracks stay for what rests on them."""
        return replace(
            self, scans=(*(s for s in self.scans if s.clip != scan.clip), scan), tracks=(*self.tracks, *tracks)
        )

    def with_sweep(self, sweep: Sweep) -> Evidence:
        """A strict search in the place of the clip's former one."""
        return replace(self, sweeps=(*(s for s in self.sweeps if s.clip != sweep.clip), sweep))

    def sweep_of(self, clip: str) -> Sweep | None:
        return next((sweep for sweep in self.sweeps if sweep.clip == clip), None)

    def with_listening(self, listening: Listening) -> Evidence:
        """What was heard in a clip in the place of what was heard there before.

        Voices keep the key of the former voice with which they share most speech, so that what was said of who speaks
        stays.
        """
        former = self.listening_of(listening.clip)
        if former is not None:
            listening = replace(listening, voices=_with_former_keys(listening.voices, former.voices))
        return replace(self, listenings=(*(one for one in self.listenings if one.clip != listening.clip), listening))

    def listening_of(self, clip: str) -> Listening | None:
        return next((one for one in self.listenings if one.clip == clip), None)

    def with_tracks(self, tracks: tuple[Track, ...]) -> Evidence:
        known = self.by_key()
        fresh = tuple(track for track in tracks if track.key not in known)
        return replace(self, tracks=(*self.tracks, *fresh)) if fresh else self


def _with_former_keys(voices: tuple[Voice, ...], former: tuple[Voice, ...]) -> tuple[Voice, ...]:
    shared = sorted(
        ((_shared_s(voice, old), n, m) for n, voice in enumerate(voices) for m, old in enumerate(former)), reverse=True
    )
    keys: dict[int, str] = {}
    for seconds, n, m in shared:
        if seconds > 0 and n not in keys and former[m].key not in keys.values():
            keys[n] = former[m].key
    return tuple(replace(voice, key=keys.get(n, voice.key)) for n, voice in enumerate(voices))


def _shared_s(one: Voice, other: Voice) -> float:
    return sum(
        max(0.0, min(a.ends_s, b.ends_s) - max(a.begins_s, b.begins_s))
        for a in one.speech
        for b in other.speech
        if a.track == b.track
    )


_BY_KEY = Remembered(4096, size=lambda made: 1)
