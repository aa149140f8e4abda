"""The real detector on real pixels: the shipped demo, and what linking and following promise."""

import unittest

import cv2
import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.detect.detections import Detections
from skiagraph.detect.tiles import tile_plan
from skiagraph.errors import Cancelled
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.track.camera import CameraMotion
from skiagraph.track.following import follow
from skiagraph.track.linking import Linker
from skiagraph.track.scan import ScanSettings, scan
from tests.support import TemporaryFolder


def face(x, y, side=40.0, score=0.9):
    box = np.array([[x - side / 2, y - side / 2, x + side / 2, y + side / 2]], np.float32)
    points = np.array([[[-10, -8], [10, -8], [0, 2], [0, 10], [-18, -4], [18, -4]]], np.float32) * side / 40 + np.array([x, y], np.float32)
    return Detections(box, np.array([score], np.float32), points)


class ScanTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.info, index = open_clip(shipped("quay.mp4"))
        self.index = index.cut(30, "")
        self.truth = load_truth(shipped("quay.truth.json"))

    def test_everybody_is_found_where_they_are(self):
        told = []
        result = scan(self.info, self.index, ScanSettings(), partial=told.append)
        self.assertEqual(len(result.people), 4)
        self.assertTrue(told)
        for frame in range(30):
            for head in self.truth.heads[frame]:
                if head.face_px < 200:
                    continue
                away = min(np.hypot(p.paths[0].cx[frame] - head.cx, p.paths[0].cy[frame] - head.cy) for p in result.people)
                self.assertLess(away, 0.2 * head.height, (frame, head.actor))

    def test_stepping_finds_the_same_people(self):
        result = scan(self.info, self.index, ScanSettings(every=5))
        self.assertEqual(len(result.people), 4)
        self.assertTrue(all(len(p.paths[0]) == 30 for p in result.people))

    def test_cancel(self):
        control = JobControl(lambda progress: control.cancel() if progress.done >= 3 else None)
        with self.assertRaises(Cancelled):
            scan(self.info, self.index, ScanSettings(), control)


class LinkingTest(unittest.TestCase):
    PICTURE = np.zeros((400, 600, 3), np.uint8)

    def run_linker(self, frames):
        linker = Linker(25)
        for n, faces in enumerate(frames):
            linker.update(n, Detections.joined(faces), self.PICTURE)
        return linker.tracklets

    def test_two_that_cross_stay_two(self):
        frames = [[face(100 + 5 * n, 100), face(400 - 5 * n, 170)] for n in range(60)]
        tracklets = self.run_linker(frames)
        self.assertEqual([len(t.frames) for t in tracklets], [60, 60])
        self.assertTrue(all(np.all(np.diff([b[0] for b in t.boxes]) * s > 0) for t, s in zip(tracklets, (1, -1))))

    def test_doubtful_faces_continue_but_do_not_begin(self):
        frames = [[face(100, 100, score=0.9 if n < 5 else 0.45)] + [face(300, 100, score=0.45)] for n in range(20)]
        tracklets = self.run_linker(frames)
        self.assertEqual([len(t.frames) for t in tracklets], [20])

    def test_short_loss_is_survived_and_long_loss_is_not(self):
        for gap, count in ((10, 1), (60, 2)):
            frames = [[face(100, 100)] if n < 20 or n >= 20 + gap else [] for n in range(40 + gap)]
            self.assertEqual(len(self.run_linker(frames)), count)


class FollowingTest(unittest.TestCase):
    def pictures(self, count, step, seed=4):
        texture = cv2.GaussianBlur(np.random.default_rng(seed).integers(0, 256, (300, 400), dtype=np.uint8), (0, 0), 1.5)
        texture = cv2.normalize(texture, None, 0, 255, cv2.NORM_MINMAX)
        return [cv2.warpAffine(texture, np.float32([[1, 0, step[0] * n], [0, 1, step[1] * n]]), (400, 300), borderMode=cv2.BORDER_WRAP) for n in range(count)]

    def test_follows_to_a_fraction_of_a_pixel(self):
        followed = follow(self.pictures(20, (2.3, -1.1)), np.array([150, 150, 60, 80, 0.0]), np.array([2.3, -1.1]), (0, 0), (400, 300))
        self.assertEqual((len(followed.rows), followed.reason), (19, ""))
        self.assertLess(abs(followed.rows[-1, 0] - (150 + 2.3 * 19)) + abs(followed.rows[-1, 1] - (150 - 1.1 * 19)), 2)

    def test_stops_when_the_thing_is_gone(self):
        there, gone = self.pictures(5, (1, 0)), self.pictures(25, (0, 0), seed=99)
        followed = follow(there + gone, np.array([150, 150, 60, 80, 0.0]), np.array([1.0, 0.0]), (0, 0), (400, 300))
        self.assertEqual(followed.reason, "lost")
        self.assertLess(len(followed.rows), 15)
        self.assertLess(followed.rows[-1, 5], 0.4)

    def test_camera_motion_and_cuts(self):
        camera = CameraMotion()
        pictures = self.pictures(6, (3, 2))
        camera.step(pictures[0])
        for picture in pictures[1:]:
            step = camera.step(picture)
            self.assertLess(np.abs(step.similarity[:, 2] - (3, 2)).max(), 0.5)
            self.assertFalse(step.cut)
        self.assertTrue(camera.step(255 - self.pictures(1, (0, 0), seed=8)[0] // 3).cut)


class TileTest(unittest.TestCase):
    def test_every_face_lies_whole_in_a_tile_that_sees_it_well(self):
        rng = np.random.default_rng(2)
        for width, height in ((1280, 720), (1920, 1080), (3840, 2160), (640, 360), (1080, 1920)):
            tiles = tile_plan(width, height, 36)
            for _ in range(300):
                side = float(np.exp(rng.uniform(np.log(36), np.log(min(width, height) * 0.8))))
                x, y = rng.uniform(0, width - side), rng.uniform(0, height - side)
                spans = [side * 192 / t.side for t in tiles if t.left <= x and t.top <= y and x + side <= t.left + t.side and y + side <= t.top + t.side]
                self.assertTrue(spans and max(spans) >= 16, (width, height, side, x, y))
