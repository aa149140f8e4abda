"""Whether two pictures are of one shot: whatever moves in it or lights it, and however alike two places are."""

import unittest

import cv2
import numpy as np

from skiagraph.track.camera import is_cut, thumbnail

SIZE = 640, 360


def scene(seed: int, shift: int = 0, light: float = 1.0, noise: float = 0.0) -> np.ndarray:
    """A bright wall above a dark floor, as every place here has them, with things by lot in it; uint8 grey. shift: px to the right."""
    rng = np.random.default_rng(seed)
    picture = np.full((SIZE[1], SIZE[0] + 400), 70, np.uint8)
    picture[:200] = 190
    for _ in range(60):
        x, y, size, tone = int(rng.integers(0, SIZE[0] + 400)), int(rng.integers(0, SIZE[1])), int(rng.integers(10, 60)), int(rng.integers(-50, 50))
        picture[y:y + size, x:x + size] = np.clip(picture[y:y + size, x:x + size].astype(int) + tone, 0, 255)
    part = picture[:, 200 + shift:200 + shift + SIZE[0]] * light + np.random.default_rng((seed, 200 + shift)).normal(0, noise, SIZE[::-1])
    return np.clip(part, 0, 255).astype(np.uint8)


class IsCutTest(unittest.TestCase):
    def cut(self, before: np.ndarray, after: np.ndarray) -> bool:
        forward, back = is_cut(thumbnail(before), thumbnail(after)), is_cut(thumbnail(after), thumbnail(before))
        self.assertEqual(forward, back)
        return forward

    def test_places_of_one_composition_are_two_shots(self):
        for seed in range(1, 13):
            self.assertTrue(self.cut(scene(seed), scene(seed + 50)), seed)
            self.assertTrue(self.cut(scene(seed, light=0.4), scene(seed + 50, light=0.4)), seed)

    def test_a_shot_goes_on_while_the_camera_pans_and_light_changes(self):
        for seed in range(1, 7):
            for change in (dict(shift=8), dict(shift=24), dict(light=0.5), dict(light=1.3), dict(noise=12.0), dict(shift=12, light=0.6, noise=6.0)):
                self.assertFalse(self.cut(scene(seed), scene(seed, **change)), (seed, change))

    def test_somebody_who_walks_through_the_picture_ends_no_shot(self):
        before, after = scene(3), scene(3)
        cv2.rectangle(before, (100, 0), (300, 360), 30, -1)
        cv2.rectangle(after, (130, 0), (330, 360), 30, -1)
        self.assertFalse(self.cut(before, after))

    def test_a_whip_pan_is_a_row_of_cuts(self):
        smear = [cv2.blur(scene(5, shift), (120, 1)) for shift in (-150, 0, 150)]
        self.assertTrue(self.cut(smear[0], smear[1]))
        self.assertTrue(self.cut(smear[1], smear[2]))

    def test_where_nearly_nothing_is_to_be_found_again_the_whole_picture_tells(self):
        black, white = np.full(SIZE[::-1], 5, np.uint8), np.full(SIZE[::-1], 240, np.uint8)
        half = black.copy()
        half[:180] = 240
        self.assertFalse(self.cut(black, black))
        self.assertTrue(self.cut(half, half[::-1].copy()))
        self.assertTrue(self.cut(black, white))


if __name__ == "__main__":
    unittest.main()
