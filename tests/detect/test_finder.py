"""Finding: drawn people are found large and small, turned, tilted, in the dark and in colour; what is no face is
not."""

import unittest
from functools import lru_cache
from unittest import mock

import cv2
import numpy as np

from skiagraph.boxes import iou
from skiagraph.demo.clouds import paste, rotation, splat
from skiagraph.demo.head import PIVOT, head_cloud
from skiagraph.demo.people import BLUE_CAP, LONG_HAIR, OLD_HAND
from skiagraph.demo.ship import shipped
from skiagraph.detect import finder
from skiagraph.detect.detections import EYE_LEFT, EYE_RIGHT, NOSE, Detections, suppress
from skiagraph.detect.finder import FaceFinder, level_sizes
from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.heads import head_rows


def scene(size, *people, background=120):
    """RGB picture with heads: (look, x, y, px per unit, yaw, roll)."""
    width, height = size
    rng = np.random.default_rng(1)
    picture = np.clip(
        cv2.GaussianBlur(rng.normal(background, 30, (height, width, 3)).astype(np.float32), (0, 0), 3), 0, 255
    ).astype(np.uint8)
    for look, x, y, unit, yaw, roll in people:
        paste(picture, splat(_cloud(look, unit), unit, rotation(yaw, 0, roll), PIVOT, x, y))
    return cv2.GaussianBlur(picture, (0, 0), 0.55)


def turned_scenes(look, unit, rolls):
    """For each roll, degrees clockwise, a picture of somebody that is turned by so much, and where the middle of the
    head is in it, (2,)."""
    upright = scene((720, 720), (look, 400, 300, unit, 0, 0))
    for roll in rolls:
        turn = cv2.getRotationMatrix2D((360, 360), -roll, 1.0)
        yield roll, cv2.warpAffine(upright, turn, (720, 720), borderMode=cv2.BORDER_REFLECT), turn @ (400, 300, 1)


@lru_cache(maxsize=16)
def _cloud(look, unit):
    return head_cloud(look, round(1 / unit / 1.45, 5))


class FinderTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.finder = FaceFinder(36)

    @classmethod
    def tearDownClass(cls):
        cls.finder.close()

    def assertFound(self, found, x, y, unit, score=0.6, roll=0.0):
        self.assertTrue(len(found), "nobody found")
        head = head_rows(found, roll)
        away = np.hypot(head[:, 0] - x, head[:, 1] - y) / unit
        n = int(np.argmin(away))
        self.assertLess(away[n], 0.5)
        self.assertGreater(float(found.scores[n]), score)
        return n

    def test_large_pictures_are_searched_in_parts_and_found_the_same(self):
        with FrameReader(*open_clip(shipped("hall.mp4"))) as reader:
            picture = reader.read(40).rgb()
        with FaceFinder(30) as searcher:
            whole = searcher.find(picture, 0.6)
            with mock.patch.object(finder, "TILE_PX", 250_000), mock.patch.object(finder, "TILE_SIDE", 420):
                self.assertGreater(len(finder._tiles(*level_sizes(picture.shape[1], picture.shape[0], 30)[0])), 3)
                parts = searcher.find(picture, 0.6)
        self.assertGreater(len(whole), 3)
        self.assertEqual(len(parts), len(whole))
        self.assertGreater(iou(whole.boxes, parts.boxes).max(axis=1).min(), 0.85)

    def test_parts_cover_a_level_once(self):
        for width, height in ((5760, 3240), (3000, 2000), (12000, 500)):
            counted = np.zeros((height, width), np.uint8)
            for x0, y0, x1, y1 in finder._tiles(width, height):
                half = finder.STRIP // 2
                counted[
                    y0 + half if y0 else 0 : y1 - half if y1 < height else height,
                    x0 + half if x0 else 0 : x1 - half if x1 < width else width,
                ] += 1
                self.assertLess((x1 - x0) * (y1 - y0), finder.TILE_PX)
            self.assertEqual(set(np.unique(counted)), {1})

    def test_small_and_large_faces_in_one_frame(self):
        picture = scene(
            (1920, 1080),
            (BLUE_CAP, 300, 300, 26, 5, 0),
            (OLD_HAND, 900, 500, 60, -15, 0),
            (LONG_HAIR, 1500, 520, 200, 10, 0),
        )
        found = self.finder.find(picture)
        for x, y, unit in ((300, 300, 26), (900, 500, 60), (1500, 520, 200)):
            self.assertFound(found, x, y, unit)
        self.assertEqual(int((found.scores > 0.6).sum()), 3)

    def test_a_face_as_high_as_the_frame(self):
        self.assertFound(self.finder.find(scene((1280, 720), (OLD_HAND, 640, 380, 330, 5, 0))), 640, 380, 330)

    def test_along_the_edges_faces_are_found_that_reach_them(self):
        picture = scene(
            (1280, 720),
            (BLUE_CAP, 1258, 300, 24, -20, 0),
            (OLD_HAND, 640, 360, 24, 0, 0),
            (LONG_HAIR, 60, 400, 120, 15, 0),
        )
        found = self.finder.submit_edges(picture, 0.3, 2.5).result()
        for x, y, unit in ((1258, 300, 24), (60, 400, 120)):
            self.assertFound(found, x, y, unit, 0.3)

    def test_along_the_edges_whoever_lies_is_found_where_that_is_asked_for(self):
        for roll, turns in ((90.0, 3), (-90.0, 1), (180.0, 2)):
            picture = np.ascontiguousarray(np.rot90(scene((1280, 720), (LONG_HAIR, 60, 400, 80, 15, 0)), turns))
            self.assertNotIn(roll, self.finder.submit_edges(picture, 0.7, 2.5).result().rolls.tolist())
            found = self.finder.submit_edges(picture, 0.7, 2.5, (roll,)).result()
            middle = {90.0: (720 - 400, 60), -90.0: (400, 1280 - 60), 180.0: (1280 - 60, 720 - 400)}[roll]
            self.assertIn(roll, found.rolls.tolist())
            self.assertFound(found, *middle, 80, 0.7)

    def test_in_a_part_faces_are_found_at_the_frames_edge_and_none_that_the_part_cuts_off(self):
        picture = scene(
            (1280, 720),
            (BLUE_CAP, 1270, 300, 40, 0, 0),
            (OLD_HAND, 1040, 500, 40, 0, 0),
            (LONG_HAIR, 300, 300, 40, 0, 0),
        )
        found = self.finder.submit_parts(picture, np.array([[1040, 0, 1280, 720]]), 0.4).result()
        self.assertFound(found, 1270, 300, 40, 0.4)
        self.assertEqual(len(found), 1, "half a face at the inner edge and its mirror image look like one")
        self.assertEqual(len(self.finder.submit_parts(picture, np.zeros((0, 4))).result()), 0)

    def test_turned_and_tilted(self):
        for yaw, roll in ((60, 0), (-60, 0), (0, 35), (20, -35)):
            with self.subTest(yaw=yaw, roll=roll):
                # The head leans about the neck.
                low, lean = -PIVOT[1] * 60, np.radians(roll)
                x, y = 320 + np.sin(lean) * low, 240 + (1 - np.cos(lean)) * low
                self.assertFound(
                    self.finder.find(scene((640, 480), (BLUE_CAP, 320, 240, 60, yaw, roll))), x, y, 60, 0.5, roll
                )

    def test_whoever_lies_or_is_upside_down_is_found_where_that_is_asked_for(self):
        for roll, picture, middle in turned_scenes(OLD_HAND, 56, (90, -90, 180)):
            self.assertEqual(len(self.finder.find(picture, 0.5)), 0)
            found = self.finder.find(picture, 0.5, rolls=ON_A_SIDE + UPSIDE_DOWN)
            self.assertEqual(found.rolls.tolist(), [roll])
            self.assertFound(found, *middle, 56, 0.7)
            self.assertLess(abs((FaceDescriber().roll(picture, found.boxes[0], roll) - roll + 180) % 360 - 180), 8)

    def test_a_second_look_is_turned_with_the_head(self):
        for roll, picture, middle in turned_scenes(BLUE_CAP, 40, (50, 75, -110, 160)):
            found = self.finder.look(picture, np.array([[*(middle - 30), *(middle + 30)]]), rolls=np.array([roll]))
            self.assertFound(found, *middle, 40, 0.6, roll)

    def test_by_night_and_under_coloured_lamps(self):
        picture = scene((640, 480), (BLUE_CAP, 320, 240, 50, 10, 0))
        for cast in ((0.25, 0.25, 0.3), (0.5, 0.2, 0.2), (0.15, 0.2, 0.45)):
            with self.subTest(cast=cast):
                dark = (picture * np.array(cast)).astype(np.uint8)
                self.assertFound(self.finder.find(dark), 320, 240, 50, 0.5)

    def test_nobody_is_found_where_nobody_is(self):
        self.assertEqual(int((self.finder.find(scene((1280, 720))).scores > 0.6).sum()), 0)

    def test_turns_together_search_every_level_and_the_finest_often(self):
        for size, smallest, often in (((1280, 720), 36, 1), ((1920, 1080), 36, 1), ((3840, 2160), 24, 7)):
            picture = scene((640, 360), (BLUE_CAP, 150, 180, 40, 5, 0))
            with (
                FaceFinder(smallest) as finder,
                mock.patch.object(FaceFinder, "_search", lambda self, part, scale, limit: scale),
            ):
                turns = [
                    [level.result() for level in finder.submit(cv2.resize(picture, size), turn=turn).levels]
                    for turn in range(17)
                ]
            scales = turns[0]
            self.assertEqual(len(scales), len(level_sizes(*size, smallest)), "the first is searched as a whole")
            finest = [turn for turn, searched in enumerate(turns) if scales[0] in searched]
            self.assertEqual(max(np.diff(finest)), often)
            self.assertEqual({scale for searched in turns[1:] for scale in searched}, set(scales))
            self.assertTrue(all(turns), "no frame without a search")

    def test_a_small_face_is_found_in_the_turn_of_its_level(self):
        picture = scene((1920, 1080), (BLUE_CAP, 300, 300, 26, 5, 0))
        self.assertFound(self.finder.submit(picture, turn=3).result(), 300, 300, 26, 0.55)

    def test_half_a_face_at_the_edge_is_found_and_its_mirror_image_is_not(self):
        whole = scene((640, 480), (BLUE_CAP, 320, 240, 60, 0, 0))
        for name, picture, x in (("left", whole[:, 320:], 0), ("right", whole[:, :320], 320)):
            with self.subTest(edge=name):
                found = self.finder.find(np.ascontiguousarray(picture), 0.5)
                self.assertEqual(len(found), 1)
                self.assertLess(abs(float(found.boxes[0, [0, 2]].mean()) - x), 20)
        near = self.finder.find(np.ascontiguousarray(whole[:, 250:]), 0.5)
        self.assertEqual(len(near), 1, "a whole face near the edge is one face")

    def test_second_look_finds_only_what_it_was_asked_for(self):
        picture = scene((800, 480), (BLUE_CAP, 200, 240, 40, 5, 0), (OLD_HAND, 600, 240, 40, 5, 0))
        found = self.finder.look(picture, np.array([[175, 215, 230, 270]]))
        self.assertEqual(len(found), 1)
        self.assertFound(found, 200, 240, 40)
        elsewhere = self.finder.look(picture, np.array([[380, 20, 430, 70]]))
        self.assertFalse((elsewhere.scores > 0.5).any())

    def test_landmarks_lie_where_they_should(self):
        found = self.finder.find(scene((640, 480), (BLUE_CAP, 320, 240, 80, 0, 0)))
        marks = found.landmarks[self.assertFound(found, 320, 240, 80)]
        self.assertLess(marks[EYE_LEFT, 0], marks[NOSE, 0])
        self.assertGreater(marks[EYE_RIGHT, 0], marks[NOSE, 0])
        self.assertLess(abs(marks[EYE_LEFT, 1] - 240), 20)

    def test_landmark_network_tells_faces_from_other_things(self):
        describer = FaceDescriber()
        picture = scene((640, 480), (BLUE_CAP, 320, 240, 60, 10, 0))
        found = self.finder.find(picture)
        box = found.boxes[self.assertFound(found, 320, 240, 60)]
        self.assertGreater(describer.presence(picture, box), 0.9)
        self.assertLess(describer.presence(picture, np.array([20, 20, 100, 100])), 0.5)

    def test_descriptors_of_one_person_are_near_and_of_two_far(self):
        describer, vectors = FaceDescriber(), {}
        for name, look in (("blue", BLUE_CAP), ("old", OLD_HAND)):
            for yaw in (-15, 15):
                picture = scene((480, 480), (look, 240, 240, 70, yaw, 0))
                found = self.finder.find(picture)
                chip = describer.chip(picture, found.boxes[self.assertFound(found, 240, 240, 70)])
                self.assertEqual(chip.rgb.shape, (150, 150, 3))
                vectors[name, yaw] = describer.describe(chip)
        near = np.linalg.norm(vectors["blue", -15] - vectors["blue", 15])
        far = min(np.linalg.norm(vectors["blue", a] - vectors["old", b]) for a in (-15, 15) for b in (-15, 15))
        self.assertLess(near, 0.4)
        self.assertGreater(far, near + 0.1)


