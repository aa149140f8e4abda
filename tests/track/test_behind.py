"""Whoever was lost behind another head is covered around it, for as long as they may be there; and nobody else is
covered more."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.project.rows import GROWTH
from skiagraph.review.finding import HARDLY, UNSURE
from skiagraph.track.behind import BehindSettings, around_others, together
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch

WIDTH, HEIGHT, RATE, SIZE = 60.0, 80.0, 25.0, (1280, 720)


def stretch(first, xs, lost=0, sure=0.2, number=1, y=150.0):
    """A head at each of xs, of which it was not found in the last `lost` ones."""
    n = len(xs)
    rows = np.array([[x, y, WIDTH, HEIGHT, 0, 0.9 if k < n - lost else sure] for k, x in enumerate(xs)])
    return Stretch(
        Path.from_rows(first, rows, np.array([FOUND] * (n - lost) + [FOLLOWED] * lost)),
        (number,),
        (),
        (),
        None,
        False,
        number,
    )


def drawn(path):
    """Boxes and widths of a path's covers without their margin: those of unsure heads are larger (project.rows)."""
    rows = path.rows().astype(float)
    rows[:, 2:4] *= 1 + np.clip((GROWTH.unsure_below - rows[:, 5:6]) * GROWTH.unsure_growth, 0, GROWTH.unsure_most)
    larger = Path.from_rows(path.first, rows, path.origin)
    return larger.boxes(), larger.width


def standing(frames=100, x=400.0, number=2):
    return stretch(0, [x] * frames, number=number)


def walked_behind(lost=10):
    """Somebody who walks up to x = 380 within 30 frames and is lost there."""
    return stretch(0, [380.0 - 8 * (29 - n) for n in range(30)] + [380.0] * lost, lost)


