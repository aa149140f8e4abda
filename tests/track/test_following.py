"""Following: exact on texture, stops when the thing is gone, is corrected and kept alive by the shape of head and
shoulders."""

import unittest

import cv2
import numpy as np

from skiagraph.review.finding import UNSURE
from skiagraph.track.following import FOLLOWER, Follower, follow
from skiagraph.track.silhouette import Shape


def pictures(count, step, seed=4, contrast=1.0):
    """A texture that slides by `step` px a frame, RGB."""
    texture = cv2.GaussianBlur(np.random.default_rng(seed).integers(0, 256, (300, 400), dtype=np.uint8), (0, 0), 1.5)
    texture = (cv2.normalize(texture, None, 0, 255, cv2.NORM_MINMAX) * contrast).astype(np.uint8)
    slid = [
        cv2.warpAffine(
            texture, np.float32([[1, 0, step[0] * n], [0, 1, step[1] * n]]), (400, 300), borderMode=cv2.BORDER_WRAP
        )
        for n in range(count)
    ]
    return [cv2.cvtColor(picture, cv2.COLOR_GRAY2RGB) for picture in slid]


HEAD = np.array([150, 150, 60, 80, 0.0])


class FollowingTest(unittest.TestCase):
    def test_follows_to_a_fraction_of_a_pixel(self):
        followed = follow(pictures(20, (2.3, -1.1)), HEAD, np.array([2.3, -1.1]), (0, 0), (400, 300))
        self.assertEqual((len(followed.rows), followed.reason), (19, ""))
        self.assertLess(abs(followed.rows[-1, 0] - (150 + 2.3 * 19)) + abs(followed.rows[-1, 1] - (150 - 1.1 * 19)), 2)

    def test_pictures_left_out_are_passed_over_with_a_row_for_each(self):
        views = pictures(41, (2.3, -1.1))
        numbers = [n for n in range(41) if n % 2 == 0 or n in (7, 9)]
        followed = follow([views[n] for n in numbers], HEAD, np.array([2.3, -1.1]), (0, 0), (400, 300), numbers=numbers)
        self.assertEqual((len(followed.rows), followed.reason), (40, ""))
        np.testing.assert_allclose(followed.rows[:, 0], 150 + 2.3 * np.arange(1, 41), atol=1.5)
        every = follow(views, HEAD, np.array([2.3, -1.1]), (0, 0), (400, 300))
        self.assertAlmostEqual(followed.rows[-1, 5], every.rows[-1, 5], delta=0.1)

    def test_who_was_seen_once_is_found_again_where_they_went_however_fast(self):
        # Three fifths of a head in a frame: who is taken to stand there is not found.
        views = pictures(6, (36, -8))
        for velocity, found in ((None, True), (np.zeros(2), False), (np.array([36.0, -8.0]), True)):
            rows = follow(views, HEAD, velocity, (0, 0), (400, 300)).rows
            self.assertEqual(
                len(rows) == 5 and abs(rows[-1, 0] - (150 + 36 * 5)) < 3 and abs(rows[-1, 1] - (150 - 8 * 5)) < 3,
                found,
                velocity,
            )

    def test_where_nothing_is_like_the_head_it_is_not_taken_to_move(self):
        rows = follow(pictures(1, (0, 0)) + pictures(4, (0, 0), seed=99), HEAD, None, (0, 0), (400, 300)).rows
        self.assertLess(np.abs(rows[:, 0] - 150).max(initial=0), 2)

    def test_what_grows_is_followed_and_never_taken_for_more_than_twice_as_large(self):
        first = pictures(1, (0, 0))[0]
        nearer = [
            cv2.warpAffine(
                first,
                np.float32([[s, 0, 150 * (1 - s)], [0, s, 150 * (1 - s)]]),
                (400, 300),
                borderMode=cv2.BORDER_REPLICATE,
            )
            for s in 1.025 ** np.arange(45)
        ]
        widths = follow(nearer, HEAD, np.zeros(2), (0, 0), (400, 300)).rows[:, 2]
        self.assertGreater(widths.max(), 1.8 * 60)
        self.assertLessEqual(widths.max(), FOLLOWER.grown * 60 + 0.01)

    def test_stops_when_the_thing_is_gone(self):
        there, gone = pictures(5, (1, 0)), pictures(25, (0, 0), seed=99)
        followed = follow(there + gone, HEAD, np.array([1.0, 0.0]), (0, 0), (400, 300))
        self.assertEqual(followed.reason, "lost")
        self.assertLess(len(followed.rows), 15)
        self.assertLess(followed.rows[-1, 5], 0.4)

    def test_says_when_the_head_has_left_the_picture(self):
        followed = follow(
            pictures(60, (4, 0)), np.array([340, 150, 60, 80, 0.0]), np.array([4.0, 0.0]), (0, 0), (360, 300)
        )
        self.assertEqual(followed.reason, "left")
        self.assertGreater(followed.rows[-1, 0] - followed.rows[-1, 2] / 2, 355)

    def test_a_blank_surface_gives_nothing_to_hold_and_nothing_is_made_up(self):
        blank = [np.full((300, 400, 3), 90, np.uint8)] * 30
        followed = follow(blank, HEAD, np.array([6.0, 0.0]), (0, 0), (400, 300))
        self.assertEqual(followed.reason, "lost")
        self.assertLess(np.abs(followed.rows[:, 0] - 150).max(), 60)

    def test_hidden_head_goes_on_as_expected_and_grows_less_sure(self):
        views = pictures(12, (2, 0))
        follower = Follower(views[0], HEAD, np.array([2.0, 0.0]))
        rows = [follower.step(a, b, hidden=True) for a, b in zip(views, views[1:])]
        kept = [r for r in rows if r is not None]
        self.assertTrue(all(b[5] < a[5] for a, b in zip(kept, kept[1:])))
        self.assertGreater(kept[-1][0], 152)

    def test_who_walks_by_behind_somebody_walks_on(self):
        views = pictures(18, (0, 0))
        follower = Follower(views[0], HEAD, np.array([6.0, 0.0]))
        rows = [row for a, b in zip(views, views[1:]) if (row := follower.step(a, b, hidden=True)) is not None]
        self.assertGreater(rows[-1][0] - HEAD[0], 0.85 * 6 * len(rows))

    def test_a_head_goes_on_behind_somebody_else_and_is_seen_again_beyond(self):
        # Heads are not as fine as the texture.
        views = [
            cv2.normalize(cv2.GaussianBlur(view, (0, 0), 5), None, 0, 255, cv2.NORM_MINMAX)
            for view in pictures(20, (6, 0))
        ]
        for n in range(5, 10):
            # Whoever stands in front has a look of their own.
            views[n][90:210, 150:260] = pictures(1, (0, 0), seed=77)[0][90:210, 150:260]
        in_front = lambda frame, head: 5 <= frame < 10 and 130 < head[0] < 280
        velocity = np.array([6.0, 0.0])
        hidden = follow(views, np.array([150, 150, 50, 70, 0.0]), velocity, (0, 0), (400, 300), hidden=in_front)
        self.assertEqual(follow(views, np.array([150, 150, 50, 70, 0.0]), velocity, (0, 0), (400, 300)).reason, "lost")
        self.assertEqual(len(hidden.rows), 19)
        self.assertLess(abs(hidden.rows[-1, 0] - (150 + 6 * 19)), 8)


