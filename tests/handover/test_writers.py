"""What is written in other shapes: smaller, with other sound, as pictures, as covers alone; and what of it is said."""

import re
from fractions import Fraction

import av
import cv2
import numpy as np

from skiagraph.cover.transparent import Scale, covers_alone, laid_over
from skiagraph.errors import CannotWriteMedia
from skiagraph.handover.export import write_clip
from skiagraph.handover.writers.covers_only import ALPHA_FORMS, CoversOnly
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.handover.writers.pictures import CoveredPictures
from skiagraph.media.clip import probe
from skiagraph.media.frame import planes_of
from skiagraph.media.index import open_clip
from skiagraph.media.picture_files import UprightRgb
from skiagraph.media.reader import FrameReader
from skiagraph.media.sizes import SIZES, stored_size
from skiagraph.project.model import replace
from skiagraph.review.exposure import prove
from tests.support import TemporaryFolder, covered, head_path, make_clip, project_on

SIZE = (320, 240)
MASTERED = "master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50):max-cll=1000,400"


def textured(n, width, height):
    """A picture with fine and coarse detail that moves, and plain colour."""
    rows, columns = np.mgrid[:height, :width]
    picture = np.stack(
        [(columns * 3 + n * 5) % 200 + 20, (rows * 2 + columns // 3) % 180 + 30, np.full_like(rows, 90 + n)], axis=2
    )
    picture[60:180, 80:240] = picture[60:180, 80:240] // 2 + np.random.default_rng(n).integers(0, 120, (120, 160, 3))
    return picture.astype(np.uint8)


def decoded(path):
    with av.open(str(path)) as container:
        return list(container.decode(video=0))


def overlaid(below, above, form):
    """FFmpeg's own way of laying a picture with transparency over another."""
    graph, one = av.filter.Graph(), Fraction(1, 25)
    ground, top = (
        graph.add_buffer(width=p.width, height=p.height, format=p.format.name, time_base=one) for p in (below, above)
    )
    over, sink = graph.add("overlay", f"format={form}:alpha=straight"), graph.add("buffersink")
    ground.link_to(over, 0, 0)
    top.link_to(over, 0, 1)
    over.link_to(sink)
    graph.configure()
    for picture, entrance in ((below, ground), (above, top)):
        picture.pts, picture.time_base = 0, one
        entrance.push(picture)
        entrance.push(None)
    return graph.pull()


class CoversOnlyTest(TemporaryFolder):
    def project(self, pixel_format, feather, **more):
        clip = make_clip(
            self.folder / f"{pixel_format}{feather}.mkv",
            2,
            size=SIZE,
            encoder="ffv1",
            pixel_format=pixel_format,
            draw=textured,
            tags={"colorspace": 1, "color_range": 1},
            **more,
        )
        project = project_on(clip, head_path(0, 2, cx=150, cy=120, width=80, height=100))
        return project.deciding(style=replace(project.style, feather=feather)), clip

    def written(self, project, *forms):
        targets = [self.folder / f"covers-{form}{ALPHA_FORMS[form].suffix}" for form in forms]
        write_clip(project, "c1", [(CoversOnly(form), target) for form, target in zip(forms, targets)])
        return targets

    def test_laid_over_the_original_they_give_the_covered_film(self):
        for pixel_format, feather in (("yuv420p", 0.0), ("yuv420p", 0.4), ("yuv422p10le", 0.3), ("yuv444p", 0.3)):
            project, clip = self.project(pixel_format, feather)
            (alone,) = self.written(project, "ffv1")
            with FrameReader(*open_clip(clip)) as reader:
                for source, over in zip(reader.frames(), decoded(alone)):
                    *colours, alpha = planes_of(over)
                    self.assertTrue(alpha.any() and not alpha.all())
                    for colour, before, after in zip(colours, source.planes(), covered(project, "c1", source).planes()):
                        found = laid_over(before, colour, alpha, 1023 if "10" in pixel_format else 255)
                        self.assertLessEqual(np.abs(found.astype(int) - after).max(), 1, (pixel_format, feather))

    def test_so_it_is_for_a_program_that_lays_them_over(self):
        project, clip = self.project("yuv420p", 0.3)
        (alone,) = self.written(project, "ffv1")
        with FrameReader(*open_clip(clip)) as reader:
            wanted = [covered(project, "c1", frame).planes() for frame in reader.frames()]
        for below, above, planes in zip(decoded(clip), decoded(alone), wanted):
            for found, after in zip(planes_of(overlaid(below, above, "yuv420")), planes):
                self.assertLessEqual(np.abs(found.astype(int) - after).max(), 1)

    def test_prores_and_pictures_hold_them_too(self):
        for pixel_format in ("yuv420p", "yuv422p10le"):
            project, clip = self.project(pixel_format, 0.3)
            film, pictures = self.written(project, "prores-4444", "png")
            with FrameReader(*open_clip(clip)) as reader:
                source = reader.read(0)
            after, most = covered(project, "c1", source), 1023 if "10" in pixel_format else 255
            luma, _, _, alpha = (plane.astype(float) for plane in planes_of(decoded(film)[0]))
            share = alpha / 4095
            found = share * luma / 4096 * (most + 1) + (1 - share) * source.planes()[0]
            self.assertLessEqual(
                np.abs(found - after.planes()[0]).max(),
                1.5 if most == 255 else 4.5,
                "luma of ProRes 4444: a code value of 8 bits, and rounding",
            )
            rgba = decoded(sorted(pictures.iterdir())[0])[0].to_ndarray().astype(float)
            share = rgba[..., 3:] / (65535 if most > 255 else 255)
            exact = UprightRgb(probe(clip), SIZE)
            below, wanted = (exact.of(frame).astype(float) for frame in (source, after))
            self.assertLessEqual(
                np.abs(share * rgba[..., :3] + (1 - share) * below - wanted).max(), 1.0, "RGB over the same RGB"
            )
            self.assertEqual(
                [p.name for p in sorted(pictures.iterdir())], ["covers-png_0000000.png", "covers-png_0000001.png"]
            )

    def test_they_hold_nothing_of_the_picture_outside_and_keep_its_shape(self):
        project, _ = self.project("yuv420p", 0.3, rotation=90, timecode="10:00:00:00")
        for film in self.written(project, "ffv1", "prores-4444"):
            info = probe(film)
            self.assertEqual((info.width, info.height, info.rotation, info.timecode), (*SIZE, 90, "10:00:00:00"))
            for picture in decoded(film):
                *colours, alpha = planes_of(picture)
                if "ffv1" in film.name:
                    self.assertEqual([set(np.unique(colours[0][alpha == 0])), len(colours)], [{16}, 3])
                else:
                    # Colour goes on for a block or two beyond the covers; then there is none.
                    far = cv2.dilate((alpha > 0).astype(np.uint8), np.ones((129, 129), np.uint8)) == 0
                    self.assertTrue(far.any())
                    self.assertLess(np.abs(colours[0][far].astype(int) - 64 * 4).max(), 64)

    def test_soft_edges_hold_the_colour_of_the_cover_and_not_a_mixture(self):
        before, after = (
            np.full((4, 64), 200, np.uint8),
            np.linspace(200, 40, 64).round().astype(np.uint8)[None].repeat(4, 0),
        )
        matte = np.linspace(0, 255, 64).round().astype(np.uint8)[None].repeat(4, 0)
        (colour,), alpha = covers_alone([before], [after], matte, [Scale(16, 235, 255)])
        self.assertLess(np.abs(colour[:, 12:].astype(int) - 40).max(), 6)
        self.assertLessEqual(np.abs(laid_over(before, colour, alpha, 255).astype(int) - after).max(), 1)

    def test_no_picture_asks_for_a_colour_that_cannot_be_written(self):
        rng = np.random.default_rng(3)
        before, after = rng.integers(0, 256, (2, 50, 50)).astype(np.uint8)
        matte = rng.integers(0, 256, (50, 50)).astype(np.uint8)
        small = rng.integers(0, 256, (2, 25, 25)).astype(np.uint8)
        colours, alpha = covers_alone(
            [before, small[0]], [after, small[1]], matte, [Scale(16, 235, 255), Scale(16, 240, 255)]
        )
        for colour, was, now in zip(colours, (before, small[0]), (after, small[1])):
            self.assertLessEqual(np.abs(laid_over(was, colour, alpha, 255).astype(int) - now).max(), 1)
        self.assertTrue((alpha >= matte).all())


class ShapeTest(TemporaryFolder):
    def test_sizes_fit_whole_pictures_upright_with_square_pixels(self):
        for size, rotation, aspect, key, wanted in (
            ((1920, 1080), 0, 1, "most-1080", (1920, 1080)),
            ((3840, 2160), 0, 1, "most-1080", (1920, 1080)),
            ((640, 360), 0, 1, "most-1080", (640, 360)),
            ((640, 360), 0, 1, "1080", (1920, 1080)),
            ((1920, 1080), 90, 1, "720", (1280, 720)),
            ((720, 576), 0, Fraction(64, 45), "576", (1024, 576)),
            ((1000, 1000), 0, 1, "1080", (1080, 1080)),
        ):
            info = replace_info(
                make_clip(self.folder / "a.mkv", 1),
                width=size[0],
                height=size[1],
                rotation=rotation,
                sample_aspect=Fraction(aspect),
            )
            (width, height), pixel = stored_size(info, SIZES[key])
            self.assertEqual((width, height), wanted, (size, key))
            self.assertEqual(pixel, 1 if wanted != size or aspect != 1 else info.sample_aspect)

    def test_a_smaller_film_says_so_and_stands_its_check(self):
        clip = make_clip(self.folder / "a.mp4", 10, size=(1280, 720), draw=textured, sound=True, rotation=90)
        project = project_on(clip, head_path(0, 10, cx=300, cy=500, width=120, height=160))
        out = self.folder / "out.mp4"
        notes = write_clip(project, "c1", [(CoveredFilm("h264-mp4", size="576"), out)])
        self.assertSentence(" ".join(notes), "from 720 × 1280 to 576 × 1024")
        self.assertEqual(probe(out).upright_size, (576, 1024))
        proof = prove(project, "c1", out)
        self.assertEqual(
            (list(proof.findings), [f.result for f in proof.facts if f.what == "Size"]),
            ([], ["576 × 1024, scaled from 720 × 1280"]),
        )
        bare = self.folder / "bare.mp4"
        write_clip(project.deciding(subjects=()), "c1", [(CoveredFilm("h264-mp4", size="576"), bare)])
        self.assertEqual(
            {f.subject for f in prove(project, "c1", bare).findings} & {"s1"},
            {"s1"},
            "and one without its cover does not",
        )

    def test_pictures_stand_their_check_too(self):
        for pixel_format, rotation in (("yuv420p", 0), ("yuv422p10le", 90)):
            clip = make_clip(
                self.folder / f"{pixel_format}.mkv",
                6,
                size=SIZE,
                encoder="ffv1",
                pixel_format=pixel_format,
                draw=textured,
                rotation=rotation,
                tags={"colorspace": 1, "color_range": 1},
            )
            project = project_on(clip, head_path(0, 6, cx=120, cy=110, width=70, height=90))
            for form in ("png", "tiff"):
                out = self.folder / f"{pixel_format}-{form}"
                notes = write_clip(project, "c1", [(CoveredPictures(form), out)], span=(2, 5))
                self.assertSentence(" ".join(notes), "no times")
                self.assertEqual(sorted(p.name for p in out.iterdir())[0], f"{out.name}_0000002.{form}")
                self.assertEqual((len(open_clip(out)[1]), probe(out).bit_depth > 8), (4, "10" in pixel_format))
                self.assertEqual(list(prove(project, "c1", out, span=(2, 5)).findings), [])

    def test_the_sound_of_pictures_lies_among_them(self):
        clip = make_clip(self.folder / "a.mov", 50, size=SIZE, sound=True)
        project, out = project_on(clip, head_path(0, 50)), self.folder / "pictures"
        for sound, codec in (("as-shot", "aac"), ("pcm", "pcm_s16le")):
            notes = " ".join(write_clip(project, "c1", [(CoveredPictures(sound=sound), out)], span=(10, 39)))
            self.assertSentence(notes, "pictures-sound.mov")
            with av.open(str(out / "pictures-sound.mov")) as heard:
                self.assertEqual([s.codec_context.name for s in heard.streams], [codec])
            proof = prove(project, "c1", out, span=(10, 39))
            self.assertEqual(
                ([f.good for f in proof.facts if f.what == "Sound track 1"], list(proof.findings)), ([True], [])
            )
        write_clip(project, "c1", [(CoveredPictures(sound="none"), out)])
        self.assertEqual([p.name for p in out.iterdir() if p.suffix == ".mov"], [], "and goes with the folder")

    def test_a_folder_gives_way_only_to_pictures_of_its_own_name(self):
        clip = make_clip(self.folder / "a.mkv", 4, size=SIZE, encoder="ffv1")
        project, out = project_on(clip, head_path(0, 4)), self.folder / "pictures"
        write_clip(project, "c1", [(CoveredPictures(), out)])
        write_clip(project, "c1", [(CoveredPictures(), out)], span=(0, 1))
        self.assertEqual(len(list(out.iterdir())), 2)
        (out / "letter.txt").write_text("mine")
        with self.assertRaises(CannotWriteMedia) as caught:
            write_clip(project, "c1", [(CoveredPictures(), out)])
        self.assertSentence(str(caught.exception), "letter.txt")
        self.assertEqual(
            (len(list(out.iterdir())), [p.name for p in self.folder.iterdir() if p.name.startswith(".")]), (3, [])
        )

    def test_what_cannot_be_kept_is_refused_or_said(self):
        clip = make_clip(self.folder / "a.mkv", 4, size=SIZE, encoder="ffv1", pixel_format="yuv422p10le")
        project = project_on(clip, head_path(0, 4))
        for key, words in (
            ("dnxhr-hq-mov", "holds 8 bits"),
            ("av1-mp4", "less colour"),
            ("h264-mp4", "keeps the 10 bits"),
        ):
            self.assertSentence(
                " ".join(
                    write_clip(
                        project,
                        "c1",
                        [
                            (
                                CoveredFilm(key),
                                self.folder / f"{key}.mov" if "mov" in key else self.folder / f"{key}.mp4",
                            )
                        ],
                    )
                ),
                words,
            )
        for clip, words in (
            (
                make_clip(
                    self.folder / "v.mp4",
                    12,
                    size=SIZE,
                    time_base=Fraction(1, 90000),
                    pts=lambda n: n * 3600 + n % 3 * 900,
                ),
                "different length",
            ),
            (make_clip(self.folder / "r.mp4", 12, size=SIZE, rate=Fraction(17)), "17 frames a second"),
        ):
            with self.assertRaises(CannotWriteMedia) as caught:
                write_clip(
                    project_on(clip, head_path(0, 4)), "c1", [(CoveredFilm("dnxhr-hqx-mxf"), self.folder / "o.mxf")]
                )
            self.assertSentence(str(caught.exception), clip.name, words, "MOV")
            self.assertFalse((self.folder / "o.mxf").exists())

    def test_high_dynamic_range_says_what_it_said(self):
        tags = {"color_primaries": 9, "color_trc": 16, "colorspace": 9, "color_range": 1}
        clip = make_clip(
            self.folder / "hdr.mp4",
            4,
            size=SIZE,
            encoder="libx265",
            pixel_format="yuv420p10le",
            tags=tags,
            options={"x265-params": f"log-level=none:{MASTERED}"},
        )
        source, project = probe(clip), project_on(clip, head_path(0, 4))
        self.assertEqual(
            (source.mastering.most, source.mastering.mean, round(source.mastering.brightest)), (1000, 400, 1000)
        )
        for key, suffix in (
            ("h264-mp4", ".mp4"),
            ("h265-mkv", ".mkv"),
            ("av1-mkv", ".mkv"),
            ("dnxhr-hqx-mov", ".mov"),
            ("prores-hq-mov", ".mov"),
        ):
            out = self.folder / f"{key}{suffix}"
            notes = " ".join(write_clip(project, "c1", [(CoveredFilm(key), out)]))
            info = probe(out)
            self.assertEqual(
                (info.bit_depth, info.color_primaries, info.color_trc, info.colorspace), (10, 9, 16, 9), key
            )
            kept = key.startswith(("h26", "av1"))
            self.assertEqual(
                (info.mastering.is_like(source.mastering), "cannot be kept" in notes), (kept, not kept), key
            )

    def test_sound_is_written_as_asked_for(self):
        clip = make_clip(self.folder / "a.mov", 25, size=SIZE, sound=True)
        project = project_on(clip, head_path(0, 25))
        for sound, key, codec, said in (
            ("as-shot", "h264-mp4", "aac", ""),
            ("aac", "h264-mov", "aac", ""),
            ("pcm", "prores-mov", "pcm_s16le", "as asked for"),
            ("pcm", "h264-mp4", "alac", "as asked for"),
            ("none", "h264-mp4", None, "left out"),
            ("as-shot", "dnxhr-sq-mxf", "pcm_s16le", "cannot hold it"),
        ):
            film = CoveredFilm(key, sound=sound)
            out = self.folder / film.name(f"{sound}-{key}")
            notes = " ".join(write_clip(project, "c1", [(film, out)]))
            self.assertEqual([s.codec for s in probe(out).sound], [codec] if codec else [])
            self.assertRegex(notes, re.escape(said) if said else "^$")
            proof = prove(project, "c1", out, silent=sound == "none")
            self.assertTrue(
                all(f.good is not False for f in proof.facts if f.what.startswith("Sound")), [f for f in proof.facts]
            )


def replace_info(path, **changes):
    import dataclasses

    return dataclasses.replace(probe(path), **changes)
