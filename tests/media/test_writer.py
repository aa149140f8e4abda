"""Writing: beside the target and renamed when whole, never onto a source, formats that keep what they can."""

import errno
import os
from fractions import Fraction
from unittest import mock

import numpy as np

from skiagraph.errors import CannotOpenMedia, CannotWriteMedia
from skiagraph.media.audio import SAMPLE_RATE, in_time, read_sound
from skiagraph.media.clip import probe
from skiagraph.media.formats import FORMATS, format_for
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.temporary import TemporaryTarget, refuse_bad_target
from skiagraph.media.writer import FilmWriter, PictureWriter
from tests.support import ONE_OF_EACH, TemporaryFolder, make_clip, read_number

BARS = np.array([[200, 40, 90], [30, 180, 60], [20, 50, 220], [240, 230, 20]], np.uint8)


class TargetTest(TemporaryFolder):
    def test_nothing_stands_under_the_name_until_it_is_whole(self):
        target = TemporaryTarget(self.folder / "film.mp4")
        self.assertEqual(target.path.parent, self.folder)
        self.assertTrue(target.path.name.startswith(".") and target.path.name.endswith(".mp4"))
        target.path.write_bytes(b"half")
        self.assertFalse((self.folder / "film.mp4").exists())
        target.commit()
        self.assertEqual((self.folder / "film.mp4").read_bytes(), b"half")
        self.assertFalse(target.path.exists())

    def test_an_old_file_is_replaced_only_by_a_whole_one(self):
        (self.folder / "film.mp4").write_bytes(b"old")
        target = TemporaryTarget(self.folder / "film.mp4")
        target.path.write_bytes(b"new")
        target.discard()
        self.assertEqual((self.folder / "film.mp4").read_bytes(), b"old")

    def test_bad_targets(self):
        source = make_clip(self.folder / "a.mp4", 3)
        hard = self.folder / "hard.mp4"
        os.link(source, hard)
        for target in (source, hard, self.folder, self.folder / "none" / "x.mp4"):
            with self.subTest(target), self.assertRaises(CannotWriteMedia) as caught:
                refuse_bad_target(target, [source])
            self.assertSentence(str(caught.exception))
        refuse_bad_target(self.folder / "fine.mp4", [source])


