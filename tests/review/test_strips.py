"""How pictures of the result are arranged: all there is room for, never more."""

import unittest

from hypothesis import given
from hypothesis import strategies as some

from skiagraph.review.strips import SETTINGS, room_for_clips, samples, strips_within
from tests.support import TemporaryFolder, head_path, make_clip, project_on

SIZES = some.tuples(some.integers(16, 8192), some.integers(16, 8192)).filter(lambda s: 0.2 < s[0] / s[1] < 5)


class StripsTest(unittest.TestCase):
    @given(some.lists(some.none() | SIZES, max_size=12), some.integers(400, 4000), some.integers(0, 3000))
    def test_they_fill_the_width_and_stay_within_the_height(self, pictures, width, height):
        strips = strips_within(pictures, width, height)
        for size, strip in zip(pictures, strips):
            if size is None:
                self.assertIsNone(strip)
            elif strip is not None:
                self.assertLessEqual(strip.across * (strip.width + SETTINGS.gap) - SETTINGS.gap, width)
                self.assertLess(abs(strip.width * size[1] / size[0] - strip.height), 1)
        used = sum(SETTINGS.line + (strip.tall if strip else 0) for strip in strips)
        # A row of which so much is left over is a little higher than there is room for.
        most = height + len(pictures) * SETTINGS.spare * SETTINGS.most * 2
        self.assertTrue(used <= most or not any(strips), (used, height))

    def test_the_fewer_clips_the_larger_are_their_pictures(self):
        strips = [strips_within([(1280, 720)] * n, 856, 560)[0] for n in (1, 2, 3, 12)]
        heights = [strip.height if strip else 0 for strip in strips]
        self.assertEqual(heights, sorted(heights, reverse=True))
        self.assertEqual([strip.count if strip else 0 for strip in strips], [9, 3, 4, 0])
        upright = strips_within([(1080, 1920)], 856, 560)[0]
        self.assertGreater(upright.across, strips[0].across)

    def test_a_queue_has_what_it_needs_and_clips_the_rest(self):
        rooms = [room_for_clips(668, jobs) for jobs in (0, 1, 4, 40)]
        self.assertEqual(rooms, sorted(rooms, reverse=True))
        self.assertEqual(rooms[0], 668 - SETTINGS.queue)
        self.assertEqual(rooms[2:], [668 - SETTINGS.queue - 4 * SETTINGS.job, round(SETTINGS.share * 668)])


class SamplesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(make_clip(self.folder / "quay.mp4", 60), head_path(0, 60))

    def test_samples_are_spread_evenly_over_what_is_handed_over(self):
        clip = self.project.clip("c1")
        self.assertEqual([c.at for c in samples(clip, [(0, 59)], 3)], [10, 30, 50])
        parts = samples(clip, [(0, 9), (40, 49)], 4)
        self.assertEqual([c.at for c in parts], [2, 7, 42, 47])
        self.assertEqual({(c.clip, c.subject, c.box) for c in parts}, {("c1", "", (0, 0, clip.width, clip.height))})
        self.assertEqual([c.at for c in samples(clip, [(5, 6)], 9)], [5, 6], "no frame is shown twice")
        self.assertEqual(samples(clip, [], 9), [])


if __name__ == "__main__":
    unittest.main()
