"""What is hardly a face: nothing inside a known head, one question for each place."""

import unittest
from dataclasses import replace
from types import SimpleNamespace

import numpy as np

from skiagraph.track.body import Body
from skiagraph.track.doubtful import (
    Look,
    at_one_place,
    looked_at,
    may_be_a_hand,
    no_face_there,
    nobody_there,
    seen_twice,
    taken_for_known,
    to_look_at,
    without_inside,
    without_nobody,
)
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.people import people_of
from skiagraph.track.stretch import Stretch

RATE = 25.0


def stretch(first, last, x, size=40.0, doubtful=True, origin=FOUND, confidence=0.6, number=1):
    n = last - first + 1
    rows = np.column_stack(
        [
            np.full(n, x),
            np.full(n, 100.0),
            np.full(n, size),
            np.full(n, size * 1.3),
            np.zeros(n),
            np.full(n, confidence),
        ]
    )
    path = Path.from_rows(first, rows, np.full(n, origin, np.uint8))
    faces = tuple((frame, np.array([x - size / 3, 90, x + size / 3, 110]), 0.5) for frame in range(first, last + 1))
    return Stretch(path, (number,), faces, (), None, doubtful, number)


class InsideTest(unittest.TestCase):
    def test_a_part_of_a_head_that_is_only_followed_is_left_out(self):
        head = stretch(0, 50, 200, 80, doubtful=False, origin=FOLLOWED)
        self.assertEqual(without_inside([head, stretch(10, 20, 210)]), [head])

    def test_one_beside_it_stays(self):
        head, beside = stretch(0, 50, 200, 80, doubtful=False), stretch(10, 20, 250)
        self.assertEqual(without_inside([head, beside]), [head, beside])

    def test_one_that_came_out_of_it_stays(self):
        head, longer = stretch(0, 15, 200, 80, doubtful=False), stretch(10, 30, 210)
        self.assertEqual(without_inside([head, longer]), [head, longer])

    def test_a_head_of_which_nobody_is_sure_takes_nothing_away(self):
        unsure, face = stretch(0, 50, 200, 80, doubtful=False, origin=FOLLOWED, confidence=0.2), stretch(10, 20, 210)
        self.assertEqual(without_inside([unsure, face]), [unsure, face])

    def test_what_is_believed_is_never_left_out(self):
        both = [stretch(0, 50, 200, 80, doubtful=False), stretch(10, 20, 210, doubtful=False)]
        self.assertEqual(without_inside(both), both)


class TakenForKnownTest(unittest.TestCase):
    def setUp(self):
        self.head = stretch(0, 50, 200, 80, doubtful=False, origin=FOLLOWED, confidence=0.2)
        self.sign = stretch(10, 20, 230, 60)

    def test_the_sign_of_a_head_that_is_astray_is_covered_as_a_part_of_it(self):
        (one,) = taken_for_known([self.head, self.sign])
        boxes, before = one.path.boxes(), self.head.path.boxes()
        for held in (before[10:21], self.sign.path.boxes()):
            self.assertTrue(
                (boxes[10:21, :2] <= held[:, :2] + 0.01).all() and (boxes[10:21, 2:] >= held[:, 2:] - 0.01).all()
            )
        np.testing.assert_array_equal(boxes[21:], before[21:])
        np.testing.assert_array_equal(one.path.confidence, self.head.path.confidence)

    def test_who_may_be_somebody_else_stays(self):
        found = stretch(0, 50, 200, 80, doubtful=False, confidence=0.8)
        nearer = stretch(5, 15, 240, 80, doubtful=False, origin=FOLLOWED)
        for case, known in {
            "the head is found elsewhere meanwhile": [found],
            "somebody else is nearer for a while": [self.head, nearer],
            "the head is gone before": [stretch(0, 15, 200, 80, doubtful=False, origin=FOLLOWED)],
            "too far": [stretch(0, 50, 160, 80, doubtful=False, origin=FOLLOWED)],
            "nobody is known": [stretch(0, 50, 200, 80, origin=FOLLOWED)],
        }.items():
            with self.subTest(case):
                self.assertEqual(taken_for_known([*known, self.sign]), [*known, self.sign])

    def test_what_is_believed_is_never_taken(self):
        believed = stretch(10, 20, 230, 60, doubtful=False)
        self.assertEqual(taken_for_known([self.head, believed]), [self.head, believed])