class _Silhouette:
    """Answers as it is told, to test what a follower makes of it."""

    def __init__(self, answer):
        self.answer, self.asked = answer, 0

    def shape(self, picture, head, origin=(0, 0)):
        self.asked += 1
        return self.answer(head)


class ShapeTest(unittest.TestCase):
    def run_with(self, answer, count=24):
        silhouette = _Silhouette(answer)
        gone = pictures(2, (0, 0)) + pictures(count, (0, 0), seed=31, contrast=0.2)
        return follow(gone, HEAD, np.zeros(2), (0, 0), (400, 300), silhouette), silhouette

    def test_a_head_that_is_there_is_not_lost_though_it_looks_different(self):
        followed, silhouette = self.run_with(lambda head: Shape(0.95, 0.9, head[0], head[1], head[2]))
        self.assertEqual(followed.reason, "")
        self.assertGreater(followed.rows[-1, 5], 0.5)
        self.assertGreater(silhouette.asked, 4)

    def test_its_place_is_corrected(self):
        followed, _ = self.run_with(lambda head: Shape(0.95, 0.9, 162.0, 150.0, head[2]))
        self.assertLess(abs(followed.rows[-1, 0] - 162), 2)

    def test_the_first_correction_covers_both_places(self):
        followed, _ = self.run_with(lambda head: Shape(0.95, 0.9, 180.0, 150.0, head[2]))
        first = followed.rows[0]
        self.assertLess(first[0] - first[2] / 2, 125)
        self.assertGreater(first[0] + first[2] / 2, 205)

    def test_a_shape_that_leads_away_further_than_a_head_from_the_picture_is_not_believed(self):
        views = pictures(60, (0, 0))
        for pace, sure in ((0.12, False), (0.02, True)):
            away = _Silhouette(lambda head: Shape(0.95, 0.9, head[0] + pace * head[2], head[1], head[2]))
            rows = follow(views, HEAD, np.zeros(2), (0, 0), (400, 300), away).rows
            self.assertGreater(rows[:6, 5].min(), 0.5)
            self.assertEqual(bool(rows[-1, 5] >= UNSURE), sure, pace)

    def test_a_head_seen_through_a_gap_is_no_narrower_than_heads_are(self):
        followed, _ = self.run_with(lambda head: Shape(0.95, 0.9, head[0], head[1], 20.0))
        self.assertTrue((followed.rows[:, 3] <= 1.61 * followed.rows[:, 2]).all())

    def test_where_nobody_is_the_follower_stops(self):
        followed, _ = self.run_with(lambda head: Shape(0.02, 0.0, head[0], head[1], head[2]))
        self.assertEqual(followed.reason, "lost")
        self.assertLess(len(followed.rows), 9)

    def test_a_shape_that_comes_and_goes_is_nobody(self):
        told = []

        def flickers(head):
            told.append(len(told) % 2)
            return (
                Shape(0.95, 0.9, *map(float, head[:3]))
                if len(told) > 3 and told[-1]
                else Shape(0.02, 0.0, *map(float, head[:3]))
            )

        followed, _ = self.run_with(flickers, 40)
        self.assertEqual(followed.reason, "lost")
        self.assertLess(len(followed.rows), 20)


if __name__ == "__main__":
    unittest.main()
