"""Covers hide completely inside, and touch nothing outside, in every layout of samples."""

import numpy as np

from skiagraph.cover.layer import layer_of
from skiagraph.media.frame import stored
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import cast, edits
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Cover, Decision, Outline, Style
from tests.support import TemporaryFolder, covered, head_path, make_clip, project_on

Mosaic, Solid = Cover.kinds["mosaic"], Cover.kinds["solid"]


def noisy(n, width, height):
    return np.random.default_rng(n).integers(0, 256, (height, width, 3), dtype=np.uint8)


class CompositeTest(TemporaryFolder):
    def frame(self, path, n=0):
        info, index = open_clip(path)
        with FrameReader(info, index) as reader:
            return reader.read(n)

    def test_outside_every_matte_samples_are_untouched(self):
        for name in ("yuv420p", "yuv422p10le", "yuv444p", "gray", "gbrp10le"):
            path = make_clip(self.folder / f"{name}.mkv", 2, encoder="ffv1", pixel_format=name, draw=noisy)
            frame = self.frame(path)
            for kind in Cover.kinds.values():
                with self.subTest(layout=name, kind=kind.word):
                    project = edits.set_project_style(project_on(path, head_path(0, 2, angle=20)), Style.of(kind()))
                    hidden = covered(project, "c1", frame)
                    cover = matte(project, "c1", 0)
                    for n, (before, after) in enumerate(zip(frame.planes(), hidden.planes())):
                        sx, sy = frame.layout.shifts[n]
                        here = cover.reshape(96 >> sy, 1 << sy, 160 >> sx, 1 << sx).max(axis=(1, 3))
                        self.assertTrue(np.array_equal(before[here == 0], after[here == 0]))
                        self.assertGreater(
                            np.count_nonzero(before[here == 255] != after[here == 255]),
                            0.5 * np.count_nonzero(here == 255),
                        )

    def test_fields_are_covered_each_by_itself(self):
        """The lines of one field are white and those of the other black: blocks that mixed them would be grey."""

        def combed(n, width, height):
            picture = np.full((height, width, 3), 20, np.uint8)
            picture[::2] = 230
            return picture

        for pixel_format in ("yuv420p", "yuv422p10le", "gbrp10le"):
            for rotation in (0, 90):
                path = make_clip(
                    self.folder / "fields.mkv",
                    2,
                    encoder="ffv1",
                    pixel_format=pixel_format,
                    draw=combed,
                    fields="top",
                    rotation=rotation,
                )
                whole = make_clip(
                    self.folder / "whole.mkv",
                    2,
                    encoder="ffv1",
                    pixel_format=pixel_format,
                    draw=combed,
                    rotation=rotation,
                )
                for film, mixes in ((path, False), (whole, True)):
                    frame = self.frame(film)
                    self.assertEqual(frame.interlaced, not mixes)
                    project = edits.set_project_style(project_on(film, head_path(0, 2, cx=48)), Style.of(Mosaic(3)))
                    hidden, before = covered(project, "c1", frame), frame.planes()[0].astype(int)
                    inside = stored(matte(project, "c1", 0), rotation) == 255
                    away = np.abs(hidden.planes()[0].astype(int) - before)[inside]
                    self.assertEqual(
                        away.max() > 0.2 * (before.max() - before.min()), mixes, (pixel_format, rotation, film)
                    )

    def test_every_sample_of_interlaced_colour_is_covered_as_in_a_whole_picture(self):
        for name in ("yuv420p", "yuv422p10le", "yuv444p", "gbrp10le", "gray"):
            path = make_clip(
                self.folder / f"{name}.mkv", 2, encoder="ffv1", pixel_format=name, draw=noisy, fields="bottom"
            )
            frame = self.frame(path)
            for cy in (47.0, 48.0, 49.0, 50.0, 1.0, 95.0):
                project = edits.set_project_style(
                    project_on(path, head_path(0, 2, cy=cy)), Style.of(Solid((0, 0, 255)), 0, 0)
                )
                hidden, cover = covered(project, "c1", frame), matte(project, "c1", 0)
                for n, (before, after) in enumerate(zip(frame.planes(), hidden.planes())):
                    sx, sy = frame.layout.shifts[n]
                    here = cover.reshape(96 >> sy, 1 << sy, 160 >> sx, 1 << sx).max(axis=(1, 3)) == 255
                    self.assertEqual(len(set(after[here].tolist())), 1, (name, cy, n))
                    rows = np.flatnonzero((before != after).any(axis=1)) << sy
                    marked = np.flatnonzero(cover.any(axis=1))
                    self.assertTrue(marked[0] - 4 <= rows[0] and rows[-1] <= marked[-1] + 4, (name, cy, n))

    def test_solid_is_one_value_wherever_the_matte_is_complete(self):
        path = make_clip(self.folder / "a.mkv", 1, encoder="ffv1", draw=noisy)
        project = edits.set_project_style(project_on(path, head_path(0, 1)), Style.of(Solid((0, 0, 0))))
        hidden = covered(project, "c1", self.frame(path))
        self.assertEqual(set(hidden.planes()[0][matte(project, "c1", 0) == 255].tolist()), {16})

    def test_two_faces_with_the_same_block_means_give_the_same_mosaic(self):
        def checked(n, width, height):
            """A fine pattern, and its negative: alike in the mean of each block of 20 px."""
            on = (np.indices((height, width)).sum(axis=0) + n) % 2
            return np.repeat((on * 200 + 20)[..., None], 3, axis=2).astype(np.uint8)

        head, hidden, plain = head_path(0, 2, width=60, height=60), [], []
        path = make_clip(self.folder / "a.mkv", 2, encoder="ffv1", pixel_format="gray", draw=checked)
        project = edits.set_project_style(project_on(path, head), Style.of(Mosaic(3), 0, 0))
        inside = matte(project, "c1", 0) == 255
        for n in (0, 1):
            frame = self.frame(path, n)
            plain.append(frame.planes()[0][inside])
            hidden.append(covered(project, "c1", frame).planes()[0][inside])
        self.assertGreater(int(np.abs(plain[0].astype(int) - plain[1]).min()), 150)
        self.assertLessEqual(int(np.abs(hidden[0].astype(int) - hidden[1]).max()), 1)

    def test_turned_clip_is_covered_where_it_is_upright(self):
        for rotation in (90, 180, 270):
            with self.subTest(rotation=rotation):
                path = make_clip(self.folder / f"r{rotation}.mp4", 2, rotation=rotation, draw=noisy)
                head = head_path(0, 2, cx=30, cy=40, width=20, height=24)
                project = edits.set_project_style(project_on(path, head), Style.of(Solid((255, 0, 0))))
                shown = covered(project, "c1", self.frame(path)).rgb()
                self.assertGreater(int(shown[40, 30, 0]) - int(shown[40, 30, 1]), 150)
                changed = np.abs(shown.astype(int) - self.frame(path).rgb()).sum(axis=2) > 60
                y, x = np.nonzero(changed)
                self.assertLess(abs(x.mean() - 30) + abs(y.mean() - 40), 4)

    def test_shown_subject_is_untouched_and_undecided_is_covered(self):
        path = make_clip(self.folder / "a.mkv", 1, encoder="ffv1", draw=noisy)
        project = project_on(path, head_path(0, 1))
        self.assertEqual(len(layers(project, "c1", 0)), 1)
        self.assertEqual(layers(cast.decide(project, ["s1"], Decision.SHOW), "c1", 0), [])
        frame = self.frame(path)
        self.assertIs(covered(cast.decide(project, ["s1"], Decision.SHOW), "c1", frame), frame)


