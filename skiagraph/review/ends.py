"""How sightings begin and end: inside the picture, at its edge, with gaps between. What several checks ask."""

from __future__ import annotations

import numpy as np

from skiagraph.boxes import area, cxcywh_to_xyxy, intersection, iou
from skiagraph.lazily import optimize
from skiagraph.project.model import Clip, Sighting, Subject
from skiagraph.project.rows import GROW, path_of
from skiagraph.review.finding import Scene, hardly_rows
from skiagraph.track.path import FOUND

# A gap is an absence when it begins and ends where this share of the head reaches the edge of the picture.
EDGE = 0.75
# Nobody came in, or left, over an edge that they went towards, or away from, by so many of their widths within so many
# seconds after, or before. Larger: less is asked.
AWAY, AWAY_S = 0.25, 0.3
# Frames for which two who may be one are both there at most where one goes over into the other. Larger: less is asked.
BOTH_THERE = 3
# Heads that overlap by so much (IoU) from one frame to the next are at one place. So is one that lies in another by
# such a share of itself: that one's cover is wide, since its place was not known (track.behind).
SAME_PLACE, WITHIN = 0.5, 0.9
# Whoever appears under the cover of somebody who was lost has this share of their head under it: 0.9 leaves 8 needless
# findings more on the films of benchmarks/quality.py, both ways. Larger: more is asked.
APPEARS_WITHIN = 0.7


def at_edge(row: np.ndarray, clip: Clip) -> bool:
    """True when a head is at the edge of the picture or beyond it."""
    x0, y0, x1, y1 = cxcywh_to_xyxy(row[None, :4] * [1, 1, EDGE, EDGE])[0]
    return bool(x0 <= 0 or y0 <= 0 or x1 >= clip.width or y1 >= clip.height)


def over_edge(rows: np.ndarray, clip: Clip) -> bool:
    """True when a head came in over the edge of the picture: it is there in the first of its rows, and does not go
    further out just after. Of one that leaves, the rows from the last one back."""
    first, later = rows[0], rows[min(len(rows) - 1, round(AWAY_S * float(clip.rate)))]
    half = EDGE * first[2:4] / 2
    # Left, top, right, bottom: which of them it is at, and how far it goes outwards there.
    sides = np.concatenate([first[:2] - half <= 0, first[:2] + half >= (clip.width, clip.height)])
    outwards = np.concatenate([first[:2] - later[:2], later[:2] - first[:2]]) / np.tile(np.maximum(first[2:4], 1), 2)
    return bool((sides & (outwards < AWAY)).any())


def visible_share(rows: np.ndarray, clip: Clip) -> np.ndarray:
    """Share of each head's box that is in the picture, (n,)."""
    boxes = cxcywh_to_xyxy(rows[:, :4])
    width = np.minimum(boxes[:, 2], clip.width) - np.maximum(boxes[:, 0], 0)
    height = np.minimum(boxes[:, 3], clip.height) - np.maximum(boxes[:, 1], 0)
    return np.clip(width, 0, None) * np.clip(height, 0, None) / np.maximum(rows[:, 2] * rows[:, 3], 1)


def in_a_row(sightings: list[Sighting]) -> list[tuple[Sighting, Sighting]]:
    """Each sighting with the one before it, of a subject's in order.

    Sightings may lie over each other: before is the one that reached furthest, and what begins within it follows on
    nothing.
    """
    pairs, furthest = [], None
    for sighting in sightings:
        if furthest is not None and sighting.first > furthest.last:
            pairs.append((furthest, sighting))
        if furthest is None or sighting.last > furthest.last:
            furthest = sighting
    return pairs


def gap_after(scene: Scene, sightings: list[Sighting], sighting: Sighting) -> bool:
    """True when a gap follows on a sighting."""
    return any(before is sighting and is_gap(scene, before, after) for before, after in in_a_row(sightings))


def gap_before(scene: Scene, sightings: list[Sighting], sighting: Sighting) -> bool:
    """True when a sighting follows on a gap."""
    return any(after is sighting and is_gap(scene, before, after) for before, after in in_a_row(sightings))


