"""What the window shows is what the file holds: every cover, on every kind of outline, in several layouts of
samples."""

import numpy as np
from PIL import Image
from PySide6.QtGui import QImage

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.label import Label
from skiagraph.desktop.picture_server import PictureServer, Wish
from skiagraph.desktop.session import View
from skiagraph.handover.export import export_clip
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import edits, housing
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Shape
from skiagraph.shape.pointed import as_kind
from tests.desktop.support import DesktopTest
from tests.support import changed_sighting, head_path, make_clip, project_on


def noisy(n, width, height):
    return np.random.default_rng(n).integers(0, 256, (height, width, 3), dtype=np.uint8)


class PreviewTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.server = PictureServer()
        self.addCleanup(self.server.close)
        emblem = self.folder / "emblem.png"
        Image.fromarray(np.dstack([noisy(9, 40, 30), np.full((30, 40), 180, np.uint8)])).save(emblem)
        kinds = Cover.kinds
        self.styles = [Style((kind(),)) for kind in kinds.values()] + [
            Style((kinds["picture"](str(emblem)),)),
            Style((kinds["solid"](), kinds["caption"]())),
            Style((kinds["mosaic"](4, rounded=0.6, jitter=0.5, grid="picture"), kinds["blur"](0.1)), 0.3, 0.4),
        ]

    def compared(self, project, frame=1):
        film = self.folder / "out.mkv"
        export_clip(project, "c1", film, FORMATS["ffv1-mkv"])
        with FrameReader(*open_clip(film)) as reader:
            written = reader.read(frame)
        with FrameReader(*open_clip(project.clip("c1").path)) as reader:
            source = reader.read(frame)
        shown = self.server._make(Wish(project, "c1", frame, View.RESULT, 4000, 4000)).image.convertToFormat(
            QImage.Format.Format_RGB888
        )
        rows = (
            np.frombuffer(shown.constBits(), np.uint8)
            .reshape(shown.height(), shown.bytesPerLine())[:, : 3 * shown.width()]
            .reshape(shown.height(), shown.width(), 3)
            .copy()
        )
        return rows, written, source

    def test_preview_and_file_are_the_same_px_and_nothing_else_is_touched(self):
        clip = make_clip(self.folder / "a.mkv", 2, encoder="ffv1", draw=noisy)
        base = project_on(clip, head_path(0, 2, angle=15, width=40, height=50))
        outlines = list(Shape.kinds)
        for n, style in enumerate(self.styles):
            shape = as_kind(Shape.kinds["ellipse"](), outlines[n % len(outlines)])
            project = changed_sighting(edits.set_project_style(base, style), "s1", shape=shape)
            with self.subTest(style=style.state(), outline=shape.kind):
                rows, written, source = self.compared(project)
                np.testing.assert_array_equal(rows, written.rgb())
                cover = matte(project, "c1", 1)
                luma, before = written.planes()[0], source.planes()[0]
                np.testing.assert_array_equal(luma[cover == 0], before[cover == 0])
                inside = cover == 255
                self.assertLess(
                    abs(np.corrcoef(luma[inside].astype(float), before[inside])[0, 1])
                    if luma[inside].std() > 1
                    else 0.0,
                    0.45,
                    "complete inside",
                )

    def test_every_outline_and_layout(self):
        for n, name in enumerate(("yuv422p10le", "yuv444p", "gbrp10le", "gray", "yuv420p")):
            clip = make_clip(
                self.folder / f"{name}.mkv",
                2,
                size=(160, 96),
                encoder="ffv1",
                pixel_format=name,
                draw=noisy,
                fields="top" if name == "yuv422p10le" else "",
                rotation=90 if name == "yuv444p" else 0,
            )
            for m, kind in enumerate(Shape.kinds):
                project = changed_sighting(
                    project_on(clip, head_path(0, 2, cx=50, cy=50, angle=-20)),
                    "s1",
                    shape=as_kind(Shape.kinds["ellipse"](), kind),
                )
                project = edits.set_project_style(project, self.styles[(n + 2 * m) % len(self.styles)])
                with self.subTest(layout=name, outline=kind):
                    rows, written, _ = self.compared(project)
                    np.testing.assert_array_equal(rows, written.rgb())

    def test_odd_sizes_and_the_edge_of_the_picture(self):
        clip = make_clip(self.folder / "odd.mkv", 2, size=(97, 61), encoder="ffv1", pixel_format="yuv444p", draw=noisy)
        for n, place in enumerate(((2, 3), (95, 59), (48, 60), (96, 5))):
            for style in self.styles[n::3]:
                project = edits.set_project_style(project_on(clip, head_path(0, 2, cx=place[0], cy=place[1])), style)
                rows, written, _ = self.compared(project)
                np.testing.assert_array_equal(rows, written.rgb())

    def test_the_reverse_and_labels(self):
        clip = make_clip(self.folder / "a.mkv", 2, encoder="ffv1", draw=noisy)
        project = project_on(clip, head_path(0, 2))
        for style in self.styles:
            covered = housing.set_label(
                housing.cover_rest(edits.set_project_style(project, style), "c1"), "s1", Label.of("Clerk")
            )
            rows, written, _ = self.compared(covered)
            np.testing.assert_array_equal(rows, written.rgb())
            self.assertTrue(layers(covered, "c1", 1)[-1].label)
