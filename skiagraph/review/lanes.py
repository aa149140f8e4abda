"""What the register's lanes and the attention strip show, as plain values: a test without a window can hold it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import IntEnum

import numpy as np

from skiagraph.project.model import Clip, Project, Sighting, Subject
from skiagraph.project.rows import CONFIDENCE, outline_rows
from skiagraph.remembering import Remembered
from skiagraph.review.finding import UNSURE, Finding

_LANES = Remembered(64 << 20, size=lambda lane: 200 * (1 + len(lane.parts)) + sum(r.nbytes for _, r in lane.ribbons))


class LaneState(IntEnum):
    """How a stretch of a lane is drawn: solid, hatched, an open gap with hard ends, a thin dotted line, an outlined
    bar."""

    COVERED = 0
    UNSURE = 1
    EXPOSED = 2
    SHOWN = 3
    IN_FRONT = 4


class Attention(IntEnum):
    """The worst of a moment: nothing, look, may be exposed."""

    NONE = 0
    LOOK = 1
    EXPOSED = 2


@dataclass(frozen=True, slots=True)
class LanePart:
    """Frames first .. last, both included, in one state."""

    first: int
    last: int
    state: LaneState


@dataclass(frozen=True, slots=True)
class Lane:
    """One subject's lane in a clip.

    parts in order; ribbons: (first frame, float32 (n,) confidence from it on); keyframes: frames with a keyframe or a
    repair; ends: (first, last) of every sighting; repairs: (frame, first, last) of every repair, with the frames
    between which it eases.
    """

    subject: str
    parts: tuple[LanePart, ...]
    ribbons: tuple[tuple[int, np.ndarray], ...]
    keyframes: tuple[int, ...]
    ends: tuple[tuple[int, int], ...]
    findings: int
    repairs: tuple[tuple[int, int, int], ...] = ()


def lanes(project: Project, clip: Clip, subjects: Iterable[Subject], waiting: Iterable[Finding]) -> dict[str, Lane]:
    """The lanes of subjects by key, given the findings that are open."""
    mine: dict[str, list[Finding]] = {}
    for finding in waiting:
        if finding.clip == clip.key:
            mine.setdefault(finding.subject, []).append(finding)
    return {s.key: lane(project, clip, s, mine.get(s.key, ())) for s in subjects}


def lane(project: Project, clip: Clip, subject: Subject, waiting: Iterable[Finding]) -> Lane:
    """The lane of one subject. Kept while neither it nor its findings change."""
    mine = tuple(f for f in waiting if f.clip == clip.key and f.subject == subject.key)
    return _LANES.get((clip, subject), mine, lambda: _lane(project, clip, subject, mine))


def _lane(project: Project, clip: Clip, subject: Subject, mine: tuple[Finding, ...]) -> Lane:
    state = np.full(clip.frames, -1, np.int8)
    sightings = sorted((s for s in subject.in_clip(clip.key) if s.first < clip.frames), key=lambda s: s.first)
    ribbons = []
    for sighting in sightings:
        sure = _confidence(project, clip, sighting)
        span = slice(sighting.first, sighting.first + len(sure))
        state[span] = (
            LaneState.COVERED if subject.is_covered else LaneState.IN_FRONT if subject.is_in_front else LaneState.SHOWN
        )
        if subject.is_covered:
            state[span][sure < UNSURE] = LaneState.UNSURE
        ribbons.append((sighting.first, sure))
    if subject.is_covered:
        for finding in mine:
            if finding.is_exposing:
                state[finding.first : finding.last + 1] = LaneState.EXPOSED
    return Lane(
        subject.key,
        tuple(_stretches(state)),
        tuple(ribbons),
        tuple(sorted(f for s in sightings for f in s.all_marks())),
        tuple((s.first, min(s.last, clip.frames - 1)) for s in sightings),
        len(mine),
        tuple(
            (r.frame, r.frame - r.before, r.frame + r.after) for s in sightings for r in s.repairs if s.covers(r.frame)
        ),
    )


def _confidence(project: Project, clip: Clip, sighting: Sighting) -> np.ndarray:
    return outline_rows(project, sighting)[: clip.frames - sighting.first, CONFIDENCE].astype(np.float32)


def _stretches(state: np.ndarray):
    edges = np.flatnonzero(np.diff(state.astype(int), prepend=-2, append=-2))
    for a, b in zip(edges, edges[1:]):
        if state[a] >= 0:
            yield LanePart(int(a), int(b) - 1, LaneState(int(state[a])))


def attention(clip: Clip, waiting: Iterable[Finding]) -> np.ndarray:
    """The worst open finding of every frame: uint8 (frames,), values of Attention."""
    edges = np.zeros((2, clip.frames + 1), np.int32)
    for finding in waiting:
        if finding.clip == clip.key and finding.first < clip.frames:
            row = edges[int(finding.is_exposing)]
            row[max(0, finding.first)] += 1
            row[min(finding.last, clip.frames - 1) + 1] -= 1
    looked, exposed = np.cumsum(edges, axis=1)[:, :-1] > 0
    return np.where(exposed, Attention.EXPOSED, np.where(looked, Attention.LOOK, Attention.NONE)).astype(np.uint8)


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
    frames = sorted({f for s in subject.in_clip(clip) for f in s.all_marks()})
    if backward:
        return next((f for f in reversed(frames) if f < frame), None)
    return next((f for f in frames if f > frame), None)


def seen_summary(project: Project, subject: Subject, clip: Clip) -> tuple[int, float, int]:
    """How often a subject is seen in a clip, for how many seconds, and its first frame."""
    sightings = subject.in_clip(clip.key)
    frames = sum(s.last - s.first + 1 for s in sightings)
    return len(sightings), frames / float(clip.rate), min((s.first for s in sightings), default=0)