def is_gap(scene: Scene, before: Sighting, after: Sighting) -> bool:
    """True for frames without cover between two sightings, unless the subject left at the edge and came back there, or
    a cut lies between."""
    if after.first <= before.last + 1 or before.away_after:
        return False
    cut = any(before.last < c <= after.first for c in scene.cuts)
    left = at_edge(scene.rows(before)[-1], scene.clip) and at_edge(scene.rows(after)[0], scene.clip)
    return not left and not cut


def lies_within(box: np.ndarray, other: np.ndarray) -> bool:
    """Whether the smaller one of two boxes (1, 4) lies in the larger one: that one's cover is wide, since its place was
    not known."""
    return bool(intersection(box, other)[0, 0] >= WITHIN * min(area(box)[0], area(other)[0]))


def goes_on(
    scene: Scene, subject: Subject, sighting: Sighting, others: list[tuple[Subject, Sighting]], step: int
) -> bool:
    """True when somebody else who is covered begins at once where a sighting ends (step 1), or ends where it begins
    (-1), or when one of them appears where the other was lost: it was not told who of them it is, and nobody is bare.
    Whoever was there already, or stays, only hides them."""
    rows = scene.rows(sighting)
    frame = sighting.first + len(rows) if step > 0 else sighting.first - 1
    mine = cxcywh_to_xyxy(rows[-1 if step > 0 else 0][None, :4])
    for _, other in others:
        theirs = scene.rows(other)
        # Frames of mine in which the other is there already, or still.
        both = frame - other.first if step > 0 else other.first + len(theirs) - 1 - frame
        if not 0 <= both <= BOTH_THERE or not other.first <= frame < other.first + len(theirs):
            continue
        other_box = cxcywh_to_xyxy(theirs[frame - other.first][None, :4])
        if iou(mine, other_box)[0, 0] >= SAME_PLACE or lies_within(mine, other_box):
            return True
    return other_half(scene, subject, sighting, others, step) is not None


def other_half(
    scene: Scene, subject: Subject, sighting: Sighting, others: list[tuple[Subject, Sighting]], step: int
) -> Sighting | None:
    """Of somebody who was lost (step 1) whoever appears under their cover and stays when it ends; of somebody who
    appears (step -1) whoever was lost there. Each who appears is one who was lost: as many as can be, and those nearest
    to each other (assignment)."""
    lost, appearing = _with_loose_end(scene, others, True), _with_loose_end(scene, others, False)
    (lost if step > 0 else appearing).append((subject, sighting))
    apart = np.array([[_apart(scene, a, b) for b in appearing] for a in lost]).reshape(len(lost), len(appearing))
    fits = np.isfinite(apart)
    # A pair more is worth more than all distances together.
    rows, columns = optimize.linear_sum_assignment(np.where(fits, apart, 1 + apart[fits].sum()))
    pairs = {(a, b) for a, b in zip(rows, columns) if fits[a, b]}
    return next(
        (
            appearing[b][1] if step > 0 else lost[a][1]
            for a, b in pairs
            if (lost[a] if step > 0 else appearing[b])[1] is sighting
        ),
        None,
    )


def _with_loose_end(scene: Scene, others: list[tuple[Subject, Sighting]], ends: bool) -> list[tuple[Subject, Sighting]]:
    """Those who end inside the picture, or who begin there."""
    found = []
    for subject, sighting in others:
        own = [s for other, s in others if other is subject]
        if loose_ends(scene, own, own.index(sighting))[1 if ends else 0]:
            found.append((subject, sighting))
    return found


