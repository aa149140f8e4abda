"""Findings: stretches of frames that a person must look at, with the reason. Small named checks and one list.

All checks here work on the project alone, without decoding, so they can be made after every edit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy
from skiagraph.project.model import Clip, Project, Sighting, Subject
from skiagraph.project.outline import outline_rows
from skiagraph.timecode import format_timecode
from skiagraph.track.results import SIGN

# Confidence under which a person should look.
UNSURE = 0.35
# Unsure stretches this close are one finding; shorter than this they are a blink that the margin covers.
JOIN, LEAST = 6, 5
# A head of which this share is under other covers cannot be seen; one that is this much out of the picture is on its way.
BEHIND, LEAVING, LEAVING_FRAMES = 0.6, 0.8, 16
# Share of a found face that must be inside its cover. Of a profile, a detector's box holds up to a seventh of air.
INSIDE = 0.88
# A box this much wider than the head it is on was drawn at a wrong scale and says nothing of what is exposed.
TOO_LARGE = 1.2
# A face belongs to a subject when this much of it lies in the subject's head.
BELONGS = 0.5
# Where there is a sign at an edge somebody may be for this long, in frames, before or after.
AT_EDGE_FRAMES = 8
# A gap longer than this is an absence, if it begins and ends at the edge of the picture.
EDGE = 0.75


class Reason(StrEnum):
    GAP = "gap"
    UNSURE = "unsure"
    ENDS_INSIDE = "ends-inside"
    BEGINS_INSIDE = "begins-inside"
    FACE_OUTSIDE = "face-outside-cover"
    NOBODYS_FACE = "face-of-nobody"
    MAYBE_AT_EDGE = "maybe-at-edge"
    NOT_SCANNED = "not-scanned"
    DAMAGED = "damaged"
    FILE_DIFFERS = "cover-missing-in-file"
    FILE_FACE = "face-in-file"
    FILE_SHAPE = "file-of-other-shape"


EXPOSING = {Reason.GAP, Reason.FACE_OUTSIDE, Reason.NOBODYS_FACE, Reason.MAYBE_AT_EDGE, Reason.NOT_SCANNED, Reason.FILE_DIFFERS, Reason.FILE_FACE, Reason.FILE_SHAPE}


@dataclass(frozen=True, slots=True)
class Finding:
    """subject: key, or empty where it is nobody's. first and last: frames, both included. worst: the worst value, whose
    meaning depends on the reason (confidence, share inside, frames). at: the frame to look at first."""

    clip: str
    subject: str
    reason: Reason
    first: int
    last: int
    worst: float
    at: int

    @property
    def is_exposing(self) -> bool:
        """True where somebody may be visible, false where the path is only unsure."""
        return self.reason in EXPOSING


Check = Callable[[Project, Clip], Iterator[Finding]]
CHECKS: list[Check] = []


def check(function: Check) -> Check:
    """Register a check on one clip of a project."""
    CHECKS.append(function)
    return function


def findings(project: Project) -> list[Finding]:
    """All findings on a project, in the order of clips and frames, accepted ones included."""
    found = [f for clip in project.clips for each in CHECKS for f in each(project, clip)]
    order = {clip.key: n for n, clip in enumerate(project.clips)}
    return sorted(found, key=lambda f: (order[f.clip], f.first, f.subject, f.reason))


def is_accepted(project: Project, finding: Finding) -> bool:
    """True when a person accepted this finding or one that contains it."""
    return any(a.clip == finding.clip and a.subject == finding.subject and a.reason == finding.reason
               and a.first <= finding.first and finding.last <= a.last for a in project.accepted)


def open_findings(project: Project, found: Iterable[Finding] | None = None) -> list[Finding]:
    return [f for f in (findings(project) if found is None else found) if not is_accepted(project, f)]


def _covered(project: Project, clip: Clip) -> Iterator[tuple[Subject, list[Sighting]]]:
    for subject in project.subjects:
        sightings = sorted(subject.in_clip(clip.key), key=lambda s: s.first)
        # What is hardly a face is for a person to decide about, not to follow better.
        if subject.is_covered and sightings and not subject.doubtful:
            yield subject, sightings


@check
def never_scanned(project: Project, clip: Clip) -> Iterator[Finding]:
    """A clip that nobody was looked for in."""
    if not clip.every:
        yield Finding(clip.key, "", Reason.NOT_SCANNED, 0, clip.frames - 1, 0.0, 0)


@check
def damaged(project: Project, clip: Clip) -> Iterator[Finding]:
    """A clip that ends before its end."""
    if clip.damage:
        yield Finding(clip.key, "", Reason.DAMAGED, clip.frames - 1, clip.frames - 1, 0.0, clip.frames - 1)


@check
def gaps(project: Project, clip: Clip) -> Iterator[Finding]:
    """Frames without cover, or with one that was not sure, between frames with it, unless the subject left at the edge and came back there."""
    for subject, sightings in _covered(project, clip):
        for before, after in zip(sightings, sightings[1:]):
            if _is_gap(before, after, clip):
                missing = after.first - before.last - 1
                # Where the cover was not sure any more, or not yet, it is as if there were none.
                sure_before, sure_after = (np.flatnonzero(outline_rows(s)[:, 5] >= UNSURE) for s in (before, after))
                first = before.first + int(sure_before[-1]) + 1 if len(sure_before) else before.first
                last = after.first + int(sure_after[0]) - 1 if len(sure_after) else after.last
                yield Finding(clip.key, subject.key, Reason.GAP, first, last, float(missing), before.last + 1)


def _is_gap(before: Sighting, after: Sighting, clip: Clip) -> bool:
    cut = any(before.last < c <= after.first for c in clip.cuts)
    left = _at_edge(outline_rows(before)[-1], clip) and _at_edge(outline_rows(after)[0], clip)
    return after.first > before.last + 1 and not left and not cut


@check
def unsure(project: Project, clip: Clip) -> Iterator[Finding]:
    """Confidence under the limit."""
    heads = _Heads(project, clip)
    for subject, sightings in _covered(project, clip):
        for n, sighting in enumerate(sightings):
            rows = outline_rows(sighting)
            low = rows[:, 5] < UNSURE
            seen = _visible_share(rows, clip)
            # Where the head is out of the picture there is nothing to be sure of, and nothing to see behind other covers.
            low &= seen > 0.03
            for row in np.flatnonzero(low):
                low[row] = heads.hidden(subject, rows[row], sighting.first + int(row)) < BEHIND
            confident = {c.frame for c in sighting.corrections}
            for first, last in runs(np.flatnonzero(low) + sighting.first):
                part = slice(first - sighting.first, last - sighting.first + 1)
                at_end = first - sighting.first < LEAST or sighting.last - last < LEAST
                if last - first + 1 < LEAST and not (first == last == sighting.first == sighting.last):
                    continue
                if at_end and last - first < LEAVING_FRAMES and np.median(seen[part]) < LEAVING:
                    continue
                # The end of a path, and the gap after it, have findings of their own that a person looks at anyway.
                if _ends_named(sightings, n, clip, first - sighting.first < LEAST, sighting.last - last < LEAST):
                    continue
                worst = rows[part, 5]
                if any(first - JOIN <= f <= last + JOIN for f in confident) and worst.min() > UNSURE / 2:
                    continue
                yield Finding(clip.key, subject.key, Reason.UNSURE, first, last, round(float(worst.min()), 3), first + int(worst.argmin()))


def _ends_named(sightings: list[Sighting], n: int, clip: Clip, at_begin: bool, at_end: bool) -> bool:
    """True where an unsure stretch touches an end that another finding is about, which then reaches over it."""
    return bool(at_end and _loose(sightings, n, clip)[1]) or bool(at_begin and _loose(sightings, n, clip)[0])


def _loose(sightings: list[Sighting], n: int, clip: Clip) -> tuple[bool, bool]:
    """Whether a sighting begins, and ends, inside the picture though the clip goes on."""
    sighting, rows = sightings[n], outline_rows(sightings[n])
    before, after = sightings[n - 1] if n else None, sightings[n + 1] if n + 1 < len(sightings) else None
    begins = not (sighting.first <= 0 or sighting.first in clip.cuts or _at_edge(rows[0], clip) or before is not None and before.last >= sighting.first - 1)
    ends = not (sighting.last >= clip.frames - 1 or sighting.last + 1 in clip.cuts or _at_edge(rows[-1], clip) or after is not None and after.first <= sighting.last + 1)
    return begins, ends


@check
def ends_inside(project: Project, clip: Clip) -> Iterator[Finding]:
    """A path that begins or ends inside the picture, away from its edge, though the clip goes on.

    The finding reaches over the unsure rows at that end. What lies between two sightings of one subject is a gap instead.
    """
    if not clip.every:
        return
    second = max(1, round(float(clip.rate)))
    for subject, sightings in _covered(project, clip):
        for n, sighting in enumerate(sightings):
            begins, ends = _loose(sightings, n, clip)
            low = outline_rows(sighting)[:, 5] < UNSURE
            if ends and not (n + 1 < len(sightings) and _is_gap(sighting, sightings[n + 1], clip)):
                sure = np.flatnonzero(~low)
                first = sighting.first + int(sure[-1]) + 1 if len(sure) else sighting.first
                end = min(clip.frames - 1, sighting.last + second)
                yield Finding(clip.key, subject.key, Reason.ENDS_INSIDE, min(first, sighting.last), end, float(clip.frames - 1 - sighting.last), sighting.last)
            if begins and not (n and _is_gap(sightings[n - 1], sighting, clip)):
                sure = np.flatnonzero(~low)
                last = sighting.first + int(sure[0]) - 1 if len(sure) else sighting.last
                yield Finding(clip.key, subject.key, Reason.BEGINS_INSIDE, max(0, sighting.first - second), max(last, sighting.first), float(sighting.first), sighting.first)


@check
def faces(project: Project, clip: Clip) -> Iterator[Finding]:
    """A found face that is not fully inside its cover, and one that belongs to no subject."""
    if not len(clip.faces):
        return
    outside: dict[str, dict[int, float]] = {}
    for row, key, inside in judged_faces(project, clip):
        frame = int(clip.faces.frames[row])
        if clip.faces.scores[row] < SIGN:
            if key is None:
                # Towards the inside of the shot whose end it is at.
                ends = frame == clip.frames - 1 or frame + 1 in clip.cuts
                first, last = (max(0, frame - AT_EDGE_FRAMES), frame) if ends else (frame, min(clip.frames - 1, frame + AT_EDGE_FRAMES))
                yield Finding(clip.key, "", Reason.MAYBE_AT_EDGE, first, last, round(int(clip.faces.scores[row]) / 100, 2), frame)
        elif key is None:
            outside.setdefault("", {})[frame] = max(int(clip.faces.scores[row]) / 100, outside.get("", {}).get(frame, 0))
        elif inside < INSIDE:
            outside.setdefault(key, {})[frame] = min(inside, outside.get(key, {}).get(frame, 1))
    for key, frames in outside.items():
        reason = Reason.FACE_OUTSIDE if key else Reason.NOBODYS_FACE
        worst_of = min if key else max
        for first, last in runs(np.array(sorted(frames))):
            worst = worst_of(v for f, v in frames.items() if first <= f <= last)
            at = next(f for f, v in frames.items() if first <= f <= last and v == worst)
            yield Finding(clip.key, key, reason, first, last, round(float(worst), 3), at)


def judged_faces(project: Project, clip: Clip) -> Iterator[tuple[int, str | None, float]]:
    """For each face of the clip's table: its row, the subject it belongs to (None: nobody), the share of it inside a cover.

    A face belongs to the subject whose head holds most of it. Of a subject that is shown the share is 1.
    """
    table = clip.faces
    heads = _heads_by_frame(project, clip)
    for row in range(len(table)):
        box = table.boxes[row].astype(float)
        present = heads.get(int(table.frames[row]), [])
        samples = face_points(box, clip)
        best, best_share, head = None, BELONGS, None
        for subject, outline, _ in present:
            share = float(_inside(outline, samples).mean())
            near = _near(outline, box)
            if share > best_share or (near and best is None):
                best, best_share, head = subject, max(share, BELONGS), outline
        if best is None:
            yield row, None, 0.0
        elif not best.is_covered or box[2] - box[0] > TOO_LARGE * head[2]:
            yield row, best.key, 1.0
        else:
            hidden = np.zeros(len(samples), bool)
            for subject, _, cover in present:
                if subject.is_covered:
                    hidden |= _inside(cover, samples)
            yield row, best.key, float(hidden.mean())


def _heads_by_frame(project, clip):
    """For each frame: (subject, head (5,), cover (5,)) of everybody there."""
    frames: dict[int, list] = {}
    wanted = set(clip.faces.frames.tolist())
    for subject in project.subjects:
        margin = project.style_of(subject).margin
        for sighting in subject.in_clip(clip.key):
            rows = outline_rows(sighting)
            covers = rows[:, :5].copy()
            covers[:, 2:4] *= (1 + margin + rows[:, 6])[:, None]
            for frame in wanted.intersection(range(sighting.first, sighting.last + 1)):
                n = frame - sighting.first
                frames.setdefault(frame, []).append((subject, rows[n, :5], covers[n]))
    return frames


def face_points(box: np.ndarray, clip: Clip) -> np.ndarray:
    """Points of the face itself, (n, 2): the ellipse inside the detector's box, where it is inside the picture."""
    points = box[:2] + FACE_DISC * (box[2:] - box[:2])
    seen = (points[:, 0] >= 0) & (points[:, 1] >= 0) & (points[:, 0] < clip.width) & (points[:, 1] < clip.height)
    return points[seen] if seen.any() else points


