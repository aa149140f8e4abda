"""What is said of clips: where each stands, in words."""

from skiagraph.footage.source import SourceState
from skiagraph.project import cast
from skiagraph.project.model import Decision, replace
from skiagraph.review.overview import ClipRow, clip_rows
from tests.support import TemporaryFolder, head_path, make_clip, project_on, seen


class OverviewTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = make_clip(self.folder / "quay.mp4", 60)
        self.project = project_on(self.path, head_path(0, 60), head_path(0, 60, cx=120))

    def row(self, project=None):
        return clip_rows(project or self.project)[0]

    def test_states_in_words(self):
        self.assertIn("2 people found, 2 undecided and therefore covered", self.row().state())
        shown = self.row(cast.decide(self.project, ["s1", "s2"], Decision.SHOW))
        self.assertIn("2 people found, all decided", shown.state())
        self.assertEqual((shown.people, shown.shown), (2, 2))
        self.assertIn("searched for faces from 24 px on", shown.state())
        self.assertIn(
            "from 36 px on", ClipRow(replace(self.project.clip("c1"), width=1920, height=1080), scanned=True).state()
        )
        self.assertNotIn("px", ClipRow(self.project.clip("c1")).state(), "nothing was searched")
        self.assertIn("nobody in it is covered", ClipRow(self.project.clip("c1")).state())
        self.assertIn("only in part", self.row(seen(self.project, reached=20)).state())

    def test_a_missing_file_and_another_one_in_its_place(self):
        make_clip(self.path, 60, draw=lambda n, w, h: make_other(n, w, h))
        changed = self.row()
        self.assertEqual((changed.source, changed.is_usable), (SourceState.CHANGED, False))
        self.assertIn("another file", changed.state())
        self.path.unlink()
        self.assertEqual(self.row().source, SourceState.MISSING)
        self.assertIn("drop it here", self.row().state())

    def test_facts_tell_the_timecode_where_there_is_one(self):
        clip = self.project.clip("c1")
        self.assertNotIn("from", self.row().facts())
        self.assertIn("from 10:00:00:00", ClipRow(replace(clip, timecode="10:00:00:00")).facts())


def make_other(n, width, height):
    from tests.support import numbered_frame

    return 255 - numbered_frame(n, width, height)
