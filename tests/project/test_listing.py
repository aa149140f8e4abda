"""Where everybody is, for other programs: the same rows in every form."""

import csv
import json

import numpy as np

from skiagraph.footage.adding import add_clip
from skiagraph.media.index import open_clip
from skiagraph.project import file
from skiagraph.project.listing import COLUMNS, FORMS, track_rows, write_tracks
from tests.command_line import CommandLine
from tests.support import head_path, make_clip, project_on


class ListingTest(CommandLine):
    def setUp(self):
        super().setUp()
        self.project = project_on(
            make_clip(self.folder / "a.mp4", 20, size=(320, 192)),
            head_path(0, 20, cx=60, step=(1, 0)),
            head_path(5, 10, cx=200, angle=90, width=30, height=40),
        )

    def test_all_forms_say_the_same(self):
        rows = list(track_rows(self.project))
        for suffix in FORMS:
            self.assertEqual(write_tracks(self.project, self.folder / f"t{suffix}"), 30)
        with open(self.folder / "t.csv", newline="") as opened:
            listed = list(csv.reader(opened))
        self.assertEqual(
            (tuple(listed[0]), [tuple(r) for r in listed[1:]]), (COLUMNS, [tuple(str(v) for v in row) for row in rows])
        )
        plain = json.loads((self.folder / "t.json").read_text())
        self.assertEqual(
            [row for s in plain["clips"][0]["subjects"] for row in s["rows"]], [list(row[3:]) for row in rows]
        )
        mot = np.loadtxt(self.folder / "t.txt", delimiter=",")
        self.assertEqual(mot.shape, (30, 10))
        self.assertTrue((np.diff(mot[:, 0]) >= 0).all())
        first = mot[(mot[:, 0] == 1) & (mot[:, 1] == 1)][0]
        np.testing.assert_allclose(first[2:6], [60 - 15, 48 - 20, 30, 40])
        turned = mot[(mot[:, 0] == 6) & (mot[:, 1] == 2)][0]
        np.testing.assert_allclose(turned[4:6], [40, 30], atol=0.01)

    def test_the_command_says_what_it_cannot(self):
        place = self.folder / "p.skiagraph"
        several = add_clip(self.project, *open_clip(make_clip(self.folder / "b.mp4", 12)))
        file.save(several, place)
        self.assertFails("tracks", place, "-o", self.folder / "t.xml", words=("t.xml", ".csv"))
        self.assertFails("tracks", place, "-o", self.folder / "t.txt", words=("one clip", "--clip"))
        code, out, _ = self.run_command("tracks", place, "-o", self.folder / "t.txt", "--clip", "a.mp4")
        self.assertEqual((code, "30 rows" in out), (0, True))
