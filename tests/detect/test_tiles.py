"""The tile plan: every face lies whole in a tile that sees it well, and turns cover everything."""

import unittest

import numpy as np

from skiagraph.detect.tiles import Tile, cut, shrunk, tile_plan, turns

SIZES = ((1280, 720), (1920, 1080), (3840, 2160), (640, 360), (1080, 1920))


class TileTest(unittest.TestCase):
    def test_every_face_lies_whole_in_a_tile_that_sees_it_well(self):
        rng = np.random.default_rng(2)
        for width, height in SIZES:
            tiles = tile_plan(width, height, 36)
            for _ in range(300):
                side = float(np.exp(rng.uniform(np.log(36), np.log(min(width, height) * 0.8))))
                x, y = rng.uniform(0, width - side), rng.uniform(0, height - side)
                spans = [side * 192 / t.side for t in tiles if t.left <= x and t.top <= y and x + side <= t.left + t.side and y + side <= t.top + t.side]
                self.assertTrue(spans and max(spans) >= 16, (width, height, side, x, y))

    def test_24_px_faces_in_4k(self):
        tiles = tile_plan(3840, 2160, 24)
        self.assertGreaterEqual(24 * 192 / min(t.side for t in tiles), 16)

    def test_turns_together_are_the_whole_plan_and_each_is_a_frames_worth(self):
        for width, height in SIZES:
            whole, count = set(tile_plan(width, height, 36)), turns(width, height, 36)
            for begin in (0, 5):
                parts = [tile_plan(width, height, 36, n) for n in range(begin, begin + count)]
                self.assertEqual(set().union(*parts), whole, (width, height))
            self.assertLess(max(len(p) for p in parts), 32)

    def test_cut_is_grey_beyond_the_frame(self):
        picture = np.full((50, 80, 3), 7, np.uint8)
        square = cut(picture, Tile(-10, 20, 60))
        self.assertEqual(square.shape, (60, 60, 3))
        self.assertEqual((square[0, 0, 0], square[0, 20, 0], square[40, 20, 0]), (128, 7, 128))

    def test_levels_keep_places(self):
        picture = np.zeros((1080, 1920, 3), np.uint8)
        picture[500:580, 900:980] = 255
        for side, level in shrunk(picture, {1920, 1080, 407}, 192).items():
            scale = 192 / side
            y, x = np.nonzero(level[..., 0] > 127)
            self.assertLess(abs(x.mean() - 940 * scale) + abs(y.mean() - 540 * scale), 2.0, side)
