"""Covers that are too weak, that break rules of the house, and what is shown where everything else is covered."""

from skiagraph.cover.cover import Cover, Style
from skiagraph.project import cast, edits, housing, levels
from skiagraph.project.decisions import ThingSubject
from skiagraph.project.house import House, HouseStyle
from skiagraph.project.model import Decision, Reach, replace
from skiagraph.project.rule import Rule
from skiagraph.review.finding import Reason, sentence
from skiagraph.review.findings import acceptance_of, findings, is_accepted
from tests.review.test_findings import with_faces
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, project_on

Mosaic, Blur, Solid = (Cover.kinds[k] for k in ("mosaic", "blur", "solid"))
WEAK = Style.of(Mosaic(9, even=0))


class CoverFindingTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(make_clip(self.folder / "a.mp4", 60), head_path(0, 60))

    def of(self, project, reason):
        return [(f.first, f.last) for f in findings(project) if f.reason == reason]

    def test_too_weak_by_detail_and_by_the_size_of_the_face(self):
        self.assertEqual(self.of(self.project, Reason.TOO_WEAK), [])
        weak = edits.set_project_style(self.project, WEAK)
        self.assertEqual(self.of(weak, Reason.TOO_WEAK), [(0, 59)])
        found = next(f for f in findings(weak) if f.reason == Reason.TOO_WEAK)
        self.assertSentence(sentence(weak, found), "Person 1", "cycles")
        self.assertTrue(found.is_exposing)
        small = edits.set_project_style(
            project_on(self.project.clip("c1").path, head_path(0, 60, width=5, height=6)), WEAK
        )
        self.assertEqual(self.of(small, Reason.TOO_WEAK), [], "so few px hold nothing")
        self.assertEqual(
            self.of(changed_subject(weak, "s1", of=ThingSubject()), Reason.TOO_WEAK), [], "a plate is known otherwise"
        )
        self.assertEqual(self.of(cast.decide(weak, ["s1"], Decision.SHOW), Reason.TOO_WEAK), [])

    def test_a_weak_keyframe_is_found(self):
        keyed = levels.set_style_at(
            self.project.deciding(style=Style.of(Mosaic(2, even=0))),
            "s1",
            "c1",
            30,
            Style.of(Mosaic(9, even=0)),
            Reach.FRAME,
        )
        self.assertEqual(len(self.of(keyed, Reason.TOO_WEAK)), 1)

    def test_acceptance_of_a_weak_cover_holds_for_that_cover(self):
        weak = edits.set_project_style(self.project, WEAK)
        found = next(f for f in findings(weak) if f.reason == Reason.TOO_WEAK)
        accepted = edits.accept(weak, acceptance_of(weak, found, "Editor"))
        self.assertTrue(is_accepted(accepted, found))
        other = edits.set_project_style(accepted, Style.of(Mosaic(12, even=0)))
        self.assertFalse(is_accepted(other, next(f for f in findings(other) if f.reason == Reason.TOO_WEAK)))

    def test_rules_of_the_house(self):
        rules = (Rule.kinds["only"](("mosaic",)), Rule.kinds["most-blocks"](4), Rule.kinds["whole-head"](0.1))
        project = housing.use_house_style(self.project, HouseStyle(Style.of(Mosaic(3)), House("Tern", rules=rules)))
        self.assertEqual(self.of(project, Reason.HOUSE_RULE), [])
        other = edits.set_style(project, "s1", Style.of(Blur(), 0.02))
        self.assertEqual(self.of(other, Reason.HOUSE_RULE), [(0, 59)])
        said = sentence(other, next(f for f in findings(other) if f.reason == Reason.HOUSE_RULE))
        self.assertSentence(said, "Tern", "blur, not with mosaic", "2%")
        keyed = levels.set_style_at(project, "s1", "c1", 30, replace(project.style, margin=0.02), Reach.FRAME)
        self.assertEqual(self.of(keyed, Reason.HOUSE_RULE), [(30, 30)])

    def test_where_everything_is_covered_only_what_is_shown_can_show_somebody(self):
        project = with_faces(self.project, (5, 5, 5, 25, 28), (9, 70, 38, 88, 56))
        nobody = [
            f
            for f in findings(cast.dismiss(project, ["s1"]) if hasattr(cast, "dismiss") else project)
            if f.reason == Reason.NOBODYS_FACE
        ]
        self.assertTrue(nobody)
        covered = cast.decide(housing.cover_rest(project, "c1"), ["s1"], Decision.SHOW)
        self.assertEqual(self.of(covered, Reason.NOBODYS_FACE), [])
        self.assertEqual(self.of(covered, Reason.SHOWN_ASTRAY), [])
        rows = head_path(0, 60).rows().copy()
        rows[20:30, 5] = 0.1
        unsure = project_on(self.project.clip("c1").path, type(head_path(0, 1)).from_rows(0, rows, [0] * 60))
        unsure = cast.decide(housing.cover_rest(unsure, "c1"), ["s1"], Decision.SHOW)
        self.assertEqual(self.of(unsure, Reason.SHOWN_ASTRAY), [(20, 29)])
        self.assertSentence(
            sentence(unsure, next(f for f in findings(unsure) if f.reason == Reason.SHOWN_ASTRAY)), "Person 1"
        )
