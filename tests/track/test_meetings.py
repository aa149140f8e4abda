"""Who is who after a meeting: kept where it is sure, exchanged where the tracks went over to the other, cut and asked
about where nobody can tell."""

import unittest

import numpy as np

from skiagraph.track.identity import probability
from skiagraph.track.meetings import MeetingSettings, _by_pairs, frames_wanted, marginals, meetings_of, reconsidered
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.people import people_of
from skiagraph.track.stretch import Stretch

RATE = 25.0
RED, BLUE = np.zeros(8, np.float32), np.zeros(8, np.float32)
RED[1], BLUE[5] = 1.0, 1.0


def path_along(xs, first=0, origin=None, size=60.0):
    """A path whose middle goes along xs, px."""
    xs = np.asarray(xs, float)
    rows = np.stack(
        [
            xs,
            np.full_like(xs, 100),
            np.full_like(xs, size),
            np.full_like(xs, size * 1.3),
            np.zeros_like(xs),
            np.full_like(xs, 0.9),
        ],
        axis=1,
    )
    return Path.from_rows(first, rows, np.full(len(xs), FOUND, np.uint8) if origin is None else origin)


def crossing(swapped=False):
    """Two who walk through each other; swapped: each path goes back on the other's way where they meet."""
    there, back = np.linspace(100, 500, 101), np.linspace(500, 100, 101)
    if swapped:
        return [
            path_along(np.concatenate([there[:51], back[51:]])),
            path_along(np.concatenate([back[:51], there[51:]])),
        ]
    return [path_along(there), path_along(back)]


def stretches_on(paths):
    """Stretches with a face in each frame that was found."""
    result = []
    for n, path in enumerate(paths):
        boxes = path.boxes()
        faces = tuple((path.first + row, boxes[row], 0.9) for row in np.flatnonzero(path.origin == FOUND))
        result.append(Stretch(path, (n,), faces, (), None, False, 10 * (n + 1)))
    return result


def seen_on(paths, colours):
    """What the detector saw: colours(path, frame) for each face."""
    seen = {}
    for frame in range(max(p.last for p in paths) + 1):
        there = [n for n, p in enumerate(paths) if p.first <= frame <= p.last and p.origin[frame - p.first] == FOUND]
        seen[frame] = (
            np.array([paths[n].boxes()[frame - paths[n].first] for n in there]).reshape(-1, 4),
            tuple(colours(n, frame) for n in there),
        )
    return seen


def covered(stretches):
    """(frame, x) of every row, sorted: what is covered, whoever it is."""
    return sorted((s.path.first + n, round(float(x), 2)) for s in stretches for n, x in enumerate(s.path.cx))


class MarginalsTest(unittest.TestCase):
    def test_two_who_look_the_same_are_even(self):
        share = marginals(np.full((2, 2), 4.0))
        np.testing.assert_allclose(share, share[0, 0])
        self.assertAlmostEqual(float(share[0].sum()), 1.0, delta=0.02)

    def test_one_pair_is_its_log_odds(self):
        self.assertAlmostEqual(float(marginals(np.array([[1.5]]))[0, 0]), probability(1.5), places=6)

    def test_what_is_sure_of_one_is_sure_of_the_other(self):
        share = marginals(np.array([[9.0, 1.0], [1.0, 1.0]]))
        self.assertGreater(share[1, 1], share[1, 0] * 5, "the other is taken already")

    def test_of_many_each_pair_is_held_against_every_other(self):
        even = _by_pairs(np.zeros((6, 1)))
        self.assertLess(float(even.max()), 0.4, "six came and one went: it is any of them")
        clear = np.full((6, 6), -6.0)
        np.fill_diagonal(clear, 6.0)
        self.assertTrue((np.diag(_by_pairs(clear)) > 0.98).all())
        clear[0, 1] = clear[1, 0] = clear[0, 0] = clear[1, 1] = 4.0
        share = _by_pairs(clear)
        self.assertLess(share[0, 0], 0.6)
        self.assertGreater(share[3, 3], 0.98)

    def test_more_came_than_went(self):
        share = marginals(np.array([[3.0], [0.0], [0.0]]))
        self.assertLessEqual(float(share.sum()), 1.0 + 1e-9)
        self.assertGreater(share[0, 0], 0.8)


class MeetingsTest(unittest.TestCase):
    def test_paths_that_cross_meet_once(self):
        (meeting,) = meetings_of(crossing(), RATE)
        self.assertEqual(meeting.rows, (0, 1))
        self.assertLess(meeting.first, 50)
        self.assertGreater(meeting.last, 50)
        self.assertTrue(all(abs(at - 50) <= 1 for at in meeting.at))

    def test_paths_that_stay_apart_do_not(self):
        self.assertEqual(meetings_of([path_along(np.full(50, 100.0)), path_along(np.full(50, 300.0))], RATE), [])

    def test_where_a_path_was_only_followed_on_it_meets_nobody(self):
        origin = np.r_[np.full(20, FOUND), np.full(60, FOLLOWED)].astype(np.uint8)
        gone = path_along(np.r_[np.full(20, 100.0), np.linspace(100, 300, 60)], origin=origin)
        self.assertEqual(meetings_of([gone, path_along(np.full(80, 300.0))], RATE), [])

    def test_one_vanishes_behind_somebody_and_one_comes_out(self):
        stays = path_along(np.full(120, 300.0))
        before, after = path_along(np.linspace(100, 290, 40)), path_along(np.linspace(310, 500, 40), first=65)
        (meeting,) = meetings_of([stays, before, after], RATE)
        self.assertEqual(meeting.rows, (0, 1, 2))

    def test_who_was_long_out_of_sight_is_asked_about(self):
        origin = np.full(100, FOUND, np.uint8)
        origin[30:70] = FOLLOWED
        (meeting,) = meetings_of([path_along(np.full(100, 100.0), origin=origin)], RATE)
        self.assertEqual((meeting.first, meeting.last, meeting.rows), (30, 69, (0,)))


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
