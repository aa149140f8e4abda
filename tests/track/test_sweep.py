"""The sweep: known people first, what only looks like another face, and signs of somebody half in the picture."""

import unittest
from types import SimpleNamespace
from unittest import mock

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.linking import Expected, Linker
from skiagraph.track.observations import Diary
from skiagraph.track.sweep import Squared, Sweep, known_first
from tests.support import TemporaryFolder
from tests.track.faces import face


class KnownFirstTest(unittest.TestCase):
    def test_a_good_look_is_preferred_to_the_squares(self):
        first = known_first(face(100, 100, score=0.7), Detections.joined([face(104, 100, score=0.95), face(300, 100, score=0.9)]))
        np.testing.assert_allclose(first.scores, [0.7, 0.9])

    def test_a_poor_look_gives_way_to_the_squares(self):
        first = known_first(face(100, 100, score=0.4), face(104, 100, score=0.95))
        np.testing.assert_allclose(first.scores, [0.95])

    def test_a_poor_look_is_kept_where_the_squares_show_nothing(self):
        first = known_first(face(100, 100, score=0.4), face(300, 100, score=0.9))
        np.testing.assert_allclose(sorted(first.scores), [0.4, 0.9], rtol=1e-6)


class BelievedTest(unittest.TestCase):
    """Opinions of a made landmark network: what it says of a place decides what becomes of a weak find."""

    def setUp(self):
        self.sweep = Sweep.__new__(Sweep)
        self.sweep.squared, self.sweep._opinions = Squared(1.0), []
        self.picture = SimpleNamespace(number=7, rgb=None)

    def believed(self, found, opinion, expected=(), known=None):
        asked = []

        def say(rgb, box):
            asked.append(box)
            return opinion

        self.sweep._judge = SimpleNamespace(opinion=say)
        return self.sweep._believed(self.picture, found, expected, known), asked

    def test_a_sure_face_is_not_asked_about(self):
        kept, asked = self.believed(face(100, 100, score=0.9), (0.0, np.zeros(4)))
        self.assertEqual((len(kept), asked), (1, []))

    def test_what_is_no_face_goes_where_nobody_was_expected_and_is_a_hint_elsewhere(self):
        weak = face(100, 100, score=0.6)
        self.assertEqual(len(self.believed(weak, (0.1, np.zeros(4)))[0]), 0)
        lost = Expected(1, weak.boxes[0] + 2, 3, 0.9)
        self.assertLess(self.believed(weak, (0.1, np.zeros(4)), [lost])[0].scores[0], 0.5)

    def test_a_known_face_seen_badly_is_not_another_one(self):
        known = face(100, 100).boxes
        ghost = face(126, 96, score=0.6)
        self.assertEqual(len(self.believed(ghost, (1.0, known[0] + 2), known=known)[0]), 0)
        self.sweep._opinions = []
        self.assertEqual(len(self.believed(ghost, (1.0, ghost.boxes[0]), known=known)[0]), 1, "a second face beside it stays")

    def test_an_opinion_of_a_place_holds_for_a_moment(self):
        weak = face(100, 100, score=0.6)
        self.assertEqual(len(self.believed(weak, (1.0, weak.boxes[0]))[1]), 1)
        self.assertEqual(len(self.believed(weak, (1.0, weak.boxes[0]))[1]), 0)
        self.picture.number = 60
        self.assertEqual(len(self.believed(weak, (1.0, weak.boxes[0]))[1]), 1)


class EdgesTest(unittest.TestCase):
    def edges(self, found, share):
        sweep = Sweep.__new__(Sweep)
        sweep.squared, sweep._open, sweep.edges = Squared(1.0), {}, []
        sweep._finder = SimpleNamespace(find=lambda rgb, limit: found)
        sweep._silhouette = SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=share))
        sweep._look_at_edges(SimpleNamespace(number=9, rgb=np.zeros((200, 320, 3), np.uint8)))
        return sweep.edges

    def test_a_weak_sign_at_the_edge_counts_where_a_person_is(self):
        at_edge = face(310, 100, score=0.3)
        self.assertEqual([(n, round(s, 2)) for n, _, s in self.edges(at_edge, 0.6)], [(9, 0.3)])
        self.assertEqual(self.edges(at_edge, 0.05), [], "nobody's shape is there")
        self.assertEqual(self.edges(face(160, 100, score=0.3), 0.6), [], "inside the picture a face would be seen better")


class SteppingTest(TemporaryFolder):
    def test_somebody_new_is_looked_for_in_the_frames_before(self):
        info, index = open_clip(shipped("quay.mp4"))
        index = index.cut(26, "")
        submit, searched = FaceFinder.submit, []

        def blind_at_first(finder, rgb, *arguments, **named):
            searched.append(rgb)
            return submit(finder, rgb if len(searched) > 1 else np.zeros_like(rgb), *arguments, **named)

        diary = Diary(info.path, "test", self.folder)
        with FaceFinder(36) as finder, mock.patch.object(FaceFinder, "submit", blind_at_first):
            Sweep(info, index, finder, FaceDescriber(), 12, Linker(25), diary).run(JobControl())
        seen = {o.frame: len(o.seen) for o in diary.every()}
        # The second search is in frame 5, half a step into the shot.
        self.assertTrue(all(seen.get(frame, 0) >= 4 for frame in range(6)), seen)
        self.assertEqual([o.frame for o in diary.every() if not o.whole], [1, 3], "frames that were only looked at")