class LevelTest(unittest.TestCase):
    def test_the_smallest_face_spans_enough_in_the_finest_level_and_the_largest_not_too_much_in_the_coarsest(self):
        for width, height, smallest in (
            (1280, 720, 36),
            (1920, 1080, 36),
            (3840, 2160, 24),
            (1080, 1920, 36),
            (320, 240, 24),
        ):
            sizes = level_sizes(width, height, smallest)
            self.assertGreaterEqual(smallest * sizes[0][0] / width, 17.5)
            self.assertLessEqual(min(sizes[-1]), 600)
            self.assertTrue(all(a[0] > b[0] for a, b in zip(sizes, sizes[1:])))


class DetectionsTest(unittest.TestCase):
    def found(self, *rows):
        """rows: (x, y, side, score)."""
        boxes = np.array([[x, y, x + s, y + s] for x, y, s, _ in rows], np.float32)
        return Detections(boxes, np.array([r[3] for r in rows], np.float32), np.zeros((len(rows), 5, 2), np.float32))

    def test_shapes_are_checked(self):
        with self.assertRaises(ValueError):
            Detections(np.zeros((2, 4), np.float32), np.zeros(3, np.float32), np.zeros((2, 5, 2), np.float32))

    def test_one_face_in_several_tiles_is_one(self):
        merged = suppress(self.found((10, 10, 40, 0.9), (12, 11, 41, 0.8), (200, 10, 40, 0.7)))
        self.assertEqual([round(float(s), 1) for s in merged.scores], [0.9, 0.7])
        self.assertTrue(10 < merged.boxes[0, 0] < 12)

    def test_a_face_at_a_wrong_scale_is_dropped(self):
        self.assertEqual(len(suppress(self.found((100, 100, 40, 0.9), (85, 85, 90, 0.6), (110, 110, 18, 0.5)))), 1)

    def test_neighbours_are_kept(self):
        self.assertEqual(len(suppress(self.found((100, 100, 40, 0.9), (138, 100, 40, 0.8)))), 2)

    def test_half_of_another_face_behind_does_not_draw_a_face_aside(self):
        merged = suppress(self.found((100, 100, 80, 0.9), (136, 100, 80, 0.88)))
        np.testing.assert_allclose(merged.boxes, [[100, 100, 180, 180]])

    def test_moved_scales_then_shifts(self):
        moved = self.found((10, 20, 10, 0.9)).moved(2, 100, 50)
        self.assertEqual(moved.boxes[0].tolist(), [120, 90, 140, 110])
