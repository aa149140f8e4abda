"""Pictures, words and labels: they lie where the outline lies, keep their holes, read both ways, and lay nothing
open."""

import numpy as np
from PIL import Image

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.label import Label, label_layer
from skiagraph.cover.layer import layer_of, matte_of
from skiagraph.cover.lettering import lettered, reads_from_right, visible
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Outline
from tests.support import TemporaryFolder, make_clip

Caption, Picture, Solid = (Cover.kinds[k] for k in ("caption", "picture", "solid"))
SIZE = (200, 160)


def half_red(path, holes=False):
    """The left half red and the right half blue; holes: the lower half is transparent."""
    rgba = np.zeros((60, 80, 4), np.uint8)
    rgba[:, :40], rgba[:, 40:] = (220, 30, 30, 255), (30, 30, 220, 255)
    if holes:
        rgba[30:, :, 3] = 0
    Image.fromarray(rgba).save(path)
    return str(path)


class PaintingTest(TemporaryFolder):
    def frame(self, pixel_format="yuv444p", rotation=0, n=0):
        path = make_clip(
            self.folder / f"{pixel_format}{rotation}.mkv",
            30,
            size=SIZE,
            encoder="ffv1",
            pixel_format=pixel_format,
            rotation=rotation,
            draw=lambda n, w, h: np.full((h, w, 3), 128, np.uint8),
        )
        with FrameReader(*open_clip(path)) as reader:
            return reader.read(n)

    def shown(self, covers, *, frame=None, angle=0.0, began=0, **place):
        frame = frame or self.frame()
        outline = Outline.at(
            place.get("cx", 100), place.get("cy", 80), place.get("width", 80), place.get("height", 60), angle
        )
        layer = layer_of(
            "s", Style(covers, 0, 0), outline, frame.size if not frame.rotation % 180 else frame.size[::-1], began
        )
        return with_layers(frame, [layer]).rgb().astype(int), layer

    def test_a_picture_turns_and_grows_with_the_outline(self):
        file = half_red(self.folder / "p.png")
        shown, _ = self.shown((Picture(file),))
        self.assertTrue(shown[80, 80, 0] > 180 and shown[80, 120, 2] > 180)
        turned, _ = self.shown((Picture(file),), angle=90)
        self.assertTrue(turned[60, 100, 0] > 180 and turned[100, 100, 2] > 180, "a quarter clockwise: left is above")
        larger, _ = self.shown((Picture(file),), width=160, height=120)
        self.assertTrue(larger[80, 40, 0] > 180 and larger[80, 160, 2] > 180)

    def test_it_is_the_same_in_every_layout_and_in_turned_clips(self):
        file = half_red(self.folder / "p.png")
        for name in ("yuv420p", "yuv422p10le", "gbrp10le", "yuv420p12le"):
            shown, _ = self.shown((Picture(file),), frame=self.frame(name))
            np.testing.assert_allclose(shown[80, 80], (220, 30, 30), atol=8, err_msg=name)
            np.testing.assert_allclose(shown[80, 120], (30, 30, 220), atol=8, err_msg=name)
        for rotation in (90, 180, 270):
            shown, _ = self.shown((Picture(file),), frame=self.frame(rotation=rotation), cx=80, cy=80)
            self.assertTrue(shown[80, 62, 0] > 180 and shown[80, 98, 2] > 180, rotation)

    def test_how_it_is_fitted(self):
        file = half_red(self.folder / "p.png")
        grey = (Solid((0, 255, 0)),)
        for fit, seen in (("fill", (220, 30, 30)), ("stretch", (220, 30, 30)), ("whole", (0, 255, 0))):
            shown, _ = self.shown((*grey, Picture(file, fit)), width=60, height=120)
            np.testing.assert_allclose(shown[80 - 50, 94], seen, atol=12, err_msg=fit)

    def test_holes_show_the_cover_beneath_and_never_the_source(self):
        file = half_red(self.folder / "p.png", holes=True)
        shown, _ = self.shown((Solid((0, 255, 0)), Picture(file)))
        self.assertTrue(shown[66, 90, 0] > 180 and shown[96, 100, 1] > 200)

        def noisy(n, w, h):
            return np.random.default_rng(n).integers(0, 256, (h, w, 3), dtype=np.uint8)

        path = make_clip(self.folder / "n.mkv", 1, size=SIZE, encoder="ffv1", pixel_format="gray", draw=noisy)
        with FrameReader(*open_clip(path)) as reader:
            frame = reader.read(0)
        for cover in (
            Picture(file),
            Picture(""),
            Caption("x", opacity=0.0),
            Solid(opacity=0.1),
            Picture(file, opacity=0.1),
        ):
            layer = layer_of("s", Style.of(cover, 0, 0), Outline.at(100, 80, 80, 60), SIZE)
            x0, y0, x1, y1 = layer.box
            seen = with_layers(frame, [layer]).planes()[0][y0:y1, x0:x1].astype(float)
            source = frame.planes()[0][y0:y1, x0:x1].astype(float)
            inside = layer.alpha == 255
            self.assertLess(abs(np.corrcoef(seen[inside], source[inside])[0, 1]), 0.15, cover)

    def test_a_moving_picture_goes_on_with_the_frames_of_its_sighting(self):
        colours = [Image.new("RGBA", (40, 30), c) for c in ((250, 0, 0, 255), (0, 250, 0, 255), (0, 0, 250, 255))]
        for suffix, more in ((".gif", {"disposal": 2}), (".webp", {"lossless": True}), (".png", {})):
            path = self.folder / f"m{suffix}"
            colours[0].save(path, save_all=True, append_images=colours[1:], duration=80, loop=0, **more)
            for after, last in (("loop", 0), ("hold", 2)):
                for n, strongest in ((10, 0), (12, 1), (14, 2), (16, last)):
                    shown, _ = self.shown((Picture(str(path), after=after),), frame=self.frame(n=n), began=10)
                    self.assertEqual(int(np.argmax(shown[80, 100])), strongest, f"{suffix} {after} {n}")

    def test_words_lie_inside_and_read_from_right_to_left_where_they_do(self):
        shown, layer = self.shown(
            (Solid((0, 0, 0)), Caption("NAME WITHHELD", ground=(0, 0, 0), colour=(255, 255, 255)))
        )
        bright = np.argwhere(shown[..., 1] > 180)
        self.assertGreater(len(bright), 60)
        (y0, x0), (y1, x1) = bright.min(axis=0), bright.max(axis=0)
        self.assertTrue(60 < x0 and x1 < 140 and 50 < y0 and y1 < 110)
        self.assertTrue(reads_from_right("שם חסוי") and reads_from_right("  الاسم") and not reads_from_right("Name ש"))
        self.assertEqual(visible("שם"), "םש")
        self.assertNotEqual(visible("محجوب"), "محجوب"[::-1], "Arabic letters are joined")
        mixed = visible("שם NAME")
        self.assertTrue(mixed.startswith("NAME"), "words of the other direction keep their own")

    def test_a_box_has_its_border_and_its_opacity(self):
        box = lettered("x", (255, 255, 255), (10, 20, 30), 0.5, 0.1, (200, 0, 0), 0.0)
        self.assertEqual((box[0, 0].tolist(), box[10, 10].tolist()), ([200, 0, 0, 255], [10, 20, 30, 128]))
        tall = lettered("one two three four five six", (0,) * 3, (0,) * 3, 1.0, 0.0, (0,) * 3, 1.0)
        self.assertLess(tall.shape[1] / tall.shape[0], 2.5, "broken into lines")

    def test_a_label_stands_beside_and_hides_nobody(self):
        outline = Outline.at(100, 60, 40, 50)
        for side, where in (("above", (100, -1)), ("below", (100, 1)), ("left", (-1, 60)), ("right", (1, 60))):
            layer = label_layer("s", Label(Caption("Clerk", ground=(255, 0, 0)), side, 0.3), outline, SIZE)
            x0, y0, x1, y1 = layer.box
            middle = (x0 + x1) / 2, (y0 + y1) / 2
            for axis in range(2):
                if abs(where[axis]) == 1:
                    self.assertGreater((middle[axis] - (100, 60)[axis]) * where[axis], 20, side)
            self.assertFalse(matte_of([layer], SIZE).any())
        near_edge = label_layer("s", Label.of("A long label of somebody"), Outline.at(190, 150, 40, 50), SIZE)
        self.assertTrue(near_edge.box[0] >= 0 and near_edge.box[2] <= 200 and near_edge.box[3] <= 160)
        self.assertIsNone(label_layer("s", Label.of("  "), outline, SIZE))
        self.assertIsNone(label_layer("s", Label.of("x"), Outline.at(-300, 50, 40, 50), SIZE))
