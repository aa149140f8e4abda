"""Pictures that no other is made from: told truly of every kind of stream, and the others the same without them."""

import numpy as np

from skiagraph.media.frame import stored
from skiagraph.media.index import open_clip
from skiagraph.media.non_reference import tells_non_reference
from skiagraph.media.reader import FrameReader
from tests.support import TemporaryFolder, make_clip, read_number

KINDS = {
    "references between.mp4": dict(options={"bf": 3, "g": 20}),
    "no references between.mkv": dict(options={"bf": 3, "g": 20, "x264-params": "b-pyramid=none:b-adapt=0"}),
    "start codes.ts": dict(options={"bf": 2, "g": 20, "x264-params": "b-pyramid=none:b-adapt=0"}),
    "interlaced.ts": dict(options={"bf": 2, "g": 20, "flags": "+ildct+ilme", "x264-params": "interlaced=1"}),
    "hevc.mp4": dict(encoder="libx265", options={"g": 20, "x265-params": "log-level=none:bframes=3"}),
    "mpeg-2.ts": dict(encoder="mpeg2video", options={"bf": 2, "g": 12, "b": "2000000"}),
    "each alone.mov": dict(encoder="prores_ks", pixel_format="yuv422p10le"),
}


class SpareTest(TemporaryFolder):
    def test_the_rest_is_the_same_without_them(self):
        for name, how in KINDS.items():
            with self.subTest(name):
                info, index = open_clip(make_clip(self.folder / name, 60, size=(192, 96), **how))
                self.assertGreater(index.non_reference.mean(), 0.3)
                wanted = ~index.non_reference
                wanted[::10] = True
                with FrameReader(info, index) as whole, FrameReader(info, index, threads=1, wanted=wanted) as thin:
                    for n in np.flatnonzero(wanted):
                        frame = thin.read(int(n))
                        self.assertEqual(read_number(stored(frame.grey(), info.rotation)), n)
                        np.testing.assert_array_equal(frame.grey(), whole.read(int(n)).grey())

    def test_what_was_left_out_may_not_be_asked_for(self):
        info, index = open_clip(make_clip(self.folder / "a.mp4", 40, options={"bf": 3, "g": 20}))
        with FrameReader(info, index, wanted=~index.non_reference) as thin, self.assertRaises(IndexError):
            thin.read(int(np.flatnonzero(index.non_reference)[0]))

    def test_without_pictures_between_none_is_spare(self):
        _, index = open_clip(make_clip(self.folder / "a.mp4", 30, options={"bf": 0, "g": 30}))
        self.assertFalse(index.non_reference.any())

    def test_what_packets_do_not_tell_is_not_guessed(self):
        self.assertIsNone(tells_non_reference("vp9", None))
        is_non_reference = tells_non_reference("h264", None)
        for packet in (b"", b"\0\0\1", b"\0\0\1\x09\xf0", b"nothing of the kind"):
            self.assertFalse(is_non_reference(memoryview(packet)))
        # Of two fields one that others are made from keeps both.
        self.assertTrue(is_non_reference(memoryview(b"\0\0\1\x01aa\0\0\1\x01bb")))
        self.assertFalse(is_non_reference(memoryview(b"\0\0\1\x01aa\0\0\1\x21bb")))
