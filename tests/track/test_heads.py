"""From face to head: covers crown to chin and ear to ear of drawn heads of known geometry."""

import unittest

import numpy as np

from skiagraph.demo.head import head_ellipse
from skiagraph.demo.people import BLUE_CAP, OLD_HAND, SCARF
from skiagraph.detect.detections import NOSE, Detections
from skiagraph.detect.finder import FaceFinder
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

    def test_roll_is_measured(self):
        with FaceFinder() as finder:
            for roll in (-25, 25):
                found = finder.find(scene((480, 480), (BLUE_CAP, 240, 240, 60, 0, roll)))
                self.assertLess(abs(head_rows(found)[int(np.argmax(found.scores)), 4] - roll), 8)

    def test_no_head_is_lower_than_it_can_be(self):
        found = face(100, 100)
        turned = found.landmarks.copy()
        turned[0, NOSE, 0] += 26
        rows = head_rows(Detections(found.boxes, found.scores, turned))
        self.assertGreaterEqual(rows[0, 3], 1.199 * rows[0, 2])
        facing = head_rows(found)[0]
        self.assertAlmostEqual(rows[0, 1] + rows[0, 3] / 2, facing[1] + facing[3] / 2, delta=8, msg="it grows at the crown, not at the chin")
