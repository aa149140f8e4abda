"""The attacks on covers: what is right is counted as right, a blur is really divided out, and a cover that hides
nothing is told from one that does."""

import unittest

import cv2
import numpy as np

from benchmarks.attack import (
    SIDE,
    above_chance,
    as_seen,
    attacked,
    averaged,
    first,
    frame_of,
    interval,
    richardson_lucy,
    spread,
    under,
    wiener,
)
from benchmarks.crowd import crowd, cut_out, look_of, people, sighting, view
from skiagraph.cover.cover import Cover, Style
from skiagraph.demo.head import Look

Blur, Solid, Dissolve = (Cover.kinds[k] for k in ("blur", "solid", "dissolve"))


class CountingTest(unittest.TestCase):
    def test_right_ones_are_counted_and_the_interval_is_wilsons(self):
        gallery = {1: np.zeros(3), 2: np.ones(3)}
        self.assertEqual(first([(1, np.full(3, 0.1)), (2, np.full(3, 0.2)), (2, np.full(3, 0.9))], gallery), (2, 3))
        low, high = interval(8, 10)
        self.assertAlmostEqual(low, 0.490, places=3)
        self.assertAlmostEqual(high, 0.943, places=3)

    def test_luck_is_told_from_more(self):
        self.assertFalse(above_chance(3, 104, 52, 1))
        self.assertTrue(above_chance(9, 104, 52, 1))
        self.assertFalse(above_chance(6, 104, 52, 6), "the best of six attacks has six times the luck")


class AttackTest(unittest.TestCase):
    def test_what_a_linear_blur_did_is_undone(self):
        picture = view(look_of(3), 5, 0.0).rgb.astype(np.float32)
        kernel = cv2.getGaussianKernel(31, 4.0).astype(np.float32) @ cv2.getGaussianKernel(31, 4.0).astype(np.float32).T
        blurred = cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REPLICATE)
        inner = np.s_[30:-30, 30:-30]
        before = np.abs(blurred - picture)[inner].mean()
        for attack in (wiener, richardson_lucy):
            self.assertLess(np.abs(attack(blurred, kernel) - picture)[inner].mean(), 0.85 * before, attack.__name__)

    def test_the_spread_of_a_cover_is_measured(self):
        head = (SIDE / 2, SIDE / 2, 60.0, 78.0, 0.0)
        narrow, wide = spread(Style.of(Blur(0.08, even=0)), head), spread(Style.of(Blur(0.16, even=0)), head)
        deviation = [
            float(np.sqrt((k.sum(axis=0) * (np.arange(k.shape[1]) - k.shape[1] // 2) ** 2).sum() / k.sum()))
            for k in (narrow, wide)
        ]
        self.assertAlmostEqual(deviation[0], 0.08 * 78, delta=2.5)
        self.assertGreater(deviation[1], 1.5 * deviation[0])
        for nothing in (Solid(), Dissolve()):
            self.assertEqual(spread(Style.of(nothing), head).size, 1)

    def test_only_the_cover_is_seen_and_only_the_head_is_covered(self):
        seen = view(look_of(1), 2, 10.0)
        plain, inside = under(seen, None, 0, 1)
        made, there = under(seen, Style.of(Solid(), 0, 0), 0, 1)
        self.assertIs(plain, seen.rgb)
        self.assertTrue(
            (
                made[~cv2.dilate(there.astype(np.uint8), np.ones((5, 5))).astype(bool)]
                == plain[~cv2.dilate(there.astype(np.uint8), np.ones((5, 5))).astype(bool)]
            ).all()
        )
        self.assertLess(there.sum(), inside.sum())
        attacked_ = as_seen(seen, Style.of(Solid(), 0, 0), 0, 1).rgb
        self.assertEqual(set(np.unique(attacked_[~there])), {128.0})
        self.assertEqual(frame_of(seen.rgb).size, (SIDE, SIDE))

    def test_averaging_aligns_by_the_head(self):
        views = sighting(look_of(2), 7, 5)
        mean = averaged([as_seen(v, None, n, 1) for n, v in enumerate(views)])
        one = cut_out(views[2].rgb.astype(np.float32), views[2].head, mean.shape[0])
        middle = np.s_[90:210, 90:210]
        self.assertGreater(np.corrcoef(mean[middle].ravel(), one[middle].ravel())[0, 1], 0.9)

    def test_as_shot_people_are_known_and_behind_what_hides_they_are_not(self):
        seen = list(people(8, 2, 2))
        self.assertEqual(len({who for who, _, _ in seen}), 8)
        told = dict(attacked(seen, {"as shot": None, "solid": Style.of(Solid()), "weak": Style.of(Blur(0.01, even=0))}))
        bare, weak, hidden = (told[name].worst("shot") for name in ("as shot", "weak", "solid"))
        self.assertGreaterEqual(bare[1], 5)
        self.assertGreaterEqual(weak[1], 4)
        self.assertLessEqual(hidden[1], 3)
        self.assertEqual(told["solid"].found[0], 0)
        self.assertGreater(told["as shot"].found[0], 0.9 * told["as shot"].found[1])

    def test_the_crowd_is_always_the_same_and_told_apart(self):
        self.assertEqual(crowd(8), crowd(8))
        self.assertEqual(len(set(crowd(8))), 8)
        self.assertIsInstance(crowd(8)[0], Look)