class NobodyTest(unittest.TestCase):
    HEAD = np.array([100.0, 100, 60, 78, 0])

    def nobody(self, share, margin=0.1, light=120, head=HEAD):
        shape = SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=share, margin=margin))
        return nobody_there(np.full((200, 200, 3), light, np.uint8), head, shape)

    def test_a_wall_is_nobody(self):
        self.assertTrue(self.nobody(0.05))

    def test_half_a_person_is_somebody(self):
        self.assertFalse(self.nobody(0.5))
        self.assertFalse(self.nobody(0.1, margin=0.7), "the shape found one close by")

    def test_what_is_dark_small_or_outside_is_not_for_the_shape_to_tell(self):
        self.assertFalse(self.nobody(0.05, light=10))
        self.assertFalse(self.nobody(0.05, head=np.array([100.0, 100, 20, 26, 0])))
        self.assertFalse(self.nobody(0.05, head=np.array([900.0, 100, 60, 78, 0])))

    def test_the_surest_faces_of_what_is_doubtful_are_looked_at(self):
        parts = [stretch(0, 9, 100), stretch(0, 9, 200, doubtful=False)]
        wanted = to_look_at(parts)
        self.assertEqual((len(wanted), {row for looks in wanted.values() for row, _ in looks}), (3, {0}))

    def test_a_hand_that_only_the_shape_takes_for_somebody_is_nobody(self):
        face = np.array([80.0, 80, 120, 120])

        def none(presence, light=(120, 120, 120), head=self.HEAD, here=None):
            picture = np.full((200, 200, 3), light, np.uint8)
            picture[60:140, 60:140] = light if here is None else here
            return no_face_there(
                picture,
                head,
                face,
                SimpleNamespace(presence=presence if callable(presence) else lambda rgb, box, roll: presence),
            )

        self.assertTrue(none(0.1))
        self.assertFalse(none(0.7), "the landmark network sees a face")
        self.assertFalse(none(0.1, light=(30, 30, 30)), "too dark to tell")
        self.assertTrue(none(0.1, here=20), "a black jacket in a bright picture")
        self.assertFalse(
            none(lambda rgb, box, roll: 0.9 if rgb[100, 100, 0] > 60 else 0.1, here=20), "a face before a bright window"
        )
        self.assertFalse(none(0.1, here=4), "nothing can be seen")
        self.assertFalse(none(0.1, light=(200, 60, 60)), "nor in the light of a red lamp")
        self.assertFalse(none(0.1, head=np.array([100.0, 100, 20, 26, 0])), "too small to tell")

    def test_what_is_seen_on_the_body_of_somebody_known_may_be_a_hand(self):
        weak, above = (
            stretch(0, 9, 100),
            lambda y, x=100.0, confidence=0.8: Path.from_rows(
                0, np.tile([x, y, 40.0, 52, 0, confidence], (30, 1)), np.full(30, FOLLOWED, np.uint8)
            ),
        )
        for y in (50, -20):
            self.assertTrue(may_be_a_hand(weak, [above(y)], 1.7), y)
        for case, known in {
            "nobody is known": [],
            "beside a head": [above(95, 130)],
            "above one": [above(160)],
            "too far below": [above(-150)],
            "beside the body": [above(50, 190)],
            "nobody knows where that is": [above(50, confidence=0.2)],
        }.items():
            self.assertFalse(may_be_a_hand(weak, known, 1.7), case)
        self.assertTrue(may_be_a_hand(weak, [above(50, 190)], 3.0), "an elbow")
        leaning = Path.from_rows(0, np.tile([100.0, 20, 40, 52, 30, 0.8], (30, 1)), np.full(30, FOUND, np.uint8))
        self.assertTrue(may_be_a_hand(weak, [leaning], 1.7), "a head that leans on a body that stands")
        lying = Path.from_rows(0, np.tile([160.0, 100, 40, 52, 90, 0.8], (30, 1)), np.full(30, FOUND, np.uint8))
        self.assertTrue(may_be_a_hand(weak, [lying], 1.7), "whose body is to the left")
        self.assertFalse(may_be_a_hand(stretch(0, 9, 220), [lying], 1.7))
        self.assertFalse(may_be_a_hand(stretch(25, 40, 100), [above(50)], 1.7), "mostly seen when they were gone")


