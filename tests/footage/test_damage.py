"""Damage met once is known to all who come after."""

from skiagraph.errors import FrameNotDecoded
from skiagraph.footage.adding import add_clip
from skiagraph.footage.damage import with_known_damage
from skiagraph.handover.export import export_clip, write_clip
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.media.index import keep_index, open_clip
from skiagraph.project.model import Project
from skiagraph.review.finding import Reason
from skiagraph.review.findings import findings
from tests.support import TemporaryFolder, damage_frame, head_path, make_clip, opened, with_people


class DamageTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = make_clip(self.folder / "quay.mov", 20, encoder="png", pixel_format="rgb24")
        damage_frame(self.path, 12)
        self.project = with_people(add_clip(Project(), *opened(self.path)), head_path(0, 20))

    def test_nobody_knows_of_it_before_it_is_met(self):
        self.assertEqual(self.project.clip("c1").frames, 20)
        self.assertIs(with_known_damage(self.project), self.project)

    def test_an_export_that_meets_it_lets_everybody_know(self):
        for _ in range(2):
            with self.assertRaises(FrameNotDecoded) as caught:
                export_clip(self.project, "c1", self.folder / "out.mkv")
            self.assertSentence(str(caught.exception), "quay.mov", "00:00:00:12", "the 12 frames before it")
        info, index = open_clip(self.path)
        self.assertEqual((len(index), index.damage), (12, str(caught.exception)))
        known = with_known_damage(self.project)
        clip = known.clip("c1")
        whole = self.path.read_bytes()
        self.path.write_bytes(whole + b"more")
        keep_index(info, index)
        self.assertIs(
            with_known_damage(self.project), self.project, "another file in its place says nothing of the clip"
        )
        self.path.write_bytes(whole)
        self.assertEqual((clip.frames, clip.length, clip.damage), (12, 20, str(caught.exception)))
        self.assertEqual(known.decisions, self.project.decisions)
        self.assertIs(with_known_damage(known), known)
        self.assertIn(Reason.DAMAGED, {f.reason for f in findings(known)})
        notes = write_clip(known, "c1", [(CoveredFilm("ffv1-mkv"), self.folder / "out.mkv")])
        self.assertEqual(notes, [clip.damage])
        self.assertEqual(len(open_clip(self.folder / "out.mkv")[1]), 12)
