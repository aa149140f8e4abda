"""Dark pictures are lifted, and what noise is in them is not lifted with them."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.detect.lifting import LIFT, lifted, noise_of


class LiftTest(unittest.TestCase):
    def test_daylight_is_left_alone(self):
        bright = np.full((64, 64, 3), 120, np.uint8)
        self.assertIs(lifted(bright), bright)

    def test_dark_pictures_become_lighter_and_less_coloured(self):
        dark = np.zeros((64, 64, 3), np.uint8)
        dark[:] = (20, 25, 50)
        out = lifted(dark)
        self.assertGreater(out.mean(), 1.5 * dark.mean())
        self.assertLess(np.ptp(out[0, 0].astype(float)) / out.mean(), np.ptp(dark[0, 0].astype(float)) / dark.mean())

    def test_black_stays_black(self):
        black = np.zeros((64, 64, 3), np.uint8)
        self.assertIs(lifted(black), black)


class NoiseTest(unittest.TestCase):
    def dark(self, noise: float) -> np.ndarray:
        """Dark red, with an edge in its middle."""
        picture = np.zeros((120, 160, 3), np.float32)
        picture[:, :80], picture[:, 80:] = (30, 12, 12), (60, 20, 22)
        return (
            np.clip(picture + np.random.default_rng(5).normal(0, noise, picture.shape), 0, 255).round().astype(np.uint8)
        )

    def test_noise_is_told_from_what_is_seen(self):
        steps = np.repeat(np.linspace(20, 200, 160)[None, :, None], 120, axis=0).repeat(3, axis=2)
        for noise in (2.0, 5.0):
            noisy = (
                np.clip(steps + np.random.default_rng(3).normal(0, noise, steps.shape), 0, 255).round().astype(np.uint8)
            )
            self.assertAlmostEqual(noise_of(noisy), noise, delta=0.15 * noise)
        self.assertLess(noise_of(steps.astype(np.uint8)), 0.5)
        self.assertEqual(noise_of(np.zeros((2, 9, 3), np.uint8)), 0.0)

    def test_noise_is_smoothed_away_and_edges_stay(self):
        noisy = self.dark(4.0)
        out, rough, whole = (
            picture.astype(float)
            for picture in (lifted(noisy), lifted(noisy, replace(LIFT, noisy=np.inf)), lifted(self.dark(0.0)))
        )
        left, right = out[10:-10, 10:70, 0], out[10:-10, 90:150, 0]
        self.assertLess(left.std(), 0.5 * rough[10:-10, 10:70, 0].std())
        # Within two px of the edge it is as light as further off.
        self.assertGreater(np.median(out[:, 82, 0]) - np.median(out[:, 77, 0]), 0.8 * (right.mean() - left.mean()))
        self.assertLess(abs(left.mean() - whole[10:-10, 10:70, 0].mean()), 6)

    def test_what_has_no_noise_is_not_smoothed(self):
        clean = self.dark(0.0)
        fine = clean.copy()
        fine[::2, :, :] = np.clip(fine[::2, :, :].astype(int) + 1, 0, 255)
        self.assertLess(noise_of(fine), LIFT.noisy)
        self.assertEqual(len(np.unique(lifted(fine)[:, 20, 0])), 2)


if __name__ == "__main__":
    unittest.main()
