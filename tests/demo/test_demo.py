"""The demo: drawn from numbers, the same each time, with truth that fits its pixels, and people the detector takes for
people."""

import unittest
from dataclasses import replace
from itertools import combinations

import numpy as np

from skiagraph.demo import people, story
from skiagraph.demo.clouds import paste, rotation, splat
from skiagraph.demo.head import PIVOT, Look, head_cloud, head_ellipse
from skiagraph.demo.scene import HEAD_OFFSET, draw
from skiagraph.demo.ship import CLIPS, PROJECT_NAME, shipped, write_demo
from skiagraph.demo.sound import SAMPLE_RATE, soundtrack
from skiagraph.demo.truth import load_truth
from skiagraph.demo.write import write_film, write_scene
from skiagraph.media.clip import probe
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import file
from tests.support import TemporaryFolder

SMALL = replace(
    story.VOICE,
    name="small",
    seconds=0.2,
    size=(400, 300),
    horizon=120,
    camera_x=((0, 0),),
    actors=(
        story.Actor("one", "One", people.BLUE_CAP, x=((0, 120), (0.2, 130)), size=((0, 26),), yaw=((0, 10),)),
        story.Actor("two", "Two", people.SCARF, x=((0, 290),), size=((0, 24),), yaw=((0, -10),), agreed=True),
    ),
)


class DrawingTest(TemporaryFolder):
    def test_a_frame_is_the_same_each_time(self):
        first, second = draw(SMALL, 2), draw(SMALL, 2)
        np.testing.assert_array_equal(first[0], second[0])
        np.testing.assert_array_equal(first[1], second[1])
        self.assertEqual(first[2], second[2])
        self.assertFalse(np.array_equal(first[0], draw(SMALL, 3)[0]))

    def test_truth_fits_the_pixels(self):
        picture, ids, heads = draw(SMALL, 0)
        self.assertEqual(picture.shape, (300, 400, 3))
        self.assertEqual([h.actor for h in heads], ["two", "one"])
        for head, number in zip(heads, (2, 1)):
            y, x = np.nonzero((ids == number) | (ids == HEAD_OFFSET + number))
            self.assertLess(abs(x.mean() - head.cx), 0.15 * head.width)
            self.assertLess(abs(y.mean() - head.cy), 0.15 * head.height)
            self.assertTrue(0.7 < np.ptp(y) / head.height < 1.4)
            self.assertEqual(head.face_px, int(np.count_nonzero(ids == number)))

    def test_who_stands_in_front_hides(self):
        front = story.Actor("front", "Front", people.PORTER, x=((0, 120),), size=((0, 36),))
        _, _, heads = draw(replace(SMALL, actors=SMALL.actors[:1] + (front,)), 0)
        hidden = next(h for h in heads if h.actor == "one")
        self.assertLess(hidden.head_visible, 0.5)

    def test_light_changes_the_picture_and_not_the_truth(self):
        night = replace(SMALL, light=0.5, cast=(0.5, 0.6, 0.7), flicker=0.1, grain=8.0)
        dark, ids, heads = draw(night, 1)
        bright, same_ids, same_heads = draw(SMALL, 1)
        self.assertLess(dark.mean(), 0.8 * bright.mean())
        np.testing.assert_array_equal(ids, same_ids)
        self.assertEqual(heads, same_heads)

    def test_lamps_go_out_and_rails_hide(self):
        out = replace(SMALL, lamps=(((0, 0.9),), ((0, 0.1),), ((0, 0.1),)))
        red = draw(out, 1)[0].reshape(-1, 3).mean(axis=0)
        self.assertGreater(red[0], 3 * red[2])
        _, ids, heads = draw(replace(SMALL, rails=(60.0, 24.0)), 0)
        open_heads = {h.actor: h for h in draw(SMALL, 0)[2]}
        self.assertGreaterEqual(int((ids == 255).all(axis=0).sum()), 6 * 24, "bars are things in front of everybody")
        self.assertLess(sum(h.face_px for h in heads), 0.8 * sum(h.face_px for h in open_heads.values()))

    def test_masks_and_fringes_hide_a_part_of_a_face(self):
        actor = replace(SMALL.actors[0], look=people.LONG_HAIR, size=((0, 60),), x=((0, 200),))
        bare, ids, (head,) = draw(replace(SMALL, actors=(actor,)), 0)
        face = ids == 1
        below = face & (np.arange(300)[:, None] > head.cy + 0.25 * head.height)
        above = face & (np.arange(300)[:, None] < head.cy - 0.12 * head.height)
        masked, _, _ = draw(
            replace(SMALL, actors=(replace(actor, look=replace(people.LONG_HAIR, mask=(0.2, 0.5, 0.9))),)), 0
        )
        fringed, _, _ = draw(replace(SMALL, actors=(replace(actor, look=replace(people.LONG_HAIR, fringe=1.0)),)), 0)
        self.assertGreater(
            masked[below][:, 2].mean() - masked[below][:, 0].mean(), 20, "a blue cloth over mouth and chin"
        )
        np.testing.assert_allclose(masked[above].mean(axis=0), bare[above].mean(axis=0), atol=3)
        self.assertLess(fringed[above].mean(), 0.85 * bare[above].mean(), "dark hair over the brows")

    def test_films_cut_together_keep_who_is_who(self):
        other = replace(
            SMALL,
            name="other",
            seed=5,
            actors=(replace(SMALL.actors[1], x=((0, 90),)), replace(SMALL.actors[0], key="three", x=((0, 300),))),
        )
        clip = write_film("cut", (SMALL, other), self.folder)
        truth = load_truth(self.folder / "cut.truth.json")
        self.assertEqual((truth.actors, truth.agreed, len(truth.heads)), (("one", "two", "three"), ("two",), 10))
        ids = [picture.copy() for picture, _ in truth.frames()]
        self.assertTrue((ids[0] == truth.number("two")).any() and (ids[9] == truth.number("two")).any())
        self.assertFalse((ids[9] == truth.number("one")).any())
        self.assertEqual(len(open_clip(clip)[1]), 10)

    def test_a_drawn_scene_is_written_with_its_sound(self):
        clip = write_scene(SMALL, self.folder)
        info = probe(clip)
        self.assertEqual((info.width, info.height, info.codec, len(info.sound)), (400, 300, "h264", 1))
        with FrameReader(*open_clip(clip)) as reader:
            self.assertLess(np.abs(reader.read(2).rgb().astype(int) - draw(SMALL, 2)[0]).mean(), 6)


