"""Whoever only their body gives away is somebody new, but where somebody known is or should be."""

import unittest
from dataclasses import replace
from types import SimpleNamespace

import numpy as np

from skiagraph.detect.bodies import HIGH, SCORE, BodyFinder
from skiagraph.detect.squared import Squared
from skiagraph.track.appearance import unpacked
from skiagraph.track.body import BodyLandmarks
from skiagraph.track.camera import STILL, Views
from skiagraph.track.chaining import Chain
from skiagraph.track.linking import Seen, Tracklet
from skiagraph.track.observations import Observation
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch
from skiagraph.track.unfaced import (
    UNFACED,
    BodySign,
    faces_in,
    heads_of,
    heads_seen,
    looks_in,
    signs_of,
    unfaced,
    without_faces,
)
from skiagraph.track.ways import WAYS
from tests.track.test_body import standing

RATE = 25.0


def sign(frame, x, y=100.0, width=40.0, sure=True):
    return BodySign(frame, np.array([x, y, width, 1.3 * width]), sure=sure)


def chain(number, frames, x, step=0.0):
    heads = [np.array([x + step * (f - frames[0]), 100, 40, 52, 0], np.float32) for f in frames]
    return Chain(
        (
            Tracklet(
                number,
                list(frames),
                heads,
                [np.array([h[0] - 15, 85, h[0] + 15, 115]) for h in heads],
                [0.9] * len(heads),
            ),
        )
    )


def new(signs, known=(), cut=10_000):
    return unfaced(signs, known, lambda frame: (0, cut - 1) if frame < cut else (cut, 99_999), RATE)


