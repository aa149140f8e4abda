"""Loudness against FFmpeg's own meter, which is another program of the same recommendation."""

import unittest
from fractions import Fraction

import av
import numpy as np

from skiagraph.voice.loudness import CEILING, as_loud_as, limited, loudness
from tests.voice.support import at_rate, voices


def by_ffmpeg(samples, rate):
    """Integrated loudness that FFmpeg's ebur128 filter tells, LUFS."""
    graph = av.filter.Graph()
    layout = {1: "mono", 2: "stereo", 6: "5.1"}[samples.shape[1]]
    source = graph.add("abuffer", f"sample_rate={rate}:sample_fmt=dbl:channel_layout={layout}:time_base=1/{rate}")
    meter = graph.add("ebur128", "metadata=1")
    source.link_to(meter)
    meter.link_to(graph.add("abuffersink"))
    graph.configure()
    found = None
    for n in range(0, len(samples), 4800):
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(samples[n : n + 4800].reshape(1, -1)), format="dbl", layout=layout
        )
        frame.sample_rate, frame.pts, frame.time_base = rate, n, Fraction(1, rate)
        graph.push(frame)
        while True:
            try:
                out = graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                break
            found = float(out.metadata["lavfi.r128.I"]) if "lavfi.r128.I" in getattr(out, "metadata", {}) else found
    return found


class LoudnessTest(unittest.TestCase):
    def test_a_tone_of_known_loudness(self):
        # BS.1770: 997 Hz at full scale on one channel measures -3.01 LUFS.
        for rate in (44100, 48000, 96000):
            tone = np.sin(2 * np.pi * 997 * np.arange(4 * rate) / rate)[:, None]
            self.assertAlmostEqual(loudness(tone, rate), -3.01, delta=0.05)
            self.assertAlmostEqual(loudness(np.repeat(tone * 0.1, 2, axis=1), rate), -20.0, delta=0.05)

    def test_speech_with_pauses_against_ffmpeg(self):
        for rate, channels in ((48000, 1), (44100, 2), (48000, 6)):
            speech = at_rate(np.concatenate([voices()[0], np.zeros(40000), voices()[1] * 0.2]), rate)
            samples = np.repeat(speech[:, None], channels, axis=1) * np.linspace(1, 0.4, channels)
            wanted = by_ffmpeg(samples, rate)
            if wanted is None:
                self.skipTest("this PyAV does not tell the metadata of frames")
            self.assertAlmostEqual(loudness(samples, rate), wanted, delta=0.2)

    def test_silence_and_scraps(self):
        self.assertEqual(loudness(np.zeros((48000, 2)), 48000), -np.inf)
        self.assertTrue(np.isfinite(loudness(np.ones((100, 1)) * 0.1, 48000)))

    def test_as_loud_as_another(self):
        one, other = voices()[0][:, None] * 0.05, voices()[1][:, None] * 0.6
        self.assertAlmostEqual(loudness(as_loud_as(other, one, 16000), 16000), loudness(one, 16000), delta=0.1)

    def test_peaks_are_held_and_the_rest_is_left(self):
        samples = np.full((16000, 1), 0.1)
        samples[8000] = 3.0
        held = limited(samples, 16000)
        self.assertLessEqual(np.abs(held).max(), CEILING + 1e-9)
        self.assertTrue(np.allclose(held[:7000], 0.1) and np.allclose(held[9000:], 0.1))
