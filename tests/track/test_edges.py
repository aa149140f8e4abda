"""Signs of somebody half in the picture, where a shot begins or ends."""

import unittest
from dataclasses import replace
from types import SimpleNamespace

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.track.edges import EdgeLooks
from tests.track.faces import PlainPicture, face


class EdgesTest(unittest.TestCase):
    def edges(self, found, share, known=None, presence=0.0):
        self.asked = []
        finder = SimpleNamespace(
            submit_edges=lambda rgb, limit, finer, rolls: (
                self.asked.append(rolls) or SimpleNamespace(result=lambda: found)
            )
        )
        judge = SimpleNamespace(presence=lambda rgb, box, roll: presence)
        looks = EdgeLooks(
            finder, judge, SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=share)), Squared(1.0)
        )
        looks.look(PlainPicture(9, (200, 320)), known if known is not None else Detections.none())
        self.assertEqual(looks.found, [], "nothing waits for it")
        looks.finish()
        return looks.found

    def test_a_weak_sign_at_the_edge_counts_where_a_person_is(self):
        at_edge = face(310, 100, score=0.3)
        self.assertEqual([(n, round(s, 2)) for n, _, s in self.edges(at_edge, 0.6)], [(9, 0.3)])
        self.assertEqual(self.edges(at_edge, 0.05), [], "nobody's shape is there")
        self.assertEqual(
            self.edges(face(160, 100, score=0.3), 0.6), [], "inside the picture a face would be seen better"
        )
        self.assertEqual(self.edges(at_edge, 0.6, face(308, 102)), [], "who is surely seen is no sign")

    def test_of_who_is_hardly_in_the_picture_the_landmark_network_tells(self):
        self.assertEqual(len(self.edges(face(310, 100, score=0.8), 0.05, presence=0.7)), 1)
        self.assertEqual(self.edges(face(310, 100, score=0.8), 0.05, presence=0.1), [])
        self.assertEqual(self.edges(face(310, 100, score=0.4), 0.05, presence=0.7), [], "a weak sign, and no shape")

    def test_where_people_lie_those_at_the_edge_may_lie_too(self):
        self.edges(Detections.none(), 0.6, face(100, 100))
        self.assertEqual(self.asked, [()])
        lying = Detections.joined(
            [
                face(100, 100),
                replace(face(60, 100), rolls=np.float32([-170])),
                replace(face(200, 100), rolls=np.float32([60])),
                replace(face(150, 100), rolls=np.float32([20])),
            ]
        )
        self.edges(Detections.none(), 0.6, lying)
        self.assertEqual(self.asked, [(90.0, 180.0)])


if __name__ == "__main__":
    unittest.main()
