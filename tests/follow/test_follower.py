"""Following: exact on what is seen, never sure of what is not, and it stops where it no longer knows."""

import unittest

import cv2
import numpy as np

from skiagraph.follow.follower import OutlineFollower
from skiagraph.follow.look import Motion
from skiagraph.follow.paths import follow, joined
from skiagraph.follow.step import Why
from skiagraph.shape.place import Similarity
from skiagraph.shape.shape import Shape
from skiagraph.track.path import BRIDGED, FOLLOWED, PLACED

SIZE = (640, 360)


def texture(seed, width, height, grain=3.0):
    rng = np.random.default_rng(seed)
    picture = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), grain)
    return np.clip(128 + 55 * picture / picture.std(), 0, 255).astype(np.uint8)


class Scene:
    """A textured card over a textured ground. place(n) gives cx, cy, scale, angle; over(n, picture) paints on top."""

    def __init__(
        self, place, size=(90, 64), over=lambda n, picture: None, light=lambda n: 1.0, noise=2.0, card=1, ground=2
    ):
        self.place, self.size, self.over, self.light, self.noise = place, size, over, light, noise
        self.card, self.ground = texture(card, *size), texture(ground, *SIZE, 5.0)

    def truth(self, n):
        cx, cy, scale, angle = self.place(n)
        return Similarity(*(float(v) for v in (cx, cy, self.size[0] * scale, self.size[1] * scale, angle)))

    def frame(self, n):
        cx, cy, scale, angle = self.place(n)
        middle = (self.size[0] - 1) / 2, (self.size[1] - 1) / 2
        move = cv2.getRotationMatrix2D(middle, -angle, scale)
        move[:, 2] += cx - 0.5 - middle[0], cy - 0.5 - middle[1]
        picture = cv2.warpAffine(
            self.card, move, SIZE, dst=self.ground.copy(), borderMode=cv2.BORDER_TRANSPARENT
        ).astype(np.float32)
        self.over(n, picture)
        picture = picture * self.light(n) + np.random.default_rng(n).normal(0, self.noise, picture.shape)
        return np.clip(picture, 0, 255).astype(np.uint8)

    def follower(self, start=0, **how):
        return OutlineFollower(self.frame(start), self.truth(start), Shape.kinds["box"](), **how)

    def follow(self, frames, start=0, **how):
        return follow(self.follower(start, **how), start, self.frame(start), ((n, self.frame(n)) for n in frames))


def off(row, truth):
    return float(np.hypot(row[0] - truth.cx, row[1] - truth.cy))


