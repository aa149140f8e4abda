"""Light: ordinary light is left as it is, coloured lamps are taken back, and what is told under them counts for
less."""

import unittest

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.track.light import LIGHT, gains_of, in_ordinary_light, surely_ordinary
from skiagraph.track.looking_back import with_colours
from skiagraph.track.picture import Picture
from tests.support import frame_of_rgb
from tests.track.faces import face

BLUE, RED = np.array([0.4, 0.5, 1.0]), np.array([1.0, 0.3, 0.35])


def room(seed=1):
    """A room of many colours, grey in the mean, with somebody in a red coat."""
    rng = np.random.default_rng(seed)
    picture = np.kron(rng.integers(40, 200, (15, 20, 3)), np.ones((20, 20, 1))).astype(np.uint8)
    picture[100:140, 180:220], picture[140:200, 170:230] = (200, 160, 140), (180, 40, 40)
    return picture


def under(lamp, picture):
    return np.clip(picture * lamp, 0, 255).astype(np.uint8)


class LightTest(unittest.TestCase):
    def picture(self, rgb):
        return Picture(frame_of_rgb(rgb), Squared(1.0))

    def test_a_mean_colour_tells_of_ordinary_light_only_where_that_is_sure(self):
        sure = [
            lamp
            for lamp in np.linspace(0.1, 1.3, 40)
            if surely_ordinary(under(np.array([lamp, 1.0, 1.0]), room()).reshape(-1, 3).mean(axis=0))
        ]
        self.assertTrue(sure)
        for lamp in sure:
            np.testing.assert_array_equal(gains_of(under(np.array([lamp, 1.0, 1.0]), room())), np.ones(3))
        self.assertFalse(surely_ordinary(np.array([20.0, 20.0, 20.0])))

    def test_in_ordinary_light_nothing_changes(self):
        for lamp in (1.0, np.array([1.15, 1.0, 0.85]), 0.7, 1.25):
            picture = under(lamp, room())
            lit = in_ordinary_light(picture)
            self.assertIs(lit.rgb, picture)
            self.assertFalse(lit.coloured)
            self.assertEqual(lit.telling, 1.0)

    def test_a_coloured_lamp_is_taken_back(self):
        for lamp in (BLUE, RED):
            with self.subTest(lamp):
                bare, lit = under(lamp, room()), in_ordinary_light(under(lamp, room()))
                self.assertTrue(lit.coloured)
                self.assertLess(lit.telling, 0.5)
                before, after = (
                    means.max() / means.min() for means in (p.reshape(-1, 3).mean(axis=0) for p in (bare, lit.rgb))
                )
                self.assertGreater(before, LIGHT.ordinary**2)
                self.assertLessEqual(after, 1.05 * LIGHT.ordinary**2)

    def test_what_is_hardly_lit_is_made_brighter_and_keeps_its_colours(self):
        lit = in_ordinary_light(under(0.2, room()))
        self.assertFalse(lit.coloured)
        self.assertAlmostEqual(lit.rgb.mean(), LIGHT.dark, delta=3)

    def test_nothing_is_made_of_the_dark(self):
        np.testing.assert_array_equal(gains_of(under(0.01, room())), np.ones(3))
        self.assertLessEqual(gains_of(under(np.array([0.1, 0.001, 0.001]), room())).max(), LIGHT.most)

    def test_nobody_knows_clothes_under_a_coloured_lamp(self):
        found = face(200, 120)
        self.assertIsNotNone(with_colours(self.picture(room()), found, Squared(1.0)).colours[0])
        self.assertIsNone(with_colours(self.picture(under(BLUE, room())), found, Squared(1.0)).colours[0])


if __name__ == "__main__":
    unittest.main()
