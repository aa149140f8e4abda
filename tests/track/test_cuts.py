"""Whether two pictures are of one shot: whatever moves in it or lights it, and however alike two places are."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from skiagraph.errors import FrameNotDecoded
from skiagraph.track.cuts import is_cut, is_plain_cut, thumbnail, with_cuts, with_ends
from tests.track.places import SIZE, scene
from tests.track.test_following import pictures


class IsCutTest(unittest.TestCase):
    def cut(self, before: np.ndarray, after: np.ndarray) -> bool:
        forward, back = is_cut(thumbnail(before), thumbnail(after)), is_cut(thumbnail(after), thumbnail(before))
        self.assertEqual(forward, back)
        return forward

    def test_places_of_one_composition_are_two_shots(self):
        for seed in range(1, 13):
            self.assertTrue(self.cut(scene(seed), scene(seed + 50)), seed)
            self.assertTrue(self.cut(scene(seed, light=0.4), scene(seed + 50, light=0.4)), seed)

    def test_a_shot_goes_on_while_the_camera_pans_and_light_changes(self):
        for seed in range(1, 7):
            for change in (
                dict(shift=8),
                dict(shift=24),
                dict(light=0.5),
                dict(light=1.3),
                dict(noise=12.0),
                dict(shift=12, light=0.6, noise=6.0),
            ):
                self.assertFalse(self.cut(scene(seed), scene(seed, **change)), (seed, change))

    def test_somebody_who_walks_through_the_picture_ends_no_shot(self):
        before, after = scene(3), scene(3)
        cv2.rectangle(before, (100, 0), (300, 360), 30, -1)
        cv2.rectangle(after, (130, 0), (330, 360), 30, -1)
        self.assertFalse(self.cut(before, after))

    def test_what_hides_half_the_picture_at_once_is_no_plain_cut(self):
        before, hidden = scene(3), scene(3)
        hidden[90:260] = scene(8)[90:260]
        self.assertFalse(is_plain_cut(thumbnail(before), thumbnail(hidden)))
        self.assertTrue(is_plain_cut(thumbnail(before), thumbnail(before[::-1].copy())))

    def test_a_whip_pan_is_a_row_of_cuts(self):
        smear = [cv2.blur(scene(5, shift), (120, 1)) for shift in (-150, 0, 150)]
        self.assertTrue(self.cut(smear[0], smear[1]))
        self.assertTrue(self.cut(smear[1], smear[2]))

    def test_where_nearly_nothing_is_to_be_found_again_the_whole_picture_tells(self):
        black, white = np.full(SIZE[::-1], 5, np.uint8), np.full(SIZE[::-1], 240, np.uint8)
        half = black.copy()
        half[:180] = 240
        self.assertFalse(self.cut(black, black))
        self.assertTrue(self.cut(half, half[::-1].copy()))
        self.assertTrue(self.cut(black, white))


class WithCutsTest(unittest.TestCase):
    def cuts(self, views, shown=None):
        """Numbers of the frames that come, and of those with which a shot begins, when only some are shown."""
        frames = [SimpleNamespace(number=n, grey=lambda view=view: view) for n, view in enumerate(views)]
        told = list(with_cuts([f for f in frames if shown is None or f.number in shown], lambda n: frames[n]))
        return [f.number for f, _ in told], [f.number for f, cut in told if cut]

    def test_each_shot_has_an_end(self):
        frames = [(n, n in (3, 4, 8)) for n in range(10)]
        told = list(with_ends(frames))
        self.assertEqual([(frame, cut) for frame, cut, _ in told], frames)
        self.assertEqual([frame for frame, _, ends in told if ends], [2, 3, 7, 9])
        self.assertEqual(list(with_ends([])), [])

    def test_what_comes_before_damage_is_the_end_of_a_shot_and_counts(self):
        def damaged():
            yield from ((0, False), (1, False))
            raise FrameNotDecoded("damaged", frame=2)

        told = []
        with self.assertRaises(FrameNotDecoded):
            for entry in with_ends(damaged()):
                told.append(entry)
        self.assertEqual(told, [(0, False, False), (1, False, True)])

    def test_cuts_are_seen_and_flicker_and_motion_are_none(self):
        views = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in pictures(8, (9, 4))]
        dark = (views[-1] * 0.5).astype(np.uint8)
        ramp = np.tile(np.linspace(255, 0, 400).astype(np.uint8), (300, 1))
        self.assertEqual(self.cuts([*views, dark, ramp])[1], [9])

    def test_a_cut_between_pictures_of_the_night_is_one_and_their_noise_is_none(self):
        rng = np.random.default_rng(3)
        views = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in pictures(6, (3, 2))]
        ramp = np.tile(np.linspace(255, 0, 400).astype(np.uint8), (300, 1))
        for light in (0.5, 0.3, 0.15):
            night = [
                np.clip(light * v + rng.normal(0, 6, v.shape), 0, 255).astype(np.uint8)
                for v in (*views, ramp, ramp, ramp)
            ]
            self.assertEqual(self.cuts(night)[1], [6], light)
        empty = [np.clip(rng.normal(12, 6, (300, 400)), 0, 255).astype(np.uint8) for _ in range(8)]
        self.assertEqual(self.cuts(empty)[1], [])

    def test_the_light_that_goes_out_is_no_cut_and_a_cut_in_the_dark_is_one(self):
        views = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in pictures(8, (3, 2))]
        dark, flash = np.full_like(views[0], 16), np.full_like(views[0], 235)
        ramp = np.tile(np.linspace(255, 0, 400).astype(np.uint8), (300, 1))
        self.assertEqual(self.cuts([*views[:3], dark, dark, dark, *views[3:6], flash, *views[6:]])[1], [])
        self.assertEqual(self.cuts([*views[:3], dark, dark, ramp, ramp])[1], [5])
        self.assertEqual(self.cuts([dark, dark, *views])[1], [2], "what begins dark begins where something is seen")

    def test_a_cut_is_found_to_the_frame_where_frames_are_left_out(self):
        view = cv2.cvtColor(pictures(1, (0, 0))[0], cv2.COLOR_RGB2GRAY)
        ramp = np.tile(np.linspace(255, 0, 400).astype(np.uint8), (300, 1))
        for begin in (4, 5):
            views = [view] * begin + [ramp] * (10 - begin)
            self.assertEqual(
                self.cuts(views, {0, 2, 4, 6, 8}), (sorted({0, 2, 4, 6, 8} | ({3} if begin == 4 else {5})), [begin])
            )

    def test_a_camera_that_shakes_over_gravel_makes_no_cuts(self):
        rng = np.random.default_rng(5)
        gravel = cv2.GaussianBlur(rng.normal(120, 60, (1100, 1500)).astype(np.float32), (0, 0), 1.6)
        gravel = np.clip(120 + (gravel - 120) * 3, 0, 255)
        views = []
        for n in range(16):
            turn, (x, y) = np.radians(2.5 * np.sin(n * 1.3)), 18 * np.array([np.sin(n * 1.1), np.cos(n * 0.9)])
            there = np.array([[np.cos(turn), -np.sin(turn), x - 100], [np.sin(turn), np.cos(turn), y - 100]])
            views.append(cv2.warpAffine(gravel, there, (1280, 720)).astype(np.uint8))
        self.assertTrue(
            any(is_cut(thumbnail(a), thumbnail(b)) for a, b in zip(views, views[1:])),
            "or there is nothing to tell apart",
        )
        self.assertEqual(self.cuts(views)[1], [])
        shown, cuts = self.cuts(views, {*range(0, 16, 2), 15})
        self.assertTrue({1, 3, 5, 7, 9, 11, 13} & set(shown), "how the camera moved so far in between is looked at")
        self.assertEqual(cuts, [])
        other = cv2.GaussianBlur(rng.normal(120, 60, (720, 1280)).astype(np.float32), (0, 0), 1.6)
        self.assertEqual(
            self.cuts([*views, np.clip(120 + (other - 120) * 3, 0, 255).astype(np.uint8)])[1],
            [16],
            "and other gravel is another shot",
        )

    def test_lamps_that_flicker_over_a_noisy_night_make_no_cuts(self):
        rng = np.random.default_rng(11)

        def night(seed: int, light: float) -> np.ndarray:
            return np.clip(
                cv2.resize(scene(seed), (1280, 720)) * (light / 255) + rng.normal(0, 10, (720, 1280)), 0, 255
            ).astype(np.uint8)

        for seed in range(4):
            views = [night(seed, 35 + 31 * np.sin(n * 0.9) if n % 7 < 5 else 8) for n in range(20)]
            self.assertEqual(self.cuts(views)[1], [], seed)
            self.assertEqual(self.cuts([*views[:9], *(night(seed + 50, 60) for _ in range(5))])[1], [9], seed)

    def test_a_flash_begins_no_shot_and_a_cut_beside_it_does(self):
        flash = lambda n, part=slice(None): self.lit(scene(4, shift=2 * n), part)
        shot = [scene(4, shift=2 * n) for n in range(10)]
        self.assertTrue(is_cut(thumbnail(shot[3]), thumbnail(flash(4))), "or there is nothing to tell apart")
        once = [*shot[:4], flash(4), *shot[5:]]
        self.assertEqual(self.cuts(once), (list(range(10)), []))
        rolling = [*shot[:4], flash(4, slice(0, 200)), flash(5, slice(200, None)), *shot[6:]]
        self.assertEqual(self.cuts(rolling)[1], [])
        long = [*shot[:4], flash(4), flash(5), flash(6), *shot[7:]]
        self.assertEqual(self.cuts(long)[1], [])
        # Every second frame is left out.
        self.assertEqual(self.cuts(once, {0, 2, 4, 6, 8, 9})[1], [])
        other = [scene(54, shift=2 * n) for n in range(6)]
        self.assertEqual(self.cuts([*shot[:4], flash(4), shot[5], *other])[1], [6])
        self.assertEqual(
            self.cuts([*shot[:5], self.lit(other[0]), *other[1:]])[1],
            [5, 6],
            "the first frame of a shot is lit by a flash",
        )
        self.assertEqual(self.cuts([*shot[:9], flash(9)])[1], [9], "nothing comes after it that would tell")

    def lit(self, view, part=slice(None)):
        """A picture of which some rows are lit by a strong flash."""
        bright = view.copy()
        bright[part] = np.clip(view[part] * 4.0 + 60, 0, 255).astype(np.uint8)
        return bright

    def test_a_whip_pan_past_windows_that_are_all_alike_is_no_flash(self):
        # Each third frame shows other windows, nearly as those before it: by chance, and less alike than a shot is.
        wall = self._wall_of_windows()
        places = (0, 0, 0, 213, 427, 640, 853, 1067, 1280, 1493, 1493, 1493)
        still = (0, 1, 2, 10, 11)
        views = [wall[:, x : x + 640] for x in places]
        views = [view if n in still else cv2.blur(view, (80, 1)) for n, view in enumerate(views)]
        self.assertFalse(is_cut(thumbnail(views[3]), thumbnail(views[6])))
        self.assertEqual(self.cuts(views)[1], list(range(3, 11)))

    @staticmethod
    def _wall_of_windows() -> np.ndarray:
        """Windows of 160 px, each of which is a little its own."""
        chance, width = np.random.default_rng(3), 2240

        def pattern(wide: int, size: float) -> np.ndarray:
            made = cv2.GaussianBlur(chance.normal(0, 1, (360, wide)), (0, 0), size)
            return made / made.std()

        windows = np.tile(pattern(160, 6), (1, width // 160))
        all_of_it = windows + 0.5 * pattern(width, 6)
        return np.clip(110 + 36 * all_of_it + 10 * pattern(width, 1.2), 0, 255).astype(np.uint8)

    def test_an_error_is_raised_when_it_is_its_turn(self):
        def damaged():
            for n in range(3):
                yield SimpleNamespace(number=n, grey=lambda n=n: scene(4 + 50 * (n == 2)))
            raise FrameNotDecoded("damaged", frame=3)

        told = []
        with self.assertRaises(FrameNotDecoded):
            for frame, cut in with_cuts(damaged(), None):
                told.append((frame.number, cut))
        self.assertEqual(told, [(0, False), (1, False), (2, True)])


if __name__ == "__main__":
    unittest.main()
