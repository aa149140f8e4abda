"""Pictures of the contact sheet show the result, in the place that is meant, also of turned clips."""

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.errors import SkiagraphError
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import edits
from skiagraph.project.layers import layers
from skiagraph.project.model import Cover, Portrait, Style, replace
from skiagraph.review.crops import CropReader, in_order_of_making, pictures
from skiagraph.review.findings import findings
from skiagraph.review.places import portrait_turns, within_picture
from skiagraph.review.sheet import by_doubt, sheet_of
from skiagraph.review.sheet_pages import write_sheets
from tests.support import TemporaryFolder, head_path, make_clip, project_on


class CropsTest(TemporaryFolder):
    def project(self, rotation=0):
        clip = make_clip(self.folder / f"a{rotation}.mov", 40, size=(320, 192), rotation=rotation)
        tall = rotation in (90, 270)
        return edits.set_project_style(
            project_on(
                clip,
                head_path(0, 40, cx=70, cy=90, step=(0.5, 0), width=40, height=52),
                head_path(5, 20, cx=100 if tall else 230, cy=220 if tall else 90),
            ),
            Style.of(Cover.kinds["solid"]((0, 255, 0))),
        )

    def test_they_are_parts_of_the_covered_frame(self):
        for rotation in (0, 90, 180, 270):
            project = self.project(rotation)
            crops = sheet_of(project, "c1")
            with (
                self.subTest(rotation),
                CropReader(project.clip("c1")) as reader,
                FrameReader(*open_clip(project.clip("c1").path)) as whole,
            ):
                for crop in crops[::3]:
                    x0, y0, x1, y1 = crop.box
                    self.assertTrue(
                        0 <= x0 < x1 <= project.clip("c1").width and 0 <= y0 < y1 <= project.clip("c1").height
                    )
                    made = reader.picture(project, crop, (x1 - x0, y1 - y0)).astype(int)
                    frame = whole.read(crop.at)
                    expected = with_layers(frame, layers(project, "c1", crop.at)).rgb()[y0:y1, x0:x1].astype(int)
                    self.assertEqual(made.shape, expected.shape)
                    self.assertLess(np.abs(made - expected)[2:-2, 2:-2].mean(), 2.0)

    def test_a_covered_head_is_never_shown(self):
        project = self.project()
        for crop, picture in pictures(project, "c1", sheet_of(project, "c1"), (80, 100)):
            if crop.subject == "s1":
                middle = picture[
                    picture.shape[0] // 2 - 3 : picture.shape[0] // 2 + 3,
                    picture.shape[1] // 2 - 3 : picture.shape[1] // 2 + 3,
                ].astype(int)
                self.assertGreater((middle[..., 1] - middle[..., 0]).mean(), 80, crop)

    def test_each_is_made_once_the_most_doubtful_first(self):
        project = self.project()
        crops = sheet_of(project, "c1", findings(project))
        made = [crop for crop, _ in pictures(project, "c1", crops, (40, 50))]
        self.assertEqual(sorted(map(repr, made)), sorted(map(repr, crops)))
        self.assertEqual(made, in_order_of_making(crops))
        self.assertIn(by_doubt(crops)[0], made[:24])

    def test_the_portrait_of_who_lies_is_turned_as_they_lie(self):
        clip = make_clip(self.folder / "b.mov", 20, size=(320, 192))
        angles = {0.0: 0, 30.0: 0, -40.0: 0, 80.0: 1, -90.0: 3, 180.0: 2, -175.0: 2, 270.0: 3}
        project = project_on(clip, *(head_path(0, 20, cx=90, cy=90, angle=angle) for angle in angles))
        for subject, turns in zip(project.subjects, angles.values()):
            self.assertEqual(portrait_turns(project, subject), 0, "nobody has a portrait yet")
            self.assertEqual(
                portrait_turns(project, replace(subject, portrait=Portrait("c1", 5, (80, 80, 100, 100)))), turns
            )
            self.assertEqual(
                portrait_turns(project, replace(subject, portrait=Portrait("c1", 25, (80, 80, 100, 100)))),
                0,
                "nor is anybody there",
            )

    def test_boxes_are_moved_into_the_picture(self):
        self.assertEqual(within_picture((-20, 10, 30, 60), (100, 100)), (0, 10, 50, 60))
        self.assertEqual(within_picture((70, 80, 120, 130), (100, 100)), (50, 50, 100, 100))
        self.assertEqual(within_picture((-20, -20, 130, 130), (100, 100)), (-20, -20, 130, 130))

    def test_pages_are_written_and_not_over_others(self):
        project = self.project()
        written = write_sheets(project, ["c1"], [], self.folder / "sheets")
        self.assertEqual(len(written), 2)
        self.assertTrue(all(path.exists() for path in written))
        with self.assertRaises(SkiagraphError) as refused:
            write_sheets(project, ["c1"], [], self.folder / "sheets")
        self.assertSentence(str(refused.exception), "exists already")
        self.assertEqual(write_sheets(project, ["c1"], [], self.folder / "sheets", replace=True), written)
