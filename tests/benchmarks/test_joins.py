"""The measure of joins: who went into a meeting and who came out of it, by the truth."""

from types import SimpleNamespace
from unittest import TestCase, mock

from benchmarks import joins
from benchmarks.meetings import scenes
from skiagraph.track import scan
from skiagraph.track.reconsidering import Join, Reconsidered
from tests.support import head_path


class StatedTest(TestCase):
    def stated(self, *paths, made):
        """What is measured of paths on two people who stand at x 60 and 200, for 60 frames."""
        head = lambda actor, x: SimpleNamespace(actor=actor, cx=x, cy=48, width=30, height=40, head_visible=1.0)
        result = Reconsidered([SimpleNamespace(path=p) for p in paths], *made)
        with mock.patch.object(joins, "reconsidered", lambda: result), joins.recorded() as held:
            scan.reconsidered()
        return joins.stated(held, [[head("one", 60), head("two", 200)]] * 60)

    def test_a_join_is_true_where_it_is_one_person_on_both_sides(self):
        stays, changes = head_path(0, 60, cx=60), head_path(0, 60, cx=60, step=(140 / 59, 0))
        join = lambda row: Join(25, 35, row, (), 3.0)
        ((_, right),) = self.stated(stays, made=([join(0)], {}))
        ((said, wrong),) = self.stated(changes, made=([Join(15, 45, 0, (), 3.0)], {}))
        self.assertEqual((right, wrong), (True, False))
        self.assertAlmostEqual(said, 0.9526, places=3)

    def test_pairs_that_were_cut_count_too_and_who_is_nobody_does_not(self):
        pairs = self.stated(
            head_path(0, 30, cx=60),
            head_path(31, 29, cx=60),
            head_path(31, 29, cx=200),
            head_path(31, 29, cx=130),
            made=([], {(0, 1): 1.0, (0, 2): -1.0, (0, 3): 0.0}),
        )
        self.assertEqual([true for _, true in pairs], [True, False])
        self.assertIn("| 0.70 to 0.90 | 1 | 0.731 | 1.000 (1) |", joins.table(pairs))


class MeetingFilmsTest(TestCase):
    def test_those_who_meet_in_like_clothes_wear_the_same_and_the_same_each_time(self):
        for scene in scenes("alike", range(6), True):
            self.assertEqual(len({(a.look.coat, a.look.hat, a.look.hair) for a in scene.actors}), 1)
            self.assertEqual(
                len({a.look.features for a in scene.actors}), len(scene.actors), "but have faces of their own"
            )
        self.assertEqual(scenes("meetings", range(3), False), scenes("meetings", range(3), False))
