"""Both sides of a meeting, and the three answers."""

from skiagraph.errors import EditRefused
from skiagraph.project import cast
from skiagraph.project.evidence import Join
from skiagraph.project.model import Decision, replace
from skiagraph.review.compared import compared, said_apart, said_same, said_swapped
from skiagraph.review.finding import Reason
from skiagraph.review.findings import findings, is_accepted
from tests.support import TemporaryFolder, head_path, make_clip, project_on, seen


class ComparedTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        clip = make_clip(self.folder / "quay.mp4", 60, size=(160, 96))
        self.project = cast.decide(
            project_on(clip, head_path(0, 60, cx=40, step=(1.4, 0)), head_path(0, 60, cx=122, step=(-1.4, 0))),
            ["s1"],
            Decision.SHOW,
        )
        self.asked = compared(self.project, self.finding(self.project))

    def finding(self, project):
        return next(f for f in findings(project) if f.reason == Reason.SAME_PERSON)

    def open(self, project):
        return [f for f in findings(project) if f.reason == Reason.SAME_PERSON and not is_accepted(project, f)]

    def test_pictures_are_of_heads_by_themselves_on_both_sides(self):
        asked = self.asked
        self.assertEqual((asked.one.key, asked.other.key), ("s1", "s2"))
        self.assertTrue(asked.first <= asked.at <= asked.last)
        for side in (asked.one, asked.other):
            self.assertLess(side.before.frame, asked.first)
            self.assertGreater(side.after.frame, asked.last)
            for shot in (side.before, side.after):
                x0, y0, x1, y1 = shot.box
                way = 40 + 1.4 * shot.frame if side.key == "s1" else 122 - 1.4 * shot.frame
                self.assertTrue(x0 < way < x1 and y0 < 48 < y1)
                self.assertGreaterEqual(abs(2 * (40 + 1.4 * shot.frame) - 162), 30, "nobody stands beside them")

    def test_who_lies_is_shown_from_crown_to_shoulders_too(self):
        def box(angle):
            lies = project_on(
                self.folder / "quay.mp4",
                head_path(0, 60, cx=40, step=(1.4, 0), angle=angle),
                head_path(0, 60, cx=122, step=(-1.4, 0)),
            )
            lies = cast.decide(lies, ["s1"], Decision.SHOW)
            shot = compared(lies, self.finding(lies)).one.before
            x0, y0, x1, y1 = shot.box
            return shot.turns, tuple(
                round(float(way), 3)
                for way in (40 + 1.4 * shot.frame - x0, 48 - y0, x1 - 40 - 1.4 * shot.frame, y1 - 48)
            )

        stands, (left, top, right, bottom) = box(8.0)
        self.assertEqual(stands, 0)
        self.assertGreater(bottom, top, "head and shoulders")
        for angle, turns, ways in (
            (90.0, 1, (bottom, left, top, right)),
            (-80.0, 3, (top, right, bottom, left)),
            (180.0, 2, (right, bottom, left, top)),
        ):
            self.assertEqual(box(angle), (turns, ways), angle)

    def test_the_same_is_accepted_by_name_and_closed(self):
        self.assertEqual(self.open(said_same(self.project, self.asked, "Ann Quay")), [])
        with self.assertRaises(EditRefused):
            said_same(self.project, self.asked, " ")

    def test_swapped_exchanges_what_comes_after(self):
        swapped = said_swapped(self.project, self.asked)
        ends = [max(s.sightings, key=lambda g: g.last).tracks for s in swapped.subjects]
        self.assertEqual(ends, [("t2",), ("t1",)])
        self.assertEqual(self.open(swapped), [])

    def test_of_who_was_cut_there_both_halves_are_shown_and_the_later_one_is_exchanged(self):
        cut, new = cast.split_at(self.project, "s2", "c1", self.asked.at)
        asked = compared(cut, self.finding(cut))
        self.assertEqual(
            (asked.other.key, asked.other.name, asked.other.then), (new, "Person 2", cut.subject(new).name)
        )
        self.assertTrue(asked.other.before and asked.other.after)
        swapped = said_swapped(cut, asked)
        self.assertEqual(max(swapped.subject("s1").sightings, key=lambda g: g.last).tracks, ("t2",))

    def test_apart_leaves_somebody_new_who_is_covered(self):
        apart = said_apart(self.project, self.asked)
        self.assertEqual(len(apart.subjects), 3)
        new = next(s for s in apart.subjects if s.key not in ("s1", "s2"))
        self.assertTrue(new.is_covered)
        self.assertEqual(new.sightings[0].first, self.asked.first, "covered from where it is unsure on")

    def test_who_was_away_is_compared_as_they_left_and_as_they_came_back(self):
        clip = make_clip(self.folder / "away.mp4", 250, size=(160, 96))
        away = project_on(clip, head_path(0, 40, cx=40), head_path(200, 50, cx=44))
        away = cast.decide(cast.merge_subjects(away, "s1", ["s2"]), ["s1"], Decision.SHOW)
        first, second = away.scan_of("c1").people
        away = seen(away, people=(replace(first, tracks=("t1", "t2"), joins=(Join(39, 200, (), 0.95),)),))
        asked = compared(away, self.finding(away))
        self.assertTrue(asked.one.before.frame <= 39 and asked.one.after.frame >= 200)
        self.assertIsNone(asked.other)
        self.assertEqual([(g.first, g.last) for g in said_apart(away, asked).subject("s1").sightings], [(0, 39)])
        with self.assertRaises(EditRefused):
            said_swapped(away, asked)

    def test_who_is_seen_on_one_side_only_cannot_be_compared(self):
        gone = cast.remove_subjects(self.project, ["s1"])
        self.assertIsNone(compared(gone, self.asked.finding))
