"""Pictures to lay over: every kind with its transparency and its time, and a sentence for what is none."""

from fractions import Fraction

import av
import numpy as np
from PIL import Image

from skiagraph.errors import CannotOpenMedia
from skiagraph.media.overlays import MOST_PX, overlay_at
from tests.support import TemporaryFolder


def film(path, encoder, pixel_format, frames=6):
    """A film whose left half is transparent."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream(encoder, rate=Fraction(12))
        stream.width, stream.height, stream.pix_fmt = 64, 48, pixel_format
        for n in range(frames):
            rgba = np.full((48, 64, 4), (200, 20 * n, 30, 255), np.uint8)
            rgba[:, :32, 3] = 0
            for packet in stream.encode(av.VideoFrame.from_ndarray(rgba, format="rgba")):
                out.mux(packet)
        for packet in stream.encode(None):
            out.mux(packet)
    return path


class OverlayTest(TemporaryFolder):
    def test_films_keep_their_transparency(self):
        for name, encoder, pixel_format in (
            ("a.mov", "prores_ks", "yuva444p10le"),
            ("b.mov", "qtrle", "argb"),
            ("c.webm", "libvpx-vp9", "yuva420p"),
            ("d.mov", "png", "rgba"),
        ):
            with self.subTest(name=name, encoder=encoder):
                overlay = overlay_at(film(self.folder / name, encoder, pixel_format))
                self.assertEqual((len(overlay.pictures), overlay.moves), (6, True))
                self.assertAlmostEqual(overlay.ends[-1], 0.5, places=2)
                first = overlay.pictures[0]
                self.assertTrue(first[20, 10, 3] < 20 and first[20, 50, 3] > 235, first[20, ::12, 3])
                self.assertGreater(int(overlay.at(0.45)[20, 50, 1]), int(overlay.at(0.0)[20, 50, 1]) + 60)
                np.testing.assert_array_equal(overlay.at(0.5), first)
                np.testing.assert_array_equal(overlay.at(7.0, loop=False), overlay.pictures[-1])

    def test_large_pictures_are_made_smaller_and_a_changed_file_is_read_again(self):
        path = self.folder / "large.png"
        Image.new("RGBA", (3000, 1500), (1, 2, 3, 255)).save(path)
        self.assertEqual(overlay_at(path).pictures[0].shape, (MOST_PX // 2, MOST_PX, 4))
        Image.new("RGB", (30, 20), (9, 9, 9)).save(path)
        self.assertEqual(overlay_at(path).pictures[0][0, 0].tolist(), [9, 9, 9, 255])

    def test_what_is_none_is_a_sentence(self):
        for name, content in (
            ("text.png", b"no picture"),
            ("empty.webp", b""),
            ("cut.gif", b"GIF89a"),
            ("no.mov", b"\x00" * 400),
        ):
            path = self.folder / name
            path.write_bytes(content)
            with self.assertRaises(CannotOpenMedia) as caught:
                overlay_at(path)
            self.assertSentence(str(caught.exception), name)
        with self.assertRaises(CannotOpenMedia) as caught:
            overlay_at(self.folder / "gone.png")
        self.assertSentence(str(caught.exception), "gone.png", "choose it again")
