"""Somebody covered who is hidden or lost beside somebody who is shown: named, until they are found again."""

from skiagraph.project import cast, outlines
from skiagraph.project.model import Decision, Outline, Reach
from skiagraph.review.finding import Reason, sentence
from skiagraph.review.findings import findings
from skiagraph.track.path import FOLLOWED, Path
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, project_on, seen


def unsure(path: Path, first: int, last: int) -> Path:
    """The same path, only followed in some of its frames."""
    rows, origin = path.rows().copy(), path.origin.copy()
    part = slice(first - path.first, last - path.first + 1)
    rows[part, 5], origin[part] = 0.4, FOLLOWED
    return Path.from_rows(path.first, rows, origin)


class HiddenBesideTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)

    def named(self, project):
        return [(f.subject, f.first, f.last) for f in findings(project) if f.reason == Reason.HIDDEN_BESIDE]

    def shown(self, hidden, other=None):
        """s1 is shown at one place, s2 is covered."""
        return cast.decide(project_on(self.clip, other or head_path(0, 60), hidden), ["s1"], Decision.SHOW)

    def test_who_is_hidden_for_long_beside_who_is_shown(self):
        project = self.shown(unsure(head_path(0, 60, cx=95), 10, 40))
        self.assertEqual(self.named(project), [("s2", 10, 40)])
        found = next(f for f in findings(project) if f.reason == Reason.HIDDEN_BESIDE)
        self.assertTrue(found.is_exposing)
        text = sentence(project, found)
        self.assertIn("Person 2", text)
        self.assertIn("31 frames", text)

    def test_who_only_passes_or_is_found_or_far_away_is_not_named(self):
        self.assertEqual(self.named(self.shown(unsure(head_path(0, 60, cx=95), 10, 14))), [], "a moment")
        self.assertEqual(self.named(self.shown(head_path(0, 60, cx=95))), [], "found")
        self.assertEqual(self.named(self.shown(unsure(head_path(0, 60, cx=140), 10, 40))), [], "nobody shown is near")

    def test_beside_who_is_covered_nobody_is_laid_bare(self):
        project = project_on(self.clip, head_path(0, 60), unsure(head_path(0, 60, cx=95), 10, 40))
        self.assertEqual(self.named(project), [])
        self.assertEqual(self.named(cast.decide(project, ["s1", "s2"], Decision.SHOW)), [])

    def test_who_was_lost_at_a_shown_head_is_named_until_they_are_found_again(self):
        lost = self.shown(head_path(0, 30, cx=95))
        self.assertEqual(self.named(lost), [("s2", 30, 59)])
        again = cast.merge_subjects(
            cast.decide(
                project_on(self.clip, head_path(0, 60), head_path(0, 30, cx=95), head_path(50, 10, cx=95)),
                ["s1"],
                Decision.SHOW,
            ),
            "s2",
            ["s3"],
        )
        self.assertEqual(self.named(again), [("s2", 30, 49)])
        self.assertEqual(
            self.named(self.shown(head_path(0, 30, cx=95), head_path(0, 30))), [], "the shown one is gone as well"
        )
        self.assertEqual(self.named(self.shown(head_path(0, 30, cx=140))), [], "lost elsewhere")

    def test_a_cut_ends_it(self):
        self.assertEqual(self.named(seen(self.shown(head_path(0, 30, cx=95)), cuts=(45,))), [("s2", 30, 44)])

    def test_a_place_given_by_hand_is_sure(self):
        project = self.shown(unsure(head_path(0, 60, cx=95), 10, 24))
        self.assertEqual(len(self.named(project)), 1)
        for frame in range(10, 25):
            project = outlines.move_outline(project, "s2", "c1", frame, Outline.at(95, 48, 30, 40), Reach.FRAME)
        self.assertEqual(self.named(project), [])

    def test_what_was_dismissed_is_nobody(self):
        project = self.shown(unsure(head_path(0, 60, cx=95), 10, 40))
        self.assertEqual(len(self.named(project)), 1)
        self.assertEqual(self.named(changed_subject(project, "s2", dismissed=True)), [])