class FollowerTest(unittest.TestCase):
    def test_it_is_exact_through_moving_sizing_and_turning(self):
        scene = Scene(lambda n: (120 + 5 * n, 180 + 60 * np.sin(n / 9), 1 + 0.3 * np.sin(n / 20), 25 * np.sin(n / 15)))
        found = scene.follow(range(1, 70))
        self.assertEqual((found.why, len(found.frames)), (Why.END, 69))
        for frame, row in zip(found.frames, found.rows):
            truth = scene.truth(int(frame))
            self.assertLess(off(row, truth), 0.9)
            self.assertLess(abs(row[2] / truth.width - 1), 0.02)
            self.assertLess(abs(row[4] - truth.angle), 0.8)

    def test_it_does_not_drift(self):
        scene = Scene(
            lambda n: (320 + 40 * np.sin(n / 7), 180 + 30 * np.cos(n / 5), 1, 0),
            light=lambda n: 0.75 + 0.25 * np.sin(n / 6),
        )
        found = scene.follow(range(1, 200))
        self.assertEqual(found.why, Why.END)
        self.assertLess(max(off(row, scene.truth(int(n))) for n, row in zip(found.frames[-60:], found.rows[-60:])), 0.6)

    def test_backwards_is_like_forwards(self):
        scene = Scene(lambda n: (150 + 4 * n, 180, 1, n / 2))
        found = scene.follow(range(39, -1, -1), start=40)
        self.assertEqual((found.why, found.frames.tolist()), (Why.END, list(range(39, -1, -1))))
        path = joined(40, scene.truth(40), [found, scene.follow(range(41, 60), start=40)])
        self.assertEqual((path.first, path.last, path.origin[40], path.origin[3]), (0, 59, PLACED, FOLLOWED))
        self.assertLess(max(off(row, scene.truth(n)) for n, row in enumerate(path.rows())), 0.6)

    def test_what_is_hidden_for_a_moment_is_bridged(self):
        def post(n, picture):
            if 20 <= n <= 27:
                picture[:, 150 + 4 * 20 - 20 : 150 + 4 * 27 + 130] = 90

        scene = Scene(lambda n: (180 + 4 * n, 180, 1, 0), over=post)
        found = scene.follow(range(1, 50))
        self.assertEqual((found.why, found.frames[-1]), (Why.END, 49))
        self.assertTrue((~found.known[20:26]).all())
        self.assertEqual(found.rows[22, 8], 0.0)
        self.assertLess(max(off(row, scene.truth(int(n))) for n, row in zip(found.frames, found.rows)), 8)
        self.assertIn(BRIDGED, joined(0, scene.truth(0), [found]).origin)

    def test_where_it_stays_hidden_it_stops_and_keeps_what_it_knew(self):
        def wall(n, picture):
            picture[:, 400:] = texture(9, SIZE[0] - 400, SIZE[1])

        scene = Scene(lambda n: (150 + 5 * n, 180, 1, 0), over=wall)
        found = scene.follow(range(1, 120))
        self.assertIn(found.why, (Why.HIDDEN, Why.LEFT))
        self.assertLess(found.frames[-1], 70)
        self.assertTrue(found.known[-1])
        sure = [(int(n), row) for n, row, known in zip(found.frames, found.rows, found.known) if known]
        self.assertLess(max(off(row, scene.truth(n)) for n, row in sure), 45, "half its width")

    def test_it_stops_at_a_cut_and_at_the_edge(self):
        scene, other = Scene(lambda n: (320, 180, 1, 0)), Scene(lambda n: (100, 80, 1, 0), card=7, ground=8)
        found = follow(
            scene.follower(),
            0,
            scene.frame(0),
            ((n, (scene if n < 15 else other).frame(n) if n < 15 else 255 - other.frame(n)) for n in range(1, 30)),
        )
        self.assertEqual((found.why, found.at, found.frames[-1]), (Why.CUT, 15, 14))
        leaving = Scene(lambda n: (320 + 8 * n, 180, 1, 0)).follow(range(1, 80))
        self.assertEqual(leaving.why, Why.LEFT)
        self.assertGreater(leaving.frames[-1], 36)

    def test_a_plain_wall_is_said_to_be_plain(self):
        grey = np.full((360, 640), 120, np.uint8)
        follower = OutlineFollower(grey, Similarity(320, 180, 80, 60), Shape.kinds["ellipse"]())
        self.assertTrue(follower.is_plain)
        self.assertEqual(follower.step(grey), Why.PLAIN)
        stripes = np.tile((np.arange(640) // 8 % 2 * 100 + 60).astype(np.uint8), (360, 1))
        self.assertTrue(
            OutlineFollower(stripes, Similarity(320, 180, 80, 60), Shape.kinds["box"]()).is_plain,
            "along the stripes nothing tells where one is",
        )

    def test_motion_can_be_held_to_less(self):
        scene = Scene(lambda n: (200 + 3 * n, 180, 1 + n / 200, n / 4))
        rows = scene.follow(range(1, 30), motion=Motion.POSITION).rows
        self.assertTrue((rows[:, 2] == 90).all() and (rows[:, 4] == 0).all())
        rows = scene.follow(range(1, 30), motion=Motion.SIZE).rows
        self.assertTrue((rows[:, 4] == 0).all())
        self.assertGreater(rows[-1, 2], 95)

    def test_what_lies_in_front_is_left_out_of_its_look(self):
        def thumb(n, picture):
            picture[170:220, 300:330] = texture(11, 30, 50)

        scene = Scene(lambda n: (310 + 1.0 * n, 180, 1, 0), over=thumb)
        ignored = np.zeros((360, 640), bool)
        ignored[170:220, 300:330] = True
        found = scene.follow(range(1, 12), ignored=ignored)
        self.assertEqual(found.why, Why.END)
        self.assertLess(max(off(row, scene.truth(int(n))) for n, row in zip(found.frames, found.rows)), 1.5)
