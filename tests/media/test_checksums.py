"""Checksums of FFV1: every damaged picture is told, and no whole one."""

import av
import numpy as np

from skiagraph.media.checksums import teller
from skiagraph.media.index import open_clip
from tests.support import TemporaryFolder, damage_frame, make_clip


class ChecksumTest(TemporaryFolder):
    def packets(self, path):
        with av.open(str(path)) as container:
            return [bytes(p) for p in container.demux(video=0) if p.size]

    def test_whole_films_pass_with_and_without_checksums(self):
        for options in (
            {"level": 3, "slicecrc": 1, "slices": 4},
            {"level": 3, "slicecrc": 0},
            {"level": 1},
            {"level": 3, "slicecrc": 1, "g": 12},
        ):
            with self.subTest(options):
                told = teller("ffv1")
                path = make_clip(self.folder / "film.mkv", 12, encoder="ffv1", options=options)
                self.assertEqual([told(p) for p in self.packets(path)], [False] * 12)
                self.assertEqual(open_clip(path)[1].damage, "")

    def test_any_changed_byte_is_told(self):
        packets = self.packets(
            make_clip(self.folder / "film.mkv", 3, encoder="ffv1", options={"level": 3, "slicecrc": 1, "slices": 4})
        )
        places = np.random.default_rng(5).integers(0, len(packets[1]), 200)
        for place in (0, len(packets[1]) - 1, *places):
            told, changed = teller("ffv1"), bytearray(packets[1])
            changed[place] ^= 1 << (place % 8)
            self.assertEqual([told(packets[0]), told(bytes(changed)), told(packets[2])], [False, True, False])

    def test_a_clip_with_a_damaged_picture_ends_before_it(self):
        path = make_clip(self.folder / "film.mkv", 20, encoder="ffv1", options={"level": 3, "slicecrc": 1})
        damage_frame(path, 12)
        _, index = open_clip(path)
        self.assertEqual(len(index), 12)
        self.assertSentence(index.damage, "film.mkv", "00:00:00:12")

    def test_other_codecs_have_none(self):
        self.assertIsNone(teller("h264"))
