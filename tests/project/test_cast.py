"""Who is who in the project: nothing is shown by accident, and what a person did survives every scan."""

from skiagraph.errors import EditRefused
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.project import cast, edits, outlines, presence
from skiagraph.project.model import Answer, Cover, Decision, Likeness, Portrait, Project, Reach, Style, replace
from skiagraph.project.rows import outline_at
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.support import TemporaryFolder, head_path, make_clip, opened, project_on


def person(key, *paths, **more):
    return FoundPerson(key, paths, paths[0].first, (0, 0, 10, 10), **more)


def scanned(*people, likely=()):
    return ScanResult(tuple(people), FaceTable.none(), (), 90, "", tuple(likely))


class CastWorld(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.empty = add_clip(Project(), *opened(make_clip(self.folder / "a.mp4", 90)))

    def names(self, project):
        return [s.name for s in project.subjects]

    def spans(self, project, key):
        return [(s.first, s.last) for s in project.subject(key).sightings]


class CastTest(CastWorld):
    def test_everybody_found_is_undecided_and_covered(self):
        project = take_in(
            self.empty, "c1", scanned(person(1, head_path(0, 90)), person(2, head_path(0, 30, cx=130), sure=0.95)), 1
        )
        self.assertEqual(self.names(project), ["Person 1", "Person 2"])
        self.assertTrue(all(s.is_covered and not s.is_decided for s in project.subjects))
        self.assertEqual((project.scan_of("c1").every, project.scan_of("c1").reached), (1, 90))

    def test_people_are_joined_when_a_scan_knows_more(self):
        project = take_in(self.empty, "c1", scanned(person(1, head_path(0, 40)), person(2, head_path(60, 10))), 1)
        project = take_in(project, "c1", scanned(person(1, head_path(0, 40), head_path(60, 30), sure=0.97)), 1)
        self.assertEqual(self.names(project), ["Person 1"])
        self.assertEqual(self.spans(project, "s1"), [(0, 39), (60, 89)])
        self.assertAlmostEqual(project.subject("s1").sure, 0.97)

    def test_decision_taken_while_a_scan_runs_stays(self):
        project = take_in(
            self.empty, "c1", scanned(person(1, head_path(0, 20)), person(2, head_path(0, 20, cx=130))), 1
        )
        project = cast.decide(project, ["s2"], Decision.SHOW)
        project = take_in(project, "c1", scanned(person(1, head_path(0, 90)), person(2, head_path(0, 90, cx=130))), 1)
        self.assertEqual([s.decision for s in project.subjects], [Decision.UNDECIDED, Decision.SHOW])
        self.assertEqual(self.spans(project, "s2"), [(0, 89)])

    def test_new_sightings_are_never_given_to_somebody_who_is_shown(self):
        project = take_in(self.empty, "c1", scanned(person(1, head_path(0, 30))), 1)
        project = cast.decide(project, ["s1"], Decision.SHOW)
        again = take_in(project, "c1", scanned(person(1, head_path(0, 30), head_path(60, 20), sure=0.96)), 1)
        self.assertEqual(self.spans(again, "s1"), [(0, 29)])
        self.assertEqual(again.subjects[1].decision, Decision.UNDECIDED)
        self.assertEqual([(n.one, n.other) for n in cast.open_likenesses(again)], [("s1", again.subjects[1].key)])

    def test_hand_merge_survives_a_new_scan(self):
        result = scanned(person(1, head_path(0, 30)), person(2, head_path(60, 30)))
        project = cast.merge_subjects(edits.rename(take_in(self.empty, "c1", result, 1), "s1", "Clerk"), "s1", ["s2"])
        again = take_in(project, "c1", result, 1)
        self.assertEqual(self.names(again), ["Clerk"])
        self.assertEqual(self.spans(again, "s1"), [(0, 29), (60, 89)])

    def test_hand_split_survives_a_new_scan(self):
        result = scanned(person(1, head_path(0, 30), head_path(60, 30), sure=0.97))
        project, new = cast.split_at(take_in(self.empty, "c1", result, 1), "s1", "c1", 60)
        again = take_in(project, "c1", result, 1)
        self.assertEqual((self.spans(again, "s1"), self.spans(again, new)), ([(0, 29)], [(60, 89)]))
        self.assertTrue(any(n.is_about("s1", new) and n.answer == Answer.NO for n in again.likenesses))

    def test_dismissed_stay_dismissed_and_doubtful_have_names_of_their_own(self):
        result = scanned(person(1, head_path(0, 90)), person(2, head_path(0, 90, cx=130), doubtful=True))
        project = take_in(self.empty, "c1", result, 1)
        self.assertEqual(self.names(project), ["Person 1", "Doubtful 1"])
        self.assertTrue(project.subject("s2").is_covered)
        project = cast.dismiss(project, ["s2"])
        self.assertFalse(project.subject("s2").is_covered)
        again = take_in(project, "c1", result, 1)
        self.assertTrue(again.subject("s2").dismissed)
        self.assertTrue(cast.decide(again, ["s2"], Decision.COVER).subject("s2").is_covered)

    def test_nobody_is_uncovered_because_a_new_scan_did_not_find_them(self):
        project = take_in(
            self.empty,
            "c1",
            scanned(
                person(1, head_path(0, 90)), person(2, head_path(0, 90, cx=130)), person(3, head_path(0, 9, cx=20))
            ),
            1,
        )
        project = cast.decide(project, ["s2"], Decision.COVER)
        again = take_in(project, "c1", scanned(person(1, head_path(0, 90))), 1)
        self.assertEqual([s.key for s in again.subjects], ["s1", "s2", "s3"])
        self.assertEqual((self.spans(again, "s2"), self.spans(again, "s3")), ([(0, 89)], [(0, 8)]))

    def test_hand_placed_stretch_stays_and_the_rest_is_followed_around_it(self):
        project = take_in(self.empty, "c1", scanned(person(1, head_path(0, 10))), 1)
        there = outline_at(project, project.subject("s1").sightings[0], 5)
        project = outlines.move_outline(project, "s1", "c1", 50, there, Reach.FRAME)
        again = take_in(project, "c1", scanned(person(1, head_path(0, 90))), 1)
        placed = next(s for s in again.subject("s1").sightings if s.base is not None)
        spans = self.spans(again, "s1")
        self.assertIn((placed.first, placed.last), spans)
        self.assertEqual((spans[0][0], spans[-1][1]), (0, 89))
        self.assertTrue(all(a[1] < b[0] for a, b in zip(spans, spans[1:])))

    def test_likely_pairs_become_questions_once(self):
        result = scanned(person(1, head_path(0, 30)), person(2, head_path(60, 30)), likely=[(1, 2, 0.6)])
        project = take_in(self.empty, "c1", result, 1)
        self.assertEqual([(n.one, n.other, n.probability) for n in cast.open_likenesses(project)], [("s1", "s2", 0.6)])
        for said, waiting in ((Answer.NO, 0), (Answer.LATER, 0)):
            answered = cast.answer(project, "s1", "s2", said)
            self.assertEqual(len(cast.open_likenesses(answered)), waiting)
            self.assertEqual(len(cast.open_likenesses(take_in(answered, "c1", result, 1))), waiting)
        later = cast.answer(project, "s1", "s2", Answer.LATER)
        self.assertEqual(len(cast.open_likenesses(cast.ask_again(later))), 1)
        one = cast.answer(project, "s1", "s2", None)
        self.assertEqual((self.names(one), one.likenesses), (["Person 1"], ()))


class DecisionTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        project = add_clip(Project(), *opened(make_clip(self.folder / "a.mp4", 90)))
        self.project = take_in(
            project,
            "c1",
            scanned(
                person(1, head_path(0, 90)),
                person(2, head_path(0, 20, cx=130)),
                person(3, head_path(40, 40, cx=20)),
                person(4, head_path(5, 3, cx=60, cy=20), doubtful=True),
            ),
            1,
        )

    def decisions(self, project):
        return [s.decision.value for s in project.subjects]

    def test_for_many(self):
        self.assertEqual(self.decisions(cast.cover_all(self.project)), ["cover"] * 4)
        shown = cast.show_all_but(self.project, ["s2"])
        self.assertEqual(self.decisions(shown), ["show", "cover", "show", "undecided"])
        self.assertEqual(self.decisions(cast.invert(shown)), ["cover", "show", "cover", "undecided"])
        self.assertEqual(
            self.decisions(cast.cover_brief(self.project, 1.0)), ["undecided", "cover", "undecided", "cover"]
        )
        for function in (lambda: cast.show_all_but(self.project, []), lambda: cast.cover_brief(self.project, 0.05)):
            with self.assertRaises(EditRefused) as caught:
                function()
            self.assertSentence(str(caught.exception))

    def test_screen_time(self):
        self.assertAlmostEqual(cast.screen_time(self.project, self.project.subject("s2")), 0.8)

    def test_merge_decides_for_cover(self):
        for decisions, merged in (
            (("show", "cover"), "cover"),
            (("show", "undecided"), "undecided"),
            (("show", "show"), "show"),
            (("undecided", "cover"), "cover"),
            (("cover", "show"), "cover"),
        ):
            project = cast.decide(
                cast.decide(self.project, ["s2"], Decision(decisions[0])), ["s3"], Decision(decisions[1])
            )
            result = cast.merge_subjects(project, "s2", ["s3"])
            self.assertEqual(result.subject("s2").decision.value, merged, decisions)

    def test_two_in_one_picture_are_not_merged(self):
        with self.assertRaises(EditRefused) as caught:
            cast.merge_subjects(self.project, "s1", ["s2"])
        self.assertSentence(str(caught.exception), "two people")

    def test_questions_follow_a_merge(self):
        project = cast.with_likenesses(self.project, [Likeness("s2", "s1", 0.5), Likeness("s2", "s3", 0.7)])
        merged = cast.merge_subjects(project, "s3", ["s2"])
        self.assertEqual([(n.one, n.other) for n in merged.likenesses], [("s3", "s1")])

    def test_moving_a_sighting(self):
        merged = cast.merge_subjects(self.project, "s2", ["s3"])
        project, new = cast.move_sighting(merged, "s2", "c1", 50, None)
        self.assertEqual(
            ([s.first for s in project.subject("s2").sightings], [s.first for s in project.subject(new).sightings]),
            ([0], [40]),
        )
        self.assertEqual(project.subject(new).decision, Decision.UNDECIDED)
        back, to = cast.move_sighting(project, new, "c1", 50, "s2")
        self.assertEqual((to, [s.first for s in back.subject("s2").sightings], len(back.subjects)), ("s2", [0, 40], 3))
        for where, target in ((50, None), (30, "s1"), (50, "s1")):
            with self.assertRaises(EditRefused) as caught:
                cast.move_sighting(self.project, "s3", "c1", where, target)
            self.assertSentence(str(caught.exception))

    def test_split_needs_somebody_on_both_sides(self):
        project, new = cast.split_at(self.project, "s1", "c1", 30)
        self.assertEqual(
            [(s.first, s.last) for k in ("s1", new) for s in project.subject(k).sightings], [(0, 29), (30, 89)]
        )
        self.assertEqual(project.subjects[1].key, new, "the new one stands beside the old one")
        portrait = project.subject(new).portrait
        self.assertTrue(30 <= portrait.frame <= 89)
        with self.assertRaises(EditRefused):
            cast.split_at(self.project, "s1", "c1", 0)

    def test_chosen_picture_survives_a_scan_and_style_a_split(self):
        project = cast.choose_portrait(self.project, "s1", Portrait("c1", 44, (1, 2, 3, 4)))
        project = edits.set_style(project, "s1", Style.of(Cover.kinds["solid"]()))
        again = take_in(project, "c1", scanned(person(1, head_path(0, 90))), 1)
        self.assertEqual(again.subject("s1").portrait.frame, 44)
        split, new = cast.split_at(again, "s1", "c1", 45)
        self.assertEqual(split.subject(new).style.cover.kind, "solid")
        self.assertEqual(replace(split.subject("s1").portrait, frame=0), Portrait("c1", 0, (1, 2, 3, 4)))


class SignedTest(TemporaryFolder):
    def test_a_decision_bears_the_name_of_who_took_it_and_no_other(self):
        before = project_on(make_clip(self.folder / "a.mp4", 20), head_path(0, 20), head_path(0, 20, cx=120))
        first, second = (s.key for s in before.subjects[:2])
        after = cast.signed(before, cast.decide(before, [first], Decision.SHOW), "Ida")
        self.assertEqual([after.subject(k).decided_by for k in (first, second)], ["Ida", ""])
        later = cast.signed(after, cast.dismiss(after, [second]), "Ana")
        self.assertEqual([later.subject(k).decided_by for k in (first, second)], ["Ida", "Ana"])
        renamed = edits.rename(later, first, "Clerk")
        self.assertIs(cast.signed(later, renamed, "Ana"), renamed)
        self.assertEqual(
            cast.signed(later, cast.decide(later, [first], Decision.COVER), "").subject(first).decided_by, ""
        )


class ExchangeTest(CastWorld):
    def test_two_who_were_taken_for_each_other_are_exchanged_from_a_frame_on(self):
        project = take_in(
            self.empty,
            "c1",
            scanned(person(1, head_path(0, 90)), person(2, head_path(0, 50, cx=130), head_path(60, 30, cx=130))),
            1,
        )
        one, other = (s.key for s in project.subjects)
        before = {
            n: sorted(outline_at(project, g, n).cx for s in project.subjects for g in s.sightings if g.covers(n))
            for n in range(0, 90, 7)
        }
        swapped = cast.swap_from(project, one, other, "c1", 40)
        self.assertEqual(
            (self.spans(swapped, one), self.spans(swapped, other)), ([(0, 39), (40, 49), (60, 89)], [(0, 39), (40, 89)])
        )
        after = {
            n: sorted(outline_at(swapped, g, n).cx for s in swapped.subjects for g in s.sightings if g.covers(n))
            for n in range(0, 90, 7)
        }
        self.assertEqual(before, after, "nothing moves")
        at = next(g for g in swapped.subject(one).sightings if g.covers(70))
        self.assertAlmostEqual(outline_at(swapped, at, 70).cx, 130, places=2)
        back = cast.swap_from(swapped, one, other, "c1", 40)
        self.assertEqual(sum(b - a + 1 for a, b in self.spans(back, one)), 90)
        again = take_in(
            swapped,
            "c1",
            scanned(person(1, head_path(0, 90)), person(2, head_path(0, 50, cx=130), head_path(60, 30, cx=130))),
            1,
        )
        at = next(g for g in again.subject(one).sightings if g.covers(70))
        self.assertAlmostEqual(outline_at(again, at, 70).cx, 130, places=2, msg="a scan does not exchange them back")
        with self.assertRaises(EditRefused):
            cast.swap_from(project, one, one, "c1", 40)
        with self.assertRaises(EditRefused):
            cast.swap_from(
                presence.trim_sighting(presence.trim_sighting(project, one, "c1", 10, 0, 30), other, "c1", 70, 60, 70),
                one,
                other,
                "c1",
                80,
            )

    def test_the_rest_is_given_to_another(self):
        project = take_in(
            self.empty, "c1", scanned(person(1, head_path(0, 90)), person(2, head_path(0, 40, cx=130))), 1
        )
        one, other = (s.key for s in project.subjects)
        given, key = cast.give_rest(project, one, "c1", 50, other)
        self.assertEqual(
            (key, self.spans(given, one), self.spans(given, other)), (other, [(0, 49)], [(0, 39), (50, 89)])
        )
        with self.assertRaises(EditRefused):
            cast.give_rest(project, one, "c1", 20, other)
        with self.assertRaises(EditRefused):
            cast.give_rest(project, other, "c1", 60, one)
