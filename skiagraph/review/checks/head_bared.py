"""A cover that was moved, shrunk, keyed or trimmed by hand so that part of a head that was seen there lies bare."""

from __future__ import annotations

import numpy as np

from skiagraph.project.model import PersonSubject
from skiagraph.project.overlap import head_points, within
from skiagraph.project.rows import GROW, shapes_of
from skiagraph.review.faces import in_picture
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs
from skiagraph.track.path import FOLLOWED, FOUND

# Share of a head, ears and hair with it, that has to be under complete covers; what is missing then is a rim that
# margins and pixels explain.
UNDER = 0.95
# Where a path was surer of the head than this it is held against the cover.
SEEN_SURE = 0.5


@finding_kind
class HeadBared(FindingKind):
    """The path beneath hand work says where the head was in every frame; the cover is compared with it, not only with
    the faces that a detector saw."""

    reason, word, exposing = Reason.HEAD_BARED, "Moved off the head", True

    def on_subject(self, scene, subject, sightings):
        """Where there is a cover, and not where the head is."""
        margin, known = scene.project.style_of(subject).margin, scene.project.evidence.by_key()
        if not isinstance(subject.of, PersonSubject):
            # Where a thing is, a person's correction says better than the path that it corrects.
            return
        for key in sorted({key for s in sightings if s.touched for key in s.tracks}):
            frames, rows, seen = _heads(scene, known[key])
            points = head_points(rows)
            bare, covered = in_picture(points, scene.clip), np.zeros(len(frames), bool)
            for sighting in sightings:
                over = scene.rows(sighting)
                there = (frames >= sighting.first) & (frames < sighting.first + len(over))
                if there.any():
                    over = over[frames[there] - sighting.first]
                    bare[there] &= ~within(
                        points[there], over, shapes_of(sighting, frames[there]), margin + over[:, GROW]
                    )
                    covered |= there
            share = bare.mean(axis=1)
            yield from self._found(scene, subject, frames, seen & covered & (share > 1 - UNDER), share)

    def on_scene(self, scene):
        """Where a cover was trimmed away. What a split gave to somebody else is theirs to be asked about."""
        known = scene.project.evidence.by_key()
        every = [s for subject in scene.project.subjects for s in subject.in_clip(scene.clip.key)]
        for subject, sightings in scene.covered():
            for key in sorted({key for s in sightings if s.begin_set or s.end_set for key in s.tracks}):
                frames, _, seen = _heads(scene, known[key])
                for sighting in (*sightings, *(s for s in every if key in s.tracks)):
                    seen[(frames >= sighting.first) & (frames <= sighting.last)] = False
                yield from self._found(scene, subject, frames, seen, np.ones(len(frames)))

    def _found(self, scene, subject, frames, bad, share):
        for first, last in runs(frames[bad]):
            here = bad & (frames >= first) & (frames <= last)
            worst = int(np.argmax(np.where(here, share, -1)))
            yield Finding(
                scene.clip.key,
                subject.key,
                self.reason,
                first,
                last,
                round(float(1 - share[worst]), 3),
                int(frames[worst]),
            )

    def sentence(self, project, finding, told):
        if not finding.worst:
            return (
                f"{told.name} was seen at {told.where} and is not covered there ({told.count}). Extend the sighting, or"
                " accept it."
            )
        return (
            f"{1 - finding.worst:.0%} of the head of {told.name} lies bare at {told.where} ({told.count}). Move or"
            " enlarge the outline, or accept it if the head is elsewhere."
        )


def _heads(scene, track) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Frames of a track in the clip, its rows (n, 6), and in which of them the head was seen for sure, bool (n,)."""
    path = track.path
    frames = np.arange(path.first, min(path.last, scene.clip.frames - 1) + 1)
    rows = path.rows()[: len(frames)].astype(float)
    return frames, rows, np.isin(path.origin[: len(frames)], (FOUND, FOLLOWED)) & (rows[:, 5] >= SEEN_SURE)