def look(x=100.0, sure=0.0, away=(0.0, 0.0), no_face=True, nobody=False, whole=True, frame=5):
    """What is seen of something doubtful at x in one frame. away: heads from there to where the body network sees the
    head."""
    return Look(
        frame, np.array([x, 100.0, 40, 52]), nobody, no_face, Body(sure, x + 40 * away[0], 100 + 52 * away[1]), whole
    )


def seen(part, *scores):
    """A stretch whose faces have these scores first."""
    return replace(
        part,
        faces=tuple(
            (frame, box, scores[n] if n < len(scores) else score) for n, (frame, box, score) in enumerate(part.faces)
        ),
    )


class WithoutNobodyTest(unittest.TestCase):
    def left(self, part, looks, *known):
        """What becomes of a doubtful part: None where it is left out."""
        made = without_nobody([part, *known], {0: looks}, 3)
        self.assertEqual(made[-len(known) :] if known else [], list(known))
        return made[0] if len(made) > len(known) else None

    def test_whom_the_detector_and_the_body_network_see_at_one_place_is_somebody(self):
        there = [look(sure=0.97, away=(0.2, -0.1))] * 2 + [look(sure=0.3)]
        small = seen(stretch(0, 9, 100), 0.8, 0.8, 0.75)
        self.assertFalse(self.left(small, there).doubtful)
        for case, part, looks in (
            ("the detector was hardly ever sure", seen(small, 0.8, 0.8, 0.6), there),
            ("the body network is not sure", small, [look(sure=0.6)] * 3),
            ("the head is elsewhere", small, [look(sure=0.97, away=(0.9, 0.1))] * 3),
            ("in one look of three", small, [there[0], look(), look()]),
        ):
            self.assertTrue(self.left(part, looks).doubtful, case)

    def test_who_is_believed_now_has_hands_too(self):
        small, hand = seen(stretch(0, 9, 100), 0.8, 0.8, 0.8), seen(stretch(0, 9, 120, number=2))
        hand = replace(hand, faces=tuple((frame, box + (0, 70, 0, 70), score) for frame, box, score in hand.faces))
        made = without_nobody([small, hand], {0: [look(sure=0.97)] * 3, 1: [look(120)] * 3}, 3)
        self.assertEqual([(s.number, s.doubtful) for s in made], [(1, False)])

    def test_an_elbow_belongs_to_the_head_that_the_body_network_means(self):
        head = Path.from_rows(0, np.tile([190.0, 40, 40, 52, 0, 0.8], (30, 1)), np.full(30, FOUND, np.uint8))
        known = replace(stretch(0, 29, 190, doubtful=False, number=2), path=head)
        elbow, on_it = stretch(0, 9, 100), look(sure=0.95, away=(2.2, -1.1))
        self.assertIsNone(self.left(elbow, [on_it] * 3, known))
        for case, part, looks in (
            ("not in one look", elbow, [on_it, on_it, look(sure=0.2)]),
            ("the head is another one", elbow, [look(sure=0.95, away=(-2, 0))] * 3),
            ("this is the head", elbow, [look(sure=0.95)] * 3),
            ("the landmark network sees a face", elbow, [replace(on_it, no_face=False)] * 3),
            ("once the detector was nearly sure", seen(elbow, 0.7), [on_it] * 3),
        ):
            self.assertIs(self.left(part, looks, known), part, case)

    def test_a_tree_has_no_body(self):
        tree = stretch(0, 9, 100)
        self.assertIsNone(self.left(tree, [look(sure=0.01)] * 3))
        for case, looks in (
            ("one look only", [look(sure=0.01)]),
            ("somebody, perhaps", [look(sure=0.01), look(sure=0.01), look(sure=0.2)]),
            ("their body is not in the picture", [look(sure=0.01, whole=False)] * 3),
            ("too dark to tell whether there is a face", [look(sure=0.01, no_face=False)] * 3),
        ):
            self.assertIs(self.left(tree, looks), tree, case)

    def test_what_nobody_looked_at_stays(self):
        part = stretch(0, 9, 100)
        self.assertIs(self.left(part, []), part)

    def test_what_is_nobody_by_its_shape_is_left_out_whatever_the_score(self):
        self.assertIsNone(self.left(seen(stretch(0, 9, 100), 0.8), [look(nobody=True, sure=0.6)] * 3))

    def test_a_look_is_told_in_px_of_the_clip(self):
        asked = []
        bodies = SimpleNamespace(below=lambda rgb, head: asked.append(head) or Body(0.9, 220.0, 90.0))
        there = looked_at(
            7,
            np.full((200, 400, 3), 120, np.uint8),
            np.array([200.0, 100, 60, 78, 0]),
            np.array([180.0, 80, 220, 120]),
            2.0,
            SimpleNamespace(shape=lambda rgb, head: SimpleNamespace(share=0.1, margin=0.1)),
            SimpleNamespace(presence=lambda rgb, box, roll: 0.1),
            bodies,
        )
        self.assertEqual(
            (there.frame, there.head.tolist(), there.body), (7, [100, 100, 30, 78], Body(0.9, 110.0, 90.0))
        )
        self.assertEqual(
            (there.nobody, there.no_face, there.whole), (True, True, False), "its hips would be below the picture"
        )
        self.assertEqual(asked[0][0], 200.0)


