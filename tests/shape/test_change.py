"""Keyframes go over into each other as they say, and keyframing moves nothing; repairs ease back to what is beneath."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from skiagraph.shape.change import (
    Change,
    Keyframe,
    Repair,
    change_at,
    change_between,
    held_from,
    keyed,
    keyframe_changes,
    moved,
    repair_changes,
    with_keyframe,
)
from skiagraph.shape.place import Similarity

FRAMES = np.arange(0, 101)
small = st.floats(-3, 3, allow_nan=False)
factor = st.floats(0.2, 5)
changes = st.builds(Change, small, small, factor, factor, st.floats(-400, 400))


@st.composite
def curves(draw):
    frames = sorted(draw(st.sets(st.integers(0, 100), min_size=1, max_size=6)))
    return tuple(Keyframe(f, draw(changes), draw(st.sampled_from(("smooth", "straight", "hold")))) for f in frames)


class KeyframeTest(unittest.TestCase):
    @given(curves(), st.lists(st.integers(0, 100), max_size=5))
    def test_a_keyframe_where_it_stands_moves_nothing(self, curve, frames):
        more = curve
        for frame in frames:
            more = with_keyframe(more, frame)
        np.testing.assert_allclose(keyframe_changes(more, FRAMES), keyframe_changes(curve, FRAMES), atol=1e-7)

    @given(curves(), st.integers(0, 100), changes)
    def test_from_here_on_nothing_before_moves_and_nothing_later_goes(self, curve, frame, change):
        held = held_from(curve, frame, change, 0)
        before, after = keyframe_changes(curve, FRAMES), keyframe_changes(held, FRAMES)
        np.testing.assert_allclose(after[:frame], before[:frame], atol=1e-7)
        later = [k.frame for k in curve if k.frame > frame]
        until = later[0] if later else 101
        np.testing.assert_allclose(after[frame:until], np.tile(change.row(), (until - frame, 1)), atol=1e-9)
        np.testing.assert_allclose(after[until:], before[until:], atol=1e-7)
        self.assertTrue(set(later) <= {k.frame for k in held})

    @given(curves(), st.lists(st.tuples(st.integers(1, 100), changes), min_size=2, max_size=4))
    def test_from_here_on_again_and_again_leaves_no_frame_of_what_was(self, curve, held):
        """What keeps an earlier stretch as it was must not show through in a later one."""
        result, said = curve, {}
        for frame, change in held:
            result = held_from(result, frame, change, 0)
            said[frame] = change
        values = keyframe_changes(result, FRAMES)
        spoken = sorted({k.frame for k in curve} | set(said))
        for frame, change in said.items():
            until = next((f for f in spoken if f > frame), 101)
            np.testing.assert_allclose(values[frame:until], np.tile(change.row(), (until - frame, 1)), atol=1e-9)

    @given(curves(), st.integers(0, 100), changes)
    def test_keying_is_exact_there_and_leaves_what_is_beyond_its_neighbours(self, curve, frame, change):
        after = keyed(curve, frame, change)
        np.testing.assert_allclose(change_at(after, frame).row(), change.row(), atol=1e-9)
        others = [k.frame for k in curve if k.frame != frame]
        low, high = (
            max((f for f in others if f < frame), default=-1),
            min((f for f in others if f > frame), default=101),
        )
        beyond = (FRAMES < low) | (FRAMES > high)
        if any(k.frame == frame for k in curve):
            return
        np.testing.assert_allclose(
            keyframe_changes(after, FRAMES)[beyond], keyframe_changes(curve, FRAMES)[beyond], atol=1e-7
        )

    def test_the_ways_between_two(self):
        for how, middle in (("smooth", 0.5), ("straight", 0.5), ("hold", 0.0)):
            values = keyframe_changes((Keyframe(0, Change(0), how), Keyframe(10, Change(1))), FRAMES)[:, 0]
            self.assertAlmostEqual(values[5], middle, msg=how)
            self.assertEqual((values[0], values[10], values[100]), (0, 1, 1))

    def test_smooth_does_not_swing_beyond_its_keyframes(self):
        values = keyframe_changes(
            (Keyframe(0, Change(0)), Keyframe(10, Change(1)), Keyframe(90, Change(1)), Keyframe(100, Change(3))), FRAMES
        )[:, 0]
        self.assertTrue((np.diff(values) >= -1e-12).all())


class RepairTest(unittest.TestCase):
    def test_two_that_reach_into_each_other_go_over_into_each_other(self):
        values = repair_changes((Repair(20, Change(1)), Repair(28, Change(2))), FRAMES)[:, 0]
        self.assertEqual((values[12], values[20], values[28], values[36]), (0, 1, 2, 0))
        self.assertTrue((np.diff(values[20:29]) > 0).all())

    def test_apart_there_is_nothing_between(self):
        values = repair_changes((Repair(20, Change(1), 5, 5), Repair(60, Change(2), 5, 5)), FRAMES)
        np.testing.assert_allclose(values[26:55], np.tile([0, 0, 1, 1, 0, 0, 0, 0], (29, 1)))


class ChangeTest(unittest.TestCase):
    @given(
        st.floats(-100, 100), st.floats(-100, 100), st.floats(5, 200), st.floats(5, 200), st.floats(-180, 180), changes
    )
    def test_between_two_places_is_what_turns_one_into_the_other(self, cx, cy, width, height, angle, then):
        now, wanted = Similarity(10, 20, 30, 40, 5), Similarity(cx, cy, width, height, angle)
        change = change_between(now, wanted, then)
        got = moved(moved(now.row()[None], change.row()), then.row())[0]
        np.testing.assert_allclose(got[:4], wanted.row()[:4], rtol=1e-6, atol=1e-4)
        self.assertAlmostEqual((got[4] - angle + 180) % 360 - 180, 0, places=6)

    @given(changes, changes)
    def test_one_after_the_other_is_one(self, first, second):
        row = Similarity(10, 20, 30, 40, 5).row()[None]
        np.testing.assert_allclose(
            moved(moved(row, first.row()), second.row()), moved(row, first.then(second).row()), atol=1e-6
        )
