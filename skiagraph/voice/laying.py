"""Laying disguises over the sound of a track while it streams: what is outside passes as it is, bit for bit; what is
inside is held until a segment of it is whole."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.media.samples import as_float, as_kind
from skiagraph.values import Value
from skiagraph.voice.disguise import Disguise, Heard
from skiagraph.voice.drawing import lots


class LayingSettings(Value, frozen=True):
    """fade_s: of the cross-fade at the ends, which lies outside, so that nothing inside is ever plain: too short
    clicks. search_s: how far from the time that a new voice is due a pause is looked for; pause_s: over how much of it
    loudness is taken. No benchmark set these: fades of 10 to 20 ms are usual in editing sound, and three seconds hold a
    pause in nearly all speech."""

    fade_s: float = 0.02
    search_s: float = 3.0
    pause_s: float = 0.05


LAYING = LayingSettings()


@dataclass(frozen=True, slots=True)
class Span:
    """What is disguised: samples first .. after of a track (after not included), counted from the clip's first picture.
    channels: from 0, none for all. about: what its draws belong to."""

    first: int
    after: int
    disguise: Disguise
    about: tuple[object, ...] = ()
    channels: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Range:
    """What is disguised, in seconds from the clip's first picture. about, channels: as of a span."""

    begins_s: float
    ends_s: float
    disguise: Disguise
    about: tuple[object, ...] = ()
    channels: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """What is laid over a track, before its rate is known: containers may say another than the decoder gives. room: (n,
    channels) float at room_rate."""

    ranges: tuple[Range, ...]
    secret: bytes
    room: np.ndarray | None = None
    room_rate: int = 0

    def at(self, rate: int) -> Laying:
        """The plan in samples. Ends lie on the sample at or outside of the time."""
        room = self.room if self.room is None or self.room_rate == rate else None
        return Laying(
            tuple(
                Span(_floor(r.begins_s * rate), -_floor(-r.ends_s * rate), r.disguise, r.about, r.channels)
                for r in self.ranges
            ),
            rate,
            self.secret,
            room,
        )


