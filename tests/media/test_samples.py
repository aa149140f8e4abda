"""The samples of a track in their places: late sound, gaps, overlaps, other rates; and what is made of them for ears,
networks and eyes."""

import unittest
from fractions import Fraction

import av
import numpy as np

from skiagraph.media.audio import SAMPLE_RATE, SoundFile, placed_blocks, read_sound, read_track, waveform
from skiagraph.media.clip import probe
from skiagraph.media.samples import Placed, as_float, as_kind, origin_of
from tests.support import TemporaryFolder, make_clip


def block(samples, at, rate=8000, layout="mono", base=None):
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.reshape(1, -1)), format="s16", layout=layout)
    frame.sample_rate, frame.time_base = rate, base or Fraction(1, rate)
    frame.pts = at
    return frame


def placed(*frames, shift=Fraction(0)):
    """Place of the first sample, and all samples."""
    placing, parts = Placed(shift), []
    for frame in frames:
        parts += list(placing.placed(frame))
    places = [at for at, _ in parts]
    lengths = [len(b) for _, b in parts]
    assert all(a + n == b for a, n, b in zip(places, lengths, places[1:])), "no gap is left"
    return places[0], np.concatenate([b for _, b in parts])[:, 0]


class PlacedTest(unittest.TestCase):
    ONE = np.arange(1, 801, dtype=np.int16)

    def test_frames_that_follow_each_other(self):
        at, samples = placed(block(self.ONE, 100), block(self.ONE, 900))
        self.assertEqual(at, 100)
        self.assertTrue(np.array_equal(samples, np.tile(self.ONE, 2)))

    def test_a_gap_is_silence_of_its_length(self):
        _, samples = placed(block(self.ONE, 0), block(self.ONE, 2000))
        self.assertEqual(len(samples), 2800)
        self.assertFalse(samples[800:2000].any())
        self.assertTrue(np.array_equal(samples[2000:], self.ONE))

    def test_what_comes_twice_is_left_out(self):
        _, samples = placed(block(self.ONE, 0), block(self.ONE, 400))
        self.assertEqual(len(samples), 1200)
        self.assertTrue(np.array_equal(samples[800:], self.ONE[400:]))

    def test_rounded_times_are_no_gaps(self):
        millisecond = Fraction(1, 1000)
        _, samples = placed(
            block(self.ONE[:333], 0, base=millisecond),
            block(self.ONE[:333], 42, base=millisecond),
            block(self.ONE[:333], 83, base=millisecond),
        )
        self.assertEqual(len(samples), 999)

    def test_the_first_picture_is_where_counting_begins(self):
        self.assertEqual(placed(block(self.ONE, 0), shift=Fraction(-1, 4))[0], -2000)

    def test_another_rate_in_the_middle_is_brought_to_the_first(self):
        tone = (8000 * np.sin(2 * np.pi * 200 * np.arange(16000) / 16000)).astype(np.int16)
        first = tone[::2].copy()
        placing = Placed(Fraction(0))
        parts = [b for frame in (block(first, 0), block(tone, 16000, 16000)) for _, b in placing.placed(frame)]
        samples = np.concatenate(parts)[:, 0]
        self.assertTrue(placing.changed)
        self.assertEqual(placing.rate, 8000)
        self.assertAlmostEqual(len(samples), 16000, delta=40)
        self.assertEqual(int(np.abs(np.fft.rfft(samples[8800:15800])).argmax() * 8000 / 7000 // 10) * 10, 200)

    def test_kinds_go_to_float_and_back(self):
        for kind in (np.uint8, np.int16, np.int32, np.float32):
            values = np.array([[-1.0], [-0.5], [0.0], [0.5]])
            again = as_float(as_kind(values, np.dtype(kind)))
            self.assertLess(np.abs(again - values).max(), 0.01, kind)
        self.assertEqual(as_kind(np.array([2.0, -2.0]), np.dtype(np.int16)).tolist(), [32767, -32768])


class ReadingTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.info = probe(make_clip(self.folder / "a.mp4", 50, sound=True))

    def test_a_track_for_networks_is_mono_in_its_place(self):
        blocks = list(read_track(self.info, 0, 16000))
        self.assertLess(abs(blocks[0][0]), 400)
        samples = np.concatenate([b for _, b in blocks])
        self.assertAlmostEqual(len(samples), 32000, delta=1200)
        self.assertEqual(samples.dtype, np.float32)
        self.assertAlmostEqual(float(np.std(samples[4000:28000])), 0.3 / np.sqrt(2), delta=0.02)

    def test_a_waveform_is_kept_and_says_how_loud(self):
        one = waveform(self.info, 0)
        self.assertEqual(one.channels, 2)
        self.assertAlmostEqual(one.peak.shape[1] * one.step_s, 2.0, delta=0.1)
        self.assertAlmostEqual(int(np.median(one.peak)), 0.3 * 255, delta=4)
        kept = list((self.folder / "cache" / "waveforms").iterdir())
        self.assertEqual(len(kept), 1)
        stamp = kept[0].stat().st_mtime_ns
        again = waveform(self.info, 0)
        self.assertTrue(np.array_equal(one.peak, again.peak) and one.begins_s == again.begins_s)
        self.assertEqual(kept[0].stat().st_mtime_ns, stamp)
        kept[0].write_bytes(b"damaged")
        self.assertTrue(np.array_equal(one.peak, waveform(self.info, 0).peak))

    def test_what_is_played_is_what_is_there(self):
        parts = [
            as_float(b[:, 0])
            for _, _, b in placed_blocks(self.info.path, self.info.sound[0].stream, origin_of(self.info))
        ]
        whole = np.concatenate(parts)
        heard = np.concatenate(list(read_sound(self.info, 0.5)))[:, 0] / 32768
        begin = (
            round(0.5 * SAMPLE_RATE)
            - next(iter(placed_blocks(self.info.path, self.info.sound[0].stream, origin_of(self.info))))[1]
        )
        n = min(len(heard), len(whole) - begin) - 2048
        self.assertLess(np.abs(heard[:n] - whole[begin : begin + n]).max(), 1e-3)

    def test_sound_without_a_picture_has_its_tracks(self):
        place = self.folder / "alone.wav"
        with av.open(str(place), "w") as out:
            stream = out.add_stream("pcm_s16le", rate=8000, layout="mono")
            out.mux(stream.encode(block(np.arange(800, dtype=np.int16), 0)))
            out.mux(stream.encode(None))
        found = SoundFile.of(place)
        self.assertEqual([(s.rate, s.channels) for s in found.sound], [(8000, 1)])
        self.assertEqual(sum(len(b) for _, b in read_track(found, 0, 8000)), 800)
