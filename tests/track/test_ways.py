"""Who goes on as whom is told by ways, sizes and looks, and what is said to be sure is."""

import unittest

import numpy as np

from skiagraph.track.camera import Views
from skiagraph.track.unfaced import BodySign, unfaced
from skiagraph.track.ways import WAYS, Heads, Ways, log_odds_of_following

RATE, WIDE = 25.0, 20.0


def ways(*tracks, looks=None, shots=None):
    """Of people, each of (frame, x heads, y heads): sights are numbered one person after the other."""
    frames, heads = zip(*((f, (x * WIDE, y * WIDE, WIDE, 1.3 * WIDE)) for track in tracks for f, x, y in track))
    whose = np.concatenate([np.full(len(track), n) for n, track in enumerate(tracks)])
    colours = [None] * len(frames) if looks is None else [looks[n] for n in whose]
    return Ways(
        Heads.of(frames, heads, Views.still()),
        colours,
        whose,
        np.zeros(len(frames), int) if shots is None else np.array(shots),
        RATE,
    )


def walk(x, speed, y=0.0, frames=range(0, 100, 12)):
    """Somebody at x heads in frame 0, who goes so many heads a second."""
    return [(f, x + speed * f / RATE, y) for f in frames]


class WaysTest(unittest.TestCase):
    def test_who_is_alone_goes_on(self):
        for speed in (0, 3, 6):
            self.assertGreater(ways(walk(0, speed)).probability(3, 4), 0.99)

    def test_two_who_walk_side_by_side_and_two_who_pass_each_other_are_told_apart(self):
        for case, other in {"beside": walk(1, 5, 2.0), "towards": walk(20.4, -5, 0.6), "behind": walk(-3, 5)}.items():
            with self.subTest(case):
                two = ways(walk(0, 5), other)
                for before in range(2, 7):
                    self.assertTrue(two.is_sure(before, before + 1), (before, two.probability(before, before + 1)))

    def test_two_who_stand_close_together_are_not(self):
        two = ways(walk(0, 0), walk(0.3, 0))
        self.assertTrue(0.4 < two.probability(3, 4) < 0.9, two.probability(3, 4))

    def test_nor_who_met_somebody_that_is_not_seen_afterwards(self):
        self.assertLess(ways(walk(0, 5), walk(0, 5, 0.4, range(0, 37, 12))).probability(3, 4), WAYS.sure)
        self.assertLess(ways(walk(0, 5), walk(0, 5, 0.4, range(48, 100, 12))).probability(3, 4), WAYS.sure)

    def test_looks_tell_who_stand_close_together_apart(self):
        red, blue = np.array([1.0, 0, 0]), np.array([0, 0, 1.0])
        alike, unlike = (
            ways(walk(0, 0), walk(0.3, 0), looks=looks).probability(3, 4) for looks in ((red, red), (red, blue))
        )
        self.assertLess(alike, 0.9)
        self.assertGreater(unlike, WAYS.sure)

    def test_of_too_many_nothing_is_sure(self):
        crowd = [walk(0.1 * n, 0) for n in range(6)]
        self.assertEqual(ways(*crowd).probability(3, 4), 0.0)
        far = [walk(9.0 * n, 0) for n in range(6)]
        self.assertTrue(ways(*far).is_sure(3, 4))

    def test_who_is_in_another_shot_counts_for_nothing(self):
        tracks = walk(0, 5), walk(0, 5, 0.4, range(0, 37, 12))
        here = np.zeros(sum(map(len, tracks)), int)
        self.assertTrue(ways(*tracks, shots=np.where(np.arange(len(here)) < len(tracks[0]), 0, 1)).is_sure(3, 4))

    def test_of_whom_the_speed_is_known_it_leads(self):
        heads = Heads.of([0, 12, 24, 24], [np.array([x, 0, WIDE, 1.3 * WIDE]) for x in (0, 50, 100, 20)], Views.still())
        on, back = (log_odds_of_following(heads, [None] * 4, [0, 1], row, RATE) for row in (2, 3))
        self.assertGreater(on, back)
        self.assertLess(log_odds_of_following(heads, [None] * 4, [1], 2, RATE), on, "nobody knows where to")

    def test_what_is_said_to_be_sure_is(self):
        # People who walk about in a small place, turn and stand by lot, and are not seen now and then.
        rng = np.random.default_rng(5)
        said, true = [], []
        for _ in range(12):
            frames = range(0, 240, 12)
            at, speed = rng.uniform(0, 12, (6, 2)), rng.normal(0, 3, (6, 2))
            signs, whose = [], {}
            for frame in frames:
                speed = np.where(
                    rng.random((6, 1)) < 0.15, rng.normal(0, 3, (6, 2)), 0.9 * speed + rng.normal(0, 0.8, (6, 2))
                )
                at = at + speed * 12 / RATE
                for person in range(6):
                    if rng.random() < 0.85:
                        head = np.append((at[person] + rng.normal(0, 0.1, 2)) * WIDE, (WIDE, 1.3 * WIDE))
                        whose[len(signs)] = person
                        signs.append(BodySign(frame, head))
            runs = unfaced(signs, [], lambda frame: (0, 239), RATE).runs
            for run in runs.runs:
                for pair in zip(run, run[1:]):
                    said.append(runs.ways.probability(*pair))
                    true.append(whose[pair[0]] == whose[pair[1]])
        said, true = np.array(said), np.array(true)
        self.assertGreater((said >= WAYS.sure).sum(), 100)
        self.assertGreater((said < 0.9).sum(), 100, "or there is nothing to be unsure of")
        self.assertGreater(true[said >= WAYS.sure].mean(), 0.98)
        self.assertGreater(true[said >= 0.95].mean(), 0.95)
        self.assertLess(true[said < 0.5].mean(), 0.7)
