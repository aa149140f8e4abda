"""What the camera did, whatever moves before it, and what of the picture is new."""

import unittest

import cv2
import numpy as np

from skiagraph.track.camera import CameraMotion, Views, motion_between, newly_seen, newly_seen_parts
from tests.track.places import SIZE, scene
from tests.track.test_following import pictures


class ViewsTest(unittest.TestCase):
    def test_heads_are_as_far_down_as_in_the_first_frame_whatever_the_camera_does(self):
        rng = np.random.default_rng(7)
        angle, size, way = rng.uniform(-60, 60, 12), rng.uniform(0.6, 1.7, 12), rng.uniform(-200, 200, (12, 2))
        turn = np.radians(angle)
        similarities = np.stack(
            [
                np.stack([size * np.cos(turn), -size * np.sin(turn), way[:, 0]], 1),
                np.stack([size * np.sin(turn), size * np.cos(turn), way[:, 1]], 1),
            ],
            1,
        )
        views, frames = Views(np.arange(0, 36, 3), similarities), np.arange(1, 36, 3)
        for lean, wanted in ((0.0, 90.0), (90.0, -300.0), (180.0, -90.0)):
            points = similarities[:, :, :2] @ (300.0, 90.0) + similarities[:, :, 2]
            np.testing.assert_allclose(views.down(frames, points, lean + angle), wanted, atol=1e-6)
        np.testing.assert_allclose(views.scale(frames), size)
        np.testing.assert_allclose(
            Views.still().down(np.array([4, 9]), np.array([(1.0, 2), (3, 4)]), np.array([179.0, -179.0])),
            (-2, -4),
            err_msg="upside down",
        )
        np.testing.assert_array_equal(
            Views.still().down(np.array([4, 9]), np.array([(1.0, 2), (3, 4)]), np.zeros(2)), (2, 4)
        )


class CameraTest(unittest.TestCase):
    def test_shift_is_measured(self):
        camera = CameraMotion()
        views = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in pictures(6, (3, 2))]
        camera.step(views[0])
        for n, view in enumerate(views[1:], 1):
            self.assertLess(np.abs(camera.step(view)[:, 2] - (3 * n, 2 * n)).max(), 0.5)

    def test_somebody_before_a_calm_sea_is_not_what_stands_still(self):
        def view(n):
            sea = cv2.GaussianBlur(np.random.default_rng(8).normal(120, 60, (SIZE[1], SIZE[0] + 200)), (0, 0), 3)
            picture = np.clip(sea[:, 6 * n : 6 * n + SIZE[0]], 0, 255).astype(np.uint8)
            # The camera goes along with them, and they have by far the best corners.
            picture[100:300, 250:390] = (
                np.random.default_rng(9)
                .integers(80, 180, (20, 14), dtype=np.uint8)
                .repeat(10, axis=0)
                .repeat(10, axis=1)
            )
            return picture

        camera = CameraMotion()
        views = [camera.step(view(n)) for n in range(10)]
        self.assertLess(np.abs(views[-1] - [[1, 0, -54], [0, 1, 0]]).max(), 2)

    def test_what_is_newly_seen_is_a_share_of_the_picture(self):
        moved = lambda x, y=0.0, zoom=1.0: np.array([[zoom, 0, x], [0, zoom, y]])
        for earlier, later, share in (
            (moved(0), moved(0), 0),
            (moved(0), moved(-64), 0.1),
            (moved(30), moved(-34), 0.1),
            (moved(0), moved(640), 1),
            (moved(0), moved(0, 0, 1.2), 0),
            (moved(0), moved(160, 90, 0.5), 0.75),
        ):
            self.assertAlmostEqual(newly_seen(earlier, later, SIZE), share, places=4)

    def test_parts_are_where_more_has_come_into_the_picture(self):
        moved = lambda x, y=0.0, zoom=1.0: np.array([[zoom, 0, x], [0, zoom, y]])
        for later, parts in (
            (moved(0), []),
            (moved(-64), [(546, 0, 640, 360)]),
            (moved(0, 18), [(0, 0, 640, 48)]),
            (moved(0, 0, 1.2), []),
            (moved(64, 36, 0.8), [(0, 0, 94, 360), (0, 0, 640, 66), (546, 0, 640, 360), (0, 294, 640, 360)]),
            (moved(-2000), [(0, 0, 640, 360)]),
        ):
            np.testing.assert_allclose(
                newly_seen_parts(moved(0), later, SIZE, 30), np.reshape(parts, (-1, 4)), atol=1e-3
            )

    def test_a_flash_hides_no_motion(self):
        camera, views = CameraMotion(), []
        for n in range(12):
            light = np.full(SIZE[::-1], 255, np.uint8) if n in (5, 6) else scene(4, 4 * n)
            views.append(camera.step(light))
        for earlier, later in ((0, 4), (4, 7), (2, 11)):
            self.assertLess(
                np.abs(
                    motion_between(views[earlier], views[later]) - [[1, 0, -4 * (later - earlier)], [0, 1, 0]]
                ).max(),
                1.5,
            )


if __name__ == "__main__":
    unittest.main()
