"""Covers that rest on a former scan, where the newest scan sees nobody: they stay until a person says otherwise."""

from __future__ import annotations

import numpy as np

from skiagraph.project.carry import CARRY
from skiagraph.project.model import FromScan
from skiagraph.project.overlap import head_points, share_within
from skiagraph.project.rows import GROW, shapes_of
from skiagraph.remembering import Remembered
from skiagraph.review.finding import LEAST, Finding, FindingKind, Reason, finding_kind, runs

# Keys of all tracks that a scan found.
_TRACKS = Remembered(8 << 20, size=lambda keys: 100 * len(keys))


@finding_kind
class NotFoundAgain(FindingKind):
    reason, word = Reason.NOT_FOUND_AGAIN, "Not found again"

    def on_subject(self, scene, subject, sightings):
        if scene.scan is None:
            return
        known, newest = (
            scene.project.evidence.by_key(),
            _TRACKS.get(
                (scene.scan,), "tracks", lambda: {key for person in scene.scan.people for key in person.tracks}
            ),
        )
        margin = scene.project.style_of(subject).margin
        for sighting in sightings:
            sources = [known[key] for key in sighting.tracks]
            if not any(isinstance(t.source, FromScan) and t.key not in newest for t in sources):
                continue
            rows = scene.rows(sighting)
            seen, points = np.zeros(len(rows), bool), head_points(rows)
            for track in (known[key] for key in newest):
                low, high = max(sighting.first, track.path.first), min(sighting.first + len(rows) - 1, track.path.last)
                if low <= high:
                    mine, theirs = (
                        slice(low - sighting.first, high - sighting.first + 1),
                        slice(low - track.path.first, high - track.path.first + 1),
                    )
                    seen[mine] |= (
                        share_within(
                            points[mine],
                            track.path.rows()[theirs],
                            shapes_of(sighting, np.arange(low, high + 1)),
                            margin + rows[mine, GROW],
                        )
                        >= CARRY.still_covered
                    )
            for first, last in runs(np.flatnonzero(~seen) + sighting.first, join=1):
                if last - first + 1 >= LEAST:
                    yield Finding(scene.clip.key, subject.key, self.reason, first, last, float(last - first + 1), first)

    def sentence(self, project, finding, told):
        return (
            f"The newest scan does not see {told.name} from {told.first} ({told.count}). The cover stays where it was."
            " Look, then accept it, or end or remove the sighting."
        )
