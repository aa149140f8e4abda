"""Confidence under the limit, where the head could be seen if it were uncovered."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from skiagraph.project.overlap import POINTS, head_points, within
from skiagraph.project.rows import CONFIDENCE, CX, CY, GROW, HEIGHT, WIDTH, shapes_of
from skiagraph.remembering import Remembered
from skiagraph.review.ends import goes_on, hardly_begun, hardly_left, loose_ends, visible_share
from skiagraph.review.finding import (
    JOIN,
    LEAST,
    UNSURE,
    Finding,
    FindingKind,
    Reason,
    finding_kind,
    hardly_rows,
    low_rows,
    runs,
)

# A head of which this share is under other covers cannot be seen; one that is this much out of the picture is on its
# way, for so long.
BEHIND, LEAVING, LEAVING_FRAMES = 0.6, 0.8, 16
# Where less than this share of the head is in the picture there is nothing to be sure of. Others hide only where they
# are this sure.
LEAST_SEEN, OTHERS_SURE = 0.03, 0.5
# Where a shot ends while a path becomes less and less sure, it may be astray from this confidence on, before it is low.
# Set by benchmarks/quality.py (railings, stepping): four frames in which somebody walks on behind a bar at which their
# path stays. Larger: longer findings.
FALLING = 0.7

# Seconds within which somebody is one thing to look at, though they were surely seen between. Larger: fewer findings,
# which are longer.
TOGETHER_S = 0.5

_PAIRS = Remembered(32 << 20)
_ONES = np.array([bin(n).count("1") for n in range(256)], np.uint8)


@finding_kind
class Unsure(FindingKind):
    reason, word = Reason.UNSURE, "Unsure"

    def among(self, scene, subject, sightings, others):
        told: list[Finding] = []
        for n, sighting in enumerate(sightings):
            rows = scene.rows(sighting)
            seen = visible_share(rows, scene.clip)
            low = low_rows(rows) & (seen > LEAST_SEEN)
            if not low.any():
                continue
            low[low] = self._hidden(scene, sighting, rows, np.flatnonzero(low), others) < BEHIND
            begins, ends = loose_ends(scene, sightings, n)
            marks = sighting.marks()
            last_frame = sighting.first + len(rows) - 1
            for first, last in runs(np.flatnonzero(low) + sighting.first):
                part = slice(first - sighting.first, last - sighting.first + 1)
                at_begin, at_end = first - sighting.first < LEAST, last_frame - last < LEAST
                # At the end of a shot it cannot become longer, whatever comes of it; where everything becomes blurred
                # it would not matter.
                cut_short = last == last_frame and (
                    last + 1 in scene.cuts and not scene.is_blurred(last + 1) or last == scene.clip.frames - 1
                )
                if last - first + 1 < LEAST and not cut_short and not first == last == sighting.first == last_frame:
                    continue
                if cut_short:
                    sure = np.flatnonzero(rows[: first - sighting.first, CONFIDENCE] >= FALLING)
                    part = slice(int(sure[-1]) + 1 if len(sure) else 0, part.stop)
                    first = sighting.first + part.start
                if (at_begin or at_end) and last - first < LEAVING_FRAMES and np.median(seen[part]) < LEAVING:
                    continue
                # The end of a path, and the gap after it, have findings of their own that a person looks at anyway, but
                # for those where somebody else goes on.
                at_begin, at_end = (
                    at_begin or last <= hardly_begun(scene, sighting),
                    at_end or first >= hardly_left(scene, sighting),
                )
                if (
                    at_end
                    and ends
                    and not goes_on(scene, subject, sighting, others, 1)
                    or at_begin
                    and begins
                    and not goes_on(scene, subject, sighting, others, -1)
                ):
                    continue
                worst = rows[part, CONFIDENCE]
                if any(first - JOIN <= f <= last + JOIN for f in marks) and worst.min() > UNSURE / 2:
                    continue
                first, last, seen_at = (
                    *_whole(hardly_rows(rows), sighting.first, first, last),
                    first + int(worst.argmin()),
                )
                told.append(
                    Finding(
                        scene.clip.key, subject.key, self.reason, first, last, round(float(worst.min()), 3), seen_at
                    )
                )
        return _as_one(told, round(TOGETHER_S * float(scene.clip.rate)))

    def _hidden(self, scene, sighting, rows, chosen, others) -> np.ndarray:
        """Share of the head in the chosen rows that lies under the covers of others whose place is sure, (n,)."""
        begin, end = sighting.first + int(chosen[0]), sighting.first + int(chosen[-1])
        under = np.zeros((len(chosen), len(np.packbits(POINTS[:, 0] > 0))), np.uint8)
        for other, theirs in others:
            if theirs.first <= end and theirs.last >= begin and scene.rows(theirs)[:, CONFIDENCE].max() >= OTHERS_SURE:
                margin = scene.project.style_of(other).margin
                if (_ONES[under].sum(axis=1) >= BEHIND * len(POINTS)).all():
                    break
                # Of two of whom neither changed, what one hides of the other stays.
                under |= _PAIRS.get(
                    (sighting, theirs, scene.clip),
                    round(margin, 4),
                    lambda: self._under(scene, sighting, rows, chosen, theirs, margin),
                )
        return _ONES[under].sum(axis=1) / len(POINTS)

    def _under(self, scene, sighting, rows, chosen, theirs, margin) -> np.ndarray:
        """Points of the head in the chosen rows that lie under one other cover, as bits."""
        under, frames = np.zeros((len(chosen), len(POINTS)), bool), sighting.first + chosen
        over = scene.rows(theirs)
        there = (frames >= theirs.first) & (frames < theirs.first + len(over))
        there_rows = frames[there] - theirs.first
        sure, over, mine = _surely_there(over), over[there_rows], rows[chosen[there]]
        reach = np.hypot(mine[:, WIDTH], mine[:, HEIGHT]) / 2 + np.hypot(over[:, WIDTH], over[:, HEIGHT]) / 2 * (
            1 + margin + over[:, GROW]
        )
        near = sure[there_rows] & (np.hypot(over[:, CX] - mine[:, CX], over[:, CY] - mine[:, CY]) < reach)
        if near.any():
            over, mine = over[near], mine[near]
            under[np.flatnonzero(there)[near]] = within(
                head_points(mine), over, shapes_of(theirs, frames[there][near]), margin + over[:, GROW]
            )
        return np.packbits(under, axis=1)

    def sentence(self, project, finding, told):
        return (
            f"Not sure where {told.name} is at {told.where} ({told.count}). Look, and move the outline if it slipped."
        )


def _surely_there(rows: np.ndarray) -> np.ndarray:
    """Which rows of somebody's path can be relied on to hide others, bool (n,): those that are sure, and what lies
    shortly between two of them. A head that was found before and after stays in front, also in the frames that a
    stepping scan leaves out, for which crossings (track.crossings) say little."""
    sure = np.flatnonzero(rows[:, CONFIDENCE] >= OTHERS_SURE)
    there = np.zeros(len(rows), bool)
    for first, last in runs(sure):
        there[first : last + 1] = True
    return there


def _whole(hardly: np.ndarray, begin: int, first: int, last: int) -> tuple[int, int]:
    """First and last frame in which nobody was sure, or hardly, around a part of it that can be seen: a head that comes
    out from behind another may be beside its cover before that is thought to come out."""
    sure = np.flatnonzero(~hardly) + begin
    before, after = sure[sure < first], sure[sure > last]
    return (int(before[-1]) + 1 if len(before) else begin), (
        int(after[0]) - 1 if len(after) else begin + len(hardly) - 1
    )


def _as_one(found: list[Finding], together: int) -> list[Finding]:
    """Findings of somebody, in order, of which those that are at most so many frames apart are one: as bad as the
    worst, which is looked at first."""
    made: list[Finding] = []
    for finding in sorted(found, key=lambda f: (f.first, f.last)):
        if made and finding.first <= made[-1].last + together:
            before = made.pop()
            worst = min(before, finding, key=lambda f: f.worst)
            finding = replace(worst, first=min(before.first, finding.first), last=max(before.last, finding.last))
        made.append(finding)
    return made
