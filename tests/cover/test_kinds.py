"""What hides: strength follows the face, nothing finer than a block or a blur is left, nothing shimmers, and all depths
are served."""

import unittest

import cv2
import numpy as np

from skiagraph.cover.cover import Cover, Style
from tests.cover.regions import noise, region

Blur, Haze, Mosaic, Solid, Dissolve = (Cover.kinds[k] for k in ("blur", "haze", "mosaic", "solid", "dissolve"))
BOX = (30, 20, 110, 100)
# One value of a cell against the next, of 255: what is quantised is off by half of it at most.
STEP = 256 / 64


class MosaicTest(unittest.TestCase):
    def test_it_is_flat_in_blocks_of_their_mean(self):
        plane = noise()
        out = Mosaic(4, even=0, tall=0.8).hide(region(plane, BOX))
        self.assertEqual(out.shape, (80, 80))
        for row in range(0, 80, 16):
            for column in range(0, 80, 20):
                block = out[row : row + 16, column : column + 20]
                self.assertEqual(len(np.unique(block)), 1)
                self.assertAlmostEqual(
                    float(block[0, 0]),
                    plane[20 + row : 36 + row, 30 + column : 50 + column].mean(),
                    delta=STEP / 2 + 0.51,
                )

    def test_the_grid_travels_with_the_face_or_stays_in_the_picture(self):
        plane = noise((200, 200))
        shifted = np.roll(plane, (7, 11), axis=(0, 1))
        here, there = (
            region(plane, (40, 40, 100, 100), size=(60, 60)),
            region(shifted, (51, 47, 111, 107), size=(60, 60)),
        )
        np.testing.assert_array_equal(Mosaic(5).hide(here), Mosaic(5).hide(there))
        still = Mosaic(5, grid="picture").hide(here)
        self.assertFalse(np.array_equal(still, Mosaic(5, grid="picture").hide(there)))
        self.assertEqual(
            len(np.unique(still[:, 8:20])),
            len(np.unique(still[:, 8])),
            "a line of the grid of 12 px lies at 48, whatever moves",
        )

    def test_blocks_do_not_shimmer_when_the_subject_moves_by_part_of_a_px(self):
        """Each quarter of a px changes what is seen by a quarter of what a whole px does, and never jumps."""
        plane = cv2.GaussianBlur(noise((160, 160)), (0, 0), 4).astype(np.uint8)
        for cover in (Mosaic(5), Mosaic(5, rounded=1.0), Blur(0.2)):
            seen = [
                cover.hide(region(plane, (30, 30, 110, 110), corner=(30 + n / 4, 30 + n / 4))).astype(float)
                for n in range(9)
            ]
            steps = [np.abs(b - a).mean() for a, b in zip(seen, seen[1:])]
            self.assertLess(max(steps), 0.6 * np.abs(seen[4] - seen[0]).mean() + 1.0, cover.word)

    def test_round_blocks_show_the_mean_between_them_and_uneven_ones_keep_their_place(self):
        plane = noise()
        plain, dots = (Mosaic(4, even=0, rounded=r).hide(region(plane, BOX)) for r in (0.0, 1.0))
        self.assertEqual(int(plain[10, 10]), int(dots[10, 10]))
        self.assertAlmostEqual(float(dots[0, 0]), plain.mean(), delta=3)
        uneven = [Mosaic(4, even=0, jitter=1.0).hide(region(plane, BOX)) for _ in range(2)]
        np.testing.assert_array_equal(*uneven)
        self.assertFalse(np.array_equal(uneven[0], plain))
        lines = np.flatnonzero(np.abs(np.diff(uneven[0].astype(int), axis=1)).max(axis=0) > 3)
        self.assertGreater(len(set(np.diff(lines[np.diff(lines, prepend=-9) > 2]))), 1)

    def test_blocks_at_the_border_of_the_region_do_not_change_with_it(self):
        plane = noise()
        whole = Mosaic(4, even=0).hide(region(plane, BOX))
        part = Mosaic(4, even=0).hide(region(plane, (37, 26, 100, 90), corner=(30, 20)))
        np.testing.assert_array_equal(part, whole[6:70, 7:70])


