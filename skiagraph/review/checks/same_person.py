"""Somebody who is shown came so near to somebody else that a path may have gone on on the other: what is shown after
that may be the wrong one."""

from __future__ import annotations

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, paired_iou
from skiagraph.project.model import Decision
from skiagraph.project.rows import CX, HEIGHT
from skiagraph.remembering import Remembered
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind, runs

# Heads that overlap by so much of both together were one before the other, in part; meetings this close in frames are
# one. Between heads that never come nearer no follower goes over: chosen by hand, on the wide side, and held against
# the exchanges of benchmarks/quality.py.
MET, ONE_MEETING = 0.12, 12
# From this probability on, which a scan states for each meeting (track.meetings; how far it holds is in
# docs/measured/people.md), nobody is asked.
SURE = 0.99

_MET = Remembered(16 << 20, size=lambda frames: frames.nbytes + 64)


@finding_kind
class SamePerson(FindingKind):
    """Only for who is shown: of two who are covered it does not matter which is which.

    One finding for each meeting, from the one before to the next one.
    """

    reason, word, compares = Reason.SAME_PERSON, "Same person?", True

    def on_scene(self, scene):
        for subject in scene.project.subjects:
            if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
                continue
            yield from self._back(scene, subject)
            others = [
                s
                for other in scene.project.subjects
                if other.key != subject.key and other.is_covered and not other.doubtful
                for s in scene.sightings(other)
            ]
            for sighting in scene.sightings(subject):
                near = [s for s in others if s.first <= sighting.last and s.last >= sighting.first]
                frames = (
                    np.unique(
                        np.concatenate(
                            [
                                _MET.get((sighting, s, scene.clip), "met", lambda s=s: self._met(scene, sighting, s))
                                for s in near
                            ]
                        )
                    )
                    if near
                    else np.zeros(0, int)
                )
                meetings = self._asked(scene, sighting, list(runs(frames, ONE_MEETING)))
                last = min(sighting.last, scene.clip.frames - 1)
                for n, (begin, end) in enumerate(meetings):
                    before = meetings[n - 1][1] + 1 if n else sighting.first
                    after = meetings[n + 1][0] - 1 if n + 1 < len(meetings) else last
                    # On which side of it the wrong one is shown is not known.
                    if before < begin and end < last:
                        yield Finding(
                            scene.clip.key, subject.key, self.reason, before, after, float(end - begin + 1), end + 1
                        )

    def _back(self, scene, subject):
        """Somebody who was away and of whom the scan is not sure that they are who came back."""
        sightings = scene.sightings(subject)
        for before, after in zip(sightings, sightings[1:]):
            unsure = any(
                before.first < j.first <= before.last + 1 and after.first - 1 <= j.last < after.last and j.same < SURE
                for person in self._people(scene, before)
                if set(person.tracks) & set(after.tracks)
                for j in person.joins
            )
            if unsure:
                yield Finding(
                    scene.clip.key,
                    subject.key,
                    self.reason,
                    after.first,
                    min(after.last, scene.clip.frames - 1),
                    1.0,
                    after.first,
                )

    @staticmethod
    def _people(scene, sighting):
        """Whom the scan takes a sighting for; nobody where it was changed by hand."""
        return (
            [p for p in scene.scan.people if set(p.tracks) & set(sighting.tracks)]
            if scene.scan and not sighting.keyframes and not sighting.repairs
            else []
        )

    @staticmethod
    def _through(scene, key, join) -> bool:
        """Whether a person of the scan is surely the same on both sides of a meeting."""
        return any(
            j.same >= SURE and j.first <= join.last and j.last >= join.first
            for p in scene.scan.people
            if p.key == key
            for j in p.joins
        )

    def _asked(self, scene, sighting, met: list[tuple[int, int]]) -> list[tuple[int, int]]:
        """The meetings to ask about, in order: without those of which the scan is sure, and with where it is unsure of
        somebody who was out of sight."""
        joins = [
            j
            for person in self._people(scene, sighting)
            for j in person.joins
            if sighting.first < j.first and j.last < sighting.last
        ]
        # Sure only where everybody else who was there was followed through it as surely: who was lost in it may be bare
        # beside whoever is shown.
        sure = [j for j in joins if j.same >= SURE and all(self._through(scene, other, j) for other in j.others)]
        unsure = [j for j in joins if j.same < SURE]
        asked = [
            (begin, end)
            for begin, end in met
            if not any(j.first - ONE_MEETING <= begin and end <= j.last + ONE_MEETING for j in sure)
        ]
        asked += [
            (j.first, j.last) for j in unsure if not any(begin <= j.last and end >= j.first for begin, end in asked)
        ]
        return sorted(asked)

    def _met(self, scene, one, other) -> np.ndarray:
        """Frames in which the heads of two sightings overlap."""
        mine, theirs = scene.rows(one), scene.rows(other)
        first, last = max(one.first, other.first), min(one.first + len(mine), other.first + len(theirs))
        if first >= last:
            return np.zeros(0, int)
        boxes = (
            cxcywh_to_xyxy(rows[first - s.first : last - s.first, CX : HEIGHT + 1])
            for rows, s in ((mine, one), (theirs, other))
        )
        return first + np.flatnonzero(paired_iou(*boxes) >= MET)

    def sentence(self, project, finding, told):
        return (
            f"Check that {told.name} is the same person after {told.where}: somebody was close, or they were out of"
            " sight. If not, swap them from there on, or split."
        )
