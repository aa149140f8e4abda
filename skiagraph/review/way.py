"""Where the middle of an outline goes around a frame, and where somebody who is not covered in a frame was seen last:
what the picture shows of a subject's way."""

from __future__ import annotations

from skiagraph.project.model import Outline, Project, Sighting, Subject
from skiagraph.project.rows import CX, CY, outline_at, rows_at

# Seconds on each side of the present frame whose way is shown; more crowds the picture.
AROUND_S = 1.5


def way_of(project: Project, sighting: Sighting, frame: int) -> tuple[tuple[int, float, float], ...]:
    """(frame, x, y) px of the middle of the outline, in the frames around one."""
    around = max(1, round(AROUND_S * float(project.clip(sighting.clip).rate)))
    first, last = max(sighting.first, frame - around), min(sighting.last, frame + around)
    rows = rows_at(project, sighting, first, last)
    return tuple((n, float(x), float(y)) for n, x, y in zip(range(first, last + 1), rows[:, CX], rows[:, CY]))


def last_seen(project: Project, subject: Subject, clip: str, frame: int) -> tuple[int, Outline] | None:
    """The frame nearest to one in which a subject has no cover at which it has, and its outline there: before it where
    there is one, else after it."""
    here = subject.in_clip(clip)
    before = [s for s in here if s.last < frame]
    after = [s for s in here if s.first > frame]
    if before:
        sighting = max(before, key=lambda s: s.last)
        return sighting.last, outline_at(project, sighting, sighting.last)
    if after:
        sighting = min(after, key=lambda s: s.first)
        return sighting.first, outline_at(project, sighting, sighting.first)
    return None


def stops(project: Project, subject: Subject | None, clip: str) -> list[int]:
    """Frames at which something begins or ends: markers of the clip, and where sightings of a subject, or of everybody,
    begin and end."""
    frames = {m.frame for m in project.decisions.markers if m.clip == clip}
    for s in project.subjects if subject is None else (subject,):
        for sighting in s.in_clip(clip):
            frames |= {sighting.first, sighting.last}
    return sorted(f for f in frames if f < project.clip(clip).frames)