def _floor(value: float) -> int:
    # Times are kept to a millionth of a second; what is a whole sample up to that is one.
    return int((value + 1e-4) // 1)


@dataclass(frozen=True, slots=True)
class Laying:
    """All that is laid over a track. room: background of it, (n, channels) float, None where none is known."""

    spans: tuple[Span, ...]
    rate: int
    secret: bytes
    room: np.ndarray | None = None

    def begin(self) -> Laid:
        """Something that blocks are passed through, in order."""
        return Laid(self)

    def over(self, blocks: Iterable[tuple[int, np.ndarray]]) -> Iterator[tuple[int, np.ndarray]]:
        """Blocks in order, without gaps: (place of the first sample, (n, channels) of any kind of samples) each; the
        same samples disguised, in blocks that may be others."""
        laid = self.begin()
        for at, block in blocks:
            yield from laid.take(at, block)
        yield from laid.rest()

    @property
    def fade(self) -> int:
        return max(1, round(LAYING.fade_s * self.rate))

    def needed_from(self, place: int) -> int:
        """Where reading has to begin so that what is heard from a place on is what it is when all is read."""
        for span in self.spans:
            if span.first - self.fade < place < span.after + self.fade:
                each, search = _each(span, self.rate), round(LAYING.search_s * self.rate)
                number = max(0, (place - span.first - search - self.fade) // each)
                begin = span.first + number * each - (search if number else 0) - 2 * self.fade
                place = min(place, begin)
        return place


def _each(span: Span, rate: int) -> int:
    return max(round(span.disguise.anew_s * rate), 3 * round(LAYING.search_s * rate) // 2)


def _lanes(spans: Sequence[Span], fade: int) -> list[list[Span]]:
    """Spans that do not touch, together: those that overlap are laid one over the other, which uncovers nothing."""
    lanes: list[list[Span]] = []
    for span in sorted(spans, key=lambda s: (s.first, s.after)):
        if span.after <= span.first:
            continue
        lane = next((lane for lane in lanes if lane[-1].after + fade <= span.first - fade), None)
        if lane is None:
            lanes.append([span])
        else:
            lane.append(span)
    return lanes


class Laid:
    """Sound on its way through a laying: the same samples come out, some of them later."""

    def __init__(self, laying: Laying):
        self._lanes = [_Lane(laying, lane) for lane in _lanes(laying.spans, laying.fade)]

    def take(self, at: int, block: np.ndarray) -> list[tuple[int, np.ndarray]]:
        """Pass a block in; what is ready comes out."""
        ready = [(at, block)]
        for lane in self._lanes:
            ready = [out for given in ready for out in lane.take(*given)]
        return ready

    def rest(self) -> list[tuple[int, np.ndarray]]:
        """What was held, the sound having ended."""
        ready: list[tuple[int, np.ndarray]] = []
        for lane in self._lanes:
            ready = [out for given in ready for out in lane.take(*given)] + list(lane.rest())
        return ready


class _Lane:
    """Spans one after another."""

    def __init__(self, laying: Laying, spans: list[Span]):
        self._laying, self._waiting = laying, list(spans)
        self._now: _Over | None = None

    def take(self, at: int, block: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
        while len(block):
            if self._now is None:
                begin = self._waiting[0].first - self._laying.fade if self._waiting else at + len(block)
                if at < begin:
                    yield at, block[: begin - at]
                    at, block = min(begin, at + len(block)), block[begin - at :]
                    continue
                span = self._waiting.pop(0)
                if span.after + self._laying.fade <= at:
                    continue
                self._now = _Over(self._laying, span, at)
            room = self._now.end - at
            yield from self._now.take(block[:room])
            if len(block) >= room:
                yield from self.rest()
            at, block = at + min(room, len(block)), block[room:]

    def rest(self) -> Iterator[tuple[int, np.ndarray]]:
        now, self._now = self._now, None
        if now is not None:
            yield from now.rest()


class _Over:
    """One span, segment by segment. begins: where its sound begins, which may be after the span does."""

    def __init__(self, laying: Laying, span: Span, begins: int):
        self._laying, self._span = laying, span
        self._fade, self.end = laying.fade, span.after + laying.fade
        self._parts: list[np.ndarray] = []
        self._at = self._have = begins
        self._search = round(LAYING.search_s * laying.rate)
        self._each = _each(span, laying.rate)
        inside = begins - (span.first - self._fade)
        self._number = 0 if inside <= 0 else max(0, (begins + self._search + self._fade - span.first - 1) // self._each)
        # Of the segment before, what fades out over the beginning of the next.
        self._tail: np.ndarray | None = None

    def take(self, block: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
        self._parts.append(block)
        self._have += len(block)
        while (
            due := self._span.first + (self._number + 1) * self._each
        ) + self._search < self._span.after and self._have >= due + self._search + self._fade:
            held = self._whole()
            yield from self._segment(
                held, self._quietest(held, due) if due - self._search > self._at else due, last=False
            )

    def rest(self) -> Iterator[tuple[int, np.ndarray]]:
        """What is left, the sound having ended or the span."""
        if self._have > self._at:
            yield from self._segment(self._whole(), self._have, last=True)

    def _whole(self) -> np.ndarray:
        if len(self._parts) > 1:
            self._parts = [np.concatenate(self._parts)]
        return self._parts[0]

    def _quietest(self, held: np.ndarray, due: int) -> int:
        """A pause near the time that another voice is due."""
        near = as_float(held[due - self._search - self._at : due + self._search - self._at])
        power = (near**2).sum(axis=1)
        size = max(1, round(LAYING.pause_s * self._laying.rate))
        return due - self._search + int(np.convolve(power, np.ones(size), mode="valid").argmin()) + size // 2

    def _segment(self, held: np.ndarray, end: int, last: bool) -> Iterator[tuple[int, np.ndarray]]:
        """Disguise from where it is to `end`, and give out all that nothing more is laid over."""
        fade = self._fade
        upto = end if last else end + fade
        source = held[: upto - self._at]
        plain = as_float(source)
        wanted = list(self._span.channels) or list(range(plain.shape[1]))
        wanted = [c for c in wanted if c < plain.shape[1]]
        out, weight = plain.copy(), np.ones(len(plain))
        if wanted:
            room = self._laying.room
            heard = Heard(
                plain[:, wanted],
                self._laying.rate,
                lots(self._laying.secret, *self._span.about, self._number),
                room[:, wanted] if room is not None and room.shape[1] == plain.shape[1] else None,
            )
            out[:, wanted] = self._span.disguise.instead(heard)
        if self._tail is not None:
            # Both are disguised: one goes over into the other.
            n = min(len(self._tail), len(out))
            rising = _rising(len(self._tail))[:n, None]
            out[:n] = out[:n] * rising + self._tail[:n] * np.sqrt(1 - rising**2)
        places = np.arange(self._at, upto)
        weight[places < self._span.first] = _rising(fade)[places[places < self._span.first] - (self._span.first - fade)]
        weight[places >= self._span.after] = _rising(fade)[::-1][places[places >= self._span.after] - self._span.after]
        mixed = out * weight[:, None] + plain * np.sqrt(1 - weight**2)[:, None]
        given = len(source) if last else end - fade - self._at
        made = as_kind(mixed[:given], source.dtype)
        kept = [c for c in range(plain.shape[1]) if c not in wanted]
        made[:, kept] = source[:given, kept]
        yield self._at, made
        self._tail = out[given:]
        self._parts = [held[given:]]
        self._at += given
        self._number += 1


def _rising(size: int) -> np.ndarray:
    """A fade that keeps power, for sounds that are not alike."""
    return np.sin(np.pi / 2 * (np.arange(size) + 0.5) / size)
