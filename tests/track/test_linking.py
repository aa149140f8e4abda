"""Linking: two that cross stay two, doubt does not begin anything, short losses are survived."""

import unittest

import numpy as np

from skiagraph.track.linking import GATES, Linker, Seen, assigned, extend_back
from tests.track.faces import face, seen


class LinkingTest(unittest.TestCase):
    def run_linker(self, frames):
        linker = Linker(25)
        for n, faces in enumerate(frames):
            linker.update(n, Seen.joined(faces))
        return linker.tracklets

    def test_two_that_cross_stay_two(self):
        frames = [[seen(100 + 5 * n, 100), seen(400 - 5 * n, 170)] for n in range(60)]
        tracklets = self.run_linker(frames)
        self.assertEqual([len(t.frames) for t in tracklets], [60, 60])
        self.assertTrue(all(np.all(np.diff([b[0] for b in t.boxes]) * s > 0) for t, s in zip(tracklets, (1, -1))))

    def test_who_stands_still_keeps_their_face_when_somebody_near_is_not_found(self):
        # The second is not found for two frames, and is then so much larger that nobody fits: the first is not to be
        # moved over to it so that both have one.
        linker = Linker(25)
        for n in range(20):
            linker.update(n, Seen.joined([seen(200, 100, side=48.0), seen(140 + 2 * (n - 19), 100, side=30.0)]))
        first, second = (t.number for t in sorted(linker.tracklets, key=lambda t: -t.boxes[-1][0]))
        for n in (20, 21):
            linker.update(n, seen(200, 100, side=48.0))
        for n in range(22, 26):
            linker.update(n, Seen.joined([seen(200, 100, side=48.0), seen(140 + 2 * (n - 19), 100, side=66.0)]))
        middle = {t.number: [(box[0] + box[2]) / 2 for box in t.boxes] for t in linker.tracklets}
        self.assertLess(float(np.ptp(middle[first])), 2)
        self.assertLess(max(middle[second]), 160)

    def test_nobody_whose_speed_is_known_jumps_further_in_two_frames_than_a_body_can(self):
        # Seen in every other frame; then one is hidden and another comes out a head and a half away.
        for seconds, jumps in ((2 / 25, False), (0.3, True)):
            linker = Linker(25)
            for n in range(0, 20, 2):
                linker.update(n, seen(100 + n, 100, side=40.0))
            (first,) = linker.tracklets
            later = 18 + round(seconds * 25)
            linker.update(later, seen(100 + later + 52, 100, side=40.0))
            self.assertEqual(first.frames[-1] == later, jumps, seconds)

    def test_what_fits_well_comes_before_as_many_as_can_be(self):
        no = GATES.impossible
        rows, columns = assigned(np.array([[0.1, 2.0], [2.5, no]]))
        self.assertEqual(dict(zip(rows.tolist(), columns.tolist())), {0: 0})
        rows, columns = assigned(np.array([[0.1, no], [no, 2.4]]))
        self.assertEqual(
            dict(zip(rows.tolist(), columns.tolist())),
            {0: 0, 1: 1},
            "who is left gets what is left, if it can be theirs",
        )
        rows, columns = assigned(np.array([[0.4, 0.5], [0.5, 0.9]]))
        self.assertEqual(dict(zip(rows.tolist(), columns.tolist())), {0: 1, 1: 0}, "of what fits well the least cost")
        for shape in ((2, 0), (0, 3), (1, 4), (4, 1)):
            rows, columns = assigned(np.full(shape, no))
            self.assertEqual((len(rows), len(columns)), (0, 0))

    def test_looks_keep_two_apart_that_meet(self):
        red, blue = np.zeros(4, np.float32), np.zeros(4, np.float32)
        red[0] = blue[1] = 1
        frames = [[seen(100 + 4 * n, 100, colours=red), seen(260 - 4 * n, 104, colours=blue)] for n in range(18)]
        frames += [[] for _ in range(6)]
        frames += [[seen(100 + 4 * n, 100, colours=red), seen(260 - 4 * n, 104, colours=blue)] for n in range(24, 45)]
        tracklets = self.run_linker(frames)
        self.assertEqual(len(tracklets), 2)
        for tracklet in tracklets:
            self.assertEqual(tracklet.frames[-1], 44)
            steps = np.diff([box[0] for box in tracklet.boxes])
            self.assertTrue((steps > 0).all() or (steps < 0).all())

    def test_of_two_who_went_out_of_sight_together_nobody_goes_on_whose_looks_do_not_tell(self):
        # One face is found again where both may be by now, just where the first one should be.
        one, other, half = (
            np.array(v, np.float32) / np.linalg.norm(v) for v in ((1, 0.2, 0, 0), (0.2, 1, 0, 0), (1, 1, 1.2, 0))
        )
        for looks, goes_on in (
            (one, (True, False)),
            (other, (False, True)),
            (half, (False, False)),
            (None, (False, False)),
        ):
            linker = Linker(25)
            for n in range(15):
                linker.update(n, Seen.joined([seen(100 + n, 100, colours=one), seen(156 - 2 * n, 100, colours=other)]))
            first, second = sorted(linker.tracklets, key=lambda t: t.boxes[0][0])
            for n in range(15, 19):
                linker.update(n, Seen.none())
            linker.update(19, seen(119, 100, colours=looks))
            self.assertEqual((first.frames[-1] == 19, second.frames[-1] == 19), goes_on, looks)

    def test_who_went_out_of_sight_alone_goes_on_whatever_is_known_of_their_looks(self):
        linker = Linker(25)
        for n in range(15):
            linker.update(n, Seen.joined([seen(100 + n, 100), seen(150, 100)]))
        for n in range(15, 19):
            linker.update(n, seen(150, 100))
        linker.update(19, Seen.joined([seen(119, 100), seen(150, 100)]))
        self.assertEqual([t.frames[-1] for t in linker.tracklets], [19, 19])

    def test_doubtful_faces_continue_but_do_not_begin(self):
        frames = [[seen(100, 100, score=0.9 if n < 5 else 0.45), seen(300, 100, score=0.45)] for n in range(20)]
        self.assertEqual([len(t.frames) for t in self.run_linker(frames)], [20])

    def test_a_weak_sign_that_was_vouched_for_begins_a_doubtful_track_which_does_not_wait(self):
        frames = (
            [[seen(100 + 16 * n, 100, score=0.5)] for n in range(4)]
            + [[]] * 8
            + [[seen(100 + 16 * n, 100)] for n in range(12, 20)]
        )
        tracklets = self.run_linker(frames)
        self.assertEqual([(t.frames[0], t.frames[-1], t.doubtful) for t in tracklets], [(0, 3, True), (12, 19, False)])

    def test_what_was_mostly_too_weak_to_begin_is_nobody(self):
        self.assertEqual(self.run_linker([[seen(100, 100, score=0.5 if n % 4 == 0 else 0.4)] for n in range(20)]), [])

    def test_who_is_seen_well_once_is_doubtful_where_a_shot_begins_or_ends_and_else_nobody(self):
        shots, frames = ((0, 20), (20, 22), (22, 40)), 40
        for score, alone in ((0.7, {0, 19, 22, 39}), (0.6, set())):
            found = set()
            for n in range(frames):
                linker = Linker(25)
                for frame in range(frames):
                    if frame in (first for first, _ in shots[1:]):
                        linker.new_shot()
                    linker.update(
                        frame, Seen.joined([seen(300, 100), *([seen(100, 100, score=score)] if frame == n else [])])
                    )
                found |= {t.frames[0] for t in linker.tracklets if t.doubtful and len(t.frames) == 1}
            self.assertEqual(found, alone, "in two frames, as of a whip pan, nobody can be recognised")

    def test_a_lost_face_does_not_grow_out_of_all_measure(self):
        growing = [[seen(100, 100, side=40 + 3 * n)] for n in range(8)]
        linker = Linker(25)
        for n, faces in enumerate(growing + [[]] * 14):
            linker.update(n, Seen.joined(faces))
        self.assertLess(linker.expected[0].box[2] - linker.expected[0].box[0], 80)
        linker.update(22, seen(100, 100, side=160.0, score=0.57))
        self.assertTrue(linker.expected[0].missed, "a weak find of quite another size is not theirs")

    def test_short_loss_is_survived_and_long_loss_is_not(self):
        for gap, count in ((10, 1), (60, 2)):
            frames = [[seen(100, 100)] if n < 20 or n >= 20 + gap else [] for n in range(40 + gap)]
            self.assertEqual(len(self.run_linker(frames)), count)

    def test_what_is_hardly_a_face_is_marked_doubtful(self):
        frames = [[seen(100, 100, score=0.95), seen(300, 100, score=0.64)] for _ in range(6)]
        self.assertEqual([t.doubtful for t in self.run_linker(frames)], [False, True])

    def test_it_says_where_a_face_is_to_be_expected(self):
        linker = Linker(25)
        for n in range(8):
            linker.update(n, seen(100 + 3 * n, 100))
        linker.go_on(8)
        expected = linker.expected[0]
        self.assertLess(abs(expected.box[0] - (124 - 20)), 4)
        self.assertEqual((expected.missed, round(expected.score, 2)), (0, 0.9))
        linker.take(Seen.none())
        self.assertEqual(linker.expected[0].missed, 1)

    def test_who_was_not_sought_is_not_missed(self):
        linker = Linker(25)
        for n in range(8):
            linker.update(n, Seen.joined([seen(100, 100), seen(300, 100)]))
        number = linker.expected[0].number
        linker.update(8, Seen.none(), None, {number})
        self.assertEqual([e.missed for e in linker.expected], [1, 0])
        linker.update(9, Seen.none(), None, ())
        self.assertEqual([e.missed for e in linker.expected], [1, 0])

    def test_nothing_is_linked_across_a_cut(self):
        linker = Linker(25)
        for n in range(20):
            if n == 10:
                linker.new_shot()
            linker.update(n, seen(100, 100))
        self.assertEqual([(t.frames[0], t.frames[-1], t.shot) for t in linker.tracklets], [(0, 9, 0), (10, 19, 1)])

    def test_a_moving_camera_does_not_tear_a_track(self):
        linker = Linker(25)
        for n in range(20):
            shift = 80 if n >= 10 else 0
            linker.update(n, seen(100 + shift, 100), np.array([[1.0, 0, shift], [0, 1, 0]]))
        self.assertEqual(len(linker.tracklets), 1)

    def test_a_camera_that_swings_carries_nobody_on(self):
        linker, places = Linker(25), []
        for n in range(24):
            # Looks are as close as where two cross for a while, and wide apart again.
            if n < 8 or n % 4 == 0:
                swing = 60 * np.sin(n / 3)
                linker.update(n, seen(300 + swing, 100), np.array([[1.0, 0, swing], [0, 1, 0]]))
                places.append(
                    abs(linker.expected[0].box[[0, 2]].mean() - seen(300 + swing, 100).found.boxes[0, [0, 2]].mean())
                )
        self.assertEqual(len(linker.tracklets), 1)
        self.assertLess(max(places), 2)

    def test_matches_tell_who_got_which_face(self):
        linker = Linker(25)
        first = linker.update(0, Seen.joined([seen(100, 100), seen(300, 100)]))
        again = linker.update(1, Seen.joined([seen(302, 100), seen(101, 100)]))
        by_place = {round(float(m.box[0])): m.tracklet.number for m in first}
        self.assertEqual(
            {round(float(m.box[0])) // 100: m.tracklet.number for m in again},
            {k // 100: v for k, v in by_place.items()},
        )
        self.assertEqual(len(linker.expected), 2)


class SeenTest(unittest.TestCase):
    def test_take_and_join_keep_colours_with_their_faces(self):
        both = Seen.joined([seen(10, 10, colours=np.ones(3)), seen(50, 50)])
        self.assertIsNone(both.take(np.array([False, True])).colours[0])
        self.assertEqual(len(both.take([0]).colours[0]), 3)
        self.assertEqual(len(Seen.none()), 0)
        self.assertEqual(face(10, 10).boxes.shape, (1, 4))


class BackTest(unittest.TestCase):
    def test_a_track_begins_earlier_where_doubtful_faces_lie(self):
        linker, found = Linker(25), {}
        for n in range(30):
            found[n] = seen(100 + 2 * n, 100, score=0.45 if n < 12 else 0.9)
            linker.update(n, found[n])
        tracklets = linker.tracklets
        self.assertEqual(tracklets[0].frames[0], 12)
        extend_back(tracklets, found, lambda frame: 0)
        self.assertEqual(tracklets[0].frames, list(range(30)))
        self.assertEqual(len(tracklets[0].boxes), 30)

    def test_it_takes_nobody_elses_faces_and_stops_at_a_cut(self):
        linker, found = Linker(25), {}
        for n in range(30):
            found[n] = Seen.joined(
                [seen(100, 100, score=0.45 if n < 12 else 0.9), seen(100 if n < 4 else 400, 100, score=0.45)]
            )
            linker.update(n, found[n])
        tracklets = linker.tracklets
        extend_back(tracklets, found, lambda frame: 6)
        self.assertEqual(tracklets[0].frames[0], 6)
        self.assertTrue(all(abs(box[0] - 80) < 5 for box in tracklets[0].boxes))