def _apart(scene: Scene, lost: tuple[Subject, Sighting], appearing: tuple[Subject, Sighting]) -> float:
    """How far from where somebody was lost another appears, in widths of their head; inf where that is not under the
    cover of who was lost, while they were still surely there, or later than that cover lasts."""
    rows, theirs, first = scene.rows(lost[1]), scene.rows(appearing[1]), appearing[1].first
    end = lost[1].first + len(rows) - 1
    if not hardly_left(scene, lost[1]) - BOTH_THERE <= first <= end + 1 or first + len(theirs) - 1 <= end:
        return np.inf
    row, head = rows[min(first, end) - lost[1].first], theirs[0]
    reach = 1 + scene.project.style_of(lost[0]).margin + row[GROW]
    cover, box = cxcywh_to_xyxy(row[None, :4] * [1, 1, reach, reach]), cxcywh_to_xyxy(head[None, :4])
    if intersection(cover, box)[0, 0] < APPEARS_WITHIN * area(box)[0]:
        return np.inf
    return float(np.hypot(*(row[:2] - head[:2])) / head[2])


def loose_ends(scene: Scene, sightings: list[Sighting], n: int) -> tuple[bool, bool]:
    """Whether a sighting begins, and ends, inside the picture though the clip goes on."""
    sighting, rows = sightings[n], scene.rows(sightings[n])
    first, last = sighting.first, sighting.first + len(rows) - 1
    # Of two that begin, or end, in the same frame the first one counts.
    others = [(k < n, s) for k, s in enumerate(sightings) if k != n]
    over_first, over_last = _held_over_cut(scene, sighting)
    begins = (
        first > 0
        and first not in scene.cuts
        and not over_first
        and not over_edge(rows, scene.clip)
        and not any((s.first < first or s.first == first and earlier) and first <= s.last + 1 for earlier, s in others)
    )
    ends = (
        last < scene.clip.frames - 1
        and last + 1 not in scene.cuts
        and not over_last
        and not over_edge(rows[::-1], scene.clip)
        and not any((s.last > last or s.last == last and earlier) and s.first - 1 <= last for earlier, s in others)
    )
    before = [s for s in sightings if s.last < first]
    away = bool(before) and max(before, key=lambda s: s.last).away_after
    return begins and not away, ends and not sighting.away_after


def _held_over_cut(scene: Scene, sighting: Sighting) -> tuple[bool, bool]:
    """Whether a sighting begins before the shot in which it was first found, and ends after the one in which it was
    last: it is held over a dissolve."""
    path = path_of(scene.project, sighting)
    found = np.flatnonzero(path.origin == FOUND) + path.first if path is not None else ()
    if not len(found):
        return False, False
    return any(sighting.first < cut <= found[0] for cut in scene.cuts), any(
        found[-1] < cut <= sighting.last for cut in scene.cuts
    )


def hardly_begun(scene: Scene, sighting: Sighting) -> int:
    """The last frame before somebody was surely found in which they were hardly to be followed back, or the one before
    the sighting. A follower that was sure of itself in between may have been on somebody else."""
    rows, surely = _surely_found(scene, sighting)
    hardly = np.flatnonzero(hardly_rows(rows[: int(surely[0]) if len(surely) else len(rows)]))
    return sighting.first + (int(hardly[-1]) if len(hardly) else -1)


def hardly_left(scene: Scene, sighting: Sighting) -> int:
    """The first frame since somebody was surely found last in which they were hardly to be followed, or the one after
    the sighting."""
    rows, surely = _surely_found(scene, sighting)
    begin = int(surely[-1]) + 1 if len(surely) else 0
    hardly = np.flatnonzero(hardly_rows(rows[begin:]))
    return sighting.first + (begin + int(hardly[0]) if len(hardly) else len(rows))


def _surely_found(scene: Scene, sighting: Sighting) -> tuple[np.ndarray, np.ndarray]:
    """Rows of a sighting, and which of them were found, and surely; of what was placed by hand, which are sure."""
    rows, path = scene.rows(sighting), path_of(scene.project, sighting)
    sure = ~hardly_rows(rows)
    if path is not None and (path.origin == FOUND).any():
        frames = sighting.first + np.arange(len(rows))
        sure &= (
            (frames >= path.first)
            & (frames <= path.last)
            & (path.origin[np.clip(frames - path.first, 0, len(path) - 1)] == FOUND)
        )
    return rows, np.flatnonzero(sure)
