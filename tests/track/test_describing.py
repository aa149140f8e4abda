"""Describing: a few good faces of each track, again where heads may have changed, and never of two faces in one."""

import unittest
from types import SimpleNamespace

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.track import describing
from skiagraph.track.describing import DESCRIBING, Describing, describe, facing
from skiagraph.track.light import LIGHT, Lit
from skiagraph.track.linking import Match, Tracklet
from tests.track.faces import face

RATE = 25.0


class DescriberStub:
    """Sees everybody well, unless told otherwise."""

    seen = True

    def __init__(self):
        self.rolls = []

    def chip(self, rgb, box, roll):
        self.rolls.append(roll)
        return SimpleNamespace(worth=0.8, present=1.0) if self.seen else None

    def describe(self, chip):
        return np.zeros(128, np.float32)


class DescribingTest(unittest.TestCase):
    def setUp(self):
        self.describer = DescriberStub()
        self.describing = Describing(self.describer, Squared(1.0), RATE, 1)
        self.addCleanup(self.describing.close)
        self.tracks = {}

    def show(self, frame, *people, score=0.9):
        """people: (number, x, px across)."""
        matches = []
        for number, x, side in people:
            found = face(x, 100, side=side, score=score)
            tracklet = self.tracks.setdefault(number, Tracklet(number))
            tracklet.frames.append(frame)
            matches.append(Match(tracklet, found.boxes[0], score, found.landmarks[0]))
        self.describing.consider(frame, lambda box: Lit(np.zeros((400, 800, 3), np.uint8), False), matches)

    def frames(self):
        self.describing.finish()
        return sorted(self.describing.descriptions)

    def test_somebody_alone_is_described_a_few_times_and_then_now_and_then(self):
        for frame in range(400):
            self.show(frame, (1, 100, 60))
        frames = self.frames()
        self.assertGreaterEqual(frames[DESCRIBING.most - 1], (DESCRIBING.most - 1) * 0.3 * RATE)
        later = np.diff(frames[DESCRIBING.most - 1 :])
        self.assertTrue(len(later) > 2 and (later > DESCRIBING.calm_s * RATE).all(), frames)

    def test_who_came_near_another_is_described_again_sooner(self):
        for frame in range(200):
            self.show(frame, (1, 100, 60), (2, 190, 60))
        waits = np.diff(sorted(self.frames()))
        self.assertLessEqual(waits.max(), DESCRIBING.stirred_s * RATE + 1)

    def test_nothing_is_described_while_faces_lie_over_each_other(self):
        for frame in range(30):
            self.show(frame, (1, 100, 60), (2, 130, 60))
        self.assertEqual(self.frames(), [])

    def test_who_was_lost_is_described_as_soon_as_found(self):
        for frame in (*range(40), *range(52, 60)):
            self.show(frame, (1, 100, 60))
        self.assertIn(52, self.frames())

    def test_a_planned_wait_is_no_loss(self):
        self.describing = Describing(self.describer, Squared(1.0), RATE, 6)
        for frame in range(0, 60, 6):
            self.show(frame, (1, 100, 60))
        self.assertEqual(len(self.frames()), DESCRIBING.most)

    def test_a_much_larger_face_is_described_though_the_last_was_just_now(self):
        for frame, side in ((0, 30), (1, 31), (2, 70)):
            self.show(frame, (1, 100, side))
        self.assertEqual(self.frames(), [0, 2])

    def test_small_unsure_and_misread_faces_are_not_described(self):
        self.show(0, (1, 100, 60), score=0.5)
        self.show(1, (2, 300, 16))
        self.describer.seen = False
        self.show(2, (3, 500, 60))
        self.assertEqual(self.frames(), [])

    def test_pictures_do_not_pile_up(self):
        for number in range(40):
            self.show(number, (number, 100, 60))
            self.assertLessEqual(len(self.describing._under_way), describing.DESCRIBING.ahead)
        self.assertEqual(len(self.frames()), 40)


class DescribeTest(unittest.TestCase):
    def test_in_coloured_light_a_face_tells_little(self):
        plain, strange = (
            describe(
                DescriberStub(),
                Lit(np.zeros((200, 300, 3), np.uint8), coloured),
                Squared(1.0),
                face(150, 100, side=60).boxes[0],
            ).worth
            for coloured in (False, True)
        )
        self.assertAlmostEqual(strange, LIGHT.telling * plain, places=6)

    def test_whoever_lies_is_described_as_if_upright(self):
        stub, picture = DescriberStub(), Lit(np.zeros((200, 300, 3), np.uint8), False)
        for roll in (0.0, 30.0, -95.0):
            describe(stub, picture, Squared(1.0), face(150, 100, side=60).boxes[0], roll)
        self.assertEqual(stub.rolls, [0, 0, -95])

    def test_a_face_half_outside_the_picture_is_worth_nothing(self):
        picture = Lit(np.zeros((200, 300, 3), np.uint8), False)
        worths = [
            describe(DescriberStub(), picture, Squared(1.0), face(x, 100, side=60).boxes[0]).worth
            for x in (150, 285, 300)
        ]
        np.testing.assert_allclose(worths, [0.8, 0.8 * 0.5, 0.0], atol=1e-6)


class FacingTest(unittest.TestCase):
    def test_a_nose_between_the_eyes_faces_and_one_at_an_eye_does_not(self):
        found = face(100, 100)
        ahead, aside = found.landmarks[0].copy(), found.landmarks[0].copy()
        ahead[2, 0] = ahead[:2, 0].mean()
        aside[2, 0] = aside[1, 0]
        for marks, value in ((ahead, 1), (aside, 0)):
            self.assertAlmostEqual(facing(marks), value, places=5)


if __name__ == "__main__":
    unittest.main()
