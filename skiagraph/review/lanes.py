"""What the register's lanes and the attention strip show, as plain values: a test without a window can hold it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import IntEnum

import numpy as np

from skiagraph.project.model import Clip, Project, Subject
from skiagraph.project.outline import outline_rows
from skiagraph.review.findings import UNSURE, Finding


class LaneState(IntEnum):
    """How a stretch of a lane is drawn: solid, hatched, an open gap with hard ends, a thin dotted line."""

    COVERED = 0
    UNSURE = 1
    EXPOSED = 2
    SHOWN = 3


class Attention(IntEnum):
    """The worst of a moment: nothing, look, may be exposed."""

    NONE = 0
    LOOK = 1
    EXPOSED = 2


@dataclass(frozen=True, slots=True)
class Stretch:
    """Frames first .. last, both included, in one state."""

    first: int
    last: int
    state: LaneState


@dataclass(frozen=True, slots=True)
class Lane:
    """One subject's lane in a clip.

    stretches in order; sure: float32 (n,) confidence from frame sure_first on, the ribbon; keyframes: frames with a
    correction; ends: (first, last) of every sighting.
    """

    subject: str
    stretches: tuple[Stretch, ...]
    ribbons: tuple[tuple[int, np.ndarray], ...]
    keyframes: tuple[int, ...]
    ends: tuple[tuple[int, int], ...]
    findings: int


def lane(project: Project, clip: Clip, subject: Subject, waiting: Iterable[Finding]) -> Lane:
    """The lane of a subject, given the findings that are open."""
    mine = [f for f in waiting if f.clip == clip.key and f.subject == subject.key]
    state = np.full(clip.frames, -1, int)
    sightings = subject.in_clip(clip.key)
    ribbons = []
    for sighting in sightings:
        rows = outline_rows(sighting)
        span = slice(sighting.first, sighting.last + 1)
        state[span] = LaneState.COVERED if subject.is_covered else LaneState.SHOWN
        if subject.is_covered:
            state[span][rows[:, 5] < UNSURE] = LaneState.UNSURE
        ribbons.append((sighting.first, rows[:, 5].astype(np.float32)))
    if subject.is_covered:
        for finding in mine:
            if finding.is_exposing:
                state[finding.first:finding.last + 1] = LaneState.EXPOSED
    return Lane(subject.key, tuple(_stretches(state)), tuple(ribbons), tuple(sorted(c.frame for s in sightings for c in s.corrections)),
                tuple((s.first, s.last) for s in sightings), len(mine))


def _stretches(state: np.ndarray):
    edges = np.flatnonzero(np.diff(state, prepend=-2, append=-2))
    for a, b in zip(edges, edges[1:]):
        if state[a] >= 0:
            yield Stretch(int(a), int(b) - 1, LaneState(int(state[a])))


def attention(clip: Clip, waiting: Iterable[Finding]) -> np.ndarray:
    """The worst open finding of every frame: uint8 (frames,), values of Attention."""
    worst = np.zeros(clip.frames, np.uint8)
    for finding in waiting:
        if finding.clip == clip.key:
            span = slice(finding.first, finding.last + 1)
            worst[span] = np.maximum(worst[span], Attention.EXPOSED if finding.is_exposing else Attention.LOOK)
    return worst


def next_finding(waiting: list[Finding], clip: str, frame: int, *, backward: bool = False) -> Finding | None:
    """The next open finding of a clip after (or before) a frame; from the end it goes on at the beginning."""
    mine = sorted((f for f in waiting if f.clip == clip), key=lambda f: (f.at, f.subject))
    if not mine:
        return None
    if backward:
        return next((f for f in reversed(mine) if f.at < frame), mine[-1])
    return next((f for f in mine if f.at > frame), mine[0])


def next_keyframe(subject: Subject, clip: str, frame: int, *, backward: bool = False) -> int | None:
    """The subject's next keyframe after (or before) a frame, or None."""
    frames = sorted({c.frame for s in subject.in_clip(clip) for c in s.corrections})
    if backward:
        return next((f for f in reversed(frames) if f < frame), None)
    return next((f for f in frames if f > frame), None)


def seen_summary(project: Project, subject: Subject, clip: Clip) -> tuple[int, float, int]:
    """How often a subject is seen in a clip, for how many seconds, and its first frame."""
    sightings = subject.in_clip(clip.key)
    frames = sum(s.last - s.first + 1 for s in sightings)
    return len(sightings), frames / float(clip.rate), min((s.first for s in sightings), default=0)