class PeopleTest(unittest.TestCase):
    def looks(self):
        return {name: value for name, value in vars(people).items() if isinstance(value, Look)}

    def test_no_two_have_the_same_features(self):
        for (a, one), (b, other) in combinations(self.looks().items(), 2):
            self.assertNotEqual(one.features, other.features, (a, b))

    def test_heads_turn_to_the_back(self):
        picture = {}
        for yaw in (0, 180):
            canvas = np.full((160, 160, 3), 90, np.uint8)
            paste(canvas, splat(head_cloud(people.OLD_HAND, 0.02), 36, rotation(yaw, 0, 0), PIVOT, 80, 80))
            picture[yaw] = canvas.astype(int)
        self.assertGreater(np.abs(picture[0] - picture[180])[50:110, 50:110].mean(), 8)

    def test_ellipse_is_wider_in_profile(self):
        self.assertGreater(head_ellipse(90)[2], head_ellipse(0)[2])
        self.assertAlmostEqual(head_ellipse(0)[2], head_ellipse(180)[2])

    def test_tracks_are_held_beyond_their_keys(self):
        keys = ((1, 10), (2, 20), (3, 15))
        self.assertEqual([story.value(keys, t) for t in (0, 1, 2, 3, 9)], [10, 10, 20, 15, 15])
        self.assertEqual(story.value(((0, 4),), 5), 4)


class ShippedTest(TemporaryFolder):
    def test_three_clips_ship_ready_made_with_sound_and_truth(self):
        for name in CLIPS:
            with self.subTest(name):
                clip = shipped(f"{name}.mp4")
                info = probe(clip)
                self.assertEqual((info.width, info.height, float(info.rate), len(info.sound)), (1280, 720, 25.0, 1))
                self.assertLess(clip.stat().st_size, 4_000_000)
                _, index = open_clip(clip)
                self.assertTrue(200 <= len(index) <= 300)
                self.assertEqual(len(load_truth(shipped(f"{name}.truth.json")).heads), len(index))

    def test_truth_knows_who_agreed(self):
        self.assertEqual(load_truth(shipped("quay.truth.json")).agreed, ("clerk",))

    def test_the_project_is_made_once_and_kept(self):
        place = write_demo(self.folder / "d")
        self.assertEqual(place.name, PROJECT_NAME)
        self.assertEqual(len(file.load(place).clips), 3)
        stamp = place.stat().st_mtime_ns
        write_demo(self.folder / "d")
        self.assertEqual(place.stat().st_mtime_ns, stamp)

    def test_sound_is_sound(self):
        for kind in ("quay", "hall", "voice"):
            wave = soundtrack(kind, 1.0, 3)
            self.assertEqual(wave.shape, (2, SAMPLE_RATE))
            self.assertTrue(0.01 < np.abs(wave).max() <= 1)