class BehindTest(unittest.TestCase):
    def around(self, *stretches, shot=(0, 199)):
        return [s.path for s in around_others(stretches, lambda frame: shot, SIZE, RATE)]

    def test_the_cover_of_who_was_lost_reaches_around_the_head_in_front_on_both_sides(self):
        front, lost = standing(), walked_behind()
        path, other = self.around(lost, front)
        boxes, _ = drawn(path)
        self.assertTrue((boxes[30:, 0] <= 400 - WIDTH * 0.8).all() and (boxes[30:, 2] >= 400 + WIDTH * 0.8).all())
        self.assertTrue((boxes[30:, 1] <= 150 - HEIGHT / 2).all() and (boxes[30:, 3] >= 150 + HEIGHT / 2).all())
        # Where they were found they are where they were found, and whoever is in front is as before.
        np.testing.assert_array_equal(path.rows()[:30], lost.path.rows()[:30])
        self.assertEqual(other, front.path)

    def test_who_is_smaller_stands_out_less(self):
        near = walked_behind()
        rows = near.path.rows().astype(float)
        rows[:, 2:4] /= 3
        far = replace(near, path=Path.from_rows(0, rows, near.path.origin))
        (wide, _), (narrow, _) = (self.around(lost, standing()) for lost in (near, far))
        room = [(path.width[45] - WIDTH) / (path.height[45] - HEIGHT) * HEIGHT / WIDTH for path in (wide, narrow)]
        np.testing.assert_allclose(narrow.width[45] - WIDTH, (wide.width[45] - WIDTH) / 3, rtol=1e-4)
        np.testing.assert_allclose(*room, rtol=1e-4)

    def test_no_row_becomes_smaller(self):
        lost = walked_behind()
        before, after = lost.path.boxes(), self.around(lost, standing())[0].boxes()
        self.assertTrue(
            (after[: len(before), :2] <= before[:, :2] + 0.01).all()
            and (after[: len(before), 2:] >= before[:, 2:] - 0.01).all()
        )

    def test_what_else_is_known_meanwhile_is_kept(self):
        before = [walked_behind(), standing()]
        around = around_others(before, lambda frame: (0, 199), SIZE, RATE)
        rows = before[0].path.rows().astype(float)
        rows[:, 3] += 30
        rows[30:, 5] = 0.1
        taller = [replace(before[0], path=Path.from_rows(0, rows, before[0].path.origin)), before[1]]
        made, other = together(taller, before, around)
        self.assertIs(other, before[1])
        boxes, tall, wide = made.path.boxes(), taller[0].path.boxes(), around[0].path.boxes()
        self.assertTrue(
            (boxes[:40, :2] <= np.minimum(tall, wide[:40])[:, :2] + 0.01).all()
            and (boxes[:40, 2:] >= np.maximum(tall, wide[:40])[:, 2:] - 0.01).all()
        )
        np.testing.assert_allclose(boxes[:30], tall[:30], atol=0.01)
        np.testing.assert_allclose(made.path.confidence[30:40], 0.1)
        np.testing.assert_allclose(boxes[40:], wide[40:], atol=0.01)
        self.assertEqual(len(made.path.origin), len(boxes))

    def test_it_waits_with_that_head_wherever_it_goes(self):
        settings = BehindSettings()
        walking = stretch(0, [400.0] * 40 + [400.0 + 5 * n for n in range(1, 161)], number=2)
        path, _ = self.around(walked_behind(), walking)
        self.assertEqual(path.last, 39 + round(settings.waits_s * RATE))
        np.testing.assert_allclose(path.cx[40:], walking.path.cx[40 : len(path)])
        self.assertTrue((drawn(path)[1][40:] >= 1.6 * WIDTH).all())
        self.assertTrue((path.origin[40:] == FOLLOWED).all())
        self.assertTrue(
            ((path.confidence[40:] >= UNSURE) & (path.confidence[40:] < HARDLY)).all(), "it asks nothing by itself"
        )

    def test_until_the_shot_ends_the_head_goes_or_somebody_comes_out(self):
        lost = walked_behind()
        self.assertEqual(self.around(lost, standing(), shot=(0, 50))[0].last, 50)
        self.assertEqual(self.around(lost, standing(frames=60))[0].last, 59)
        self.assertEqual(self.around(lost, standing(), stretch(55, [450.0] * 30, number=3))[0].last, 54)
        came_out = self.around(lost, standing(), stretch(35, [450.0] * 30, number=3))[0]
        self.assertEqual(came_out.last, 39, "nor does it wait for who came out before it ended")
        np.testing.assert_array_equal(came_out.rows()[35:], lost.path.rows()[35:])
        self.assertTrue((came_out.width[30:35] > WIDTH).all())
        far = stretch(55, [900.0] * 30, number=3)
        self.assertEqual(self.around(lost, standing(), far)[0].last, 89, "who begins elsewhere is somebody else")

    def test_who_is_found_to_the_end_or_surely_followed_was_not_lost(self):
        for there in (
            walked_behind(lost=0),
            replace(walked_behind(), path=stretch(0, [380.0] * 40, 10, sure=0.8).path),
        ):
            self.assertEqual(self.around(there, standing())[0], there.path)

    def test_who_was_lost_elsewhere_or_at_somebody_of_whom_nobody_is_sure_stays(self):
        lost = walked_behind()
        self.assertEqual(self.around(lost, standing(x=500))[0], lost.path)
        unsure = standing()
        unsure = replace(unsure, path=unsure.path.no_surer(np.full(100, 0.4)))
        self.assertEqual(self.around(lost, unsure)[0], lost.path)
        self.assertEqual(self.around(lost, replace(standing(), doubtful=True))[0], lost.path)

    def test_of_two_heads_it_waits_with_the_nearer_one(self):
        for order in ((standing(), standing(x=345.0, number=3)), (standing(x=345.0, number=3), standing())):
            path = self.around(walked_behind(), *order)[0]
            np.testing.assert_allclose(path.cx[40:], 400)

    def test_before_they_were_found_it_is_not_known_whether_they_were_there(self):
        rows = np.array([[390, 150, WIDTH, HEIGHT, 0, 0.3]] * 10 + [[460, 150, WIDTH, HEIGHT, 0, 0.9]] * 20)
        came = replace(standing(), path=Path.from_rows(60, rows, np.array([FOLLOWED] * 10 + [FOUND] * 20)), number=1)
        self.assertEqual(self.around(came, standing())[0], came.path)


