"""Both sides of a meeting as pictures to compare, and what can be answered: the same person, swapped from there on, or
somebody else from there on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, paired_iou
from skiagraph.errors import EditRefused
from skiagraph.project.cast import split_at, swap_from
from skiagraph.project.edits import accept
from skiagraph.project.model import Project, Sighting, Subject
from skiagraph.project.rows import ANGLE, CONFIDENCE, CX, CY, HEIGHT, WIDTH, outline_rows
from skiagraph.review.finding import Finding
from skiagraph.review.findings import acceptance_of
from skiagraph.review.places import quarter_turns

# Pictures are taken from within so many seconds of a meeting, and show so much around a head, in its widths and
# heights: left and right, above, below.
WITHIN_S, AROUND = 3.0, (1.3, 0.75, 1.7)
# A head is by itself where no other overlaps it by more than this.
BY_ITSELF = 0.02
NOTE = "compared before and after: the same person"


@dataclass(frozen=True, slots=True)
class Shot:
    """A picture to take. box: x0, y0, x1, y1 px of the upright clip, head and shoulders; turns: quarter turns,
    clockwise, by which the head leans, so that it can be shown upright."""

    frame: int
    box: tuple[float, float, float, float]
    turns: int = 0


@dataclass(frozen=True, slots=True)
class Beside:
    """Somebody on both sides of a meeting; None where they are not in the picture there. key: of who is there after it,
    or else before; then: name after it, where that is somebody new."""

    key: str
    name: str
    before: Shot | None
    after: Shot | None
    then: str = ""


@dataclass(frozen=True, slots=True)
class Compared:
    """A question about one meeting. first, last: of it; at: the frame from which two would be swapped; one: who is
    asked about; other: who was near, None where nobody was."""

    finding: Finding
    first: int
    last: int
    at: int
    one: Beside
    other: Beside | None


def compared(project: Project, finding: Finding) -> Compared | None:
    """What to compare for a finding of whether somebody is the same person; None where they are on one side only."""
    subject = next((s for s in project.subjects if s.key == finding.subject), None)
    if subject is None:
        return None
    last = finding.at - 1
    first = max(0, last - int(finding.worst) + 1)
    near = sorted(
        (
            (*_closest(project, subject, other, finding.clip, first, last), other.key)
            for other in project.subjects
            if other.key != subject.key and other.of.hides and not other.dismissed
        ),
        reverse=True,
    )
    near = [entry for entry in near if entry[0] > BY_ITSELF]
    at = near[0][1] if near else finding.at
    one = _beside(project, subject, finding.clip, first, last)
    other = _who_was_near([_beside(project, project.subject(key), finding.clip, first, last) for _, _, key in near])
    return Compared(finding, first, last, at, one, other) if one.before and one.after else None


def _who_was_near(sides: list[Beside]) -> Beside | None:
    """The nearest of the others on each side of a meeting: where it could not be told who of them goes on, two
    subjects."""
    before, after = (
        next((s for s in sides if s.before is not None), None),
        next((s for s in sides if s.after is not None), None),
    )
    if before is None or after is None or before is after:
        return before or after
    return Beside(after.key, before.name, before.before, after.after, after.name)


def said_same(project: Project, asked: Compared, by: str) -> Project:
    """The project with the finding accepted. Raises EditRefused without a name."""
    return accept(project, acceptance_of(project, asked.finding, by, NOTE))


def said_swapped(project: Project, asked: Compared) -> Project:
    """The project with the two exchanged from where they were closest.

    Raises EditRefused where nobody was near, and as cast.swap_from does.
    """
    if asked.other is None:
        raise EditRefused("Nobody was near; say that it is somebody else.")
    return swap_from(project, asked.finding.subject, asked.other.key, asked.finding.clip, asked.at)


def said_apart(project: Project, asked: Compared) -> Project:
    """The project with somebody new, and undecided, from where the meeting begins.

    Raises EditRefused as cast.split_at does.
    """
    return split_at(project, asked.finding.subject, asked.finding.clip, asked.first)[0]


def _closest(project: Project, one: Subject, other: Subject, clip: str, first: int, last: int) -> tuple[float, int]:
    """How far heads of two people overlap at most (IoU) in some frames, and where."""
    best = 0.0, first
    for a in one.in_clip(clip):
        for b in other.in_clip(clip):
            low, high = max(a.first, b.first, first), min(a.last, b.last, last)
            if low <= high:
                overlap = paired_iou(
                    *(
                        cxcywh_to_xyxy(outline_rows(project, s)[low - s.first : high - s.first + 1, CX : HEIGHT + 1])
                        for s in (a, b)
                    )
                )
                best = max(best, (float(overlap.max()), low + int(overlap.argmax())))
    return best


def _beside(project: Project, subject: Subject, clip: str, first: int, last: int) -> Beside:
    reach = round(WITHIN_S * float(project.clip(clip).rate))
    # Whoever was away for long was seen last, or is seen again, further off.
    left = max((s.last for s in subject.in_clip(clip) if s.first < first), default=first - 1)
    back = min((s.first for s in subject.in_clip(clip) if s.last > last), default=last + 1)
    until, since = min(first - 1, left), max(last + 1, back)
    return Beside(
        subject.key,
        subject.name,
        _shot(project, subject, clip, until - reach, until),
        _shot(project, subject, clip, since, since + reach),
    )


def _shot(project: Project, subject: Subject, clip: str, low: int, high: int) -> Shot | None:
    """The frame between two in which somebody is seen best: by themselves, and where they were found for certain."""
    best = None
    for sighting in subject.in_clip(clip):
        begin, end = max(low, sighting.first), min(high, sighting.last, project.clip(clip).frames - 1)
        if begin > end:
            continue
        rows = outline_rows(project, sighting)[begin - sighting.first : end - sighting.first + 1]
        worth = rows[:, CONFIDENCE] - _beset(project, subject, clip, begin, rows)
        n = int(worth.argmax())
        if best is None or worth[n] > best[0]:
            best = float(worth[n]), begin + n, rows[n]
    if best is None:
        return None
    _, frame, row = best
    aside, above, below = AROUND
    x, y, width, height = (float(row[c]) for c in (CX, CY, WIDTH, HEIGHT))
    turns = quarter_turns(row[ANGLE])
    # Left, top, right, bottom of somebody who stands; of somebody who leans by a quarter the crown is where the right
    # was.
    reach = np.roll((aside * width, above * height, aside * width, below * height), turns)
    return Shot(frame, (x - reach[0], y - reach[1], x + reach[2], y + reach[3]), turns)


def _beset(project: Project, subject: Subject, clip: str, first: int, rows: np.ndarray) -> np.ndarray:
    """1 in the frames from `first` in which another head lies over these rows, else 0."""
    beset, mine = np.zeros(len(rows)), cxcywh_to_xyxy(rows[:, CX : HEIGHT + 1])
    for other in project.subjects:
        if other.key == subject.key or other.dismissed:
            continue
        for sighting in other.in_clip(clip):
            _mark(beset, mine, project, sighting, first)
    return beset


def _mark(beset: np.ndarray, mine: np.ndarray, project: Project, sighting: Sighting, first: int) -> None:
    low, high = max(first, sighting.first), min(first + len(beset) - 1, sighting.last)
    if low <= high:
        theirs = cxcywh_to_xyxy(
            outline_rows(project, sighting)[low - sighting.first : high - sighting.first + 1, CX : HEIGHT + 1]
        )
        part = slice(low - first, high - first + 1)
        beset[part] = np.maximum(beset[part], paired_iou(mine[part], theirs) > BY_ITSELF)
