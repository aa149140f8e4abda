"""Sound that is changed on its way into a file: sample for sample in its place, in every format; what is not changed is
copied."""

from fractions import Fraction

import av
import numpy as np

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.audio import placed_blocks
from skiagraph.media.clip import probe
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.part import Part
from skiagraph.media.reader import FrameReader
from skiagraph.media.samples import as_float, origin_of
from skiagraph.media.sound_files import SOUND_FORMS, SoundFile
from skiagraph.media.writer import FilmWriter
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.laying import Plan, Range
from tests.support import TemporaryFolder

SILENCE = Disguise.kinds["silence"]()
PLAN = Plan((Range(1.0, 2.0, SILENCE),), b"s" * 32)


class ChangedSoundTest(TemporaryFolder):
    def film(self, name, codec, rate, *, layout="stereo", tracks=1, late=0.0, seconds=3, timecode="", size=(64, 48)):
        path = self.folder / name
        with av.open(str(path), "w") as out:
            video = out.add_stream("ffv1" if name.endswith("mkv") else "libx264", rate=25)
            video.width, video.height, video.pix_fmt = *size, "yuv420p"
            if timecode:
                video.metadata["timecode"] = timecode
            speakers = [out.add_stream(codec, rate=rate, layout=layout) for _ in range(tracks)]
            for n in range(25 * seconds):
                picture = av.VideoFrame.from_ndarray(
                    np.full((size[1] * 3 // 2, size[0]), 20 + n % 200, np.uint8), format="yuv420p"
                )
                picture.pts, picture.time_base = n, Fraction(1, 25)
                out.mux(video.encode(picture))
            out.mux(video.encode(None))
            for number, speaker in enumerate(speakers):
                channels = len(speaker.layout.channels)
                # Slow noise, which every codec keeps.
                wave = np.cumsum(np.random.default_rng(number).standard_normal((seconds * rate, channels)), axis=0)
                wave = (wave - np.linspace(0, 1, len(wave))[:, None] * wave[-1]) / np.abs(wave).max() * 0.4
                block = av.AudioFrame.from_ndarray(
                    np.ascontiguousarray(wave.T.astype(np.float32)), format="fltp", layout=layout
                )
                block.sample_rate, block.pts, block.time_base = rate, round(late * rate), Fraction(1, rate)
                fitting = av.AudioResampler(
                    format=speaker.format.name,
                    layout=layout,
                    rate=rate,
                    frame_size=speaker.codec_context.frame_size or 1024,
                )
                for part in fitting.resample(block) + fitting.resample(None):
                    out.mux(speaker.encode(part))
                out.mux(speaker.encode(None))
        return path

    def written(self, source, key, changes, part=None, sound="as-shot"):
        info, index = open_clip(source)
        part = Part.of(info, index, *part) if part else None
        target = self.folder / f"out{FORMATS[key].suffix}"
        first, last = (part.first, part.last) if part else (0, len(index) - 1)
        with (
            FrameReader(info, index) as reader,
            FilmWriter(target, info, FORMATS[key], part=part, changes=changes, sound=sound) as writer,
        ):
            for frame in reader.frames(first, last + 1):
                writer.write(frame)
        return target, writer

    def heard(self, path, track=0):
        info = probe(path)
        found = [
            (at, as_float(block)) for _, at, block in placed_blocks(path, info.sound[track].stream, origin_of(info))
        ]
        return found[0][0], np.concatenate([b for _, b in found])

    def assertChanged(self, source, target, rate, *, exact, begins=1.0, ends=2.0, shift=0.0):
        at, plain = self.heard(source)
        there, made = self.heard(target)
        first, after = (round(t * rate) - there for t in (begins - shift, ends - shift))
        self.assertLess(np.abs(made[max(0, first) : after]).max(), 1e-9 if exact else 0.02)
        offset = at - there - round(shift * rate)
        before = made[: max(0, first - rate // 20)]
        self.assertEqual(before.shape[1], plain.shape[1])
        wanted = plain[-offset:][: len(before)] if offset <= 0 else plain[: len(before)]
        if len(before):
            far = np.abs(before[: len(wanted)] - wanted).max()
            self.assertLess(far, 1e-9 if exact else 0.08)
        return plain, made

    def test_lossless_sound_stays_as_it_is_outside_and_keeps_its_codec(self):
        for codec, name, key in (
            ("pcm_s16le", "a.mov", "prores-mov"),
            ("pcm_s24le", "b.mov", "h264-mov"),
            ("pcm_s32le", "c.mkv", "ffv1-mkv"),
            ("pcm_f32le", "d.mkv", "ffv1-mkv"),
            ("flac", "e.mkv", "ffv1-mkv"),
        ):
            for rate in (44100, 48000, 96000):
                source = self.film(f"{rate}{name}", codec, rate)
                target, writer = self.written(source, key, {0: PLAN})
                plain, made = self.assertChanged(source, target, rate, exact=True)
                self.assertEqual(len(made), len(plain), codec)
                self.assertEqual(probe(target).sound[0].codec, codec)
                self.assertEqual((len(writer.changed_sound), writer.encoded_sound), (1, []))

    def test_lossy_sound_is_in_sync_in_the_same_codec(self):
        for rate, layout in ((48000, "stereo"), (44100, "mono"), (48000, "5.1")):
            source = self.film(f"{rate}{layout}.mp4", "aac", rate, layout=layout)
            target, _ = self.written(source, "h264-mp4", {0: PLAN})
            self.assertChanged(source, target, rate, exact=False)
            self.assertEqual(probe(target).sound[0].codec, "aac")

    def test_other_tracks_are_copied_packet_by_packet(self):
        source = self.film("two.mp4", "aac", 48000, tracks=2)
        target, _ = self.written(source, "h264-mp4", {1: PLAN})

        def packets(path, n):
            with av.open(str(path)) as container:
                return [bytes(p) for p in container.demux(container.streams.audio[n]) if p.size]

        self.assertEqual(packets(source, 0), packets(target, 0))
        self.assertNotEqual(packets(source, 1), packets(target, 1))

    def test_a_part_is_changed_where_the_clip_is(self):
        source = self.film("part.mov", "pcm_s16le", 48000)
        target, _ = self.written(source, "prores-mov", {0: PLAN}, part=(20, 60))
        self.assertChanged(source, target, 48000, exact=True, shift=0.8)

    def test_late_sound_is_changed_in_its_place(self):
        source = self.film("late.mkv", "pcm_s16le", 48000, late=0.5)
        target, _ = self.written(source, "ffv1-mkv", {0: PLAN})
        self.assertChanged(source, target, 48000, exact=True)

    def test_a_container_of_one_rate_and_another_way_of_sound(self):
        source = self.film("mxf.mov", "pcm_s16le", 44100, size=(256, 144))
        target, _ = self.written(source, next(k for k in FORMATS if k.endswith("mxf")), {0: PLAN})
        self.assertEqual(probe(target).sound[0].rate, 48000)
        self.assertLess(np.abs(self.heard(target)[1][round(1.05 * 48000) : round(1.95 * 48000)]).max(), 1e-3)
        target, writer = self.written(source, "h264-mp4", {0: PLAN}, sound="aac")
        self.assertEqual(probe(target).sound[0].codec, "aac")

    def test_sound_that_is_held_back_lies_beside_its_picture_in_the_file(self):
        """A segment comes out when all of it was read; players want it where the picture is."""
        source = self.film("long.mkv", "pcm_s16le", 16000, seconds=40)
        target, _ = self.written(source, "ffv1-mkv", {0: Plan((Range(1.0, 39.0, SILENCE),), b"s" * 32)})
        apart, seen = 0.0, {}
        with av.open(str(target)) as container:
            for packet in container.demux():
                if packet.dts is not None:
                    seen[packet.stream.type] = float(packet.dts * packet.time_base)
                    apart = max(apart, abs(seen.get("video", 0) - seen.get("audio", 0)))
        self.assertLess(apart, 2.0)

    def test_damage_in_the_middle_is_silence_in_its_length(self):
        source = self.film("broken.mkv", "flac", 48000)
        with av.open(str(source)) as container:
            packets = [p for p in container.demux(audio=0) if p.size]
            hurt = packets[len(packets) // 2]
            place, size = hurt.pos, hurt.size
        data = bytearray(source.read_bytes())
        data[place + size // 4 : place + size // 4 * 3] = bytes(size // 4 * 3 - size // 4)
        source.write_bytes(bytes(data))
        target, _ = self.written(source, "ffv1-mkv", {0: PLAN})
        self.assertAlmostEqual(len(self.heard(target)[1]) / 48000, 3.0, delta=0.11)

    def test_the_sound_by_itself(self):
        source = self.film("mix.mov", "pcm_s16le", 48000, tracks=2, timecode="10:00:00:00")
        info, _ = open_clip(source)
        for form in SOUND_FORMS.values():
            target = self.folder / f"mix{form.suffix}"
            file = SoundFile(target, info, form, changes={0: PLAN})
            file.finish()
            self.assertFalse(target.exists())
            file.commit()
            with av.open(str(target)) as container:
                stream = container.streams.audio[0]
                self.assertEqual((stream.rate, len(stream.layout.channels)), (48000, 4), form.key)
                samples = np.concatenate([f.to_ndarray().reshape(-1, 4) for f in container.decode(stream)])
                if form.key == "wav":
                    self.assertEqual(int(container.metadata.get("time_reference", 0)), 36000 * 48000)
            self.assertEqual(len(samples), 3 * 48000)
            self.assertFalse(samples[48000:96000, :2].any())
            plain = self.heard(source, 1)[1]
            self.assertTrue(np.array_equal(as_float(samples.astype(np.int16))[:, 2:], plain))

    def test_the_sound_of_a_part_begins_with_its_picture(self):
        source = self.film("piece.mov", "pcm_s24le", 48000, timecode="01:00:00:00")
        info, index = open_clip(source)
        target = self.folder / "piece.wav"
        file = SoundFile(target, info, SOUND_FORMS["wav"], Part.of(info, index, 10, 59))
        file.finish()
        file.commit()
        with av.open(str(target)) as container:
            samples = np.concatenate([as_float(f.to_ndarray().reshape(-1, 2)) for f in container.decode(audio=0)])
            self.assertEqual(int(container.metadata["time_reference"]), round((3600 + 0.4) * 48000))
        self.assertEqual(len(samples), 2 * 48000)
        self.assertTrue(np.array_equal(samples, self.heard(source)[1][19200:115200]))

    def test_no_sound_and_too_many_channels_are_sentences(self):
        silent = self.folder / "none.mp4"
        from tests.support import make_clip

        make_clip(silent, 10)
        with self.assertRaises(CannotWriteMedia) as caught:
            SoundFile(self.folder / "x.wav", probe(silent), SOUND_FORMS["wav"])
        self.assertSentence(str(caught.exception), "none.mp4")
        many = self.film("many.mov", "pcm_s16le", 48000, tracks=2, layout="5.1")
        with self.assertRaises(CannotWriteMedia) as caught:
            SoundFile(self.folder / "x.flac", probe(many), SOUND_FORMS["flac"])
        self.assertSentence(str(caught.exception), "12")
        with self.assertRaises(CannotWriteMedia):
            SoundFile(many, probe(many), SOUND_FORMS["wav"])
