"""Somebody covered is hidden, or was lost, beside somebody who is shown: what comes out from behind a shown head lies
under nobody's cover."""

from __future__ import annotations

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, paired_iou
from skiagraph.project.model import Decision
from skiagraph.project.rows import CONFIDENCE, CX, CY, HEIGHT, WIDTH
from skiagraph.remembering import Remembered
from skiagraph.review.ends import gap_after, loose_ends
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, low_rows, runs

# Heads that overlap by so much are beside one another; one that is less sure than this was not found just there (a path
# over a crossing has 0.3 to 0.5); for so long nobody is hidden by somebody who only passes, s. Chosen by hand, wide,
# and held against benchmarks/quality.py: with each person shown in turn, one in four has such a finding, one in two
# where everybody meets.
BESIDE, NOT_FOUND, HIDDEN_S = 0.05, 0.6, 0.5
# A path that ends no further from a shown head than this, in its widths, was lost at it.
NEAR = 1.2

_BESIDE = Remembered(16 << 20, size=lambda frames: frames.nbytes + 64)


@finding_kind
class HiddenBeside(FindingKind):
    """Only where somebody is shown: beside who is covered there is a cover in any case."""

    reason, word, exposing = Reason.HIDDEN_BESIDE, "Behind", True

    def on_scene(self, scene):
        shown = [
            s
            for subject in scene.project.subjects
            if subject.decision == Decision.SHOW and not subject.dismissed and subject.of.hides
            for s in scene.sightings(subject)
        ]
        if not shown or scene.project.rest_of(scene.clip.key) is not None:
            return
        least = max(2, round(HIDDEN_S * float(scene.clip.rate)))
        for subject, sightings in scene.covered():
            for n, sighting in enumerate(sightings):
                near = [s for s in shown if s.first <= sighting.last and s.last >= sighting.first]
                if not near:
                    continue
                frames = [
                    _BESIDE.get((sighting, s, scene.clip), "beside", lambda s=s: self._beside(scene, sighting, s))
                    for s in near
                ]
                for first, last in runs(np.unique(np.concatenate(frames)), join=least):
                    if last - first + 1 >= least:
                        yield self._finding(scene, subject, first, last)
                lost = self._lost(scene, sightings, n, near)
                if lost is not None:
                    yield self._finding(scene, subject, *lost)

    def _finding(self, scene, subject, first: int, last: int) -> Finding:
        return Finding(scene.clip.key, subject.key, self.reason, first, last, float(last - first + 1), first)

    def _beside(self, scene, hidden, shown) -> np.ndarray:
        """Frames in which a covered head, not found, lies beside a shown one.

        Where nobody is sure of it at all, it is a finding already.
        """
        mine, theirs = scene.rows(hidden), scene.rows(shown)
        first, last = max(hidden.first, shown.first), min(hidden.first + len(mine), shown.first + len(theirs))
        if first >= last:
            return np.zeros(0, int)
        mine, theirs = (
            mine[first - hidden.first : last - hidden.first],
            theirs[first - shown.first : last - shown.first],
        )
        boxes = (cxcywh_to_xyxy(rows[:, CX : HEIGHT + 1]) for rows in (mine, theirs))
        return first + np.flatnonzero(
            (paired_iou(*boxes) > BESIDE) & (mine[:, CONFIDENCE] < NOT_FOUND) & ~low_rows(mine)
        )

    def _lost(self, scene, sightings, n: int, shown) -> tuple[int, int] | None:
        """First and last frame of a time in which somebody who was lost at a shown head may come out from behind it:
        while that head is there, until they are found again."""
        sighting, rows = sightings[n], scene.rows(sightings[n])
        if not len(rows) or not (loose_ends(scene, sightings, n)[1] or gap_after(scene, sightings, sighting)):
            return None
        end, last = sighting.first + len(rows) - 1, rows[-1]
        until = -1
        for other in shown:
            if not other.first <= end < other.last:
                continue
            there = scene.rows(other)
            head = there[min(end - other.first, len(there) - 1)]
            if np.hypot(last[CX] - head[CX], last[CY] - head[CY]) <= NEAR * max(last[WIDTH], head[WIDTH]):
                until = max(until, min(other.last, scene.clip.frames - 1))
        again = min((s.first for s in sightings if s.first > end), default=scene.clip.frames)
        until = min([until, again - 1, *(cut - 1 for cut in scene.cuts if cut > end)])
        return (end + 1, until) if until > end else None

    def sentence(self, project, finding, told):
        return (
            f"{told.name} is hidden beside somebody who is shown, or was lost there, from {told.first} ({told.count})."
            " Cover what is seen of them, or accept it if nothing is."
        )