_GRID = (np.stack(np.meshgrid(np.arange(9), np.arange(9)), -1).reshape(-1, 2) + 0.5) / 9
# Points of the disc inside a unit square: the part of a detector's box that is face.
FACE_DISC = _GRID[np.hypot(*(_GRID - 0.5).T) <= 0.5]


def _inside(outline: np.ndarray, points: np.ndarray) -> np.ndarray:
    lean = np.radians(outline[4])
    dx, dy = points[:, 0] - outline[0], points[:, 1] - outline[1]
    u = (dx * np.cos(lean) + dy * np.sin(lean)) / max(outline[2] / 2, 1e-6)
    v = (dy * np.cos(lean) - dx * np.sin(lean)) / max(outline[3] / 2, 1e-6)
    return u * u + v * v <= 1


def _near(outline, box) -> bool:
    """True when a face is where a head's face should be, even if the head's outline was drawn wrong there."""
    side = box[2] - box[0]
    away = np.hypot((box[0] + box[2]) / 2 - outline[0], (box[1] + box[3]) / 2 - (outline[1] + 0.1 * outline[3]))
    return bool(away < 0.6 * side and 0.5 < outline[2] / max(side, 1) < 2.4)


class _Heads:
    """Heads of everybody in a clip by frame, to tell who is behind whom."""

    def __init__(self, project: Project, clip: Clip):
        self._sightings = [(subject, sighting, outline_rows(sighting), project.style_of(subject).margin)
                           for subject in project.subjects if subject.is_covered for sighting in subject.in_clip(clip.key)]

    def hidden(self, subject: Subject, row: np.ndarray, frame: int) -> float:
        """Share of a head that lies under the covers of others whose place is sure."""
        points = row[:2] + (FACE_DISC - 0.5) * row[2:4]
        under = np.zeros(len(points), bool)
        for other, sighting, rows, margin in self._sightings:
            if other is not subject and sighting.first <= frame <= sighting.last:
                there = rows[frame - sighting.first]
                if there[5] >= 0.5:
                    cover = there[:5].copy()
                    cover[2:4] *= 1 + margin + there[6]
                    under |= _inside(cover, points)
        return float(under.mean())


