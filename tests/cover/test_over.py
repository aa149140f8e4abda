"""Covers over covers: where two overlap, what is seen is never finer than either."""

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.layer import layer_of
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Cover, Outline, Style
from tests.support import TemporaryFolder, make_clip

Blur, Mosaic, Solid = (Cover.kinds[k] for k in ("blur", "mosaic", "solid"))


def noisy(n, width, height):
    return np.random.default_rng(n).integers(0, 256, (height, width, 3), dtype=np.uint8)


class OverTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        path = make_clip(self.folder / "a.mkv", 1, size=(200, 160), encoder="ffv1", pixel_format="gray", draw=noisy)
        with FrameReader(*open_clip(path)) as reader:
            self.frame = reader.read(0)

    def layer(self, cover, cx, cy, size, **more):
        return layer_of("s", Style.of(cover, 0, more.pop("feather", 0)), Outline.at(cx, cy, size, size), (200, 160))

    def shown(self, *layers):
        return with_layers(self.frame, list(layers)).planes()[0]

    def test_a_small_mosaic_over_a_large_solid_brings_nothing_back(self):
        solid, small = self.layer(Solid((0, 0, 0)), 100, 80, 120), self.layer(Mosaic(9), 100, 80, 50)
        for order in ((solid, small), (small, solid)):
            shown = self.shown(*order)
            x0, y0, x1, y1 = small.box
            self.assertEqual(set(shown[y0:y1, x0:x1][small.alpha == 255].tolist()), {0})

    def test_where_two_overlap_nothing_of_the_source_shows_that_one_of_them_hides(self):
        """Change the source only under a cover that hides everything: whatever lies over it, nothing of the change is
        seen there."""
        solid = self.layer(Solid((90, 90, 90)), 90, 80, 80)
        inside = np.zeros((160, 200), bool)
        x0, y0, x1, y1 = solid.box
        inside[y0:y1, x0:x1] = solid.alpha == 255
        for other in (Blur(0.2), Mosaic(6), Solid((10, 20, 30))):
            for feather in (0, 0.4):
                over = self.layer(other, 120, 80, 70, feather=feather)
                before = self.shown(solid, over)
                changed = self.frame.writable()
                changed.planes()[0][inside] = 255 - changed.planes()[0][inside]
                after = with_layers(changed, [solid, over]).planes()[0]
                np.testing.assert_array_equal(before, after, str(other))

    def test_a_cover_under_another_is_as_coarse_as_both(self):
        fine, coarse = self.layer(Mosaic(12, even=0), 100, 80, 60), self.layer(Mosaic(3, even=0), 100, 80, 60)
        for order in ((fine, coarse), (coarse, fine)):
            x0, y0, x1, y1 = coarse.box
            values = self.shown(*order)[y0:y1, x0:x1][coarse.alpha == 255]
            self.assertLess(
                values.astype(float).std(),
                1.3 * self.shown(coarse)[y0:y1, x0:x1][coarse.alpha == 255].astype(float).std() + 1,
            )

    def test_several_covers_on_one_subject_are_laid_in_order(self):
        both = layer_of("s", Style((Mosaic(4), Blur(0.3)), 0, 0), Outline.at(100, 80, 60, 60), (200, 160))
        one = layer_of("s", Style((Mosaic(4),), 0, 0), Outline.at(100, 80, 60, 60), (200, 160))
        x0, y0, x1, y1 = both.box
        inside = both.alpha == 255
        self.assertLess(
            self.shown(both)[y0:y1, x0:x1][inside].astype(float).std(),
            self.shown(one)[y0:y1, x0:x1][inside].astype(float).std(),
        )
