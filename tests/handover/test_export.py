"""Exports: untouched outside the mattes, in the shape of the source, and nothing left behind when they fail."""

import errno
from fractions import Fraction
from unittest import mock

import av
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.errors import Cancelled, CannotWriteMedia
from skiagraph.handover.export import export_clip, write_clip
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.handover.writers.matte import Matte
from skiagraph.jobs import JobControl
from skiagraph.media.clip import probe
from skiagraph.media.formats import FORMATS, format_for
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project.layers import layers, matte
from skiagraph.review.exposure import check_file
from skiagraph.review.finding import Reason
from tests.support import TemporaryFolder, head_path, make_clip, project_on

PRIVATE = {
    "title": "keep out",
    "artist": "A. Person",
    "location": "+10.0+20.0/",
    "com.apple.quicktime.make": "Device",
    "comment": "secret",
}


class ExportTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(
            self.folder / "quay.mov",
            20,
            size=(320, 192),
            options={"g": 10, "bf": 2},
            sound=True,
            timecode="10:00:00:00",
            metadata=PRIVATE,
            tags={"color_primaries": 1, "color_trc": 1, "colorspace": 1, "color_range": 1},
            aspect=Fraction(4, 3),
        )
        self.project = project_on(self.clip, head_path(0, 20, step=(1, 0)))

    def planes(self, path):
        info, index = open_clip(path)
        with FrameReader(info, index) as reader:
            return [[p.copy() for p in f.planes()] for f in reader.frames()]

    def test_lossless_export_keeps_every_sample_outside_the_matte(self):
        out, beside = self.folder / "out.mkv", self.folder / "matte.mkv"
        export_clip(self.project, "c1", out, matte_target=beside)
        written, source, mattes = self.planes(out), self.planes(self.clip), self.planes(beside)
        self.assertEqual((len(written), len(mattes)), (20, 20))
        for n in range(20):
            cover = matte(self.project, "c1", n)
            self.assertTrue(np.array_equal(mattes[n][0], cover))
            for plane in range(3):
                here = cover if plane == 0 else cover.reshape(96, 2, 160, 2).max(axis=(1, 3))
                self.assertTrue(np.array_equal(written[n][plane][here == 0], source[n][plane][here == 0]))
                self.assertFalse(np.array_equal(written[n][0][cover == 255], source[n][0][cover == 255]))

    def test_every_format_keeps_the_shape_of_the_source(self):
        source = probe(self.clip)
        times = self.times(self.clip)
        for key, export in FORMATS.items():
            with self.subTest(key):
                out = self.folder / f"{key}{export.suffix}"
                if not export.says_aspect:
                    # Distorted without a word it would be worse than not at all.
                    with self.assertRaises(CannotWriteMedia) as caught:
                        export_clip(self.project, "c1", out, export)
                    self.assertSentence(str(caught.exception), "4/3", export.label)
                    continue
                export_clip(self.project, "c1", out, export)
                info = probe(out)
                self.assertEqual(
                    (info.width, info.height, info.sample_aspect), (source.width, source.height, source.sample_aspect)
                )
                self.assertEqual(
                    (info.color_primaries, info.color_trc, info.colorspace, info.timecode), (1, 1, 1, "10:00:00:00")
                )
                np.testing.assert_allclose(self.times(out), times, atol=0.0011)
                if export.container.sound:
                    self.assertEqual([(s.codec, s.rate, s.channels) for s in info.sound], [("pcm_s16le", 48000, 2)])
                else:
                    self.assertEqual(self.sound(out), self.sound(self.clip))
                with av.open(str(out)) as container:
                    kept = {**container.metadata, **{k: v for s in container.streams for k, v in s.metadata.items()}}
                self.assertFalse(set(PRIVATE.values()) & set(kept.values()), kept)

    def times(self, path):
        _, index = open_clip(path)
        return [index.time_s(n) for n in range(len(index))]

    def sound(self, path):
        with av.open(str(path)) as container:
            return [bytes(p) for p in container.demux(audio=0) if p.size]

    def test_variable_rate_and_rotation_survive(self):
        path = make_clip(
            self.folder / "phone.mp4",
            20,
            rotation=90,
            time_base=Fraction(1, 90000),
            pts=lambda n: n * 3000 + (n % 4) * 400,
        )
        project = project_on(path, head_path(0, 20, cx=40))
        out = self.folder / "phone-out.mp4"
        export_clip(project, "c1", out)
        self.assertEqual(probe(out).rotation, 90)
        np.testing.assert_allclose(self.times(out), self.times(path), atol=1e-4)

    def test_the_order_of_fields_survives(self):
        for fields in ("top", "bottom"):
            path = make_clip(self.folder / f"{fields}.mkv", 8, encoder="ffv1", fields=fields)
            self.assertEqual(probe(path).fields, fields)
            project = project_on(path, head_path(0, 8))
            for key, suffix in (("h264-mp4", ".mp4"), ("prores-mov", ".mov"), ("ffv1-mkv", ".mkv")):
                out = self.folder / f"{fields}-out{suffix}"
                self.assertEqual(write_clip(project, "c1", [(CoveredFilm(key), out)]), [])
                info, index = open_clip(out)
                with FrameReader(info, index) as reader:
                    self.assertEqual((info.fields, [f.interlaced for f in reader.frames()]), (fields, [True] * 8), key)
            notes = write_clip(project, "c1", [(CoveredFilm("h265-mp4"), self.folder / "h265.mp4")])
            self.assertSentence(notes[0], "interlaced", "H.264")
        self.assertEqual(probe(self.clip).fields, "")

    def test_source_is_never_written(self):
        before = self.clip.read_bytes()
        link = self.folder / "link.mov"
        link.symlink_to(self.clip)
        for target in (self.clip, link):
            with self.assertRaises(CannotWriteMedia) as caught:
                export_clip(self.project, "c1", target)
            self.assertSentence(str(caught.exception), "source")
        self.assertEqual(self.clip.read_bytes(), before)

    def test_cancel_and_full_disk_leave_nothing(self):
        before = sorted(p.name for p in self.folder.iterdir())
        control = JobControl(lambda progress: control.cancel() if progress.done == 5 else None)
        with self.assertRaises(Cancelled):
            export_clip(self.project, "c1", self.folder / "out.mp4", control=control)
        with (
            mock.patch(
                "skiagraph.media.temporary.os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")
            ),
            self.assertRaises(CannotWriteMedia) as caught,
        ):
            export_clip(self.project, "c1", self.folder / "out.mp4")
        self.assertSentence(str(caught.exception), "disk is full")
        after = sorted(p.name for p in self.folder.iterdir() if p.name != "cache")
        self.assertEqual(after, [n for n in before if n != "cache"])

    def test_a_film_that_fails_at_its_end_leaves_no_matte(self):
        out, beside = self.folder / "out.mp4", self.folder / "matte.mkv"
        for where in ("skiagraph.media.writer.FilmWriter.finish", "skiagraph.media.writer.FilmWriter.commit"):
            with (
                mock.patch(where, side_effect=CannotWriteMedia("The disk is full.")),
                self.assertRaises(CannotWriteMedia),
            ):
                export_clip(self.project, "c1", out, matte_target=beside)
            self.assertEqual([p.name for p in self.folder.iterdir() if "out" in p.name or "matte" in p.name], [], where)

    def test_a_cover_that_cannot_be_drawn_stops_the_export(self):
        from skiagraph.cover.cover import Cover
        from skiagraph.shape.shape import Outline

        drawn = []

        def failing(_, regions):
            drawn.append(1)
            if len(drawn) > 10:
                raise ValueError("no block fits")
            return [r.samples[r.box[1] : r.box[3], r.box[0] : r.box[2]] for r in regions]

        nowhere = Outline.at(float("nan"), 40, 30, 30)
        for where, what in (
            (mock.patch.object(Cover.kinds["dissolve"], "hide_all", failing), "no block fits"),
            (mock.patch("skiagraph.project.layers.cover_outline", lambda *_: nowhere), "NaN"),
        ):
            with (
                where,
                self.assertRaises(CannotWriteMedia) as caught,
                self.assertLogs("skiagraph"),
                np.errstate(invalid="ignore"),
            ):
                export_clip(self.project, "c1", self.folder / "out.mp4", matte_target=self.folder / "matte.mkv")
            self.assertSentence(str(caught.exception), "quay.mov", what, "nothing was written")
            self.assertEqual([p.name for p in self.folder.iterdir() if "out" in p.name or "matte" in p.name], [])

    def test_each_cover_is_drawn_once_a_frame(self):
        from skiagraph.shape.shape import Outline

        drawn, raster = [], Outline.raster

        def counted(outline, *arguments):
            drawn.append(outline)
            return raster(outline, *arguments)

        with mock.patch.object(Outline, "raster", counted):
            export_clip(self.project, "c1", self.folder / "out.mkv", matte_target=self.folder / "matte.mkv")
        self.assertEqual(len(drawn), 20)

    def test_bad_targets_are_sentences(self):
        for target in (self.folder / "no" / "such.mp4", self.folder / "film.gif"):
            with self.assertRaises(CannotWriteMedia) as caught:
                export_clip(self.project, "c1", target, None)
            self.assertSentence(str(caught.exception))
        with self.assertRaises(CannotWriteMedia):
            format_for("a.mp4", "nonsense")


