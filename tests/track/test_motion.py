import unittest

import numpy as np

from skiagraph.track.appearance import head_colours, likeness
from skiagraph.track.motion import FaceMotion


def box(x, y, side):
    return np.array([x - side / 2, y - side / 2, x + side / 2, y + side / 2])


class MotionTest(unittest.TestCase):
    def test_even_motion_is_predicted(self):
        motion = FaceMotion(box(100, 100, 40))
        for n in range(1, 20):
            motion.predict()
            motion.correct(box(100 + 5 * n, 100 - 2 * n, 40))
        motion.predict(4)
        np.testing.assert_allclose(motion.centre_and_side[:2], [100 + 5 * 23, 100 - 2 * 23], atol=3)

    def test_doubt_grows_while_nothing_is_seen_and_shrinks_when_it_is(self):
        motion = FaceMotion(box(100, 100, 40))
        motion.predict()
        motion.correct(box(100, 100, 40))
        seen = motion.spread
        motion.predict(10)
        self.assertGreater(motion.spread, 2 * seen)
        motion.correct(box(100, 100, 40))
        self.assertLess(motion.spread, 2 * seen)

    def test_camera_carries_the_face_along(self):
        motion = FaceMotion(box(100, 100, 40))
        motion.predict(1, np.array([[1.1, 0, 20], [0, 1.1, -5]]))
        np.testing.assert_allclose(motion.centre_and_side, [130, 105, 44], atol=1e-6)

    def test_a_doubtful_box_moves_it_less(self):
        sure, unsure = FaceMotion(box(100, 100, 40)), FaceMotion(box(100, 100, 40))
        sure.correct(box(120, 100, 40), 1.0)
        unsure.correct(box(120, 100, 40), 0.2)
        self.assertGreater(sure.centre_and_side[0], unsure.centre_and_side[0])


class AppearanceTest(unittest.TestCase):
    def picture(self, top, bottom):
        picture = np.zeros((200, 200, 3), np.uint8)
        picture[:100], picture[100:] = top, bottom
        return picture

    def test_same_clothes_are_alike_and_others_are_not(self):
        place = np.array([80, 80, 120, 120.0])
        red, again, blue = (
            head_colours(self.picture(*c), place)
            for c in (((200, 30, 30), (30, 90, 30)), ((208, 32, 30), (32, 94, 34)), ((30, 30, 200), (200, 200, 40)))
        )
        self.assertGreater(likeness(red, again), 0.95)
        self.assertLess(likeness(red, blue), 0.3)
        self.assertAlmostEqual(likeness(red, red), 1.0, places=4)

    def test_hat_and_collar_count_apart(self):
        place = np.array([80, 80, 120, 120.0])
        one, other = (
            head_colours(self.picture((200, 30, 30), (30, 30, 200)), place),
            head_colours(self.picture((30, 30, 200), (200, 30, 30)), place),
        )
        self.assertLess(likeness(one, other), 0.7)

    def test_outside_the_frame_nothing_is_known(self):
        self.assertIsNone(head_colours(self.picture((1, 1, 1), (2, 2, 2)), np.array([300, 300, 340, 340.0])))
        self.assertEqual(likeness(None, np.ones(4)), 0.5)
