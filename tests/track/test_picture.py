"""A picture that is made where somebody looks tells them what the whole of it would."""

import unittest

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy
from skiagraph.demo.ship import shipped
from skiagraph.detect.finder import LOOK_REACH, FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.track.appearance import COLOURS_REACH, head_colours
from skiagraph.track.descriptor import CHIP_REACH, LANDMARKS_REACH, FaceDescriber
from skiagraph.track.heads import head_rows
from skiagraph.track.picture import Picture
from skiagraph.track.silhouette import SHAPE_REACH, Silhouette
from tests.support import frame_of_rgb


class PictureTest(unittest.TestCase):
    def test_only_what_is_looked_at_is_made(self):
        picture = Picture(frame_of_rgb(np.full((600, 800, 3), 120, np.uint8)), Squared(1.0))
        near = picture.near(np.array([100.0, 100, 140, 150]), 1.0)
        self.assertEqual(near.rgb.shape, (600, 800, 3))
        self.assertTrue((near.rgb[73:178, 68:173] == 120).all())
        self.assertFalse(near.rgb[400:].any())
        self.assertFalse(picture.coloured)
        self.assertFalse(picture.near(np.zeros((0, 4)), 1.0).rgb[400:].any())

    def test_all_of_it_is_made_where_light_has_to_be_measured_or_pixels_are_no_squares(self):
        dark, blue = np.full((300, 400, 3), 20, np.uint8), np.full((300, 400, 3), (40, 60, 200), np.uint8)
        for rgb, aspect in ((dark, 1.0), (blue, 1.0), (np.full((300, 400, 3), 120, np.uint8), 1.4)):
            picture = Picture(frame_of_rgb(rgb), Squared(aspect))
            near, whole = (
                picture.near(np.array([50.0, 50, 90, 90]), 1.0),
                Picture(frame_of_rgb(rgb), Squared(aspect)).lit,
            )
            np.testing.assert_array_equal(near.rgb, whole.rgb)
            self.assertEqual((near.coloured, picture.coloured), (whole.coloured, whole.coloured))

    def test_after_it_was_let_go_it_is_made_again(self):
        picture = Picture(frame_of_rgb(np.full((300, 400, 3), 120, np.uint8)), Squared(1.0))
        picture.near(np.array([0.0, 0, 400, 300]), 1.0)
        picture.let_go()
        self.assertFalse(picture.near(np.zeros((0, 4)), 1.0).rgb.any())
        self.assertTrue(picture.near(np.array([0.0, 0, 400, 300]), 1.0).rgb.all())

    def test_looks_see_what_they_would_in_the_whole_picture(self):
        info, index = open_clip(shipped("quay.mp4"))
        describer, silhouette = FaceDescriber(), Silhouette()
        with FrameReader(info, index) as reader, FaceFinder() as finder:
            frame = reader.read(100)
            whole, squared = frame.rgb(), Squared(1.0)
            found = finder.find(whole)
            found = found.take(found.scores > 0.6)
            self.assertGreater(len(found), 1)

            def near(boxes, reach):
                # Each look has a picture of its own, so that none leans on what another has made.
                return Picture(frame, squared).near(boxes, reach).rgb

            here, there = finder.look(near(found.boxes, LOOK_REACH), found.boxes), finder.look(whole, found.boxes)
            np.testing.assert_array_equal(here.boxes, there.boxes)
            np.testing.assert_array_equal(here.scores, there.scores)
            for box, head in zip(found.boxes, head_rows(found)):
                np.testing.assert_array_equal(head_colours(near(box, COLOURS_REACH), box), head_colours(whole, box))
                part = near(box, LANDMARKS_REACH)
                self.assertEqual(describer.presence(part, box), describer.presence(whole, box))
                np.testing.assert_equal(describer.roll(part, box), describer.roll(whole, box))
                np.testing.assert_array_equal(
                    describer.chip(near(box, CHIP_REACH), box).rgb, describer.chip(whole, box).rgb
                )
                self.assertEqual(
                    silhouette.shape(near(cxcywh_to_xyxy(head[None, :4]), SHAPE_REACH), head),
                    silhouette.shape(whole, head),
                )


if __name__ == "__main__":
    unittest.main()
