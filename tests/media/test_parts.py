"""Parts of a frame's colours are what the whole picture has there."""

import unittest

import numpy as np

from skiagraph.media.parts import RgbParts
from tests.support import frame_of, frame_of_rgb

FORMATS = "yuv420p", "yuvj420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "gray", "gbrp", "yuv411p"


class PartsTest(unittest.TestCase):
    def test_each_part_is_as_in_the_whole_picture(self):
        rng = np.random.default_rng(2)
        for name in FORMATS:
            for width, height in ((320, 200), (322, 180), (255, 141)):
                for rotation in (0, 90, 180, 270):
                    with self.subTest(name, size=(width, height), rotation=rotation):
                        frame = frame_of(name, width, height, rotation=rotation)
                        whole, parts = frame.rgb(), RgbParts(frame)
                        for _ in range(4):
                            (x0, x1), (y0, y1) = (
                                np.sort(rng.integers(-20, side + 20, 2)) for side in whole.shape[1::-1]
                            )
                            made = parts.around((x0, y0, x1, y1))
                            self.assertEqual(made.shape, whole.shape)
                            x0, y0, x1, y1 = np.clip([x0, y0, x1, y1], 0, None)
                            np.testing.assert_array_equal(made[y0:y1, x0:x1], whole[y0:y1, x0:x1])

    def test_what_nobody_asks_for_is_not_made(self):
        parts = RgbParts(frame_of_rgb(np.full((300, 400, 3), 200, np.uint8)))
        self.assertFalse(parts.around((0, 0, 0, 0)).any())
        self.assertFalse(parts.around((-90, -90, -10, -10)).any())
        made = parts.around((30, 30, 60, 60))
        self.assertEqual(made[40, 40].tolist(), [200, 200, 200])
        self.assertFalse(made[200:, 200:].any())
        np.testing.assert_array_equal(parts.around((0, 0, 400, 300)), 200)

    def test_the_mean_is_that_of_the_whole_picture(self):
        smooth = np.stack(np.meshgrid(np.linspace(40, 200, 320), np.linspace(60, 160, 200)), axis=-1)
        rgb = np.concatenate([smooth, np.full((200, 320, 1), 90)], axis=-1).astype(np.uint8)
        for rotation in (0, 90):
            frame = frame_of("gbrp", 320, 200, [rgb[..., 1], rgb[..., 2], rgb[..., 0]], rotation=rotation)
            np.testing.assert_allclose(RgbParts(frame).mean(), rgb.reshape(-1, 3).mean(axis=0), atol=6)
        for name in ("yuv420p", "yuv422p10le"):
            planes = [
                np.full(p.shape, v << (frame_of(name, 320, 200).layout.depth - 8))
                for p, v in zip(frame_of(name, 320, 200).planes(), (120, 110, 150))
            ]
            frame = frame_of(name, 320, 200, planes)
            np.testing.assert_allclose(RgbParts(frame).mean(), frame.rgb().reshape(-1, 3).mean(axis=0), atol=1)
