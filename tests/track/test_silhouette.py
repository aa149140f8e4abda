"""The shape of head and shoulders: there from the front and from behind, gone where nobody is, and it knows the
middle."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.demo.people import BLUE_CAP
from skiagraph.demo.scene import draw
from skiagraph.demo.story import QUAY, Actor
from skiagraph.track.silhouette import SILHOUETTE, Silhouette

UNIT, X, Y = 50, 480, 268


def standing(yaw):
    scene = replace(
        QUAY,
        name="one",
        shake=0.0,
        camera_x=((0, 0),),
        actors=(Actor("one", "One", BLUE_CAP, x=((0, X),), size=((0, UNIT),), yaw=((0, yaw),), body_yaw=((0, yaw),)),),
    )
    picture, _, truth = draw(scene, 0)
    return picture, truth[0]


class SilhouetteTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.silhouette = Silhouette()

    def test_a_head_is_there_from_every_side(self):
        for yaw in (0, 90, 180):
            with self.subTest(yaw=yaw):
                picture, head = standing(yaw)
                shape = self.silhouette.shape(picture, np.array([head.cx, head.cy, head.width, head.height]))
                self.assertGreater(shape.share, SILHOUETTE.there)
                self.assertGreater(shape.margin, SILHOUETTE.clear)
                self.assertLess(abs(shape.cx - head.cx), 0.25 * head.width)

    def test_of_whoever_lies_the_shape_is_the_same(self):
        picture, head = standing(0)
        row = np.array([head.cx + 0.3 * head.width, head.cy, head.width, head.height])
        upright = self.silhouette.shape(picture, row)
        lying = self.silhouette.shape(
            np.ascontiguousarray(np.rot90(picture, -1)),
            np.array([picture.shape[0] - row[1], row[0], row[2], row[3], 90.0]),
        )
        self.assertAlmostEqual(lying.share, upright.share, delta=0.05)
        np.testing.assert_allclose(
            (lying.cy, picture.shape[0] - lying.cx), (upright.cx, upright.cy), atol=0.1 * head.width
        )

    def test_where_nobody_is_nothing_is_there(self):
        picture, _ = standing(0)
        shape = self.silhouette.shape(picture, np.array([1000.0, 500, 70, 100]))
        self.assertLess(shape.share, SILHOUETTE.gone)
        self.assertEqual((shape.cx, shape.cy), (1000.0, 500.0))

    def test_the_middle_is_found_again(self):
        picture, head = standing(180)
        shape = self.silhouette.shape(
            picture, np.array([head.cx + 0.35 * head.width, head.cy, head.width, head.height])
        )
        self.assertLess(abs(shape.cx - head.cx), 0.2 * head.width)

    def test_a_crop_gives_the_same_as_the_frame(self):
        picture, head = standing(0)
        row = np.array([head.cx, head.cy, head.width, head.height])
        whole = self.silhouette.shape(picture, row)
        part = self.silhouette.shape(picture[60:620, 200:760], row, (200, 60))
        self.assertAlmostEqual(whole.share, part.share, delta=0.05)
        self.assertAlmostEqual(whole.cx, part.cx, delta=3)