class BlurTest(unittest.TestCase):
    def test_it_is_a_gaussian_as_good_as_the_slow_one(self):
        plane = cv2.GaussianBlur(noise(), (0, 0), 1.0)
        for sigma in (1.0, 4.0, 12.0):
            slow = cv2.GaussianBlur(plane.astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)[
                20:100, 30:110
            ]
            self.assertLess(np.abs(Blur(sigma / 80, even=0).hide(region(plane, BOX)) - slow).mean(), 4.5, sigma)

    def test_more_leaves_less(self):
        for kind, sizes in ((Blur, (0.02, 0.06, 0.15)), (Haze, (0.05, 0.1, 0.3))):
            spreads = [kind(s).hide(region(noise(), BOX)).astype(float).std() for s in sizes]
            self.assertTrue(spreads[0] > spreads[1] > spreads[2], spreads)

    def test_it_does_not_depend_on_what_lies_far_away(self):
        plane = noise()
        other = plane.copy()
        other[:, 150:] = 0
        box = (10, 20, 60, 100)
        np.testing.assert_array_equal(Blur(0.08).hide(region(plane, box)), Blur(0.08).hide(region(other, box)))

    def test_no_dark_border_at_the_edge_of_the_picture_and_no_blocks(self):
        plane = np.full((120, 160), 200, np.uint8)
        for box in ((0, 0, 60, 60), (100, 60, 160, 120)):
            for cover in (Blur(0.3), Mosaic(3)):
                self.assertLessEqual(
                    int(
                        np.abs(
                            cover.hide(region(plane, box, corner=(box[0] - 7.3, box[1] + 2.6))).astype(int) - 200
                        ).max()
                    ),
                    STEP / 2,
                )
        ramp = np.broadcast_to(np.linspace(20, 230, 160), (120, 160)).astype(np.uint8)
        line = Blur(0.3).hide(region(ramp, (20, 20, 140, 100), size=(120, 80)))[40].astype(float)
        self.assertLess(np.abs(np.diff(line, 2)).max(), 1.6, "a slope stays one, without steps")

    def test_haze_is_pale_and_flat(self):
        plane = np.where(np.indices((120, 160))[1] % 80 < 40, 10, 220).astype(np.uint8)
        blurred, hazy = Blur(0.2, even=0).hide(region(plane, BOX)), Haze(0.2, lift=0.6).hide(region(plane, BOX))
        self.assertGreater(int(hazy.min()), int(blurred.min()) + 50)
        self.assertLess(hazy.astype(float).std(), 0.5 * blurred.astype(float).std())

    def test_so_little_is_left_that_it_is_a_picture_of_few_cells(self):
        """Whatever stands in the source: what is seen has no more freedom than its cells, so that no deconvolution can
        find more."""
        seen = np.array([Blur(0.24, even=0).hide(region(noise(seed=n), BOX)).astype(float).ravel() for n in range(200)])
        strengths = np.linalg.svd(seen - seen.mean(axis=0), compute_uv=False)
        self.assertLess(np.count_nonzero(strengths > 0.05 * strengths[0]), 64)


class FilledTest(unittest.TestCase):
    def alpha(self):
        y, x = np.mgrid[0:80, 0:80] - 39.5
        return (np.hypot(x, y) < 36).astype(np.uint8) * 255

    def test_dissolve_holds_nothing_of_what_is_inside(self):
        alpha, around = self.alpha(), cv2.GaussianBlur(noise(), (0, 0), 6)
        inside = np.zeros((120, 160), bool)
        inside[20:100, 30:110] = alpha > 0
        one, other = np.where(inside, noise(seed=3), around), np.where(inside, 255, around)
        np.testing.assert_array_equal(
            Dissolve().hide(region(one, BOX, alpha=alpha)), Dissolve().hide(region(other, BOX, alpha=alpha))
        )
        np.testing.assert_array_equal(
            Solid(sampled="around").hide(region(one, BOX, alpha=alpha)),
            Solid(sampled="around").hide(region(other, BOX, alpha=alpha)),
        )

    def test_dissolve_goes_over_into_what_is_around_and_is_steady(self):
        ramp = np.broadcast_to(np.linspace(20, 230, 160), (120, 160)).astype(np.uint8)
        seen = Dissolve().hide(region(ramp, BOX, alpha=self.alpha())).astype(float)
        inside = self.alpha() > 0
        self.assertLess(np.abs(seen - ramp[20:100, 30:110])[inside].max(), 12)
        rng = np.random.default_rng(2)
        frames = [
            Dissolve()
            .hide(
                region(np.clip(ramp + rng.normal(0, 6, ramp.shape), 0, 255).astype(np.uint8), BOX, alpha=self.alpha())
            )
            .astype(float)
            for _ in range(4)
        ]
        self.assertLess(np.std(frames, axis=0)[inside].mean(), 2.0, "noise around is not seen inside")

    def test_where_nothing_is_around_it_is_grey(self):
        for cover in (Dissolve(), Solid(sampled="around")):
            seen = cover.hide(region(noise(), (0, 0, 160, 120)))
            self.assertLess(int(seen.max()) - int(seen.min()), 2)


class EveryKindTest(unittest.TestCase):
    def test_all_depths(self):
        for depth in (8, 10, 12):
            plane = noise(depth=depth)
            for kind in Cover.kinds.values():
                out = kind().hide(region(plane, BOX, depth=depth, corner=(30.3, 20.7)))
                self.assertEqual((out.dtype, out.shape), (plane.dtype, (80, 80)), kind.word)
                self.assertLess(int(out.max()), 1 << depth)

    def test_regions_at_the_edges_and_of_one_sample(self):
        plane = noise()
        for box in ((0, 0, 1, 1), (159, 119, 160, 120), (0, 0, 160, 120), (0, 50, 3, 52)):
            for kind in Cover.kinds.values():
                for corner in ((box[0] - 5.5, box[1] - 2.5), box[:2]):
                    self.assertEqual(
                        kind().hide(region(plane, box, corner=corner)).shape,
                        (box[3] - box[1], box[2] - box[0]),
                        kind.word,
                    )

    def test_what_does_not_hide_by_itself_lies_on_what_does(self):
        for cover in (Solid(opacity=0.2), Cover.kinds["picture"](), Cover.kinds["caption"]()):
            self.assertFalse(cover.hides_alone)
            self.assertTrue(Style((cover,)).laid[0].hides_alone)
            self.assertEqual(Style((Mosaic(3), cover)).laid, (Mosaic(3), cover))

    def test_strength_is_kept_by_who_is_made_stronger_and_back(self):
        for kind in Cover.kinds.values():
            self.assertGreaterEqual(kind().stronger(2).strength(), kind().strength(), kind.word)
            self.assertTrue(kind.word and kind.tip and kind().state(), kind)
