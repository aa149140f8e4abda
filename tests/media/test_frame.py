"""Frames keep the decoder's samples; colours on the screen follow matrix and range."""

import unittest
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np

from skiagraph.media.frame import plane_layout, stored, upright
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from tests.support import TemporaryFolder, make_clip


def bars(n, width, height):
    picture = np.zeros((height, width, 3), np.uint8)
    for k, colour in enumerate(((220, 40, 40), (40, 200, 60), (50, 60, 210), (230, 230, 230))):
        picture[:, k * width // 4 : (k + 1) * width // 4] = colour
    return picture


class FrameTest(TemporaryFolder):
    def first(self, path):
        info, index = open_clip(path)
        with FrameReader(info, index) as reader:
            return reader.read(0)

    def test_planes_are_the_decoders_samples(self):
        for name in ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p12le", "gray", "gbrp10le"):
            with self.subTest(name):
                path = make_clip(
                    self.folder / f"{name}.mkv", 2, encoder="ffv1", pixel_format=name, options={"level": 3}
                )
                with av.open(str(path)) as container:
                    truth = next(container.decode(video=0))
                frame = self.first(path)
                self.assertEqual(frame.layout.name, name)
                for n, plane in enumerate(frame.planes()):
                    raw = np.frombuffer(truth.planes[n], frame.layout.dtype).reshape(
                        -1, truth.planes[n].line_size // frame.layout.dtype.itemsize
                    )
                    self.assertTrue(np.array_equal(plane, raw[: plane.shape[0], : plane.shape[1]]))

    def test_writable_copy_leaves_the_original(self):
        frame = self.first(make_clip(self.folder / "a.mkv", 2, encoder="ffv1"))
        before = [p.copy() for p in frame.planes()]
        twin = frame.writable()
        for plane in twin.planes():
            plane[:] = 7
        self.assertTrue(all(np.array_equal(a, b) for a, b in zip(before, frame.planes())))
        self.assertEqual((twin.pts, twin.number), (frame.pts, frame.number))

    def test_screen_colours_follow_matrix_and_range(self):
        expected = bars(0, 160, 96)
        for matrix, code in (("ITU601", 5), ("ITU709", 1)):
            for range_name, range_code in (("MPEG", 1), ("JPEG", 2)):
                with self.subTest(matrix=matrix, range=range_name):
                    path = self.folder / f"{matrix}{range_name}.mkv"
                    with av.open(str(path), "w") as out:
                        stream = out.add_stream("ffv1", rate=Fraction(25))
                        context = stream.codec_context
                        context.width, context.height, context.pix_fmt = 160, 96, "yuv444p"
                        context.colorspace, context.color_range = code, range_code
                        picture = av.VideoFrame.from_ndarray(expected, format="rgb24").reformat(
                            format="yuv444p", dst_colorspace=matrix, dst_color_range=range_name, src_color_range="JPEG"
                        )
                        picture.colorspace, picture.color_range, picture.pts = code, range_code, 0
                        out.mux(stream.encode(picture))
                        out.mux(stream.encode(None))
                    shown = self.first(path).rgb()
                    self.assertLess(np.abs(shown.astype(int) - expected).max(), 7)

    def test_rotation_turns_clockwise_and_back(self):
        picture = np.arange(12).reshape(3, 4)
        for rotation in (0, 90, 180, 270):
            self.assertTrue(np.array_equal(stored(upright(picture, rotation), rotation), picture))
        self.assertEqual(upright(picture, 90)[0].tolist(), [8, 4, 0])

    def test_pictures_of_any_width_and_turn_are_whole_and_keep_what_they_show(self):
        for width, height, rotation in ((192, 108, 0), (190, 106, 0), (202, 110, 90), (66, 50, 180)):
            with self.subTest(width=width, rotation=rotation):
                path = make_clip(
                    self.folder / f"{width}-{rotation}.mkv",
                    3,
                    size=(width, height),
                    encoder="ffv1",
                    pixel_format="bgr0",
                    draw=bars,
                )
                info, index = open_clip(path)
                with FrameReader(replace(info, rotation=rotation), index) as reader:
                    first = reader.read(0).rgb()
                    copy = first.copy()
                    others = [reader.read(n).rgb() for n in (1, 2)]
                self.assertEqual(first.shape[:2], (width, height) if rotation == 90 else (height, width))
                self.assertTrue(first.flags.c_contiguous)
                np.testing.assert_array_equal(first, copy)
                np.testing.assert_array_equal(upright(bars(0, width, height), rotation), first)
                self.assertFalse(any(np.shares_memory(first, other) for other in others))

    def test_turned_clip_is_upright_on_screen(self):
        frame = self.first(make_clip(self.folder / "t.mp4", 2, draw=bars, rotation=90))
        shown = frame.rgb()
        self.assertEqual(shown.shape[:2], (160, 96))
        self.assertGreater(shown[10, 48, 0], 180)
        self.assertLess(shown[10, 48, 1], 90)


class LayoutTest(unittest.TestCase):
    def test_layouts(self):
        self.assertEqual(plane_layout("yuv420p").shifts, [(0, 0), (1, 1), (1, 1)])
        self.assertEqual(plane_layout("yuv422p10le").shifts, [(0, 0), (1, 0), (1, 0)])
        self.assertEqual((plane_layout("yuv422p10le").depth, plane_layout("gbrp").is_rgb), (10, True))
        with self.assertRaises(ValueError):
            plane_layout("nv12")
