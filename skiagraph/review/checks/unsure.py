"""Confidence under the limit, where the head could be seen if it were uncovered."""

from __future__ import annotations

import numpy as np

from skiagraph.project.overlap import head_points, within
from skiagraph.project.rows import CONFIDENCE, GROW
from skiagraph.review.ends import loose_ends, visible_share
from skiagraph.review.finding import LEAST, UNSURE, JOIN, Finding, FindingKind, Reason, finding_kind, low_rows, runs

# A head of which this share is under other covers cannot be seen; one that is this much out of the picture is on its way, for so long.
BEHIND, LEAVING, LEAVING_FRAMES = 0.6, 0.8, 16
# Where less than this share of the head is in the picture there is nothing to be sure of. Others hide only where they are this sure.
LEAST_SEEN, OTHERS_SURE = 0.03, 0.5


@finding_kind
class Unsure(FindingKind):
    reason, word = Reason.UNSURE, "Unsure"

    def among(self, scene, subject, sightings, others):
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
                if last - first + 1 < LEAST and not first == last == sighting.first == last_frame:
                    continue
                if (at_begin or at_end) and last - first < LEAVING_FRAMES and np.median(seen[part]) < LEAVING:
                    continue
                # The end of a path, and the gap after it, have findings of their own that a person looks at anyway.
                if at_end and ends or at_begin and begins:
                    continue
                worst = rows[part, CONFIDENCE]
                if any(first - JOIN <= f <= last + JOIN for f in marks) and worst.min() > UNSURE / 2:
                    continue
                yield Finding(scene.clip.key, subject.key, self.reason, first, last, round(float(worst.min()), 3), first + int(worst.argmin()))

    def _hidden(self, scene, sighting, rows, chosen, others) -> np.ndarray:
        """Share of the head in the chosen rows that lies under the covers of others whose place is sure, (n,)."""
        points = head_points(rows[chosen])
        under = np.zeros(points.shape[:2], bool)
        frames = sighting.first + chosen
        for other, theirs in others:
            there = (frames >= theirs.first) & (frames <= theirs.last)
            if there.any():
                over = scene.rows(theirs)[frames[there] - theirs.first]
                sure = over[:, CONFIDENCE] >= OTHERS_SURE
                margin = scene.project.style_of(other).margin
                under[there] |= within(points[there], over, theirs.shape, margin + over[:, GROW]) & sure[:, None]
        return under.mean(axis=1)

    def sentence(self, project, finding, told):
        return f"Not sure where {told.name} is at {told.where} ({told.count}). Look, and move the outline if it slipped."
