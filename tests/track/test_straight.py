"""Between two looks the pictures tell whether somebody went straight, whatever the light does meanwhile."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from skiagraph.track.linking import Tracklet
from skiagraph.track.straight import Straight

SIDE = 60


def textured(seed, height, width):
    noise = np.random.default_rng(seed).random((height, width), np.float32)
    return cv2.normalize(cv2.GaussianBlur(noise, (0, 0), 5), None, 20, 220, cv2.NORM_MINMAX).astype(np.uint8)


class StraightTest(unittest.TestCase):
    def setUp(self):
        self.street, self.head = textured(1, 240, 480), textured(2, SIDE, SIDE)
        self.straight, self.tracklet = Straight(), Tracklet(1)

    def picture(self, x, light=1.0):
        """Somebody's head with its middle at x in front of a street."""
        picture = self.street.copy()
        picture[100 - SIDE // 2 : 100 + SIDE // 2, x - SIDE // 2 : x + SIDE // 2] = self.head
        return np.clip(picture * light, 0, 255).astype(np.uint8)

    def seen(self, frame, x, between=(), light=1.0):
        """between: (frame, x) of the pictures since the last look."""
        self.tracklet.frames.append(frame)
        self.tracklet.heads.append(np.array([x, 100, 54, 56, 0], np.float32))
        return self.straight.went(
            self.tracklet,
            self.picture(x, light),
            [SimpleNamespace(number=number, grey=self.picture(at, light)) for number, at in between],
        )

    def test_a_straight_way_is_straight(self):
        self.assertTrue(self.seen(0, 100))
        self.assertTrue(self.seen(6, 160, [(4, 140), (2, 120)]))

    def test_whoever_was_elsewhere_in_between_did_not_go_straight(self):
        for off in (16, -40):
            self.setUp()
            self.seen(0, 200)
            self.assertFalse(self.seen(6, 200, [(4, 200), (2, 200 + off)]))

    def test_a_late_start_is_noticed(self):
        self.seen(0, 200)
        self.assertFalse(self.seen(6, 260, [(4, 212), (2, 200)]))

    def test_light_that_changes_is_no_move(self):
        self.seen(0, 200)
        self.assertTrue(self.seen(6, 200, [(3, 200)], light=0.6))

    def test_only_pictures_since_the_last_look_count(self):
        self.seen(6, 200)
        self.assertTrue(self.seen(12, 200, [(9, 200), (3, 300)]))

    def test_nothing_is_said_of_whom_nothing_is_remembered(self):
        self.seen(0, 200)
        self.straight.forget(1)
        self.assertTrue(self.seen(6, 200, [(3, 300)]))
        self.assertFalse(self.seen(12, 200, [(9, 300)]))


if __name__ == "__main__":
    unittest.main()
