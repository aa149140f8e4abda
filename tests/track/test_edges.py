"""Signs of somebody half in the picture, where a shot begins or ends."""

import unittest
from types import SimpleNamespace

from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.track.edges import EdgeLooks
from tests.track.faces import PlainPicture, face


class EdgesTest(unittest.TestCase):
    def edges(self, found, share, known=None):
        finder = SimpleNamespace(submit_edges=lambda rgb, limit, finer: SimpleNamespace(result=lambda: found))
        looks = EdgeLooks(finder, SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=share)), Squared(1.0))
        looks.look(PlainPicture(9, (200, 320)), known if known is not None else Detections.none())
        self.assertEqual(looks.found, [], "nothing waits for it")
        looks.finish()
        return looks.found

    def test_a_weak_sign_at_the_edge_counts_where_a_person_is(self):
        at_edge = face(310, 100, score=0.3)
        self.assertEqual([(n, round(s, 2)) for n, _, s in self.edges(at_edge, 0.6)], [(9, 0.3)])
        self.assertEqual(self.edges(at_edge, 0.05), [], "nobody's shape is there")
        self.assertEqual(self.edges(face(160, 100, score=0.3), 0.6), [], "inside the picture a face would be seen better")
        self.assertEqual(self.edges(at_edge, 0.6, face(308, 102)), [], "who is surely seen is no sign")
