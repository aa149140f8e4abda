"""Whether the sound of a film is its source's: packets, samples, time, what is missing."""

from fractions import Fraction

import av
import numpy as np

from skiagraph.media.sound_alike import sound_alike
from tests.support import TemporaryFolder, make_clip

RATE = 48000


def tone(path, codec, *, count=RATE, late=0, change=None, tracks=1, rate=RATE, language=""):
    """A film with sound tracks of noise that is the same in each call. late: samples of silence before it; change:
    (first, last) samples that are another noise."""
    noise = np.random.default_rng(7).integers(-8000, 8000, count + late).astype(np.int16)
    noise[:late] = 0
    if late:
        noise[late:] = np.random.default_rng(7).integers(-8000, 8000, count).astype(np.int16)
    if change:
        noise[change[0] : change[1]] = np.random.default_rng(9).integers(-8000, 8000, change[1] - change[0])
    with av.open(str(path), "w") as out:
        video = out.add_stream("libx264", rate=25, options={"preset": "ultrafast"})
        video.width, video.height, video.pix_fmt = 64, 64, "yuv420p"
        speakers = [out.add_stream(codec, rate=rate, layout="mono") for _ in range(tracks)]
        for speaker in speakers:
            if language:
                speaker.metadata["language"] = language
        for n in range(len(noise) * 25 // rate):
            frame = av.VideoFrame(64, 64, "yuv420p")
            for plane in frame.planes:
                plane.update(bytes([100]) * plane.buffer_size)
            frame.pts, frame.time_base = n, Fraction(1, 25)
            out.mux(video.encode(frame))
        out.mux(video.encode(None))
        for speaker in speakers:
            for begin in range(0, len(noise), 1024):
                block = av.AudioFrame.from_ndarray(
                    np.ascontiguousarray(noise[None, begin : begin + 1024]), format="s16", layout="mono"
                )
                block.sample_rate, block.pts, block.time_base = rate, begin, Fraction(1, rate)
                out.mux(speaker.encode(block))
            out.mux(speaker.encode(None))
    return path


class SoundAlikeTest(TemporaryFolder):
    def compared(self, one, other, span=None):
        found = sound_alike(one, other, span)
        return [(t.good, t.said) for t in found]

    def test_the_same_packets(self):
        one = tone(self.folder / "a.mov", "pcm_s16le", tracks=2)
        found = self.compared(one, one)
        self.assertEqual([good for good, _ in found], [True, True])
        self.assertIn("packets equal", found[0][1])

    def test_the_same_samples_in_another_lossless_codec(self):
        found = self.compared(tone(self.folder / "a.mov", "pcm_s16le"), tone(self.folder / "b.mkv", "flac"))
        self.assertTrue(found[0][0], found)
        self.assertIn("all samples equal", found[0][1])

    def test_one_changed_stretch_is_seen(self):
        one = tone(self.folder / "a.mov", "pcm_s16le")
        other = tone(self.folder / "b.mkv", "flac", change=(20000, 44000))
        self.assertFalse(self.compared(one, other)[0][0])

    def test_sound_that_is_late_is_out_of_sync(self):
        one = tone(self.folder / "a.mov", "pcm_s16le")
        found = self.compared(one, tone(self.folder / "b.mkv", "flac", late=4800))
        self.assertFalse(found[0][0])
        self.assertIn("100 ms out of sync", found[0][1])

    def test_sound_that_ends_early_is_short(self):
        found = self.compared(
            tone(self.folder / "a.mov", "pcm_s16le", count=2 * RATE), tone(self.folder / "b.mkv", "flac", count=RATE)
        )
        self.assertFalse(found[0][0])
        self.assertIn("1.00 s shorter", found[0][1])

    def test_missing_and_strange_tracks_are_named(self):
        one, two = tone(self.folder / "a.mov", "pcm_s16le"), tone(self.folder / "b.mov", "pcm_s16le", tracks=2)
        self.assertEqual([good for good, _ in self.compared(two, one)], [True, False])
        self.assertIn("missing", self.compared(two, one)[1][1])
        self.assertIn("no such track", self.compared(one, two)[1][1])

    def test_another_language_is_said(self):
        one, two = (
            tone(self.folder / "a.mkv", "flac", language="ger"),
            tone(self.folder / "b.mkv", "flac", language="fre"),
        )
        self.assertIn("language fre instead of ger", self.compared(one, two)[0][1])

    def test_encoded_with_loss_it_is_the_same_sound_and_other_sound_is_not(self):
        clip = make_clip(self.folder / "a.mp4", 50, sound=True)
        self.assertTrue(self.compared(clip, clip)[0][0])
        other = tone(self.folder / "b.mov", "aac")
        self.assertFalse(self.compared(clip, other)[0][0])
