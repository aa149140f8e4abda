"""Strength on a clip's own pictures: a cover through which the networks see somebody is told from one through which
they do not."""

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.strength import Safety
from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.footage.adding import add_clip
from skiagraph.media.index import open_clip
from skiagraph.project import edits, outlines, presence
from skiagraph.project.model import Outline, Project
from skiagraph.review.strength import Measured, measured, verdict
from tests.support import TemporaryFolder


class MeasuredTest(TemporaryFolder):
    def project(self):
        """The hall of the demo with those who look this way covered by hand in some frames, unscanned."""
        project, truth = add_clip(Project(), *open_clip(shipped("hall.mp4"))), load_truth(shipped("hall.truth.json"))
        seen = [h for h in truth.heads[60] if h.head_visible > 0.9 and abs(h.yaw) < 45 and h.width > 40]
        for h in seen:
            project, key = outlines.add_subject(project, "c1", 60, Outline.at(h.cx, h.cy, h.width, h.height, h.angle))
            project = presence.trim_sighting(project, key, "c1", 60, 58, 62)
        return project

    def test_weak_and_strong(self):
        project = self.project()
        self.assertGreaterEqual(len(project.subjects), 2)
        weak = measured(edits.set_project_style(project, Style.of(Cover.kinds["mosaic"](16, even=0))), "c1")
        self.assertEqual([m.subject for m in weak], [s.key for s in project.subjects])
        self.assertTrue(all(m.found and verdict(m) == Safety.TOO_WEAK for m in weak), weak)
        strong = measured(
            edits.set_project_style(project, Style.of(Cover.kinds["solid"]())), "c1", [project.subjects[0].key]
        )
        self.assertEqual(len(strong), 1)
        self.assertEqual((strong[0].found, strong[0].detail, verdict(strong[0])), (0, 0.0, Safety.SAFE))
        self.assertIn("no face", strong[0].sentence())
        self.assertGreater(strong[0].looked, 0)

    def test_known_by_more_than_luck(self):
        self.assertTrue(Measured("s1", "x", 0.0, 60, 0, 4, 4, 4, 6).is_known)
        self.assertFalse(Measured("s1", "x", 0.0, 60, 0, 4, 1, 4, 6).is_known)
        self.assertFalse(Measured("s1", "x", 0.0, 60, 0, 4, 0, 0, 1).is_known)
        # Whoever everybody is taken for is not known by it.
        self.assertFalse(Measured("s1", "x", 0.0, 60, 0, 4, 4, 4, 6, 0.9).is_known)
        self.assertEqual(verdict(Measured("s1", "x", 0.0, 60, 1, 4, 0, 4, 6)), Safety.WEAK)