def coming(first, lead=4, number=1, frames=40, at=0.0):
    """Somebody who walks to the left at 8 px a frame and was not found in the first `lead` frames. at: px to the right
    of who is at x = 1280 in frame 10."""
    xs = 1280 - 8.0 * (np.arange(first, first + frames) - 10) + at
    rows = np.array([[x, 150, WIDTH, HEIGHT, 0, 0.3 if k < lead else 0.9] for k, x in enumerate(xs)])
    return Stretch(
        Path.from_rows(first, rows, np.array([FOLLOWED] * lead + [FOUND] * (frames - lead))),
        (number,),
        (),
        (),
        None,
        False,
        number,
    )


class CameInBehindTest(unittest.TestCase):
    def around(self, *stretches, shot=(0, 199)):
        return [s.path for s in around_others(stretches, lambda frame: shot, SIZE, RATE)]

    def test_who_comes_out_from_behind_somebody_who_came_in_came_in_behind_them(self):
        front, behind = coming(10, lead=0, number=2), coming(24, at=20.0)
        path, other = self.around(behind, front)
        self.assertEqual(other, front.path)
        self.assertEqual((path.first, path.last), (10, behind.path.last))
        boxes, heads = drawn(path)[0][:14], front.path.boxes()[:14]
        self.assertTrue(
            (boxes[:, 0] <= heads[:, 0] - 0.3 * WIDTH).all() and (boxes[:, 2] >= heads[:, 2] + 0.3 * WIDTH).all()
        )
        self.assertTrue(
            ((path.confidence[:14] >= UNSURE) & (path.confidence[:14] < HARDLY)).all(), "it asks nothing by itself"
        )
        self.assertTrue((path.origin[:14] == FOLLOWED).all())
        # Where they were found they are where they were found; before, at either place.
        np.testing.assert_array_equal(path.rows()[18:], behind.path.rows()[4:])
        self.assertTrue((path.width[14:18] > WIDTH).all())

    def test_so_did_who_comes_out_from_behind_those(self):
        front, second, third = coming(10, lead=0, number=2), coming(18, at=25.0), coming(30, at=60.0, number=3)
        path = self.around(front, second, third)[2]
        self.assertEqual(path.first, 10)
        self.assertLess(path.width[:20].max(), 3.5 * WIDTH)

    def test_nobody_came_in_behind_who_has_been_there_for_long_or_is_elsewhere(self):
        for front, behind in (
            (coming(10, lead=0, number=2, frames=90), coming(50, at=20.0)),
            (coming(10, lead=0, number=2), coming(24, at=90.0)),
            (stretch(10, [700.0] * 60, number=2), stretch(24, [710.0] * 60)),
            (coming(10, lead=0, number=2), coming(24, lead=0, at=20.0)),
        ):
            self.assertEqual(self.around(behind, front)[0], behind.path)

    def test_with_a_shot_both_may_begin(self):
        front, behind = (
            stretch(10, [700.0] * 60, number=2),
            replace(coming(24), path=stretch(24, [710.0] * 30, number=1).path),
        )
        rows = behind.path.rows()
        rows[:3, 5] = 0.3
        behind = replace(behind, path=Path.from_rows(24, rows, [FOLLOWED] * 3 + [FOUND] * 27))
        self.assertEqual(self.around(behind, front, shot=(10, 199))[0].first, 10)
        self.assertEqual(self.around(behind, front, shot=(0, 199))[0], behind.path)


if __name__ == "__main__":
    unittest.main()
