"""A head that is found elsewhere than it was followed to, or elsewhere for a moment: both places are covered, and no
row is smaller than before."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from skiagraph.track.both_places import BothSettings, holding_both
from skiagraph.track.path import FOLLOWED, FOUND, Path
from tests.track.test_doubtful import stretch

RATE = 25.0


def sides(path):
    return path.boxes().astype(float)


class HoldingBothTest(unittest.TestCase):
    def held(self, cx, cy, width, origin):
        n = len(origin)
        rows = np.column_stack([np.broadcast_to(v, n) for v in (cx, cy, width, np.asarray(width) * 1.3, 0.0, 0.6)])
        before = Path.from_rows(5, rows, np.array(origin, np.uint8))
        (made,) = holding_both([replace(stretch(before.first, before.last, 0), path=before)], RATE)
        self.assertTrue(
            (sides(made.path)[:, :2] <= sides(before)[:, :2] + 0.01).all()
            and (sides(made.path)[:, 2:] >= sides(before)[:, 2:] - 0.01).all(),
            "less is covered",
        )
        return before, made.path

    def test_where_a_face_is_found_higher_than_the_head_was_followed_both_are_covered_for_a_while(self):
        cy = np.where(np.arange(60) < 20, 100.0, 82.0)
        before, after = self.held(200.0, cy, 70.0, [FOLLOWED] * 20 + [FOUND] * 40)
        followed = sides(before)[19]
        hold = round(BothSettings().holds_s * RATE)
        self.assertTrue((sides(after)[20 : 20 + hold, 3] >= followed[3] - 0.1).all())
        np.testing.assert_allclose(sides(after)[20 + 2 * hold :], sides(before)[20 + 2 * hold :], atol=0.01)
        falling = np.diff(sides(after)[20 + hold : 20 + 2 * hold, 3])
        self.assertTrue((falling <= 0.01).all() and falling.min() > -7, "it comes back little by little")

    def test_where_it_is_lost_again_likewise(self):
        cy = np.where(np.arange(60) < 40, 82.0, 100.0)
        before, after = self.held(200.0, cy, 70.0, [FOUND] * 40 + [FOLLOWED] * 20)
        self.assertGreaterEqual(sides(after)[39, 3], sides(before)[40, 3] - 0.1)

    def test_who_is_found_elsewhere_for_a_frame_is_covered_in_both_places(self):
        cx = 100.0 + 2 * np.arange(40)
        cx[17] += 14
        before, after = self.held(cx, 100.0, 50.0, [FOUND] * 40)
        self.assertLessEqual(sides(after)[17, 0], 134 - 25 + 0.1)
        self.assertGreaterEqual(sides(after)[17, 2], sides(before)[17, 2])
        changed = np.flatnonzero(np.abs(sides(after) - sides(before)).max(axis=1) > 0.01)
        self.assertEqual(changed.tolist(), [17])

    def test_who_comes_to_another_and_leaves_their_way_is_covered_where_it_leads_too(self):
        frames, hold = np.arange(60), round(BothSettings().holds_s * RATE)
        straight = 100.0 + 6 * frames
        # From frame 30 on the faces found are those of somebody who stands there.
        astray = np.minimum(straight, straight[29])
        for other, changes in ((280.0, True), (600.0, False)):
            made = [
                Path.from_rows(
                    5,
                    np.column_stack([cx, *(np.full(60, v) for v in (100.0, 50.0, 65.0, 0.0, 0.8))]),
                    np.full(60, FOUND),
                )
                for cx in (astray, np.full(60, other))
            ]
            before = made[0]
            after = holding_both([replace(stretch(p.first, p.last, n), path=p) for n, p in enumerate(made)], RATE)[
                0
            ].path
            self.assertEqual(before != after, changes, "only where two heads meet")
            self.assertTrue(
                (sides(after)[:, :2] <= sides(before)[:, :2] + 0.01).all()
                and (sides(after)[:, 2:] >= sides(before)[:, 2:] - 0.01).all(),
                "less is covered",
            )
            if changes:
                first = next(n for n in range(30, 60) if sides(after)[n, 2] > sides(before)[n, 2] + 0.01)
                self.assertLess(first, 36)
                self.assertTrue(
                    (sides(after)[first : first + hold, 2] >= straight[first : first + hold] + 25 - 1).all()
                )
                np.testing.assert_allclose(sides(after)[50:], sides(before)[50:], atol=0.01)

    def test_who_goes_straight_past_another_is_covered_as_before(self):
        rows = lambda cx: np.column_stack([cx, *(np.full(60, v) for v in (100.0, 50.0, 65.0, 0.0, 0.8))])
        paths = [
            Path.from_rows(0, rows(cx), np.full(60, FOUND)) for cx in (100.0 + 6 * np.arange(60), np.full(60, 280.0))
        ]
        self.assertEqual(
            [
                s.path
                for s in holding_both([replace(stretch(p.first, p.last, n), path=p) for n, p in enumerate(paths)], RATE)
            ],
            paths,
        )

    def test_whoever_runs_is_where_they_run(self):
        cx = 100.0 + 25 * np.arange(30)
        before, after = self.held(cx, 100.0, 60.0, [FOLLOWED] * 10 + [FOUND] * 20)
        self.assertEqual(before, after)
        alone, still = self.held(cx, 100.0, 60.0, [FOLLOWED] * 10 + [FOUND] + [FOLLOWED] * 19)
        self.assertEqual(alone, still)

    def test_what_is_further_than_half_a_head_away_is_not_theirs(self):
        before, after = self.held(
            np.where(np.arange(40) < 20, 100.0, 180.0), 100.0, 60.0, [FOLLOWED] * 20 + [FOUND] * 20
        )
        self.assertEqual(before, after)

    @given(
        st.lists(
            st.tuples(st.floats(0, 400), st.floats(20, 90), st.sampled_from((FOUND, FOLLOWED))), min_size=1, max_size=40
        )
    )
    def test_nothing_becomes_less_covered(self, rows):
        cx, width, origin = zip(*rows)
        self.held(np.array(cx), 100.0, np.array(width), origin)


if __name__ == "__main__":
    unittest.main()
