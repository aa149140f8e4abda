"""Second opinions: what only looks like a face, what is half of one, and when rolls are measured."""

import unittest
from types import SimpleNamespace

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.track.judging import Judging
from skiagraph.track.linking import Expected
from tests.track.faces import PlainPicture, face


class BelievedTest(unittest.TestCase):
    """Opinions of made networks: what they say of a place decides what becomes of a weak find."""

    def setUp(self):
        self.asked, self.rolls, self.present, self.share, self.margin = [], [], 0.0, 0.0, 0.9
        self.judging = self.made()

    def made(self):
        """Judging with made networks, that remembers nothing yet."""
        face_judge = SimpleNamespace(
            presence=lambda rgb, box, roll=0.0: self.rolls.append(roll) or self.asked.append("face") or self.present
        )
        shape_judge = SimpleNamespace(
            shape=lambda rgb, head: self.asked.append("shape") or SimpleNamespace(share=self.share, margin=self.margin)
        )
        return Judging(face_judge, shape_judge, Squared(1.0), 25.0, 36)

    def believed(self, found, present=0.0, share=0.0, expected=(), margin=0.9, number=7, coloured=False):
        self.present, self.share, self.margin = present, share, margin
        return self.judging.believed(PlainPicture(number, coloured=coloured), found, list(expected))

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
            self.judging = self.made()
            self.assertLess(self.believed(weak, **other).scores[0], 0.5)

    def test_a_weak_sign_too_small_for_a_face_does_not_count(self):
        self.assertLess(self.believed(face(100, 100, side=20.0, score=0.3), share=0.9).scores[0], 0.5)

    def test_a_weak_sign_on_the_head_of_somebody_who_is_seen_is_theirs(self):
        both = Detections.joined([face(100, 100, score=0.9), face(128, 96, score=0.3)])
        self.assertLess(self.believed(both, share=0.9).scores[1], 0.5)
        self.assertEqual(self.asked, [])

    def test_in_coloured_light_the_shape_decides(self):
        good = face(100, 100, score=0.72)
        lost = Expected(1, good.boxes[0] + 2, 3, 0.9)
        for coloured, share, expected, score in (
            (True, 0.9, [], 0.5),
            (True, 0.2, [], None),
            (True, 0.9, [lost], 0.45),
        ):
            with self.subTest(coloured=coloured, share=share, expected=bool(expected)):
                self.judging = self.made()
                scores = self.believed(good, share=share, expected=expected, coloured=coloured).scores
                self.assertEqual([round(float(s), 3) for s in scores], [] if score is None else [score])

    def test_out_of_focus_the_shape_decides_of_who_faces_this_way_where_nobody_was_known(self):
        ahead = face(100, 100, score=0.72)
        aside = Detections(ahead.boxes, ahead.scores, ahead.landmarks.copy())
        aside.landmarks[0, 2, 0] = aside.landmarks[0, 1, 0]
        known = Expected(1, ahead.boxes[0] + 2, 30, 0.9)
        for found, share, expected, score in (
            (ahead, 0.9, [], 0.72),
            (ahead, 0.2, [], None),
            (aside, 0.9, [], None),
            (ahead, 0.9, [known], 0.45),
        ):
            with self.subTest(share=share, expected=bool(expected)):
                self.judging = self.made()
                scores = self.believed(found, share=share, expected=expected).scores
                self.assertEqual([round(float(s), 3) for s in scores], [] if score is None else [score])

    def test_of_whoever_lies_the_landmark_network_is_asked_however_sure_the_detector_is(self):
        sure = face(100, 100, score=0.9)
        lying = Detections(sure.boxes, sure.scores, sure.landmarks, np.float32([90]))
        self.assertEqual(len(self.believed(lying)), 0)
        np.testing.assert_allclose(self.believed(lying, present=1.0).scores, [0.9])
        self.assertEqual(self.rolls, [90, 90])
        lost = Expected(1, lying.boxes[0] + 2, 3, 0.9)
        self.assertLess(self.believed(lying, expected=[lost]).scores[0], 0.5)
        # Less is enough where somebody is known to be.
        self.assertEqual([len(self.believed(lying, present=0.6, expected=known)) for known in ([], [lost])], [0, 1])
        self.assertGreater(self.believed(lying, present=0.6, expected=[lost]).scores[0], 0.8)

    def test_a_face_that_is_found_standing_and_lying_is_one_and_in_doubt_it_stands(self):
        both = Detections.joined(
            [
                face(100, 100, score=0.6),
                Detections(
                    face(104, 98, score=0.8).boxes, np.float32([0.8]), face(104, 98).landmarks, np.float32([180])
                ),
            ]
        )
        known = [Expected(1, both.boxes[0], 0, 0.9, roll=roll) for roll in (0.0, 170.0)]
        for said, expected, roll in (
            ({0: 0.1, 180: 0.9}, (), 180),
            ({0: 0.3, 180: 0.9}, (), None),
            ({0: 0.9, 180: 0.9}, (), None),
            ({0: 0.9, 180: 0.1}, (), None),
            ({0: 0.1, 180: 0.9}, known[:1], None),
            ({0: 0.1, 180: 0.9}, known[1:], 180),
        ):
            with self.subTest(said=said, expected=len(expected)):
                judging = Judging(
                    SimpleNamespace(presence=lambda rgb, box, about=0.0: said[round(about)]),
                    SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=0.9, margin=0.9)),
                    Squared(1.0),
                    25.0,
                    36,
                )
                rolls = judging.believed(PlainPicture(7), both, list(expected)).rolls
                self.assertEqual([None if np.isnan(r) else round(float(r)) for r in rolls], [roll])

    def test_an_opinion_of_a_place_holds_for_a_moment(self):
        weak = face(100, 100, score=0.6)
        for number, times in ((7, 1), (8, 1), (60, 2)):
            self.believed(weak, present=1.0, number=number)
            self.assertEqual(self.asked.count("face"), times)


class MeasuredTest(unittest.TestCase):
    def test_rolls_are_measured_now_and_then(self):
        asked = []
        judging = Judging(
            SimpleNamespace(roll=lambda rgb, box, about: asked.append(about) or 11.0), None, Squared(1.0), 25.0, 36
        )
        found = Detections.joined([face(100, 100), face(300, 100, score=0.4)])
        known = [Expected(4, found.boxes[0], 0, 0.9)]
        for number, times in ((0, 1), (20, 1), (30, 2)):
            rolls = judging.measured(PlainPicture(number), found, known).rolls
            self.assertEqual(len(asked), times)
            self.assertTrue(np.isnan(rolls[1]), "who is hardly seen is not measured")
        self.assertEqual(rolls[0], 11)

    def test_whoever_lies_is_measured_from_there_on(self):
        for said, measured in ((101.0, 101), (float("nan"), -90)):
            asked = []
            judging = Judging(
                SimpleNamespace(roll=lambda rgb, box, about: asked.append(about) or said), None, Squared(1.0), 25.0, 36
            )
            found = face(100, 100)
            rolls = judging.measured(
                PlainPicture(0), Detections(found.boxes, found.scores, found.landmarks, np.float32([-90])), []
            ).rolls
            self.assertEqual((asked, rolls.tolist()), ([-90], [measured]))