class PartTest(TemporaryFolder):
    """From one frame to another as a film of its own: the same frames, sound of that time, timecode from there; and the
    check knows which frames they are."""

    def test_a_part_is_written_with_its_sound_and_timecode(self):
        clip = make_clip(
            self.folder / "a.mov", 50, size=(320, 240), options={"g": 10}, sound=True, timecode="10:00:00:00"
        )
        project = project_on(clip, head_path(0, 50, cx=100, cy=100, width=50, height=66))
        for key, name in (("h264-mp4", "p.mp4"), ("ffv1-mkv", "p.mkv"), ("prores-mov", "p.mov")):
            out = self.folder / name
            write_clip(
                project, "c1", [(CoveredFilm(key), out), (Matte(), self.folder / f"{name}.matte.mkv")], span=(20, 39)
            )
            info, index = open_clip(out)
            self.assertEqual((len(index), int(index.pts[0]), info.timecode[:11]), (20, 0, "10:00:00:20"), name)
            with FrameReader(info, index) as short, FrameReader(*open_clip(clip)) as whole:
                covered = [
                    with_layers(whole.read(n + 20), layers(project, "c1", n + 20)).grey().astype(int) for n in (0, 19)
                ]
                self.assertLess(max(np.abs(short.read(n).grey() - c).mean() for n, c in zip((0, 19), covered)), 4, name)
            self.assertEqual(len(open_clip(self.folder / f"{name}.matte.mkv")[1]), 20)
            with av.open(str(out)) as film:
                packets = [p for p in film.demux(film.streams.audio[0]) if p.pts is not None]
                length = sum(p.duration or 0 for p in packets) * packets[0].time_base
            self.assertTrue(
                0.7 < float(length) <= 0.85 and float(packets[0].pts * packets[0].time_base) < 0.05,
                (name, float(length)),
            )
            self.assertEqual(check_file(project, "c1", out, span=(20, 39)), [], name)
            self.assertEqual([f.reason for f in check_file(project, "c1", out)], [Reason.FILE_SHAPE])

    def test_a_part_of_one_frame_or_two_is_a_film_too(self):
        clip = make_clip(
            self.folder / "a.mp4",
            8,
            size=(1280, 720),
            time_base=Fraction(1, 12800),
            pts=lambda n: n * 512,
            options={"g": 4},
        )
        project = project_on(clip, head_path(0, 8))
        for key in ("h265-mp4", "h265-mkv", "h264-mp4", "av1-mp4"):
            for count in (1, 2):
                out = self.folder / CoveredFilm(key).name(f"{key}-{count}")
                write_clip(project, "c1", [(CoveredFilm(key), out)], span=(3, 2 + count))
                self.assertEqual(len(open_clip(out)[1]), count, key)
