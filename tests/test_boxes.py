import unittest

import numpy as np

from skiagraph.boxes import area, crossing, cxcywh_to_xyxy, intersection, iou, paired_iou, xyxy_to_cxcywh


class BoxTest(unittest.TestCase):
    def test_overlap_of_known_boxes(self):
        a, b = np.array([[0, 0, 10, 10.0]]), np.array([[5, 0, 15, 10.0], [20, 20, 30, 30], [0, 0, 10, 10]])
        np.testing.assert_allclose(iou(a, b), [[1 / 3, 0, 1]])
        np.testing.assert_allclose(intersection(a, b), [[50, 0, 100]])

    def test_pairs_are_the_diagonal_of_all(self):
        rng = np.random.default_rng(3)
        a, b = (
            np.concatenate([low, low + rng.uniform(0, 9, (40, 2))], axis=1)
            for low in (rng.uniform(0, 9, (40, 2)), rng.uniform(0, 9, (40, 2)))
        )
        np.testing.assert_allclose(paired_iou(a, b), np.diag(iou(a, b)))

    def test_empty_and_inverted_boxes_have_no_area(self):
        self.assertEqual(area(np.array([[5, 5, 5, 9], [9, 9, 5, 5.0]])).tolist(), [0, 0])
        self.assertEqual(iou(np.array([[1, 1, 1, 1.0]]), np.array([[1, 1, 1, 1.0]])).tolist(), [[0]])
        self.assertEqual(iou(np.zeros((0, 4)), np.zeros((3, 4))).shape, (0, 3))

    def test_boxes_cross_when_they_lie_over_each_other_or_near(self):
        boxes = np.array([[0, 0, 10, 10], [12, 0, 22, 10], [40, 0, 50, 10.0]])
        self.assertEqual(crossing(boxes).tolist(), [False] * 3)
        self.assertEqual(crossing(boxes, 0.5).tolist(), [True, True, False])
        self.assertEqual(crossing(np.zeros((0, 4))).tolist(), [])

    def test_properties(self):
        rng = np.random.default_rng(1)
        low = rng.uniform(0, 90, (40, 2))
        boxes = np.concatenate([low, low + rng.uniform(1, 40, (40, 2))], axis=1)
        overlap = iou(boxes, boxes)
        np.testing.assert_allclose(overlap, overlap.T)
        np.testing.assert_allclose(np.diag(overlap), 1)
        self.assertTrue(((overlap >= 0) & (overlap <= 1)).all())
        np.testing.assert_allclose(cxcywh_to_xyxy(xyxy_to_cxcywh(boxes)), boxes)
