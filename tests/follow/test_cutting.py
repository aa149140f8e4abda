"""The exact edge inside a loose outline: what is found is the thing, it is steady, and it never goes beyond the
outline."""

import json
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from skiagraph.errors import CannotOpenProject
from skiagraph.follow.cutting import EdgeFinder
from skiagraph.footage.adding import add_clip
from skiagraph.footage.following import find_edges
from skiagraph.jobs import JobControl
from skiagraph.project import file, outlines, presence
from skiagraph.project.layers import matte
from skiagraph.project.model import Outline, Project
from skiagraph.shape.shape import Shape
from skiagraph.track.masks import SIDE, Masks
from tests.support import TemporaryFolder, make_clip, opened

SIZE = (320, 240)


def hand(n):
    """Which pixels are the hand in frame n: a disc with two fingers."""
    mask = np.zeros(SIZE[::-1], np.uint8)
    x = 120 + 2 * n
    cv2.circle(mask, (x, 130), 28, 1, -1)
    for k in (-14, 12):
        cv2.line(mask, (x + k, 120), (x + k, 75), 1, 11)
    return mask.astype(bool)


def picture(n, width, height):
    rng = np.random.default_rng(n)
    ground = np.tile(np.linspace(60, 110, width)[None, :, None], (height, 1, 3)) + np.array([-20, 10, 25])
    ground[hand(n)] = (205, 150, 120)
    return np.clip(ground + rng.normal(0, 4, (height, width, 3)), 0, 255).astype(np.uint8)


def loose(n):
    return Outline.at(120 + 2 * n, 118, 110, 130)


class EdgeTest(unittest.TestCase):
    def overlap(self, n, mask):
        place = loose(n).place
        y, x = np.mgrid[: SIZE[1], : SIZE[0]].astype(np.float32) + 0.5
        found = Masks.of(0, [mask]).share(0, *place.to_unit(x, y)) > 0.5
        truth = hand(n)
        return (found & truth).sum() / (found | truth).sum()

    def test_the_hand_is_found_in_every_frame(self):
        finder = EdgeFinder()
        overlaps = [self.overlap(n, finder.step(picture(n, *SIZE), loose(n))) for n in range(12)]
        self.assertGreater(min(overlaps), 0.85, overlaps)

    def test_nothing_lies_outside_the_outline(self):
        small = Outline.at(120, 100, 60, 50, shape=Shape.kinds["box"]())
        mask = EdgeFinder().step(picture(0, *SIZE), small)
        self.assertEqual(mask.shape, (SIDE, SIDE))
        tight = EdgeFinder().step(np.full((240, 320, 3), 90, np.uint8), Outline.at(120, 100, 60, 50))
        grid = (np.arange(SIDE) + 0.5) / SIDE * 2 - 1
        self.assertFalse(
            tight[np.hypot(grid[None, :], grid[:, None]) > 1.02].any(), "on a plain wall the outline stays"
        )


class EdgeOfAClipTest(TemporaryFolder):
    def test_covers_leave_just_the_hand_sharp_and_it_is_saved(self):
        clip = make_clip(self.folder / "hand.mp4", 10, size=SIZE, options={"g": 5, "crf": 8}, draw=picture)
        project = add_clip(Project(), *opened(clip))
        project, thing = outlines.add_subject(
            project, "c1", 0, Outline.at(150, 120, 280, 220, shape=Shape.kinds["box"]())
        )
        project = presence.extend_sighting(project, thing, "c1", 0)
        project, front = outlines.add_holdout(project, "c1", 0, loose(0), [thing])
        project = presence.extend_sighting(project, front, "c1", 0)
        for n in (0, 9):
            project = outlines.move_outline(project, front, "c1", n, loose(n), outlines.Reach.KEYFRAME)
        before = matte(project, "c1", 4)
        found = find_edges(project, front, "c1", 0, JobControl())
        exact = outlines.with_edge(project, front, "c1", 0, *found)
        after, truth = matte(exact, "c1", 4), hand(4)
        self.assertTrue((after >= before).all(), "only within the outline")
        self.assertLess(after[truth].mean(), 40)
        bare = (after < 128) & ~cv2.dilate(truth.astype(np.uint8), np.ones((5, 5))).astype(bool)
        self.assertLess(bare.sum(), 0.1 * truth.sum())
        place = Path(tempfile.mkdtemp(dir=self.folder)) / "p.skiagraph"
        file.save(exact, place)
        self.assertEqual(file.load(place), exact)
        written = json.loads(place.read_text())
        edge = next(t for t in written["evidence"]["tracks"] if t["of"]["kind"] == "cut")
        edge["of"]["masks"]["first"] = 3
        place.write_text(json.dumps(written))
        with self.assertRaises(CannotOpenProject):
            file.load(place)
        np.testing.assert_array_equal(matte(outlines.with_edge(exact, front, "c1", 0, None, None), "c1", 4), before)
