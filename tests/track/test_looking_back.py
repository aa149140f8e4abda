"""Looking back: who is new, back, or did not go straight is looked for in the pictures before; the others are not."""

import unittest
from types import SimpleNamespace

from skiagraph.detect.detections import Detections
from skiagraph.detect.squared import Squared
from skiagraph.track.linking import Expected, Match, Tracklet
from skiagraph.track.looking_back import LOOKING, LookingBack
from tests.track.faces import PlainPicture, face


class LookBackTest(unittest.TestCase):
    """Who is new, back, or did not go straight is looked for in the pictures before; the others are not."""

    def setUp(self):
        self.straight, self.observations = True, {}
        self.recent = [PlainPicture(n) for n in (10, 12, 14, 16, 18, 20)]
        judging = SimpleNamespace(believed=lambda picture, found, expected: found)
        self.looking = LookingBack(
            SimpleNamespace(look=self.look),
            judging,
            Squared(1.0),
            SimpleNamespace(went=lambda tracklet, grey, between: self.straight),
            6,
            10,
        )
        # Frame and x of faces that are there to be seen, and what was looked for: frame, number of places.
        self.there, self.asked = {}, []

    def look(self, rgb, boxes, rolls):
        frame = int(rgb[0, 0, 0])
        self.asked.append((frame, len(boxes)))
        return Detections.joined(
            [face(x, 100) for x in self.there.get(frame, ()) if any(abs((b[0] + b[2]) / 2 - x) < 40 for b in boxes)]
        )

    def back(self, *people):
        """people: frames of the track, x now, x expected."""
        matches, expected = [], []
        for number, (frames, x, place) in enumerate(people):
            found = face(x, 100)
            matches.append(Match(Tracklet(number, list(frames)), found.boxes[0], 0.9, found.landmarks[0]))
            if place is not None:
                expected.append(Expected(number, face(place, 100).boxes[0], 0, 0.9))
        self.looking.look(matches, expected, self.recent, self.observations, lambda *told: None)
        return self.asked

    def lost(self, at=10, x=100):
        """Somebody was seen at a frame, and nobody is at the present one."""
        seen = face(x, 100)
        present, self.recent = self.recent, [p for p in self.recent if p.number <= at]
        self.looking.look(
            [Match(Tracklet(1, [at]), seen.boxes[0], 0.9, seen.landmarks[0])], [], self.recent, {}, lambda *told: None
        )
        self.recent, self.asked = present, []
        self.looking.look([], [Expected(1, seen.boxes[0], 0, 0.9)], self.recent, self.observations, lambda *told: None)
        return self.asked

    def test_who_was_just_lost_is_looked_for_on_from_where_they_were_seen(self):
        """Somebody runs out of the picture between two looks."""
        self.there = {12: [110], 14: [130], 16: [155]}
        self.assertEqual([frame for frame, _ in self.lost()], [12, 14, 16, 18, 20])
        self.assertEqual(
            {frame: round(float(o.seen.found.boxes[0][[0, 2]].mean())) for frame, o in self.observations.items()},
            {12: 110, 14: 130, 16: 155},
        )

    def test_who_is_gone_at_once_is_not_looked_for_long(self):
        self.assertEqual(len(self.lost()), LOOKING.missed + 1)

    def test_whose_loss_is_known_is_not_looked_for_again(self):
        self.lost()
        self.asked = []
        self.looking.look(
            [], [Expected(1, face(100, 100).boxes[0], 6, 0.9)], self.recent, self.observations, lambda *told: None
        )
        self.assertEqual(self.asked, [])

    def test_who_went_straight_is_not_looked_for(self):
        self.assertEqual(self.back(([8, 14, 20], 100, 102)), [])

    def test_who_did_not_is_looked_for_since_the_last_sight(self):
        self.there = {16: [70], 18: [84]}
        self.assertEqual(self.back(([8, 14, 20], 100, 60)), [(18, 1), (16, 1)])
        self.assertEqual(sorted(self.observations), [16, 18])
        middle = self.observations[16].seen.found.boxes[0][[0, 2]].mean()
        self.assertAlmostEqual(middle, 70, places=3)

    def test_who_is_where_expected_but_was_elsewhere_between_is_looked_for(self):
        self.straight = False
        self.assertEqual(self.back(([8, 14, 20], 100, 100))[0], (18, 1))

    def test_who_is_new_is_looked_for_as_far_back_as_pictures_are_at_hand(self):
        self.there = {frame: [100] for frame in (12, 14, 16, 18)}
        self.assertEqual([frame for frame, _ in self.back(([20], 100, None))], [18, 16, 14, 12, 10])

    def test_who_is_not_there_is_soon_no_longer_looked_for(self):
        self.assertEqual(len(self.back(([20], 100, None))), LOOKING.missed + 1)

    def test_several_are_looked_for_together_each_at_their_own_place(self):
        self.there = {18: [100], 16: [100, 300], 14: [300]}
        self.assertEqual(self.back(([20], 100, None), ([2, 20], 300, 300))[:3], [(18, 2), (16, 2), (14, 2)])
        self.assertEqual(len(self.observations[16].seen), 2)