class FilmWriterTest(TemporaryFolder):
    def copy(self, source, target, key, frames=None):
        info, index = open_clip(source)
        with FrameReader(info, index) as reader, FilmWriter(target, info, FORMATS[key]) as writer:
            for frame in reader.frames(0, frames):
                writer.write(frame)
        return target

    def test_frames_arrive_in_order_with_their_times(self):
        source = make_clip(
            self.folder / "a.mkv",
            24,
            size=(320, 240),
            time_base=Fraction(1, 1000),
            pts=lambda n: 500 + n * 40 + (n % 3) * 7,
        )
        for key, export in FORMATS.items():
            with self.subTest(key):
                if export.container.rates:
                    continue
                target = self.copy(source, self.folder / f"{key}{FORMATS[key].suffix}", key)
                info, index = open_clip(target)
                _, original = open_clip(source)
                np.testing.assert_allclose(
                    [index.time_s(n) for n in range(24)], [original.time_s(n) for n in range(24)], atol=0.0015
                )
                with FrameReader(info, index) as reader:
                    self.assertEqual([read_number(f.grey()) for f in reader.frames()], list(range(24)))

    def test_a_container_that_counts_frames_gives_each_its_time(self):
        for rate in (Fraction(25), Fraction(30000, 1001)):
            source = make_clip(
                self.folder / f"{rate.numerator}.mkv",
                12,
                size=(320, 240),
                rate=rate,
                time_base=Fraction(1, 1000),
                pts=lambda n: 500 + round(n * 1000 / rate),
            )
            for key in (k for k, export in FORMATS.items() if export.container.rates):
                with self.subTest(key, rate=rate):
                    target = self.copy(source, self.folder / f"{key}-{rate.numerator}.mxf", key)
                    info, index = open_clip(target)
                    self.assertEqual(info.rate, rate)
                    np.testing.assert_allclose(
                        [index.time_s(n) for n in range(12)], [float(n / rate) for n in range(12)], atol=1e-6
                    )
                    with FrameReader(info, index) as reader:
                        self.assertEqual([read_number(f.grey()) for f in reader.frames()], list(range(12)))

    def test_ten_bits_stay_ten_bits(self):
        source = make_clip(self.folder / "a.mkv", 4, size=(320, 240), encoder="ffv1", pixel_format="yuv422p10le")
        for key, depth in (
            ("h264-mp4", 10),
            ("h265-mp4", 10),
            ("av1-mkv", 10),
            ("prores-mov", 10),
            ("prores-hq-mxf", 10),
            ("dnxhr-hqx-mov", 10),
            ("dnxhr-hqx-mxf", 10),
            ("ffv1-mxf", 10),
            ("ffv1-mkv", 10),
        ):
            self.assertEqual(
                probe(self.copy(source, self.folder / f"{key}{FORMATS[key].suffix}", key)).bit_depth, depth, key
            )

    def colours(self, path, size):
        """Colours in the middle of the four bars, int (4, 3)."""
        with FrameReader(*open_clip(path)) as reader:
            picture = reader.read(1).rgb().astype(int)
        return np.array([picture[size[1] // 2, size[0] * (2 * n + 1) // 8] for n in range(4)])

    def bars(self, name, encoder, pixel_format, size, **tags):
        """A clip of four bars of plain colours."""

        def draw(n, width, height):
            return np.repeat(BARS, -(-width // 4), axis=0)[None, :width].repeat(height, axis=0)

        path = self.folder / name
        with PictureWriter(
            path,
            size,
            Fraction(25),
            encoder=encoder,
            pixel_format="rgb24",
            store=pixel_format,
            muxer="matroska" if name.endswith("mkv") else "mov",
            tags=tags,
        ) as out:
            for n in range(3):
                out.write(draw(n, *size))
        return path

    def test_colours_of_rgb_and_of_full_range_stay_what_they_are(self):
        size = (256, 720)
        clips = [
            self.bars("png.mov", "png", "rgb24", size),
            self.bars("run.mov", "qtrle", "rgb24", size),
            self.bars("cam.mkv", "ffv1", "bgr0", size),
        ]
        full = self.folder / "full.mkv"
        with PictureWriter(
            full,
            size,
            Fraction(25),
            encoder="ffv1",
            pixel_format="yuv444p",
            muxer="matroska",
            tags={"colorspace": 1, "color_range": 2},
        ) as out:
            for _ in range(3):
                out.write(
                    np.stack(
                        [
                            np.repeat(np.array([20, 90, 160, 250], np.uint8), 64)[None].repeat(720, 0),
                            np.full((720, 256), 120, np.uint8),
                            np.full((720, 256), 140, np.uint8),
                        ]
                    )
                )
        for clip in [*clips, full]:
            seen = self.colours(clip, size)
            if clip != full:
                np.testing.assert_array_equal(seen, BARS)
            for key in ONE_OF_EACH:
                with self.subTest(clip.name, format=key):
                    target = self.copy(clip, self.folder / f"{clip.stem}-{key}{FORMATS[key].suffix}", key)
                    np.testing.assert_allclose(self.colours(target, size), seen, atol=5)
                    info = probe(target)
                    if info.pixel_format.startswith("yuv") and clip != full:
                        self.assertEqual((info.colorspace, info.color_range), (1, 1), "what the samples are")
                    if FORMATS[key].codec.limited_only:
                        self.assertEqual(info.color_range, 1)

    def test_matrices_are_what_the_samples_are(self):
        for code, lines, wanted in ((1, 240, 1), (6, 240, 6), (9, 240, 9), (2, 240, 6), (2, 720, 1)):
            source = make_clip(
                self.folder / f"{code}-{lines}.mkv",
                2,
                size=(max(320, lines), lines),
                encoder="ffv1",
                pixel_format="yuv422p",
                tags={"colorspace": code, "color_primaries": 2, "color_trc": 2, "color_range": 1},
            )
            found = probe(self.copy(source, self.folder / f"{code}-{lines}.mov", "dnxhr-hq-mov"))
            self.assertEqual(found.colorspace, wanted, (code, lines))
            self.assertEqual(
                probe(self.copy(source, self.folder / f"{code}-{lines}-again.mkv", "ffv1-mkv")).colorspace, code
            )

    def test_odd_sizes_are_written_as_they_are_or_refused_beforehand(self):
        for size in ((127, 361), (128, 361), (127, 360)):
            clip = make_clip(self.folder / f"odd{size[0]}{size[1]}.mkv", 3, size=size, encoder="ffv1")
            for key in ("h264-mp4", "h265-mp4", "ffv1-mkv"):
                info = probe(self.copy(clip, self.folder / f"{clip.stem}-{key}{FORMATS[key].suffix}", key))
                self.assertEqual((info.width, info.height), size, key)
        info, _ = open_clip(self.folder / "odd127361.mkv")
        with self.assertRaises(CannotWriteMedia) as caught:
            FilmWriter(self.folder / "o.mov", info, FORMATS["prores-mov"])
        self.assertSentence(str(caught.exception), "even", "127 × 361")

    def test_an_error_inside_removes_the_half_written_file(self):
        source = make_clip(self.folder / "a.mp4", 10)
        info, index = open_clip(source)
        with (
            self.assertRaises(ZeroDivisionError),
            FrameReader(info, index) as reader,
            FilmWriter(self.folder / "o.mp4", info, FORMATS["h264-mp4"]) as writer,
        ):
            writer.write(reader.read(0))
            raise ZeroDivisionError
        self.assertEqual([n for n in os.listdir(self.folder) if n.endswith(".mp4")], ["a.mp4"])

    def test_a_film_that_cannot_be_begun_leaves_nothing(self):
        info = probe(make_clip(self.folder / "a.mp4", 5, sound=True))
        with (
            mock.patch("skiagraph.media.soundtrack.open_container", side_effect=CannotOpenMedia("a.mp4 is gone.")),
            self.assertRaises(CannotOpenMedia),
        ):
            FilmWriter(self.folder / "o.mp4", info, FORMATS["h264-mp4"])
        with (
            mock.patch("skiagraph.media.writer.av.open", side_effect=OSError(errno.ENOSPC, "x")),
            self.assertRaises(CannotWriteMedia),
        ):
            PictureWriter(
                self.folder / "m.mkv", (80, 60), Fraction(25), encoder="ffv1", pixel_format="gray", muxer="matroska"
            )
        self.assertEqual([n for n in os.listdir(self.folder) if n != "cache"], ["a.mp4"])

    def test_what_went_wrong_is_told_apart(self):
        source = make_clip(self.folder / "a.mp4", 10)
        for code, word in ((errno.ENOSPC, "disk is full"), (errno.EACCES, "may not be written")):
            with (
                mock.patch("skiagraph.media.temporary.os.replace", side_effect=OSError(code, "x")),
                self.assertRaises(CannotWriteMedia) as caught,
            ):
                self.copy(source, self.folder / "o.mp4", "h264-mp4")
            self.assertSentence(str(caught.exception), word)


class PictureWriterTest(TemporaryFolder):
    def test_arrays_come_back_as_they_were(self):
        rng = np.random.default_rng(1)
        pictures = [rng.integers(0, 256, (60, 80), dtype=np.uint8) for _ in range(5)]
        with PictureWriter(
            self.folder / "m.mkv",
            (80, 60),
            Fraction(25),
            encoder="ffv1",
            pixel_format="gray",
            muxer="matroska",
            options={"level": "3"},
        ) as writer:
            for picture in pictures:
                writer.write(picture)
        with FrameReader(*open_clip(self.folder / "m.mkv")) as reader:
            for wanted, frame in zip(pictures, reader.frames()):
                np.testing.assert_array_equal(frame.planes()[0], wanted)


class FormatTest(TemporaryFolder):
    def test_named_or_by_ending(self):
        self.assertEqual(
            [format_for(n).key for n in ("a.mp4", "b.MOV", "c.mkv")], ["h264-mp4", "prores-mov", "ffv1-mkv"]
        )
        self.assertEqual(format_for("a.mp4", "h265-mp4").key, "h265-mp4")

    def test_each_keeps_as_much_as_it_can(self):
        self.assertEqual(FORMATS["ffv1-mkv"].pixel_format_for("yuv444p12le"), "yuv444p12le")
        self.assertEqual(FORMATS["prores-mov"].pixel_format_for("yuv420p"), "yuv422p10le")
        self.assertEqual(FORMATS["h264-mp4"].pixel_format_for("yuvj420p"), "yuv420p")


class SoundTest(TemporaryFolder):
    def test_sound_is_read_from_where_it_is_wanted(self):
        clip = make_clip(self.folder / "a.mp4", 50, sound=True)
        whole = np.concatenate(list(read_sound(probe(clip), 0.0)))
        part = np.concatenate(list(read_sound(probe(clip), 1.0)))
        self.assertAlmostEqual(len(whole) / SAMPLE_RATE, 2.0, delta=0.1)
        self.assertAlmostEqual(len(part) / SAMPLE_RATE, 1.0, delta=0.1)
        self.assertGreater(np.abs(whole).max(), 3000)

    def test_a_silent_clip_has_none(self):
        blocks = [np.arange(n * 100, n * 100 + 100) for n in range(5)]
        self.assertEqual(
            np.concatenate(list(in_time(iter(blocks), lambda: 250 / SAMPLE_RATE))).tolist(), list(range(250, 500))
        )
        self.assertEqual(list(read_sound(probe(make_clip(self.folder / "a.mp4", 5)), 0.0)), [])
