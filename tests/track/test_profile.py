"""Heads in profile: the chin and the nose, which stand at the corner of an ellipse, are under the cover."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE
from skiagraph.project.rows import GROWTH
from skiagraph.shape.place import Similarity
from skiagraph.shape.shape import Outline, Shape
from skiagraph.track.camera import Views
from skiagraph.track.heads import head_rows
from skiagraph.track.path import FOUND, Path
from skiagraph.track.profile import holding_faces, reaching_ahead, wide_while_turned
from tests.track.faces import face
from tests.track.test_doubtful import stretch

SIDE = 60.0


def turned(ahead, angle=0.0, frames=20):
    """A head of which the face was found so many sides ahead of its middle."""
    rows = np.tile([200.0, 100, 1.5 * SIDE, 1.8 * SIDE, angle, 0.8], (frames, 1))
    path = Path.from_rows(0, rows, np.full(frames, FOUND))
    x, y = 200 + ahead * SIDE * np.cos(np.radians(angle)), 100 + ahead * SIDE * np.sin(np.radians(angle))
    return replace(
        stretch(0, frames - 1, 0, doubtful=False),
        path=path,
        faces=tuple(
            (f, np.array([x - SIDE / 2, y - SIDE / 2, x + SIDE / 2, y + SIDE / 2]), 0.8) for f in range(0, frames, 5)
        ),
    )


class ReachingAheadTest(unittest.TestCase):
    def reached(self, *arguments):
        before = turned(*arguments)
        (after,) = reaching_ahead([before])
        return before.path, after.path

    def test_who_faces_this_way_is_covered_as_before(self):
        for ahead in (0.0, 0.15, -0.19):
            before, after = self.reached(ahead)
            self.assertEqual(before, after)

    def test_in_profile_the_cover_reaches_further_where_the_face_is(self):
        for way in (1, -1):
            before, after = self.reached(0.5 * way)
            a, b = before.boxes(), after.boxes()
            front, back = (2, 0) if way > 0 else (0, 2)
            np.testing.assert_allclose(b[:, back], a[:, back], atol=0.01)
            np.testing.assert_allclose((b[:, front] - a[:, front]) * way, 0.12 * SIDE, atol=0.01)
            np.testing.assert_allclose(b[:, 1], a[:, 1], atol=0.01)
            self.assertTrue((b[:, 3] > a[:, 3]).all())

    def test_where_a_face_was_found_and_just_beside_the_cover_holds_it(self):
        before = turned(0.5)
        trembling = replace(
            before,
            faces=tuple(
                (n, box + (6.0 if n == 10 else 0.0) * np.array([0, 0, 1, 0]), score) for n, box, score in before.faces
            ),
        )
        (after,) = holding_faces([trembling])
        right = after.path.boxes()[:, 2]
        nose = before.faces[0][1][2]
        for n in range(20):
            self.assertGreaterEqual(
                right[n] + 0.5,
                {9: nose + 6, 10: nose + 6, 11: nose + 6}.get(n, nose if n % 5 in (0, 1, 4) and n < 17 else 0),
                n,
            )
        # It moves with the head.
        rows = before.path.rows().astype(float)
        rows[:, 0] += 9.0 * np.arange(20)
        walking = replace(
            before,
            path=Path.from_rows(0, rows, before.path.origin),
            faces=tuple((n, box + 9.0 * n * np.array([1, 0, 1, 0]), score) for n, box, score in before.faces),
        )
        np.testing.assert_allclose(
            holding_faces([walking])[0].path.width, holding_faces([before])[0].path.width, atol=0.01
        )
        facing = turned(0.0)
        self.assertEqual(holding_faces([facing])[0].path, facing.path)

    def test_it_holds_the_nose_and_the_chin_of_a_face_in_profile(self):
        found = face(100, 100)
        landmarks = found.landmarks.copy()
        x0, _, x1, y1 = found.boxes[0]
        side = x1 - x0
        landmarks[0, NOSE, 0] = x1 - 0.02 * side
        landmarks[0, EYE_LEFT, 0], landmarks[0, EYE_RIGHT, 0] = x1 - 0.45 * side, x1 - 0.25 * side
        row = head_rows(replace(found, landmarks=landmarks))[0]
        before = replace(
            stretch(0, 0, 0, doubtful=False),
            path=Path.from_rows(0, np.append(row, 0.9)[None], np.zeros(1)),
            faces=((0, found.boxes[0], 0.9),),
        )
        (after,) = reaching_ahead([before])
        nose, chin = (x1, (found.boxes[0, 1] + y1) / 2), (x1 - 0.2 * side, y1)
        for path, holds in ((before.path, [False, False]), (after.path, [True, True])):
            made = Outline(
                Similarity(*(float(getattr(path, name)[0]) for name in ("cx", "cy", "width", "height", "angle"))),
                Shape.kinds["ellipse"](),
                0.0,
                1.0,
                FOUND,
            ).grown_by(0.14)
            self.assertEqual(made.contains(np.array([nose, chin])).tolist(), holds)

    def test_a_head_that_leans_reaches_along_its_lean(self):
        _, after = self.reached(0.5, 30.0)
        moved = np.array([after.cx[0] - 200, after.cy[0] - 100])
        lean = np.radians(30.0)
        self.assertAlmostEqual(float(moved @ [np.cos(lean), np.sin(lean)]), 0.06 * SIDE, delta=0.01)

    def test_between_the_frames_in_which_it_was_found_too(self):
        before = turned(0.5)
        left = replace(before, faces=(before.faces[0], (19, before.faces[0][1] - np.array([SIDE, 0, SIDE, 0]), 0.8)))
        (after,) = reaching_ahead([left])
        self.assertGreater(after.path.cx[0], 200)
        self.assertLess(after.path.cx[19], 200)
        self.assertTrue((after.path.width >= before.path.width - 0.01).all())
        nobody = replace(before, faces=())
        self.assertEqual(reaching_ahead([nobody]), [nobody])


class WideWhileTurnedTest(unittest.TestCase):
    def sized(self, share, coloured=()):
        """A standing head, found by so much of its size in each frame: its path before and after."""
        size = np.array([share(n) for n in range(100)])
        rows = np.stack(
            [
                np.full(100, 200.0),
                np.full(100, 100.0),
                1.1 * SIDE * size,
                1.5 * SIDE * size,
                np.zeros(100),
                np.full(100, 0.9),
            ],
            axis=1,
        )
        boxes = [np.array([200 - side / 2, 100 - side / 2, 200 + side / 2, 100 + side / 2]) for side in SIDE * size]
        before = replace(
            stretch(0, 99, 0, doubtful=False),
            path=Path.from_rows(0, rows, np.full(100, FOUND)),
            faces=tuple((n, box, 0.9) for n, box in enumerate(boxes)),
        )
        (after,) = wide_while_turned([before], 25.0, Views.still(), coloured)
        return before.path, after.path

    def test_a_head_that_is_smaller_for_a_while_has_turned_and_is_covered_as_in_profile(self):
        for share in (0.8, 0.86):
            before, after = self.sized(lambda n: share if 40 <= n < 70 else 1.0)
            inside = slice(44, 66)
            self.assertTrue((after.width[inside] >= 1.15 * 1.1 * SIDE).all(), after.width[inside])
            np.testing.assert_allclose(
                (after.cy - after.height / 2)[inside], (before.cy - before.height / 2)[inside], atol=0.01
            )
            self.assertTrue(((after.cy + after.height / 2)[inside] >= 100 + 0.75 * SIDE).all())
            self.assertTrue((after.confidence[inside] < GROWTH.unsure_below).all(), "its cover grows")
            np.testing.assert_allclose(after.confidence[:30], before.confidence[:30])
            np.testing.assert_allclose(after.width[:30], before.width[:30])
            np.testing.assert_allclose(after.width[80:], before.width[80:])
            self.assertTrue((after.width >= before.width - 0.01).all() and (after.height >= before.height - 0.01).all())

    def test_who_comes_nearer_or_goes_away_is_as_large_as_found(self):
        for share in (lambda n: 1 + 0.01 * n, lambda n: 2 - 0.01 * n, lambda n: 1.0):
            before, after = self.sized(share)
            np.testing.assert_allclose(after.width, before.width)

    def raised(
        self,
        share,
        first=0,
        last=99,
        beside=(),
        cuts=(),
        coloured=(),
        size=lambda n: 1.0,
        height=1.5,
        views=Views.still(),
    ):
        """A standing head, whose face is found so many of its sides higher in each frame, and by so much of its size:
        its path before and after. beside: others; height: of the head, in its sides."""
        frames = np.arange(first, last + 1)
        side = SIDE * np.array([size(n) for n in frames])
        high = 100 - SIDE * np.array([share(n) for n in frames])
        rows = np.stack(
            [
                np.full(len(frames), 200.0),
                high,
                1.1 * side,
                height * side,
                np.zeros(len(frames)),
                np.full(len(frames), 0.9),
            ],
            axis=1,
        )
        boxes = [np.array([200 - s / 2, y - s / 2, 200 + s / 2, y + s / 2]) for s, y in zip(side, high)]
        before = replace(
            stretch(first, last, 0, doubtful=False),
            path=Path.from_rows(first, rows, np.full(len(frames), FOUND)),
            faces=tuple(zip(frames.tolist(), boxes, [0.9] * len(frames))),
        )
        after = wide_while_turned([before, *beside], 25.0, views, coloured, cuts)[0]
        return before.path, after.path

    def test_a_face_that_is_found_higher_for_a_while_is_the_hair_of_a_head_that_has_turned(self):
        before, after = self.raised(lambda n: 0.3 if 40 <= n < 70 else 0.0)
        bottom = after.cy + after.height / 2
        self.assertTrue((bottom[44:66] >= 100 + 0.75 * SIDE - 0.5).all(), bottom[40:70])
        np.testing.assert_allclose(
            (after.cy - after.height / 2)[44:66], (before.cy - before.height / 2)[44:66], atol=0.01
        )
        self.assertTrue((after.width[44:66] >= 1.15 * 1.1 * SIDE).all())
        np.testing.assert_allclose(after.width[:30], before.width[:30])
        np.testing.assert_allclose(after.height[:30], before.height[:30])

    def test_a_little_smaller_is_nobody_who_turned_but_smaller_and_higher_is(self):
        smaller, bottom = (lambda n: 0.9 if 40 <= n < 70 else 1.0), 100 + 0.75 * SIDE
        before, after = self.sized(smaller)
        np.testing.assert_allclose(after.rows(), before.rows())
        before, after = self.raised(lambda n: 0.1 if 40 <= n < 70 else 0.0)
        np.testing.assert_allclose(after.rows(), before.rows())
        before, after = self.raised(lambda n: 0.1 if 40 <= n < 70 else 0.0, size=smaller)
        self.assertTrue(
            (after.width[44:66] >= 1.15 * 1.1 * SIDE).all()
            and ((after.cy + after.height / 2)[44:66] >= bottom - 0.5).all(),
            after.width[44:66],
        )
        before, after = self.raised(lambda n: 0.1 if 40 <= n < 70 else 0.0, size=smaller, height=2.1)
        np.testing.assert_allclose(
            (after.cy + after.height / 2 - before.cy - before.height / 2)[46:64],
            0.1 * SIDE,
            atol=0.1,
            err_msg="by as much lower as it is found higher",
        )

    def test_what_the_camera_does_is_nobody_who_turns_and_hides_nobody_who_does(self):
        nods = [0.3 if 40 <= n < 70 else 0.0 for n in range(100)]
        camera = np.tile(np.array([[1.0, 0, 0], [0, 1, 0]]), (100, 1, 1))
        camera[:, 1, 2] = -SIDE * np.array(nods)
        tilted = Views(np.arange(100), camera)
        before, after = self.raised(lambda n: nods[n], views=tilted)
        np.testing.assert_allclose(after.rows(), before.rows(), err_msg="the head went up with all of the picture")
        before, after = self.raised(lambda n: 0.0, views=Views(np.arange(100), camera * [[1, 1, -1], [1, 1, -1]]))
        self.assertTrue(
            ((after.cy + after.height / 2)[44:66] >= 100 + 0.75 * SIDE - 0.5).all(),
            "all went down but what was found of it",
        )
        zoomed = np.tile(2 * np.array([[1.0, 0, 0], [0, 1, 0]]), (100, 1, 1))
        before, after = self.raised(lambda n: 0.1 if 40 <= n < 70 else 0.0, views=Views(np.arange(100), zoomed))
        np.testing.assert_allclose(
            after.rows(), before.rows(), err_msg="in px of the picture, however near the camera came"
        )

    def test_who_stands_up_or_goes_up_for_good_is_covered_as_found(self):
        for share in (lambda n: 2.0 if 40 <= n < 70 else 0.0, lambda n: 0.01 * n, lambda n: 0.03 * (n % 2)):
            before, after = self.raised(share)
            np.testing.assert_allclose(after.height[:34], before.height[:34], atol=0.01)
            np.testing.assert_allclose(after.height[48:62], before.height[48:62], atol=0.01)

    def test_where_a_path_was_parted_one_side_tells_enough(self):
        turns = lambda n: 0.3 if n >= 40 else 0.0
        before, alone = self.raised(turns, last=60)
        np.testing.assert_allclose(alone.height, before.height, atol=0.01)
        goes_on = stretch(61, 99, 200, doubtful=False)
        _, parted = self.raised(turns, last=60, beside=[goes_on])
        self.assertTrue(((parted.cy + parted.height / 2)[46:] >= 100 + 0.75 * SIDE - 0.5).all())
        # In another shot it is somebody else.
        _, cut = self.raised(turns, last=60, beside=[goes_on], cuts=[61])
        np.testing.assert_allclose(cut.height, before.height, atol=0.01)

    def test_in_coloured_light_sizes_say_nothing_and_covers_reach_down_alone(self):
        before, after = self.sized(lambda n: 0.8 if 40 <= n < 70 else 1.0, range(100))
        self.assertEqual(after, before)
        before, after = self.raised(lambda n: 0.3 if 40 <= n < 70 else 0.0, coloured=range(100))
        np.testing.assert_allclose(after.width, before.width)
        self.assertTrue(((after.cy + after.height / 2)[44:66] >= 100 + 0.75 * SIDE - 0.5).all())


if __name__ == "__main__":
    unittest.main()
