"""The square from above: people with small heads who go at a walk, come over the edges, and meet."""

import unittest

import numpy as np

from benchmarks.square import FAR, LARGEST, NEAR, SECONDS, SIZE, SMALLEST, square
from skiagraph.demo.story import value


class SquareTest(unittest.TestCase):
    def test_heads_are_small_and_nobody_runs(self):
        scene = square("square", 3)
        times = np.arange(0, SECONDS, 0.2)
        for actor in scene.actors:
            x, head, y = (np.array([value(keys, t) for t in times]) for keys in (actor.x, actor.size, actor.raised))
            head, y = 2 * head, scene.horizon - y
            self.assertTrue((head >= SMALLEST - 1).all() and (head <= LARGEST + 1).all(), actor.name)
            self.assertTrue((y > FAR - LARGEST).all() and (y < NEAR + 2 * LARGEST).all(), actor.name)
            self.assertLess((np.abs(np.diff(x)) / 0.2 / head[1:]).max(), 12, "heads a second")

    def test_some_come_over_the_edge_and_some_walk_side_by_side(self):
        scene = square("square", 3)
        begins = [value(actor.x, 0) for actor in scene.actors]
        self.assertTrue(any(x < 0 or x > SIZE[0] for x in begins))
        self.assertLess(len({actor.key.rsplit("-", 1)[0] for actor in scene.actors}), len(scene.actors))

    def test_in_the_dark_one_all_coats_are_dark(self):
        self.assertTrue(all(max(actor.look.coat) < 0.4 for actor in square("square", 3, dark=True).actors))
        self.assertFalse(all(max(actor.look.coat) < 0.4 for actor in square("square", 3).actors))
