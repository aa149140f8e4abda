"""Sound on its way into a file: as it was where the format holds it, encoded where it does not, without anybody's
words."""

import os
from fractions import Fraction
from types import SimpleNamespace

import av
import numpy as np

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.soundtrack import AAC, AS_SHOT, PCM, encoder_for, without_comments
from skiagraph.media.writer import FilmWriter
from tests.support import TemporaryFolder

RATE = 48000


class SoundtrackTest(TemporaryFolder):
    def film(self, name, codec, *, layout="stereo", language="", seconds=1):
        """A clip of ten pictures with noise for sound: int16 samples (n, channels) and the file."""
        path = self.folder / name
        with av.open(str(path), "w") as out:
            video = out.add_stream("ffv1", rate=10)
            video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
            sound = out.add_stream(codec, rate=RATE, layout=layout)
            if language:
                sound.metadata["language"] = language
            channels = sound.codec_context.channels
            samples = np.random.default_rng(5).integers(-9000, 9000, (RATE * seconds, channels), dtype=np.int16)
            for n in range(10 * seconds):
                picture = av.VideoFrame.from_ndarray(np.full((72, 64), 90, np.uint8), format="yuv420p")
                picture.pts = n
                out.mux(video.encode(picture))
            out.mux(video.encode(None))
            resampler = av.AudioResampler(
                format=sound.codec_context.format.name,
                layout=layout,
                rate=RATE,
                frame_size=sound.codec_context.frame_size or None,
            )
            block = av.AudioFrame.from_ndarray(samples.reshape(1, -1), format="s16", layout=layout)
            block.sample_rate, block.pts, block.time_base = RATE, 0, Fraction(1, RATE)
            for part in resampler.resample(block) + resampler.resample(None):
                out.mux(sound.encode(part))
            out.mux(sound.encode(None))
        return path, samples

    def written(self, source, key):
        target = self.folder / f"out-{key}{FORMATS[key].suffix}"
        info, index = open_clip(source)
        with FrameReader(info, index) as reader, FilmWriter(target, info, FORMATS[key]) as writer:
            for frame in reader.frames():
                writer.write(frame)
        return target, writer.encoded_sound

    def heard(self, path):
        """Codec and int16 samples (n, 2) of a file's sound."""
        with av.open(str(path)) as container:
            to_int = av.AudioResampler(format="s16", layout="stereo", rate=RATE)
            blocks = [
                b.to_ndarray().reshape(-1, 2) for frame in container.decode(audio=0) for b in to_int.resample(frame)
            ]
            return container.streams.audio[0].codec_context.name, np.concatenate(blocks)

    def test_sound_without_loss_stays_without_loss_in_every_format(self):
        for name, codec in (("card.avi", "pcm_s16le"), ("deck.mkv", "pcm_s16le"), ("master.mkv", "flac")):
            source, samples = self.film(name, codec)
            # Small pictures, ten a second, are not for all of them.
            for key in (
                k for k, export in FORMATS.items() if export.codec.smallest <= (64, 48) and not export.container.rates
            ):
                with self.subTest(name, format=key):
                    target, told = self.written(source, key)
                    kept, heard = self.heard(target)
                    np.testing.assert_array_equal(heard[: len(samples)], samples)
                    self.assertEqual(bool(told), kept != codec, "what was encoded anew is said, and nothing else")

    def test_what_fits_nowhere_else_is_encoded_and_said(self):
        source, samples = self.film("old.avi", "adpcm_ms")
        target, told = self.written(source, "h264-mp4")
        kept, heard = self.heard(target)
        self.assertEqual((kept, told), ("aac", ["adpcm_ms → AAC"]))
        self.assertLess(abs(len(heard) - len(samples)), 3000)

    def test_too_many_channels_are_refused_before_the_first_picture(self):
        source, _ = self.film("many.mkv", "pcm_u8", layout="22.2")
        info, _ = open_clip(source)
        with self.assertRaises(CannotWriteMedia) as caught:
            FilmWriter(self.folder / "o.mp4", info, FORMATS["h264-mp4"])
        self.assertSentence(str(caught.exception), "many.mkv", "24 channels")
        self.assertEqual([n for n in os.listdir(self.folder) if "o.mp4" in n or ".unfinished" in n], [])

    def test_a_language_is_a_code_and_no_sentence(self):
        for given, kept in (("deu", "deu"), ("pt-BR", "pt-BR"), ("Ada Brix, pier 4", None)):
            source, _ = self.film("tagged.mkv", "flac", language=given)
            target, _ = self.written(source, "ffv1-mkv")
            with av.open(str(target)) as container:
                self.assertEqual(container.streams.audio[0].metadata.get("language"), kept)
            self.assertNotIn(b"Ada Brix", target.read_bytes())

    def test_a_vorbis_header_loses_its_comments(self):
        first, comment, setup = (
            b"\x01vorbis" + bytes(23),
            b"\x03vorbis" + b"filmed by Ada Brix" * 30,
            b"\x05vorbis" + bytes(400),
        )
        headers = (
            b"\x02"
            + bytes([len(first)])
            + bytes([255] * (len(comment) // 255) + [len(comment) % 255])
            + first
            + comment
            + setup
        )
        bare = without_comments(headers)
        self.assertNotIn(b"Ada", bare)
        self.assertEqual(bare[:2] + bare[3 : 3 + len(first)], headers[:2] + first)
        self.assertTrue(bare.endswith(b"\x03vorbis" + bytes(8) + b"\x01" + setup))
        self.assertEqual(without_comments(bare), bare)
        for broken in (b"", b"\x02", b"\x02\xff\xff", b"\x01vorbis"):
            self.assertEqual(without_comments(broken), broken)

    def test_the_encoder_keeps_what_was_lossless(self):
        def encoder(name, bits, key, wanted=AS_SHOT):
            return encoder_for(SimpleNamespace(name=name, format=SimpleNamespace(bits=bits)), FORMATS[key], wanted)

        self.assertEqual(
            [
                encoder("pcm_s24le", 32, "h264-mp4"),
                encoder("flac", 16, "prores-mov"),
                encoder("pcm_alaw", 16, "ffv1-mkv"),
                encoder("opus", 32, "prores-mov"),
            ],
            ["alac", "alac", "flac", "aac"],
        )
        self.assertEqual(
            [
                encoder("aac", 32, "prores-mxf"),
                encoder("pcm_s24be", 32, "prores-mxf", AAC),
                encoder("aac", 32, "prores-mov", PCM),
                encoder("aac", 32, "h264-mp4", PCM),
            ],
            ["pcm_s16le", "pcm_s24le", "pcm_s16le", "alac"],
        )
