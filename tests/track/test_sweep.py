"""The sweep: what only looks like a face, what is half of one, and signs of somebody half in the picture."""

import unittest
from collections import deque
from types import SimpleNamespace
from unittest import mock

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.linking import Expected, Linker, Match, Tracklet
from skiagraph.track.observations import Diary
from skiagraph.track.stepping import plan_of
from skiagraph.track.sweep import BACK_MISSED, Sweep, _without_twins
from tests.support import TemporaryFolder
from tests.track.faces import face


class TwinsTest(unittest.TestCase):
    def test_what_a_search_shows_well_is_preferred_to_a_look(self):
        joined = _without_twins(face(104, 100, score=0.95), Detections.joined([face(100, 100, score=0.7), face(300, 100, score=0.6)]))
        np.testing.assert_allclose(joined.scores, [0.95, 0.6])

    def test_a_poor_find_gives_way_to_a_look(self):
        np.testing.assert_allclose(_without_twins(face(100, 100, score=0.4), face(104, 100, score=0.95)).scores, [0.95])


class BelievedTest(unittest.TestCase):
    """Opinions of made networks: what they say of a place decides what becomes of a weak find."""

    def setUp(self):
        self.sweep = Sweep.__new__(Sweep)
        self.sweep._rate, self.sweep.squared, self.sweep._finder = 25.0, Squared(1.0), SimpleNamespace(smallest=36)
        self.sweep._opinions, self.sweep._holds = [], 8
        self.picture = SimpleNamespace(number=7, rgb=None)
        self.asked = []

    def believed(self, found, present=0.0, share=0.0, expected=(), margin=0.9):
        self.sweep._judge = SimpleNamespace(presence=lambda rgb, box: self.asked.append("face") or present)
        self.sweep._silhouette = SimpleNamespace(shape=lambda rgb, head: self.asked.append("shape") or SimpleNamespace(share=share, margin=margin))
        return self.sweep._believed(self.picture, found, list(expected))

    def test_a_sure_face_is_not_asked_about(self):
        self.assertEqual(len(self.believed(face(100, 100, score=0.9))), 1)
        self.assertEqual(self.asked, [])

    def test_what_is_no_face_goes_where_nobody_was_expected_and_is_a_hint_elsewhere(self):
        weak = face(100, 100, score=0.6)
        self.assertEqual(len(self.believed(weak)), 0)
        lost = Expected(1, weak.boxes[0] + 2, 3, 0.9)
        self.assertLess(self.believed(weak, expected=[lost]).scores[0], 0.5)

    def test_a_weak_sign_counts_where_the_shape_of_somebody_is(self):
        weak = face(100, 100, score=0.3)
        self.assertGreaterEqual(self.believed(weak, share=0.9).scores[0], 0.5)
        for other in ({"share": 0.2}, {"share": 0.9, "margin": 0.1}):
            self.sweep._opinions = []
            self.assertLess(self.believed(weak, **other).scores[0], 0.5)

    def test_a_weak_sign_too_small_for_a_face_does_not_count(self):
        self.assertLess(self.believed(face(100, 100, side=20.0, score=0.3), share=0.9).scores[0], 0.5)

    def test_a_weak_sign_on_the_head_of_somebody_who_is_seen_is_theirs(self):
        both = Detections.joined([face(100, 100, score=0.9), face(128, 96, score=0.3)])
        self.assertLess(self.believed(both, share=0.9).scores[1], 0.5)
        self.assertEqual(self.asked, [])

    def test_an_opinion_of_a_place_holds_for_a_moment(self):
        weak = face(100, 100, score=0.6)
        for number, times in ((7, 1), (8, 1), (60, 2)):
            self.picture.number = number
            self.believed(weak, present=1.0)
            self.assertEqual(self.asked.count("face"), times)


