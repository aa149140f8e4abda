"""The detector itself: places, sizes that are no multiple of its strides, and limits."""

import unittest

import numpy as np

from skiagraph.demo.people import BLUE_CAP
from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, MOUTH_LEFT, MOUTH_RIGHT, NOSE, suppress
from skiagraph.detect.detector import FaceDetector
from tests.detect.test_finder import scene


class DetectorTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.detector = FaceDetector()

    def best(self, picture):
        found = suppress(self.detector.find(picture, 0.6))
        self.assertEqual(len(found), 1)
        return found

    def test_a_face_is_found_at_its_place_in_pictures_of_any_size(self):
        whole = scene((333, 271), (BLUE_CAP, 150, 120, 40, 0, 0))
        box = self.best(whole).boxes[0]
        self.assertAlmostEqual(float(box[2] - box[0]), float(box[3] - box[1]), places=2)
        for left, top in ((0, 0), (30, 0), (17, 23)):
            moved = self.best(np.ascontiguousarray(whole[top:, left:])).boxes[0]
            self.assertLess(np.abs(moved + np.tile([left, top], 2) - box).max(), 6)

    def test_landmarks_lie_as_in_a_face(self):
        found = self.best(scene((320, 256), (BLUE_CAP, 160, 128, 50, 0, 0)))
        marks, (x0, y0, x1, y1) = found.landmarks[0], found.boxes[0]
        self.assertTrue(x0 < marks[EYE_LEFT, 0] < marks[NOSE, 0] < marks[EYE_RIGHT, 0] < x1)
        self.assertTrue(y0 < marks[EYE_LEFT, 1] < marks[NOSE, 1] < marks[MOUTH_LEFT, 1] < y1)
        self.assertLess(marks[MOUTH_LEFT, 0], marks[MOUTH_RIGHT, 0])
        self.assertTrue(np.isnan(found.rolls).all())

    def test_nothing_comes_back_below_the_limit(self):
        picture = scene((320, 256), (BLUE_CAP, 160, 128, 50, 0, 0))
        self.assertTrue((self.detector.find(picture, 0.3).scores >= 0.3).all())
        self.assertEqual(len(self.detector.find(picture, 0.999)), 0)
        self.assertEqual(len(self.detector.find(np.zeros((64, 64, 3), np.uint8), 0.3)), 0)
