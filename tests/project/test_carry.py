"""Carrying decisions over to a new scan: found again, new, not found again; and never anybody uncovered by it."""

import unittest

from skiagraph.footage.scanning import Arrival
from skiagraph.project import cast, edits, outlines, presence
from skiagraph.project.model import Decision, Outline, Reach
from skiagraph.review.findings import findings
from tests.project.worlds import scan_of, world


class CarryTest(unittest.TestCase):
    def take(self, project, *seen, reached=None):
        project, carry, told = Arrival("c1", 1).evidence(project, scan_of(list(seen), reached))
        project = carry(project)
        self.report = told()
        return project

    def reasons(self, project, subject):
        return [
            (f.reason, f.first, f.last)
            for f in findings(project)
            if f.subject == subject and f.reason == "not-found-again"
        ]

    def test_it_tells_what_it_did(self):
        project = self.take(world(), (0, 0, 79, 0.0), (1, 0, 79, 0.0))
        again = self.take(project, (0, 0, 79, 1.0), (2, 10, 60, 0.0))
        self.assertEqual(
            (self.report.found_again, self.report.new, self.report.not_found), (("s1",), ("s3",), (("s2", 0, 79),))
        )
        self.assertEqual(again.subject("s1").sightings[0].key, project.subject("s1").sightings[0].key)
        self.assertNotEqual(again.subject("s1").sightings[0].tracks, project.subject("s1").sightings[0].tracks)

    def test_not_found_again_stays_covered_on_the_old_track_and_is_a_finding(self):
        for decision in (Decision.UNDECIDED, Decision.COVER):
            project = cast.decide(self.take(world(), (0, 0, 79, 0.0), (1, 0, 79, 0.0)), ["s2"], decision)
            again = self.take(project, (0, 0, 79, 0.0))
            self.assertEqual(again.subject("s2").sightings, project.subject("s2").sightings)
            self.assertEqual(self.reasons(again, "s2"), [("not-found-again", 0, 79)])
            self.assertEqual(self.reasons(again, "s1"), [])

    def test_a_person_decided_cover_who_is_found_elsewhere_keeps_the_other_sightings(self):
        project = cast.merge_subjects(self.take(world(), (0, 0, 30, 0.0), (1, 50, 79, 0.0)), "s1", ["s2"])
        project = cast.decide(project, ["s1"], Decision.COVER)
        again = self.take(project, (0, 0, 30, 0.0))
        self.assertEqual([(s.first, s.last) for s in again.subject("s1").sightings], [(0, 30), (50, 79)])
        self.assertEqual(self.reasons(again, "s1"), [("not-found-again", 50, 79)])

    def test_where_the_new_scan_ends_earlier_the_cover_goes_on_as_it_was(self):
        project = self.take(world(), (0, 0, 79, 0.0))
        again = self.take(project, (0, 10, 50, 0.0))
        (sighting,) = again.subject("s1").sightings
        self.assertEqual((sighting.first, sighting.last, len(sighting.tracks)), (0, 79, 2))
        self.assertEqual(self.reasons(again, "s1"), [("not-found-again", 0, 9), ("not-found-again", 51, 79)])

    def test_where_the_new_path_is_elsewhere_for_a_while_both_places_are_covered(self):
        project = self.take(world(), (0, 0, 79, 0.0))
        result = scan_of([(0, 0, 79, 0.0)])
        rows = result.people[0].paths[0].rows().copy()
        rows[30:50, 0] += 120
        from skiagraph.track.path import Path

        away = Path.from_rows(0, rows, result.people[0].paths[0].origin)
        from dataclasses import replace

        project, carry, told = Arrival("c1", 1).evidence(
            project, replace(result, people=(replace(result.people[0], paths=(away,)),))
        )
        again = carry(project)
        self.assertEqual([(s.first, s.last) for s in again.subject("s1").sightings], [(0, 79), (30, 49)])
        self.assertEqual(told().not_found, (("s1", 30, 49),))

    def test_hand_work_stays_on_the_track_it_was_done_on(self):
        project = self.take(world(), (0, 10, 60, 0.0))
        before = project.subject("s1").sightings[0]
        project = outlines.move_outline(project, "s1", "c1", 30, Outline.at(60, 100, 50, 60), Reach.ONWARD)
        again = self.take(project, (0, 0, 79, 1.0))
        first, mine, last = again.subject("s1").sightings
        self.assertEqual((mine.tracks, mine.keyframes), (before.tracks, project.subject("s1").sightings[0].keyframes))
        self.assertEqual(
            ((first.first, first.last), (last.first, last.last)), ((0, 9), (61, 79)), "what lies beside it is followed"
        )

    def test_an_end_that_a_person_chose_is_not_moved(self):
        project = presence.trim_sighting(self.take(world(), (0, 0, 79, 0.0)), "s1", "c1", 40, 0, 50)
        again = self.take(project, (0, 0, 79, 1.0))
        self.assertEqual([(s.first, s.last) for s in again.subject("s1").sightings], [(0, 50)])

    def test_somebody_shown_or_dismissed_gains_nothing_that_nobody_decided_about(self):
        for how in (lambda p: cast.decide(p, ["s1"], Decision.SHOW), lambda p: cast.dismiss(p, ["s1"])):
            project = how(self.take(world(), (0, 0, 30, 0.0)))
            again = self.take(project, (0, 0, 30, 0.0), (0, 50, 79, 0.0))
            self.assertEqual([(s.first, s.last) for s in again.subject("s1").sightings], [(0, 30)])
            self.assertEqual([(s.decision, s.is_covered) for s in again.subjects[1:]], [(Decision.UNDECIDED, True)])

    def test_only_the_machine_had_them_apart(self):
        project = self.take(world(), (0, 0, 30, 0.0))
        result = scan_of([(0, 0, 30, 0.0)])
        self.assertEqual(len(self.take(self.take(project, (0, 0, 30, 0.0), (0, 40, 79, 0.0))).subjects), 1)
        self.assertTrue(result.people)

    def test_what_was_kept_of_a_cancelled_scan_leaves_the_rest_a_finding(self):
        project = self.take(self.take(world(), (0, 0, 79, 0.0), (1, 0, 79, 0.0)), (0, 0, 29, 0.0), reached=30)
        self.assertEqual([(s.sightings[0].first, s.sightings[-1].last) for s in project.subjects], [(0, 79), (0, 79)])
        self.assertIn(("not-scanned", 30, 79), [(f.reason, f.first, f.last) for f in findings(project)])

    def test_old_tracks_that_nothing_rests_on_are_not_written(self):
        project = self.take(self.take(world(), (0, 0, 79, 0.0)), (0, 0, 79, 0.0))
        self.assertEqual(len(project.evidence.tracks), 2)
        self.assertEqual(
            [t.key for t in project.without_leftovers().evidence.tracks],
            list(project.subject("s1").sightings[0].tracks),
        )

    def test_names_given_by_hand_stay(self):
        project = edits.rename(self.take(world(), (0, 0, 79, 0.0)), "s1", "Person of interest")
        self.assertEqual(self.take(project, (0, 0, 79, 0.0), (1, 0, 79, 0.0)).subject("s1").name, "Person of interest")