class LookBackTest(unittest.TestCase):
    """Who is new, back, or did not go straight is looked for in the pictures before; the others are not."""

    def setUp(self):
        self.sweep = Sweep.__new__(Sweep)
        self.sweep._plan, self.sweep._back, self.sweep._open, self.sweep.squared = SimpleNamespace(apart=6), 10, {}, Squared(1.0)
        self.sweep._believed = lambda picture, found, expected: found
        self.sweep._every, self.straight = 10, True
        self.sweep._straight = SimpleNamespace(went=lambda tracklet, grey, between: self.straight, forget=lambda frame: None)
        self.sweep._finder = SimpleNamespace(look=self.look)
        self.sweep._recent = deque(SimpleNamespace(number=n, rgb=np.full((300, 400, 3), n, np.uint8), grey=None, let_go=lambda: None) for n in (10, 12, 14, 16, 18, 20))
        # Frame and x of faces that are there to be seen, and what was looked for: frame, number of places.
        self.there, self.asked = {}, []

    def look(self, rgb, boxes):
        frame = int(rgb[0, 0, 0])
        self.asked.append((frame, len(boxes)))
        return Detections.joined([face(x, 100) for x in self.there.get(frame, ()) if any(abs((b[0] + b[2]) / 2 - x) < 40 for b in boxes)])

    def back(self, *people):
        """people: frames of the track, x now, x expected."""
        matches, expected = [], []
        for number, (frames, x, place) in enumerate(people):
            found = face(x, 100)
            matches.append(Match(Tracklet(number, list(frames)), found.boxes[0], 0.9, found.landmarks[0]))
            if place is not None:
                expected.append(Expected(number, face(place, 100).boxes[0], 0, 0.9))
        self.sweep._look_back(matches, expected, lambda *told: None)
        return self.asked

    def test_who_went_straight_is_not_looked_for(self):
        self.assertEqual(self.back(([8, 14, 20], 100, 102)), [])

    def test_who_did_not_is_looked_for_since_the_last_sight(self):
        self.there = {16: [70], 18: [84]}
        self.assertEqual(self.back(([8, 14, 20], 100, 60)), [(18, 1), (16, 1)])
        self.assertEqual(sorted(self.sweep._open), [16, 18])
        middle = self.sweep._open[16].seen.found.boxes[0][[0, 2]].mean()
        self.assertAlmostEqual(middle, 70, places=3)

    def test_who_is_where_expected_but_was_elsewhere_between_is_looked_for(self):
        self.straight = False
        self.assertEqual(self.back(([8, 14, 20], 100, 100))[0], (18, 1))

    def test_who_is_new_is_looked_for_as_far_back_as_pictures_are_at_hand(self):
        self.there = {frame: [100] for frame in (12, 14, 16, 18)}
        self.assertEqual([frame for frame, _ in self.back(([20], 100, None))], [18, 16, 14, 12, 10])

    def test_who_is_not_there_is_soon_no_longer_looked_for(self):
        self.assertEqual(len(self.back(([20], 100, None))), BACK_MISSED + 1)

    def test_several_are_looked_for_together_each_at_their_own_place(self):
        self.there = {18: [100], 16: [100, 300], 14: [300]}
        self.assertEqual(self.back(([20], 100, None), ([2, 20], 300, 300))[:3], [(18, 2), (16, 2), (14, 2)])
        self.assertEqual(len(self.sweep._open[16].seen), 2)


class MeasuredTest(unittest.TestCase):
    def test_rolls_are_measured_now_and_then(self):
        sweep = Sweep.__new__(Sweep)
        sweep._rate, sweep.squared, sweep._rolled = 25.0, Squared(1.0), {}
        asked = []
        sweep._judge = SimpleNamespace(roll=lambda rgb, box: asked.append(box) or 11.0)
        found = Detections.joined([face(100, 100), face(300, 100, score=0.4)])
        known = [Expected(4, found.boxes[0], 0, 0.9)]
        for number, times in ((0, 1), (20, 1), (30, 2)):
            rolls = sweep._measured(SimpleNamespace(number=number, rgb=None), found, known).rolls
            self.assertEqual(len(asked), times)
            self.assertTrue(np.isnan(rolls[1]), "who is hardly seen is not measured")
        self.assertEqual(rolls[0], 11)


class EdgesTest(unittest.TestCase):
    def edges(self, found, share):
        sweep = Sweep.__new__(Sweep)
        sweep.squared, sweep._open, sweep.edges, sweep._at_edges = Squared(1.0), {}, [], deque()
        sweep._finder = SimpleNamespace(submit_edges=lambda rgb, limit, finer: SimpleNamespace(result=lambda: found))
        sweep._silhouette = SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=share))
        sweep._look_at_edges(SimpleNamespace(number=9, rgb=np.zeros((200, 320, 3), np.uint8)))
        sweep._note_edges()
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
        # The second search is in the first frame that is decoded half a step into the shot.
        decoded = np.flatnonzero(plan_of(index.spare, 12, 25.0).needed)
        before = [int(n) for n in decoded if n < 6]
        self.assertGreater(len(before), 2)
        self.assertTrue(all(seen.get(frame, 0) >= 4 for frame in before), seen)