class MatteTest(TemporaryFolder):
    def test_complete_inside_and_soft_only_outwards(self):
        rng = np.random.default_rng(5)
        for _ in range(30):
            outline = Outline.at(*rng.uniform(20, 140, 2), *rng.uniform(8, 80, 2), rng.uniform(-90, 90))
            for feather in (0.0, 0.3):
                layer = layer_of("s", Style.of(Mosaic(), feather=feather), outline, (160, 160))
                x0, y0, x1, y1 = layer.box
                grid = np.stack(np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5), -1).reshape(-1, 2)
                inside = outline.contains(grid).reshape(y1 - y0, x1 - x0)
                self.assertTrue((layer.alpha[inside] == 255).all())
                far = ~outline.grown_by(feather + 6 / min(outline.width, outline.height)).contains(grid).reshape(
                    inside.shape
                )
                self.assertTrue((layer.alpha[far] == 0).all())

    def test_unsure_and_fast_paths_grow(self):
        path = make_clip(self.folder / "a.mp4", 10)
        sizes = [
            (matte(project_on(path, p), "c1", 5) == 255).sum()
            for p in (head_path(0, 10), head_path(0, 10, confidence=0.2), head_path(0, 10, cx=50, step=(6, 0)))
        ]
        self.assertGreater(sizes[1], sizes[0] * 1.1)
        self.assertGreater(sizes[2], sizes[0] * 1.05)

    def test_outside_the_frame_there_is_no_layer(self):
        self.assertIsNone(layer_of("s", Style.of(Mosaic()), Outline.at(-100, 40, 20, 20), (160, 96)))
