"""Numbered pictures: a clip whose files are known by name."""

from fractions import Fraction

import cv2
import numpy as np

from skiagraph.errors import CannotOpenMedia, CannotWriteMedia, FrameNotDecoded, SourceChanged
from skiagraph.footage.adding import add_clip
from skiagraph.footage.relink import find_beside
from skiagraph.footage.source import SourceState, open_source, state_of
from skiagraph.handover.export import export_clip
from skiagraph.media.index import open_clip
from skiagraph.media.pictures import pictures_at
from skiagraph.media.reader import FrameReader
from skiagraph.media.temporary import refuse_bad_target
from skiagraph.project.model import Project
from tests.support import TemporaryFolder, head_path, numbered_frame, opened, read_number, with_people

SIZE = (160, 96)


def write_pictures(folder, count=8, *, name="quay.{:04d}.png", first=1, draw=numbered_frame, size=SIZE, depth=8):
    folder.mkdir(exist_ok=True)
    for n in range(count):
        picture = draw(n, *size)[..., ::-1]
        cv2.imwrite(str(folder / name.format(first + n)), picture if depth == 8 else picture.astype(np.uint16) * 257)
    return folder


class PicturesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.shots = write_pictures(self.folder / "shots")

    def test_a_folder_its_first_file_and_any_other_are_the_same_clip(self):
        for path in (self.shots, self.shots / "quay.0001.png", self.shots / "quay.0005.png"):
            info, index = open_clip(path)
            self.assertEqual(
                (info.path, info.container, info.rate, len(index), info.upright_size),
                (self.shots / "quay.0001.png", "pictures", 25, 8, SIZE),
            )
        with FrameReader(info, index, keep=3) as reader:
            self.assertEqual([read_number(reader.read(n).grey()) for n in (0, 7, 3, 4, 3, 2)], [0, 7, 3, 4, 3, 2])

    def test_kinds_of_files_and_rates(self):
        for n, (name, depth, layout) in enumerate(
            (
                ("a{:d}.jpg", 8, "yuvj420p"),
                ("a_{:03d}.tif", 8, "rgb24"),
                ("a {:03d}.tiff", 16, "rgb48le"),
                ("{:06d}.bmp", 8, "bgr24"),
                ("x{:02d}.PNG", 16, "rgb48be"),
            )
        ):
            with self.subTest(name):
                folder = write_pictures(self.folder / f"kind {n}", 12, name=name, first=5, depth=depth)
                info, index = open_clip(folder, rate=Fraction(24000, 1001))
                self.assertEqual(
                    (info.pixel_format, len(index), info.rate, info.path.name),
                    (layout, 12, Fraction(24000, 1001), name.format(5)),
                )
                with FrameReader(info, index) as reader:
                    self.assertEqual([read_number(f.grey()) for f in reader.frames()], list(range(12)))

    def test_a_missing_file_ends_it_and_is_named(self):
        (self.shots / "quay.0006.png").unlink()
        _, index = open_clip(self.shots)
        self.assertEqual(len(index), 5)
        self.assertSentence(index.damage, "quay.0006.png is missing", "the 5 pictures before it")

    def test_a_damaged_file_or_one_of_another_size_is_named(self):
        (self.shots / "quay.0004.png").write_bytes((self.shots / "quay.0004.png").read_bytes()[:200])
        write_pictures(self.shots, 1, first=6, size=(64, 64))
        for picture, words in ((3, ("quay.0004.png is damaged",)), (5, ("quay.0006.png is 64 × 64", "160 × 96"))):
            info, index = open_clip(self.shots)
            with FrameReader(info, index) as reader, self.assertRaises(FrameNotDecoded) as caught:
                reader.read(picture)
            self.assertEqual(caught.exception.frame, picture)
            self.assertSentence(str(caught.exception), *words, f" {picture} ", "before it can be used")

    def test_what_is_not_clear_is_asked(self):
        write_pictures(self.shots, name="hall.{:04d}.png")
        with self.assertRaises(CannotOpenMedia) as caught:
            open_clip(self.shots)
        self.assertSentence(str(caught.exception), "several", "hall.0001.png", "quay.0001.png")
        self.assertEqual(len(open_clip(self.shots / "hall.0003.png")[1]), 8)
        (self.shots / "quay.01.png").write_bytes(b"")
        with self.assertRaises(CannotOpenMedia) as caught:
            open_clip(self.shots / "quay.0001.png")
        self.assertSentence(str(caught.exception), "quay.0001.png", "quay.01.png", "same number")

    def test_a_single_picture_and_an_empty_folder_are_no_clip(self):
        write_pictures(self.folder / "one", 1)
        (self.folder / "none").mkdir()
        self.assertIsNone(pictures_at(self.folder / "one"))
        for path in (self.folder / "one", self.folder / "none", self.folder / "one" / "quay.0001.png"):
            with self.assertRaises(CannotOpenMedia) as caught:
                open_clip(path)
            self.assertSentence(str(caught.exception))

    def test_no_picture_of_it_is_ever_written(self):
        for name in ("quay.0001.png", "quay.0005.png", "quay.0100.png"):
            with self.assertRaises(CannotWriteMedia):
                refuse_bad_target(self.shots / name, [self.shots / "quay.0001.png"])
        refuse_bad_target(self.shots / "quay.0001.mp4", [self.shots / "quay.0001.png"])
        with self.assertRaises(CannotWriteMedia) as caught:
            refuse_bad_target(self.shots, [self.shots / "quay.0001.png"], folder=True)
        self.assertSentence(str(caught.exception), "never written")
        refuse_bad_target(self.folder / "covered", [self.shots / "quay.0001.png"], folder=True)


class ProjectOfPicturesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.shots = write_pictures(self.folder / "shots")
        info, index = open_clip(self.shots, rate=Fraction(24))
        self.project = with_people(add_clip(Project(), info, index), head_path(0, 8))
        self.clip = self.project.clip("c1")

    def test_it_is_exported_with_its_covers_at_its_rate(self):
        export_clip(self.project, "c1", self.folder / "out.mkv")
        info, index = open_clip(self.folder / "out.mkv")
        self.assertEqual((info.rate, len(index), info.upright_size), (24, 8, SIZE))
        source = opened(self.shots)
        with FrameReader(info, index) as after, FrameReader(*source) as before:
            for n in range(8):
                mine, theirs = after.read(n).rgb().astype(int), before.read(n).rgb().astype(int)
                self.assertEqual(read_number(after.read(n).grey()), n)
                self.assertLessEqual(np.abs(mine - theirs)[80:].max(), 1)
                self.assertGreater(np.abs(mine - theirs)[38:58, 70:90].max(), 3)

    def test_another_picture_among_them_is_noticed(self):
        self.assertEqual(state_of(self.clip), SourceState.THERE)
        write_pictures(self.shots, 1, first=5, draw=lambda n, w, h: numbered_frame(77, w, h))
        self.assertEqual(state_of(self.clip), SourceState.CHANGED)
        with self.assertRaises(SourceChanged):
            open_source(self.clip)

    def test_they_are_found_again_beside_the_project(self):
        (self.folder / "moved").mkdir()
        self.shots.rename(self.folder / "moved" / "shots")
        self.assertEqual(state_of(self.clip), SourceState.MISSING)
        found = find_beside(self.project, [self.folder])
        self.assertEqual(found.clip("c1").path, self.folder / "moved" / "shots" / "quay.0001.png")
        self.assertEqual(open_source(found.clip("c1"))[0].rate, 24)
