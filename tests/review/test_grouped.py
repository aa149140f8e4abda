"""The list of findings: filtered, grouped, worst first."""

from dataclasses import replace

from skiagraph.project import edits, outlines
from skiagraph.project.model import Outline, Reach
from skiagraph.project.rows import outline_at
from skiagraph.review.finding import Reason
from skiagraph.review.findings import acceptance_of, findings
from skiagraph.review.grouped import By, State, grouped, listed
from skiagraph.shape.place import Similarity
from tests.support import TemporaryFolder, head_path, make_clip, project_on


class GroupedTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(
            make_clip(self.folder / "a.mp4", 120, size=(320, 192), options={"preset": "ultrafast"}),
            head_path(10, 40, cx=160, cy=90),
            head_path(0, 120, cx=60, confidence=0.1),
        )
        self.found = findings(self.project)

    def test_what_may_show_somebody_comes_first_in_each_group(self):
        for by in By:
            groups = grouped(self.project, listed(self.project, self.found), by)
            self.assertEqual(sum(len(g.rows) for g in groups), len(self.found))
            for group in groups:
                exposing = [row.finding.is_exposing for row in group.rows]
                self.assertEqual(exposing, sorted(exposing, reverse=True))
        self.assertEqual(
            [g.title for g in grouped(self.project, listed(self.project, self.found), By.PERSON)],
            ["Person 1", "Person 2"],
        )
        worse = replace(self.found[-1], reason=Reason.GAP)
        self.assertEqual(
            [g.title for g in grouped(self.project, listed(self.project, [*self.found, worse]))],
            ["May show somebody", "Worth a look"],
        )

    def test_states_and_what_came_back(self):
        finding = next(f for f in self.found if f.subject == "s2")
        accepted = edits.accept(self.project, acceptance_of(self.project, finding, "Ida", "x"))
        self.assertEqual([row.finding for row in listed(accepted, self.found, State.ACCEPTED)], [finding])
        self.assertEqual(len(listed(accepted, self.found)), len(self.found) - 1)
        outline = outline_at(accepted, accepted.subject("s2").sightings[0], 60)
        place = outline.place
        moved = outlines.move_outline(
            accepted,
            "s2",
            "c1",
            60,
            Outline(Similarity(place.cx + 40, place.cy, place.width, place.height), outline.shape),
            Reach.SIGHTING,
        )
        again = next(row for row in listed(moved, findings(moved)) if row.finding.subject == "s2")
        self.assertTrue(again.again)

    def test_withdrawing_and_accepting_several(self):
        every = [acceptance_of(self.project, f, "Ida", "") for f in self.found]
        accepted = edits.accept(self.project, *every)
        self.assertEqual(listed(accepted, self.found), [])
        self.assertEqual(len(listed(edits.withdraw(accepted, *every[:2]), self.found)), 2)

    def test_thousands_are_listed(self):
        many = [replace(self.found[0], first=n % 100, last=n % 100 + 1, worst=n) for n in range(5000)]
        self.assertEqual(len(grouped(self.project, listed(self.project, many), By.CLIP)[0].rows), 5000)
