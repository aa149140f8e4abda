"""A good frame is one in which there is most to be seen."""

import numpy as np

from skiagraph.review.good_frame import good_frame
from skiagraph.track.path import FOLLOWED, Path
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, project_on


class GoodFrameTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)

    def frame(self, *paths, near=0):
        project = project_on(self.clip, *paths)
        return good_frame(project, project.subject("s1"), "c1", near)

    def test_large_and_sure(self):
        rows = head_path(0, 60).rows().copy()
        rows[:, 2] = 20 + 10 * np.exp(-(((np.arange(60) - 33) / 6) ** 2))
        self.assertIn(self.frame(Path.from_rows(0, rows, np.zeros(60))), (32, 33, 34))
        rows[28:40, 5] = 0.2
        self.assertIn(self.frame(Path.from_rows(0, rows, np.zeros(60))), (27, 40))

    def test_found_rather_than_followed(self):
        origin = np.full(60, FOLLOWED, np.uint8)
        origin[41] = 0
        self.assertEqual(self.frame(Path.from_rows(0, head_path(0, 60).rows(), origin)), 41)

    def test_whole_in_the_picture_and_not_behind_somebody(self):
        self.assertGreater(self.frame(head_path(0, 60, cx=-10, step=(1.0, 0))), 20)
        behind = self.frame(head_path(0, 60, cx=80), head_path(0, 60, cx=80 - 0, step=(1.2, 0)))
        self.assertGreater(behind, 15)

    def test_of_frames_as_good_the_nearest(self):
        self.assertEqual(self.frame(head_path(0, 60), near=22), 22)
        elsewhere = changed_subject(project_on(self.clip, head_path(0, 60)), "s1", sightings=())
        self.assertIsNone(good_frame(elsewhere, elsewhere.subject("s1"), "c1", 5))
