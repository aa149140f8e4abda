"""Whether two pictures are of one shot: whatever moves in it or lights it, and however alike two places are."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from skiagraph.errors import FrameNotDecoded
from skiagraph.track.camera import CameraMotion, Views, is_cut, is_plain_cut, motion_between, newly_seen, newly_seen_parts, thumbnail, with_cuts, with_ends
from tests.track.test_following import pictures

SIZE = 640, 360


def scene(seed: int, shift: int = 0, light: float = 1.0, noise: float = 0.0) -> np.ndarray:
    """A bright wall above a dark floor, as every place here has them, with things by lot in it; uint8 grey. shift: px to the right."""
    rng = np.random.default_rng(seed)
    picture = np.full((SIZE[1], SIZE[0] + 400), 70, np.uint8)
    picture[:200] = 190
    for _ in range(60):
        x, y, size, tone = int(rng.integers(0, SIZE[0] + 400)), int(rng.integers(0, SIZE[1])), int(rng.integers(10, 60)), int(rng.integers(-50, 50))
        picture[y:y + size, x:x + size] = np.clip(picture[y:y + size, x:x + size].astype(int) + tone, 0, 255)
    part = picture[:, 200 + shift:200 + shift + SIZE[0]] * light + np.random.default_rng((seed, 200 + shift)).normal(0, noise, SIZE[::-1])
    return np.clip(part, 0, 255).astype(np.uint8)


class ViewsTest(unittest.TestCase):
    def test_heads_are_as_far_down_as_in_the_first_frame_whatever_the_camera_does(self):
        rng = np.random.default_rng(7)
        angle, size, way = rng.uniform(-60, 60, 12), rng.uniform(0.6, 1.7, 12), rng.uniform(-200, 200, (12, 2))
        turn = np.radians(angle)
        similarities = np.stack([np.stack([size * np.cos(turn), -size * np.sin(turn), way[:, 0]], 1), np.stack([size * np.sin(turn), size * np.cos(turn), way[:, 1]], 1)], 1)
        views, frames = Views(np.arange(0, 36, 3), similarities), np.arange(1, 36, 3)
        for lean, wanted in ((0.0, 90.0), (90.0, -300.0), (180.0, -90.0)):
            points = similarities[:, :, :2] @ (300.0, 90.0) + similarities[:, :, 2]
            np.testing.assert_allclose(views.down(frames, points, lean + angle), wanted, atol=1e-6)
        np.testing.assert_allclose(views.scale(frames), size)
        np.testing.assert_allclose(Views.still().down(np.array([4, 9]), np.array([(1.0, 2), (3, 4)]), np.array([179.0, -179.0])), (-2, -4), err_msg="upside down")
        np.testing.assert_array_equal(Views.still().down(np.array([4, 9]), np.array([(1.0, 2), (3, 4)]), np.zeros(2)), (2, 4))


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
            for change in (dict(shift=8), dict(shift=24), dict(light=0.5), dict(light=1.3), dict(noise=12.0), dict(shift=12, light=0.6, noise=6.0)):
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


class CameraTest(unittest.TestCase):
    def test_shift_is_measured(self):
        camera = CameraMotion()
        views = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in pictures(6, (3, 2))]
        camera.step(views[0])
        for n, view in enumerate(views[1:], 1):
            self.assertLess(np.abs(camera.step(view)[:, 2] - (3 * n, 2 * n)).max(), 0.5)

    def test_somebody_before_a_calm_sea_is_not_what_stands_still(self):
        def view(n):
            sea = cv2.GaussianBlur(np.random.default_rng(8).normal(120, 60, (SIZE[1], SIZE[0] + 200)), (0, 0), 3)
            picture = np.clip(sea[:, 6 * n:6 * n + SIZE[0]], 0, 255).astype(np.uint8)
            # The camera goes along with them, and they have by far the best corners.
            picture[100:300, 250:390] = np.random.default_rng(9).integers(80, 180, (20, 14), dtype=np.uint8).repeat(10, axis=0).repeat(10, axis=1)
            return picture

        camera = CameraMotion()
        views = [camera.step(view(n)) for n in range(10)]
        self.assertLess(np.abs(views[-1] - [[1, 0, -54], [0, 1, 0]]).max(), 2)

    def test_what_is_newly_seen_is_a_share_of_the_picture(self):
        moved = lambda x, y=0.0, zoom=1.0: np.array([[zoom, 0, x], [0, zoom, y]])
        for earlier, later, share in ((moved(0), moved(0), 0), (moved(0), moved(-64), .1), (moved(30), moved(-34), .1), (moved(0), moved(640), 1), (moved(0), moved(0, 0, 1.2), 0), (moved(0), moved(160, 90, .5), .75)):
            self.assertAlmostEqual(newly_seen(earlier, later, SIZE), share, places=4)

    def test_parts_are_where_more_has_come_into_the_picture(self):
        moved = lambda x, y=0.0, zoom=1.0: np.array([[zoom, 0, x], [0, zoom, y]])
        for later, parts in ((moved(0), []), (moved(-64), [(546, 0, 640, 360)]), (moved(0, 18), [(0, 0, 640, 48)]), (moved(0, 0, 1.2), []),
                             (moved(64, 36, .8), [(0, 0, 94, 360), (0, 0, 640, 66), (546, 0, 640, 360), (0, 294, 640, 360)]), (moved(-2000), [(0, 0, 640, 360)])):
            np.testing.assert_allclose(newly_seen_parts(moved(0), later, SIZE, 30), np.reshape(parts, (-1, 4)), atol=1e-3)

    def test_a_flash_hides_no_motion(self):
        camera, views = CameraMotion(), []
        for n in range(12):
            light = np.full(SIZE[::-1], 255, np.uint8) if n in (5, 6) else scene(4, 4 * n)
            views.append(camera.step(light))
        for earlier, later in ((0, 4), (4, 7), (2, 11)):
            self.assertLess(np.abs(motion_between(views[earlier], views[later]) - [[1, 0, -4 * (later - earlier)], [0, 1, 0]]).max(), 1.5)

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
            night = [np.clip(light * v + rng.normal(0, 6, v.shape), 0, 255).astype(np.uint8) for v in (*views, ramp, ramp, ramp)]
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
            self.assertEqual(self.cuts(views, {0, 2, 4, 6, 8}), (sorted({0, 2, 4, 6, 8} | ({3} if begin == 4 else {5})), [begin]))

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
        self.assertEqual(self.cuts([*shot[:5], self.lit(other[0]), *other[1:]])[1], [5, 6], "the first frame of a shot is lit by a flash")
        self.assertEqual(self.cuts([*shot[:9], flash(9)])[1], [9], "nothing comes after it that would tell")

    def lit(self, view, part=slice(None)):
        """A picture of which some rows are lit by a strong flash."""
        bright = view.copy()
        bright[part] = np.clip(view[part] * 4.0 + 60, 0, 255).astype(np.uint8)
        return bright

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