def _at_edge(row: np.ndarray, clip: Clip) -> bool:
    """True when a head is at the edge of the picture or beyond it."""
    x0, y0, x1, y1 = cxcywh_to_xyxy(row[None, :4] * [1, 1, EDGE, EDGE])[0]
    return bool(x0 <= 0 or y0 <= 0 or x1 >= clip.width or y1 >= clip.height)


def _visible_share(rows: np.ndarray, clip: Clip) -> np.ndarray:
    boxes = cxcywh_to_xyxy(rows[:, :4])
    width = np.minimum(boxes[:, 2], clip.width) - np.maximum(boxes[:, 0], 0)
    height = np.minimum(boxes[:, 3], clip.height) - np.maximum(boxes[:, 1], 0)
    return np.clip(width, 0, None) * np.clip(height, 0, None) / np.maximum(rows[:, 2] * rows[:, 3], 1)


def runs(frames: np.ndarray, join: int = JOIN) -> Iterator[tuple[int, int]]:
    """Stretches of frames with holes of at most join."""
    if not len(frames):
        return
    breaks = np.flatnonzero(np.diff(frames) > join)
    starts = np.concatenate([[0], breaks + 1])
    ends = np.concatenate([breaks, [len(frames) - 1]])
    for a, b in zip(starts, ends):
        yield int(frames[a]), int(frames[b])


