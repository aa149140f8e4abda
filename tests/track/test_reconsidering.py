"""Who is who after a meeting: kept where it is sure, exchanged where the tracks went over to the other, cut and asked
about where nobody can tell."""

import unittest

import numpy as np

from skiagraph.track.identity import probability
from skiagraph.track.meetings import MeetingSettings, meetings_of
from skiagraph.track.path import FOLLOWED, FOUND
from skiagraph.track.people import people_of
from skiagraph.track.reconsidering import frames_wanted, reconsidered
from tests.track.crossing_paths import BLUE, RATE, RED, covered, crossing, path_along, seen_on, stretches_on


class ReconsideredTest(unittest.TestCase):
    def asked(self, paths, colours):
        self.before = stretches_on(paths)
        meetings = meetings_of(paths, RATE)
        wanted = frames_wanted(meetings, RATE)
        self.made = reconsidered(
            self.before, meetings, {f: s for f, s in seen_on(paths, colours).items() if f in wanted}, RATE
        )
        return self.made

    def test_who_looks_the_same_on_both_sides_is_kept(self):
        made = self.asked(crossing(), lambda n, frame: (RED, BLUE)[n])
        self.assertEqual([s.path for s in made.stretches], [s.path for s in self.before])
        self.assertEqual(len(made.joins), 2)
        self.assertTrue(all(probability(j.odds) > 0.99 for j in made.joins), made.joins)
        self.assertEqual({j.others for j in made.joins}, {(0,), (1,)})

    def test_paths_that_changed_heads_are_exchanged(self):
        """As it was on a private clip: each path went on on the other person, and was sure of it."""
        made = self.asked(crossing(swapped=True), lambda n, frame: (RED, BLUE)[n if frame < 50 else 1 - n])
        ways = sorted((round(float(s.path.cx[0])), round(float(s.path.cx[-1]))) for s in made.stretches)
        self.assertEqual(ways, [(100, 500), (500, 100)])
        self.assertEqual(covered(made.stretches), covered(self.before), "nothing is less covered")
        people, likely = people_of(made.stretches, joins=made.joins, asked=made.asked)
        self.assertEqual((len(people), likely), (2, []))
        self.assertTrue(all(p.joins for p in people))

    def test_two_in_the_same_clothes_are_cut_and_asked_about(self):
        paths = crossing()
        hidden = np.full(101, FOUND, np.uint8)
        hidden[44:58] = FOLLOWED
        paths = [paths[0], path_along(paths[1].cx, origin=hidden)]
        made = self.asked(paths, lambda n, frame: RED)
        self.assertEqual(len(made.stretches), 4)
        self.assertEqual(covered(made.stretches), covered(self.before), "nothing is less covered")
        people, likely = people_of(made.stretches, joins=made.joins, asked=made.asked)
        self.assertEqual(len(people), 4, "what cannot be told apart is never joined")
        self.assertGreaterEqual(len(likely), 2, "but asked about")
        self.assertEqual(len({p.key for p in people}), 4)

    def test_a_part_without_a_face_is_never_cut_off(self):
        """It would be nobody."""
        origin = np.r_[np.full(45, FOUND), np.full(56, FOLLOWED)].astype(np.uint8)
        paths = crossing()
        made = self.asked([path_along(paths[0].cx, origin=origin), paths[1]], lambda n, frame: RED)
        self.assertTrue(all((s.path.origin == FOUND).any() for s in made.stretches))

    def test_many_at_one_place_take_no_time(self):
        paths = [path_along(np.linspace(100 + 10 * n, 500 - 10 * n, 101)) for n in range(12)]
        made = self.asked(paths, lambda n, frame: RED)
        self.assertEqual(covered(made.stretches), covered(self.before))

    def test_larger_thresholds_ask_more(self):
        paths = crossing()
        meetings = meetings_of(paths, RATE)
        seen = seen_on(paths, lambda n, frame: RED)
        counts = [
            len(reconsidered(stretches_on(paths), meetings, seen, RATE, MeetingSettings(keep=keep)).stretches)
            for keep in (0.1, 0.9999)
        ]
        self.assertEqual(counts, [2, 4])


if __name__ == "__main__":
    unittest.main()