class UnfacedTest(unittest.TestCase):
    def test_signs_one_after_the_other_are_one_person_who_is_believed(self):
        (one,) = new([sign(frame, 100 + 3 * frame) for frame in range(0, 100, 20)], [chain(7, range(5), 900)]).chains
        self.assertEqual((one.frames.tolist(), one.doubtful, one.parts[0].number), ([0, 20, 40, 60, 80], False, 8))
        np.testing.assert_allclose(one.heads[:, 0], 100 + 3.0 * one.frames)
        self.assertEqual(one.heads.shape, (5, 5))
        for head, face in zip(one.heads, one.parts[0].boxes):
            self.assertTrue(
                (face[:2] > head[:2] - head[2:4] / 2).all() and (face[2:] < head[:2] + head[2:4] / 2).all(),
                "the face is inside the head",
            )

    def test_without_signs_there_is_nobody(self):
        self.assertEqual(new([]).chains, [])
        self.assertEqual(new([], [chain(1, range(9), 100)]).chains, [])

    def test_one_sign_is_enough(self):
        self.assertEqual([(c.frames.tolist(), c.doubtful) for c in new([sign(20, 100)]).chains], [([20], False)])

    def test_covers_are_wide_where_only_a_body_tells_of_the_head(self):
        found = new([sign(0, 100), sign(10, 100)], [chain(1, [30, 40], 700)])
        rows = np.tile([100.0, 100, 40, 52, 0, 0.6], (41, 1))
        faces = tuple((frame, np.array([90.0, 90, 110, 110]), 0.6) for frame in (0, 10, 30, 40))
        body, known = (
            Stretch(Path.from_rows(0, rows, np.full(41, FOUND, np.uint8)), chains, faces, (), None, False, 1)
            for chains in ((1, 0), (0,))
        )
        wide, same = found.widened([body, known])
        self.assertIs(same, known)
        np.testing.assert_allclose(wide.path.width, np.where(np.arange(41) <= 20, 40 * UNFACED.wider, 40))
        np.testing.assert_allclose(wide.path.height, np.where(np.arange(41) <= 20, 52 * UNFACED.higher, 52), rtol=1e-6)

    def test_of_whom_is_known_nobody_is_made_twice(self):
        signs = [sign(frame, 200) for frame in range(0, 100, 20)]
        for case, known in {
            "between two sights": chain(1, [0, 90], 200),
            "soon after the last": chain(1, range(10, 50), 210),
            "before the first": chain(1, range(45, 99), 190),
            "who moves": chain(1, [0, 80], 160, 1),
        }.items():
            with self.subTest(case):
                self.assertEqual(new(signs, [known]).chains, [])
        doubtful = chain(1, range(10, 50), 210)
        doubtful.parts[0].doubtful = True
        self.assertEqual(
            [c.frames.tolist() for c in new(signs, [doubtful]).chains],
            [[0, 60, 80]],
            "what is doubtful is not covered for long",
        )
        for case, known, cut in (
            ("somebody far from there", chain(1, range(99), 500), 10_000),
            ("who was there long ago", chain(1, range(0, 3), 200), 10_000),
            ("in another shot", chain(1, range(0, 60), 200), 60),
        ):
            with self.subTest(case):
                late = [s for s in signs if s.frame >= 60]
                self.assertEqual(len(new(late, [known], cut).chains), 1)

    def test_beside_who_is_known_each_other_sign_is_somebody(self):
        beside = [200 + 60, 200 - 60]
        for case, known in {
            "whose face was found then": chain(1, [0, 20, 40], 200),
            "who should be there": chain(1, [0, 12, 28, 40], 200),
        }.items():
            with self.subTest(case):
                self.assertEqual(new([sign(20, 200)], [known]).chains, [])
                self.assertEqual(
                    [c.heads[0, 0] for c in new([sign(20, 200), *(sign(20, x) for x in beside)], [known]).chains],
                    beside,
                )
        self.assertEqual(
            len(new([sign(20, 200), sign(20, 215)], [chain(1, [0, 20], 200)]).chains), 0, "one head that is seen twice"
        )
        self.assertEqual(
            [c.heads[0, 0] for c in new([sign(20, 290)], [chain(1, [0, 20], 200)]).chains],
            [290],
            "whose face was found is not elsewhere",
        )
        self.assertEqual(
            new([sign(20, 250)], [chain(1, [0, 12, 28], 200)]).chains,
            [],
            "who may be hidden or turn is about where they should be",
        )
        self.assertEqual(
            [c.heads[0, 0] for c in new([sign(20, 290)], [chain(1, [0, 12, 28], 200)]).chains],
            [290],
            "who is further away walks by",
        )

    def test_who_turned_their_back_is_no_rival_of_themselves(self):
        # Their face was seen until 46 and from 170 on, so that nobody is known to be there from 97 to 119.
        x = lambda frame: 430 + 1.2 * max(0, frame - 46)
        known = [chain(1, range(0, 47, 2), 430), chain(2, range(170, 225, 2), x(170), 2.4)]
        made = new([sign(frame, x(frame)) for frame in range(50, 170, 10)], known)
        self.assertEqual([c.frames.tolist() for c in made.chains], [[100, 110]])
        ((before, after),) = made.runs.runs
        self.assertGreater(made.runs.ways.probability(before, after), WAYS.sure)
        beside = lambda frame: [sign(frame, x(frame)), sign(frame, x(frame) + 30)]
        made = new([s for frame in range(50, 170, 10) for s in beside(frame)], known)
        pairs = [pair for run in made.runs.runs for pair in zip(run, run[1:])]
        self.assertTrue(pairs)
        for before, after in pairs:
            self.assertLess(made.runs.ways.probability(before, after), WAYS.sure, "two stand there")

    def test_far_apart_long_after_of_another_size_or_over_a_cut_is_somebody_else(self):
        for other in (sign(20, 700), sign(90, 100), sign(20, 100, width=80)):
            self.assertEqual(len(new([sign(0, 100), other]).chains), 2)
        self.assertEqual(len(new([sign(0, 100), sign(20, 100)], cut=10).chains), 2)
        self.assertEqual(len(new([sign(0, 100), sign(20, 120)]).chains), 1)

    def test_who_walk_together_each_go_on_as_fits_all_of_them_best(self):
        found = new(
            [
                s
                for n in range(4)
                for s in (sign(20 * n, 100 + 50 * n), sign(20 * n, 170 + 50 * n), sign(20 * n, 240 + 50 * n, width=44))
            ]
        ).chains
        self.assertEqual(
            [[round(float(x)) for x in c.heads[:, 0]] for c in found],
            [[100, 150, 200, 250], [170, 220, 270, 320], [240, 290, 340, 390]],
        )

    def test_two_who_change_places_between_looks_are_told_apart_by_how_they_look(self):
        red, blue = np.array([1.0, 0, 0]), np.array([0, 0, 1.0])
        signs = [
            BodySign(frame, sign(frame, x).head, looks)
            for frame, *both in ((0, (100, red), (200, blue)), (20, (100, blue), (200, red)))
            for x, looks in both
        ]
        self.assertEqual([[s for s in c.heads[:, 0]] for c in new(signs).chains], [[100, 200], [200, 100]])
        self.assertEqual(
            [[s for s in c.heads[:, 0]] for c in new([replace(s, colours=None) for s in signs]).chains],
            [[100, 100], [200, 200]],
        )

    def test_weak_signs_count_on_the_way_of_somebody_whom_a_sure_one_gives_away(self):
        weak = lambda frame, x: sign(frame, x, sure=False)
        way = [weak(0, 100), weak(20, 120), sign(40, 140), weak(60, 160), weak(80, 180)]
        (found,) = new(way).chains
        self.assertEqual(found.frames.tolist(), [0, 20, 40, 60, 80], "before it and after it")
        np.testing.assert_allclose(
            found.scores, [UNFACED.score if frame == 40 else UNFACED.weak_score for frame in found.frames]
        )
        self.assertEqual(new([replace(s, sure=False) for s in way]).chains, [], "weak ones alone are nobody")
        self.assertEqual(
            [c.frames.tolist() for c in new([sign(0, 100), weak(20, 600), weak(20, 900)]).chains],
            [[0]],
            "nor elsewhere",
        )
        self.assertEqual(
            [c.frames.tolist() for c in new([sign(0, 100), weak(20, 106), sign(20, 112)]).chains],
            [[0, 20]],
            "a sure one goes before",
        )
        self.assertEqual(
            new([sign(0, 200), weak(20, 260)], [chain(1, [0, 20], 200)]).chains, [], "nor beside who is known"
        )

    def test_a_camera_that_swings_round_takes_nobody_for_another(self):
        swing = lambda frame: 40.0 * frame
        views = Views(np.arange(100), np.array([[[1, 0, swing(n)], [0, 1, 0]] for n in range(100)], float))
        stand = [sign(frame, 100 + swing(frame)) for frame in (0, 20, 40)]
        for case, signs, known, count in (
            ("who stands", stand, [], 1),
            ("with whom it goes", [sign(frame, 900) for frame in (0, 20, 40)], [], 1),
            ("somebody known who stands", stand, [chain(1, [0, 50], 100, 40)], 0),
        ):
            with self.subTest(case):
                self.assertEqual(len(unfaced(signs, known, lambda frame: (0, 99), RATE, views).chains), count)
        self.assertEqual(len(new(stand).chains), 3, "without the camera's doing it would be three")

    def test_pieces_between_which_nobody_else_was_near_are_one_person(self):
        def pieces(found):
            def stretch(*frames):
                chain = found.chains[0]
                faces = tuple((int(f), box, 0.6) for f, box in zip(chain.frames, chain.parts[0].boxes) if f in frames)
                found_in = np.isin(np.arange(frames[0], frames[-1] + 1), frames)
                return Stretch(
                    Path.from_rows(
                        frames[0],
                        np.tile([100.0, 100, 40, 52, 0, 0.6], (len(found_in), 1)),
                        np.where(found_in, FOUND, FOLLOWED).astype(np.uint8),
                    ),
                    (0,),
                    faces,
                    (),
                    None,
                    False,
                    1,
                )

            return found.runs.fixed([stretch(0), stretch(999), stretch(20), stretch(40, 60)])

        run = [sign(frame, 100) for frame in (0, 20, 40, 60)]
        with_other = lambda *others: pieces(new(sorted([*run, *others], key=lambda s: s.frame)))
        self.assertEqual(with_other(), [[0, 2, 3]])
        self.assertEqual(
            with_other(sign(20, 300)), [], "in the frame of a sign somebody else is near before and after it"
        )
        self.assertEqual(with_other(sign(30, 300)), [[0, 2]], "somebody else is near then, and not before")
        self.assertEqual(with_other(sign(30, 900)), [[0, 2, 3]])
        known = chain(1, range(5, 9), 310)
        known.parts[0].doubtful = True
        self.assertEqual(pieces(new(run, [known])), [[2, 3]], "somebody who is known is")


class HeadsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.finder, cls.landmarks = BodyFinder(1), BodyLandmarks()
        cls.addClassCleanup(cls.finder.close)

    def heads(self, picture, faces=(), aspect=1.0):
        heads, sure = heads_of(
            without_faces(self.finder.find(picture), np.array(faces, float).reshape(-1, 4)),
            picture,
            self.landmarks,
            Squared(aspect),
        )
        return heads[sure]

    def test_a_head_is_held_where_a_body_gives_it_away(self):
        for yaw in (0, 30, 90):
            with self.subTest(yaw=yaw):
                picture, head = standing(yaw, 45)
                ((cx, cy, width, height),) = self.heads(picture) * (1, 1, UNFACED.wider, UNFACED.higher)
                # A little may look out of what is told; covers have a margin beside.
                self.assertLess(cx - width / 2, head[0] - 0.35 * head[2])
                self.assertGreater(cx + width / 2, head[0] + 0.4 * head[2])
                self.assertLess(cy - height / 2, head[1] - 0.4 * head[3])
                self.assertGreater(cy + height / 2, head[1] + 0.4 * head[3])
                self.assertLess(width, 2.2 * head[2])

    def test_whose_face_was_found_needs_none(self):
        picture, (x, y, width, *_) = standing(0, 30)
        self.assertEqual(len(self.heads(picture, [[x - width / 3, y - width / 3, x + width / 3, y + width / 3]])), 0)
        self.assertEqual(len(self.heads(picture, [[x + 300, y, x + 340, y + 40]])), 1)

    def test_who_is_not_surely_there_needs_the_landmark_network(self):
        picture, _ = standing(0, 30)
        (body,) = self.finder.find(picture)
        unsure, wall = body.copy(), body + (0, 420, -60, 420, -60, 0)
        unsure[SCORE] = wall[SCORE] = UNFACED.sure_alone - 0.2
        sure = lambda *rows: heads_of(np.array(rows), picture, self.landmarks, Squared(1.0))[1].tolist()
        self.assertEqual(
            (sure(unsure), sure(wall), sure(body), sure(wall, body)), ([True], [False], [True], [False, True])
        )
        self.assertEqual(sure(unsure + (0, 0, 2 * unsure[HIGH], 0, 0, 0)), [False], "it sees the head elsewhere")
        self.assertEqual(
            [len(part) for part in heads_of(np.zeros((0, 6)), picture, self.landmarks, Squared(1.0))], [0, 0]
        )

    def test_how_they_look_is_known_but_in_coloured_light_and_found_again_at_their_face(self):
        picture, _ = standing(0, 30)
        for coloured in (False, True):
            with self.subTest(coloured=coloured):
                shown = SimpleNamespace(rgb=picture, coloured=coloured)
                seen = heads_seen(self.finder.find(picture), shown, self.landmarks, Squared(1.0))
                self.assertEqual((len(seen.heads), [c is None for c in seen.colours]), (1, [coloured]))
                boxes, looks = looks_in(Observation(3, Seen.none(), STILL, False, True, coloured, seen))
                np.testing.assert_allclose(boxes, faces_in(seen.heads))
                (one,) = signs_of(
                    [
                        Observation(3, Seen.none(), STILL, False, True, coloured, seen),
                        Observation(4, Seen.none(), STILL, False, True, coloured),
                    ]
                )
                self.assertEqual((one.frame, one.colours is None, looks[0] is None), (3, coloured, coloured))
                if not coloured:
                    np.testing.assert_allclose(unpacked(looks[0]), one.colours, atol=0.003)

    def test_heads_are_told_in_px_of_the_clip(self):
        picture, _ = standing(0, 30)
        square, wide = self.heads(picture), self.heads(picture, aspect=2.0)
        np.testing.assert_allclose(wide, square / (2, 1, 2, 1))
