"""The measure of strength: it orders covers as everybody knows them, sees through none, and finds the weakest that is
safe."""

import unittest

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.strength import CYCLES, STRENGTH, Safety, detail_left, safety, transfer, weakest_safe

Blur, Mosaic, Solid, Dissolve, Caption = (Cover.kinds[k] for k in ("blur", "mosaic", "solid", "dissolve", "caption"))


class StrengthTest(unittest.TestCase):
    def test_finer_covers_leave_more(self):
        for weaker, stronger in (
            (Mosaic(9, even=0), Mosaic(4, even=0)),
            (Blur(0.06, even=0), Blur(0.16, even=0)),
            (Blur(0.1, even=0), Blur(0.1, even=0.8)),
        ):
            self.assertGreater(detail_left(Style.of(weaker)), detail_left(Style.of(stronger)), (weaker, stronger))

    def test_a_mosaic_passes_what_its_blocks_can_hold(self):
        """Half a cycle for each block across, and little beyond (the sampling theorem)."""
        for blocks in (4, 6, 9):
            left = detail_left(Style.of(Mosaic(blocks, even=0)))
            self.assertTrue(0.9 * blocks / 2 * STRENGTH.face_share < left < 1.7 * blocks / 2, (blocks, left))

    def test_a_blur_passes_what_a_gaussian_passes(self):
        import numpy as np

        passed = transfer(Style((Blur(0.1, even=0),), 0.0, 0.0))
        sigma = 0.1 * 1.3 / STRENGTH.face_share
        for n in (6, 8):
            self.assertAlmostEqual(passed[n], float(np.exp(-2 * np.pi**2 * sigma**2 * CYCLES[n] ** 2)), delta=0.1)

    def test_what_holds_nothing_of_the_face_leaves_nothing(self):
        for cover in (Solid(), Dissolve(), Solid(sampled="around")):
            self.assertEqual(detail_left(Style.of(cover)), 0.0)
        self.assertEqual(detail_left(Style((Solid(), Caption()))), 0.0, "words are no detail of a face")

    def test_what_does_not_hide_is_measured_on_its_ground(self):
        self.assertEqual(safety(detail_left(Style.of(Caption()))), Safety.SAFE)
        self.assertEqual(safety(detail_left(Style.of(Solid(opacity=0.1)))), Safety.SAFE)

    def test_a_small_face_holds_no_more_than_its_px(self):
        style = Style.of(Mosaic(12, even=0))
        self.assertEqual(detail_left(style, 5.0), 2.5)
        self.assertEqual(detail_left(style, 500.0), detail_left(style))

    def test_the_weakest_that_is_safe(self):
        for cover in (Mosaic(9, even=0), Blur(0.05, even=0)):
            made = weakest_safe(Style.of(cover))
            self.assertEqual(safety(detail_left(made)), Safety.SAFE)
            self.assertEqual(made.cover.kind, cover.kind)
            self.assertGreater(detail_left(made), 0.5 * STRENGTH.safe_cycles)
        fine = Style.of(Solid())
        self.assertIs(weakest_safe(fine), fine)

    def test_every_kind_is_safe_as_it_is_by_itself(self):
        for kind in Cover.kinds.values():
            self.assertEqual(safety(detail_left(Style.of(kind()))), Safety.SAFE, kind.word)