class SeenTwiceTest(unittest.TestCase):
    def test_what_is_at_one_place_at_once_is_one_whose_cover_holds_both(self):
        a, b, c = (
            stretch(0, 20, 100, number=1),
            stretch(10, 40, 120, 50, confidence=0.3, number=2),
            stretch(0, 50, 400, number=3),
        )
        one, other = seen_twice([a, b, c])
        self.assertEqual((one.number, one.path.first, one.path.last, one.doubtful), (1, 0, 40, True))
        self.assertEqual(other, c)
        boxes = one.path.boxes()
        for part in (a, b):
            held = part.path.boxes()
            mine = boxes[part.path.first : part.path.last + 1]
            self.assertTrue((mine[:, :2] <= held[:, :2] + 0.01).all() and (mine[:, 2:] >= held[:, 2:] - 0.01).all())
        np.testing.assert_allclose(one.path.confidence[[5, 15, 35]], [0.6, 0.3, 0.3])
        self.assertEqual([frame for frame, _, _ in one.faces], sorted([*range(21), *range(10, 41)]))

    def test_others_stay_as_they_are(self):
        a = stretch(0, 20, 100, number=1)
        for case, b in {
            "beside it": stretch(10, 40, 150, number=2),
            "later": stretch(21, 40, 100, number=2),
            "of another size": stretch(10, 40, 100, 80, number=2),
            "somebody known": stretch(10, 40, 100, doubtful=False, number=2),
        }.items():
            with self.subTest(case):
                self.assertEqual(seen_twice([a, b]), [a, b])


class PlaceTest(unittest.TestCase):
    def test_now_and_then_at_one_place_is_one_question(self):
        parts = [stretch(0, 5, 100, number=1), stretch(20, 25, 104, number=2), stretch(60, 66, 108, number=3)]
        self.assertEqual(at_one_place(parts, RATE), [[0, 1, 2]])
        (one,), likely = people_of(parts, fixed=at_one_place(parts, RATE))
        self.assertTrue(one.doubtful)
        self.assertEqual(
            [(p.first, p.last) for p in one.paths], [(0, 5), (20, 25), (60, 66)], "each is covered as it was"
        )
        self.assertEqual(likely, [])

    def test_elsewhere_later_or_of_another_size_is_another(self):
        for other in (
            stretch(20, 25, 200, number=2),
            stretch(90, 95, 100, number=2),
            stretch(20, 25, 100, 90, number=2),
            stretch(3, 8, 100, number=2),
        ):
            self.assertEqual(at_one_place([stretch(0, 5, 100), other], RATE), [])

    def test_people_are_none_of_it(self):
        self.assertEqual(at_one_place([stretch(0, 5, 100), stretch(20, 25, 100, doubtful=False, number=2)], RATE), [])


if __name__ == "__main__":
    unittest.main()
