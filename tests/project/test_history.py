"""Undo and redo are about decisions; evidence arrives for every step."""

import unittest

from skiagraph.footage.scanning import Arrival
from skiagraph.project import cast, edits
from skiagraph.project.carry import adopted
from skiagraph.project.history import LIMIT, History
from skiagraph.project.model import Decision
from tests.project.worlds import scan_of, world


class HistoryTest(unittest.TestCase):
    def setUp(self):
        self.history = History(world())

    def scan(self, *seen, arrival=None):
        project, carry, told = (arrival or Arrival("c1", 1)).evidence(self.history.project, scan_of(list(seen)))
        self.history.arrive(project, carry)
        return told

    def edit(self, function, *arguments):
        self.history.apply(function.__name__, function(self.history.project, *arguments))

    def names(self):
        return [s.name for s in self.history.project.subjects]

    def test_a_scan_is_no_step_and_undo_never_takes_it_back(self):
        self.scan((0, 0, 79, 0.0))
        self.assertEqual((self.names(), self.history.undo_name), (["Person 1"], ""))
        self.edit(cast.decide, ["s1"], Decision.SHOW)
        self.scan((0, 0, 79, 0.5), (1, 0, 50, 0.0))
        self.assertTrue(self.history.undo())
        self.assertEqual(
            self.names(), ["Person 1", "Person 2"], "whom the scan found is covered in earlier steps as well"
        )
        self.assertTrue(all(s.is_covered for s in self.history.project.subjects))
        self.assertTrue(self.history.redo())
        self.assertEqual([s.decision for s in self.history.project.subjects], [Decision.SHOW, Decision.UNDECIDED])

    def test_results_that_arrive_after_an_undo_are_not_lost_by_redo(self):
        self.scan((0, 0, 79, 0.0))
        self.edit(edits.rename, "s1", "Clerk")
        self.history.undo()
        self.scan((0, 0, 79, 0.0), (2, 10, 60, 0.0))
        self.assertEqual(self.names(), ["Person 1", "Person 2"])
        self.history.redo()
        self.assertEqual(self.names(), ["Clerk", "Person 1"])
        self.assertEqual(
            [s.key for s in self.history.project.subjects],
            ["s1", "s2"],
            "the same people have the same ids in every step",
        )

    def test_a_step_before_the_clip_was_added_has_nobody_of_it(self):
        from skiagraph.project.model import Project

        clip, self.history = world().files[0], History(Project())
        self.edit(edits.add_clip, clip)
        self.scan((0, 0, 79, 0.0))
        self.history.undo()
        self.assertEqual((self.history.project.clips, self.names()), ((), []))
        self.history.redo()
        self.assertEqual(self.names(), ["Person 1"])

    def test_ids_rise_through_undo(self):
        self.scan((0, 0, 79, 0.0))
        self.edit(edits.remove_subjects, ["s1"])
        self.history.undo()
        self.edit(lambda project: cast.split_at(project, "s1", "c1", 40)[0])
        self.history.undo()
        self.edit(lambda project: cast.split_at(project, "s1", "c1", 20)[0])
        self.assertEqual([s.key for s in self.history.project.subjects], ["s1", "s3"])

    def test_old_steps_are_let_go(self):
        self.scan((0, 0, 79, 0.0))
        for n in range(LIMIT + 20):
            self.edit(edits.rename, "s1", f"Name {n}")
        steps = 0
        while self.history.undo():
            steps += 1
        self.assertEqual(steps, LIMIT - 1)


class RunningTest(unittest.TestCase):
    """A scan that runs is shown and is no part of the project until it is done."""

    def setUp(self):
        project, carry, _ = Arrival("c1", 1).evidence(world(), scan_of([(0, 0, 79, 0.0), (1, 0, 79, 0.0)]))
        self.base = carry(project)

    def test_people_not_found_yet_are_there_all_the_while(self):
        again = Arrival("c1", 5)
        view, _ = again.seen(self.base, scan_of([(0, 0, 20, 0.0)], 21))
        self.assertEqual([s.key for s in view.subjects], ["s1", "s2"])
        self.assertEqual(self.base.scan_of("c1").every, 1, "cancelled now, everything is as it was")

    def test_a_decision_on_somebody_just_found_outlives_the_scan(self):
        again = Arrival("c1", 1)
        view, _ = again.seen(self.base, scan_of([(0, 0, 20, 0.0), (2, 5, 20, 0.0), (3, 5, 20, 0.0)], 21))
        new = [s.key for s in view.subjects if s.key not in ("s1", "s2")]
        decided = adopted(self.base, view, cast.decide(view, new[:1], Decision.COVER))
        self.assertEqual(
            [(s.key, s.decision) for s in decided.subjects],
            [("s1", Decision.UNDECIDED), ("s2", Decision.UNDECIDED), (new[0], Decision.COVER)],
        )
        self.assertEqual(decided.scan_of("c1"), self.base.scan_of("c1"))
        project, carry, _ = again.evidence(
            decided, scan_of([(0, 0, 79, 0.0), (1, 0, 79, 0.0), (2, 5, 70, 0.0), (3, 5, 70, 0.0)])
        )
        done = carry(project)
        self.assertEqual(
            [(s.key, s.sightings[0].last) for s in done.subjects], [("s1", 79), ("s2", 79), (new[0], 70), (new[1], 70)]
        )
        self.assertEqual(done.subject(new[0]).decision, Decision.COVER)

    def test_taking_somebody_out_while_it_runs_is_kept(self):
        view, _ = Arrival("c1", 1).seen(self.base, scan_of([(0, 0, 20, 0.0)], 21))
        self.assertEqual(
            [s.key for s in adopted(self.base, view, edits.remove_subjects(view, ["s2"])).subjects], ["s1"]
        )
