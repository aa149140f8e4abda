"""Where somebody's head is by their whole body: there from every side and while a few px wide, elsewhere from an elbow
or a knee, and nowhere on a wall."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.demo.people import BLUE_CAP
from skiagraph.demo.scene import draw
from skiagraph.demo.story import QUAY, Actor
from skiagraph.track.body import BodyLandmarks
from skiagraph.track.doubtful import DoubtfulSettings

SETTINGS = DoubtfulSettings()


def standing(yaw, size=26):
    scene = replace(
        QUAY,
        name="one",
        shake=0.0,
        camera_x=((0, 0),),
        actors=(
            Actor("one", "One", BLUE_CAP, x=((0, 480),), size=((0, size),), yaw=((0, yaw),), body_yaw=((0, yaw),)),
        ),
    )
    picture, _, truth = draw(scene, 0)
    return picture, np.array([truth[0].cx, truth[0].cy, truth[0].width, truth[0].height, 0.0])


class BodyTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.bodies = BodyLandmarks()

    def check_there(self, picture, asked, head):
        body = self.bodies.below(picture, asked)
        self.assertGreater(body.sure, SETTINGS.body)
        self.assertLess(abs(body.cx - head[0]), SETTINGS.on_head * head[2])
        self.assertLess(abs(body.cy - head[1]), SETTINGS.on_head * head[3])

    def test_a_head_is_there_from_every_side(self):
        for yaw in (0, 60, 180):
            with self.subTest(yaw=yaw):
                picture, head = standing(yaw)
                self.check_there(picture, head, head)

    def test_also_where_its_face_is_a_few_px_wide(self):
        picture, head = standing(0, 12)
        self.assertLess(head[2], 26)
        self.check_there(picture, head, head)

    def test_of_whoever_lies_it_is_to_the_side(self):
        picture, head = standing(0)
        lying = np.array([picture.shape[0] - head[1], head[0], head[2], head[3], 90.0])
        self.check_there(
            np.ascontiguousarray(np.rot90(picture, -1)), lying, np.array([lying[0], lying[1], head[3], head[2]])
        )

    def test_from_an_arm_the_head_is_where_it_is(self):
        picture, head = standing(0)
        arm = head + (-1.1 * head[2], 1.3 * head[3], 0, 0, 0)
        body = self.bodies.below(picture, arm)
        self.assertGreater(body.sure, SETTINGS.body_elsewhere)
        self.assertLess(np.hypot(body.cx - head[0], body.cy - head[1]), np.hypot(body.cx - arm[0], body.cy - arm[1]))

    def test_on_a_wall_is_nobody(self):
        picture, head = standing(0)
        self.assertLess(self.bodies.below(picture, head + (500, 0, 0, 0, 0)).sure, SETTINGS.body_gone)
