"""What holds for level heads holds for leaning ones: whatever makes covers larger does the same when picture and heads
are turned."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from skiagraph.track.behind import around_others
from skiagraph.track.both_places import holding_both
from skiagraph.track.leaning import HOLDING, around_both, holding, level_reach, standing_out
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.profile import holding_faces
from tests.track.test_doubtful import stretch

ANGLES = st.floats(-180, 180)


def turned(rows, degrees):
    """Rows as they are in a picture that is turned around its corner, clockwise."""
    lean, rows = np.radians(degrees), np.array(rows, float)
    rows[:, :2] = rows[:, :2] @ np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]])
    rows[:, 4] += degrees
    return rows


def outline(head, points=64):
    """Points on the ellipse of a head (≥5,), (points, 2)."""
    at, lean = np.linspace(0, 2 * np.pi, points), np.radians(head[4])
    own = np.stack([np.cos(at), np.sin(at)], axis=1) * head[2:4] / 2
    return head[:2] + own @ np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]])


class LeaningTest(unittest.TestCase):
    def test_around_both_reaches_over_two_level_heads_and_holds_their_corners(self):
        heads = np.array([[10, 10, 4, 6, 0, 0.9], [0, 0, 2, 2, 0, 0.5]])
        others = np.array([[16, 10, 4, 6, 0, 0.1], [0, 0, 1, 1, 0, 0.5]])
        (apart, within) = around_both(heads, others)
        np.testing.assert_allclose(apart[:2], (13, 10))
        self.assertTrue(1 < apart[2] / 10 == apart[3] / 6 < 1.2, apart)
        np.testing.assert_allclose(within, [0, 0, 2, 2])

    def test_a_lying_head_grows_towards_where_the_other_is(self):
        lying = np.array([[100.0, 100, 60, 80, 90]])
        below = lying + [0, 40, 0, 0, 0]
        # Below it in the picture is beside it for the head.
        ((x, y, across, along),) = around_both(lying, below)
        np.testing.assert_allclose((x, y, across / along), (100, 120, 100 / 80), atol=1e-9)
        np.testing.assert_allclose(level_reach(lying), [[40, 30]])

    @given(st.lists(st.floats(20, 90), min_size=8, max_size=8), ANGLES, ANGLES, ANGLES)
    def test_around_both_holds_all_of_both_and_at_their_corners_the_share_that_is_said(
        self, numbers, lean, other_lean, degrees
    ):
        head, other = (np.array([[*n, angle, 0.5]]) for n, angle in ((numbers[:4], lean), (numbers[4:], other_lean)))
        for share in (1.0, HOLDING.corners):
            both = np.concatenate([around_both(head, other, share), head[:, 4:]], axis=1)
            self.assertFalse(
                (standing_out(both, head) > 1e-6).any() or (standing_out(both, other) > 1e-6).any(),
                "their extents, always",
            )
            axes = np.radians(head[0, 4])
            for held in (head[0], other[0]):
                away = (outline([*held[:2], *share * held[2:4], held[4]]) - both[0, :2]) @ np.array(
                    [[np.cos(axes), -np.sin(axes)], [np.sin(axes), np.cos(axes)]]
                )
                self.assertLess(np.hypot(*(away / (both[0, 2:4] / 2)).T).max(), 1.02)
            expected = turned(both, degrees)[:, :4]
            np.testing.assert_allclose(
                around_both(turned(head, degrees), turned(other, degrees), share), expected, atol=1e-6
            )

    def test_a_head_holds_several_and_the_others_stay_as_they_are(self):
        heads = np.array([[50.0, 50, 40, 60, 30, 1]] * 3)
        self.assertFalse(standing_out(heads, heads).any())
        made = holding(heads, np.array([1, 1]), np.array([[70.0, 50, 40, 60, 30], [30, 50, 40, 60, 30]]))
        np.testing.assert_allclose(made[[0, 2]], heads[[0, 2], :4])
        np.testing.assert_allclose(made[1, :2], (50, 50))
        np.testing.assert_allclose(holding(heads, np.zeros(0, int), np.zeros((0, 5))), heads[:, :4])


class TurnedPictureTest(unittest.TestCase):
    """Each of these is a path of somebody level, and the same in a picture that lies on its side."""

    def same(self, make, rows, origin):
        level = make(rows, origin)
        for degrees in (90.0, -90.0, 180.0, 35.0):
            np.testing.assert_allclose(make(turned(rows, degrees), origin), turned(level, degrees), atol=0.02)
        return level

    def test_both_places_of_a_head_are_held(self):
        rows = np.column_stack(
            [
                np.full(60, 200.0),
                np.where(np.arange(60) < 20, 100.0, 82.0),
                np.full(60, 70.0),
                np.full(60, 91.0),
                np.zeros(60),
                np.full(60, 0.6),
            ]
        )
        rows[40, 0] += 16
        level = self.same(
            lambda rows, origin: holding_both([replace(stretch(0, 59, 0), path=Path.from_rows(0, rows, origin))], 25.0)[
                0
            ].path.rows(),
            rows,
            np.array([FOLLOWED] * 20 + [FOUND] * 40, np.uint8),
        )
        self.assertGreater(level[20, 3], 100)
        self.assertGreater(level[40, 2], 80)

    def test_the_cover_of_who_was_lost_reaches_around_the_head_in_front(self):
        front = np.column_stack([300.0 + 2 * np.arange(60), *(np.full(60, v) for v in (100.0, 70.0, 91.0, 0.0, 0.9))])
        lost = np.column_stack([300.0 + 2 * np.arange(60), *(np.full(60, v) for v in (105.0, 60.0, 80.0, 0.0, 0.3))])
        lost[:20, 5] = 0.9

        def made(rows, origin):
            there = Path.from_rows(0, rows[60:], np.full(60, FOUND, np.uint8)), Path.from_rows(0, rows[:60], origin)
            path = around_others(
                [replace(stretch(0, 59, 0, doubtful=False, number=n), path=p) for n, p in enumerate(there)],
                lambda frame: (0, 59),
                (1280, 720),
                25.0,
            )[1].path
            return path.rows()

        level = self.same(made, np.concatenate([lost, front]), np.array([FOUND] * 20 + [FOLLOWED] * 40, np.uint8))
        self.assertGreater(level[30, 2], 71)

    def test_a_cover_holds_the_face_found_in_it(self):
        rows = np.column_stack([*(np.full(9, v) for v in (200.0, 100.0, 60.0, 80.0, 0.0, 0.9))])
        face = np.array([215.0, 105.0, 60, 60])

        def made(rows, origin):
            place = turned(np.array([[*face, 0.0]]), rows[0, 4])[0]
            box = np.concatenate([place[:2] - place[2:4] / 2, place[:2] + place[2:4] / 2])
            return holding_faces(
                [replace(stretch(0, 8, 0), path=Path.from_rows(0, rows, origin), faces=((4, box, 0.9),))]
            )[0].path.rows()

        level = self.same(made, rows, np.full(9, FOUND, np.uint8))
        self.assertGreaterEqual(level[4, 0] + level[4, 2] / 2, 245 - 0.01)


if __name__ == "__main__":
    unittest.main()
