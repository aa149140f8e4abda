"""From face to head: covers crown to chin and ear to ear of drawn heads of known geometry."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.demo.head import head_ellipse
from skiagraph.demo.people import BLUE_CAP, OLD_HAND, SCARF
from skiagraph.detect.detections import NOSE, Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.heads import head_rows
from tests.detect.test_finder import scene
from tests.track.faces import face


class HeadTest(unittest.TestCase):
    def test_head_of_known_geometry(self):
        unit = 60
        with FaceFinder() as finder:
            for look in (BLUE_CAP, OLD_HAND, SCARF):
                for yaw in (-50, -20, 0, 20, 50):
                    with self.subTest(look=look.seed, yaw=yaw):
                        found = finder.find(scene((480, 480), (look, 240, 240, unit, yaw, 0)))
                        row = head_rows(found)[int(np.argmax(found.scores))]
                        ex, ey, half_w, half_h = head_ellipse(yaw)
                        self.assertLess(abs(row[0] - (240 + ex * unit)), 0.25 * unit)
                        self.assertLess(abs(row[1] - (240 - ey * unit)), 0.25 * unit)
                        self.assertTrue(0.8 < row[3] / (2 * half_h * unit) < 1.35)
                        self.assertTrue(0.85 < row[2] / (2 * half_w * unit) < 1.5)

    def test_roll_is_measured_and_leans_the_head(self):
        describer = FaceDescriber()
        with FaceFinder() as finder:
            for roll in (-35, -25, 0, 25, 35):
                picture = scene((480, 480), (BLUE_CAP, 240, 240, 60, 0, roll))
                found = finder.find(picture)
                best = found.take([int(np.argmax(found.scores))])
                measured = describer.roll(picture, best.boxes[0])
                self.assertLess(abs(measured - roll), 6)
                self.assertAlmostEqual(
                    head_rows(replace(best, rolls=np.array([measured], np.float32)))[0, 4], measured, places=3
                )
        self.assertTrue(np.isnan(describer.roll(np.full((480, 480, 3), 120, np.uint8), np.array([100, 100, 200, 200]))))

    def test_a_roll_that_was_not_measured_is_what_it_was_before(self):
        found = face(100, 100)
        self.assertEqual(head_rows(found)[0, 4], 0)
        self.assertEqual(head_rows(found, roll=12)[0, 4], 12)
        self.assertEqual(head_rows(replace(found, rolls=np.array([5], np.float32)), roll=12)[0, 4], 5)

    def test_a_turned_head_is_wider_and_lies_behind_its_face(self):
        facing = face(100, 100)
        turned = facing.landmarks.copy()
        turned[0, NOSE, 0] += 9
        row, ahead = head_rows(replace(facing, landmarks=turned))[0], head_rows(facing)[0]
        self.assertGreater(row[2], 1.1 * ahead[2])
        self.assertLess(row[0], ahead[0] - 4)

    def test_no_head_is_lower_than_it_can_be(self):
        found = face(100, 100)
        turned = found.landmarks.copy()
        turned[0, NOSE, 0] += 26
        rows = head_rows(Detections(found.boxes, found.scores, turned))
        self.assertGreaterEqual(rows[0, 3], 1.199 * rows[0, 2])
        facing = head_rows(found)[0]
        self.assertAlmostEqual(
            rows[0, 1] + rows[0, 3] / 2,
            facing[1] + facing[3] / 2,
            delta=8,
            msg="it grows at the crown, not at the chin",
        )