def sentence(project: Project, finding: Finding) -> str:
    """What happened and what to do, for a person."""
    clip = project.clip(finding.clip)
    name = project.subject(finding.subject).name if finding.subject else ""
    where = format_timecode(finding.at, clip.rate)
    frames = finding.last - finding.first + 1
    count = f"{frames} frame" + ("s" if frames != 1 else "")
    return {
        Reason.GAP: f"{name} has no cover for {finding.worst:.0f} frames from {where}. Extend the sighting, or accept if {name} was away.",
        Reason.UNSURE: f"Not sure where {name} is at {where} ({count}). Look, and move the outline if it slipped.",
        Reason.ENDS_INSIDE: f"Lost sight of {name} at {format_timecode(finding.first, clip.rate)} inside the picture. Extend the sighting, or accept the end.",
        Reason.BEGINS_INSIDE: f"{name} appears at {format_timecode(finding.last, clip.rate)} inside the picture. Check the frames before it.",
        Reason.FACE_OUTSIDE: f"{name}: a face is only {finding.worst:.0%} under its cover at {where}. Move or enlarge the outline.",
        Reason.NOBODYS_FACE: f"A face at {where} belongs to nobody in the register ({count}). Draw around it, or accept if it is none.",
        Reason.MAYBE_AT_EDGE: f"Somebody may be half in the picture at its edge at {where}, where the shot begins or ends. Draw around the face, or accept if there is none.",
        Reason.NOT_SCANNED: f"{clip.path.name} has not been scanned. Scan it, or accept if nobody is in it.",
        Reason.DAMAGED: clip.damage or f"{clip.path.name} is damaged.",
        Reason.FILE_DIFFERS: f"{name}: the cover is missing or too weak in the exported file at {where} ({count}). Export again.",
        Reason.FILE_FACE: f"A face can be seen in the exported file at {where} ({count}) that nobody agreed to show.",
        Reason.FILE_SHAPE: f"The exported file does not have the shape of {clip.path.name}. Export again.",
    }[finding.reason]
