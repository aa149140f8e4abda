"""Findings: every kind of exposure is named, and a good project has none."""

from unittest import mock

import numpy as np

from skiagraph.handover.export import export_clip
from skiagraph.project import cast, edits, outlines, presence
from skiagraph.project.evidence import Join
from skiagraph.project.model import Cover, Decision, Outline, Reach, Sighting, Style, replace
from skiagraph.review import faces
from skiagraph.review.ends import BOTH_THERE
from skiagraph.review.exposure import check_file
from skiagraph.review.finding import KINDS, Reason, sentence
from skiagraph.review.findings import _KEPT as checks_kept
from skiagraph.review.findings import acceptance_of, findings, open_findings, was_accepted
from skiagraph.review.lanes import Attention, LaneState, attention, lane, next_finding
from skiagraph.track.path import FOLLOWED, FOUND
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.results import FaceTable
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, project_on, seen


def with_faces(project, *faces):
    """faces: (frame, x0, y0, x1, y1)."""
    table = FaceTable(
        np.array([f[0] for f in faces], np.int32),
        np.array([f[1:] for f in faces], np.int16),
        np.full(len(faces), 90, np.uint8),
    )
    return seen(project, faces=table)


def replace_last(finding, last):
    from dataclasses import replace as with_fields

    return with_fields(finding, last=last)


class FindingTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 60)

    def reasons(self, project):
        return [(f.reason, f.first, f.last) for f in findings(project)]

    def test_a_whole_sure_path_has_no_findings(self):
        project = with_faces(project_on(self.clip, head_path(0, 60)), (5, 66, 36, 94, 64))
        self.assertEqual(self.reasons(project), [])

    def test_gap_between_sightings(self):
        project = project_on(self.clip, head_path(0, 20), head_path(30, 30))
        merged = cast.merge_subjects(project, "s1", ["s2"])
        self.assertIn((Reason.GAP, 20, 29), self.reasons(merged))
        self.assertNotIn(Reason.GAP, [r for r, _, _ in self.reasons(cast.decide(merged, ["s1"], Decision.SHOW))])

    def test_a_gap_reaches_over_the_rows_at_its_ends_that_were_not_sure(self):
        rows = head_path(0, 20).rows().copy()
        rows[15:, 5] = 0.2
        unsure = HeadPath.from_rows(0, rows, np.zeros(20))
        merged = cast.merge_subjects(project_on(self.clip, unsure, head_path(30, 30)), "s1", ["s2"])
        gap = next(f for f in findings(merged) if f.reason == Reason.GAP)
        self.assertEqual((gap.first, gap.last, gap.worst, gap.at), (15, 29, 10, 20))
        self.assertIn("10 frames", sentence(merged, gap))

    def test_who_is_shown_and_came_near_somebody_covered_is_to_be_looked_at(self):
        meeting = project_on(
            self.clip, head_path(0, 60, cx=40, step=(1.4, 0)), head_path(0, 60, cx=122, step=(-1.4, 0))
        )
        self.assertNotIn(
            Reason.SAME_PERSON, [r for r, _, _ in self.reasons(meeting)], "of two who are covered it does not matter"
        )
        shown = cast.decide(meeting, ["s1"], Decision.SHOW)
        ((reason, first, last),) = [f for f in self.reasons(shown) if f[0] == Reason.SAME_PERSON]
        self.assertEqual((first, last), (0, 59), "on which side the wrong one is shown is not known")
        found = next(f for f in findings(shown) if f.reason == Reason.SAME_PERSON)
        self.assertTrue(30 < found.at < 42)
        self.assertSentence(sentence(shown, found), "Person 1", "swap")
        self.assertEqual(
            [f for f in self.reasons(cast.decide(shown, ["s2"], Decision.SHOW)) if f[0] == Reason.SAME_PERSON], []
        )
        apart = cast.decide(
            project_on(self.clip, head_path(0, 60, cx=40), head_path(0, 60, cx=110)), ["s1"], Decision.SHOW
        )
        self.assertEqual([f for f in self.reasons(apart) if f[0] == Reason.SAME_PERSON], [])
        swapped = cast.swap_from(shown, "s1", "s2", "c1", found.at)
        self.assertEqual(
            [f for f in self.reasons(swapped) if f[0] == Reason.SAME_PERSON],
            [],
            "what was put right by hand is not asked about again",
        )

    def test_what_a_scan_says_of_a_meeting_decides_whether_it_is_asked_about(self):
        meeting = cast.decide(
            project_on(self.clip, head_path(0, 60, cx=40, step=(1.4, 0)), head_path(0, 60, cx=122, step=(-1.4, 0))),
            ["s1"],
            Decision.SHOW,
        )
        (asked,) = [(f.first, f.last) for f in findings(meeting) if f.reason == Reason.SAME_PERSON]

        def with_join(project, *joins):
            first, second = project.scan_of("c1").people
            return seen(project, people=(replace(first, joins=joins), replace(second, joins=through)))

        def about(project):
            return [(f.first, f.last, f.at) for f in findings(project) if f.reason == Reason.SAME_PERSON]

        sure, unsure, through = Join(20, 40, (2,), 0.995), Join(20, 40, (2,), 0.985), (Join(20, 40, (1,), 0.999),)
        self.assertEqual(about(with_join(meeting, sure)), [], "the scan is sure of it")
        self.assertEqual(
            [(first, last) for first, last, _ in about(with_join(meeting, unsure))], [asked], "asked about once"
        )
        alone = cast.decide(
            project_on(self.clip, head_path(0, 60, cx=40), head_path(0, 60, cx=110)), ["s1"], Decision.SHOW
        )
        self.assertEqual(
            about(with_join(alone, Join(20, 40, (), 0.95))),
            [(0, 59, 41)],
            "nobody was near, but they were out of sight",
        )
        self.assertEqual(
            about(with_join(cast.decide(alone, ["s1"], Decision.COVER), Join(20, 40, (), 0.5))),
            [],
            "of who is covered it does not matter",
        )
        lost = with_join(meeting, sure)
        through = ()
        self.assertEqual(
            [(first, last) for first, last, _ in about(with_join(meeting, sure))],
            [asked],
            "the other was lost in it, and may be bare beside them",
        )
        moved = outlines.move_outline(lost, "s1", "c1", 30, Outline.at(80, 48, 30, 40), Reach.FRAME)
        self.assertTrue(about(moved), "what was moved by hand is not what the scan spoke of")

    def test_sightings_that_lie_over_each_other_are_no_gap_and_end_once(self):
        project = project_on(self.clip, head_path(0, 40), head_path(12, 1), head_path(14, 1), head_path(30, 10))
        merged = cast.merge_subjects(project, "s1", ["s2", "s3", "s4"])
        self.assertEqual(self.reasons(merged), [(Reason.ENDS_INSIDE, 39, 59)])
        later = cast.merge_subjects(
            project_on(self.clip, head_path(0, 30), head_path(5, 2), head_path(45, 15)), "s1", ["s2", "s3"]
        )
        self.assertEqual(self.reasons(later), [(Reason.GAP, 30, 44)])

    def test_where_a_shot_ends_while_somebody_is_being_lost_it_is_said_from_where_that_began(self):
        def falling(*last):
            rows = head_path(0, 60).rows().copy()
            rows[60 - len(last) :, 5] = last
            return project_on(self.clip, HeadPath.from_rows(0, rows, np.zeros(60)))

        lost = falling(0.68, 0.5, 0.43, 0.38, 0.3)
        self.assertEqual(self.reasons(lost), [(Reason.UNSURE, 55, 59)], "one low frame, which cannot become more")
        self.assertEqual(self.reasons(falling(0.68, 0.5, 0.43, 0.4, 0.4)), [])
        self.assertEqual(self.reasons(falling(0.9, 0.3, 0.9)), [], "a blink")
        cut = seen(falling(*[0.3] * 2, *[0.9] * 20), cuts=(40,))
        self.assertEqual(self.reasons(cut), [], "the path goes on over the cut")
        rows = head_path(0, 40).rows().copy()
        rows[38:, 5] = 0.3
        ends = project_on(self.clip, HeadPath.from_rows(0, rows, np.zeros(40)))
        self.assertEqual(self.reasons(seen(ends, cuts=(40,))), [(Reason.UNSURE, 38, 39)])
        self.assertEqual(
            self.reasons(seen(ends, cuts=(40, 41, 42))), [], "from there on all is blurred, as in a whip pan"
        )
        face = FaceTable(np.array([40], np.int32), np.array([[2, 2, 30, 30]], np.int16), np.array([90], np.uint8))
        self.assertIn(
            (Reason.UNSURE, 38, 39),
            self.reasons(seen(ends, faces=face, cuts=(40, 41, 42))),
            "a face was found there, so that it is not",
        )

    def test_what_was_drawn_by_hand_and_stops_in_the_picture_is_said_also_without_a_scan(self):
        project, key = outlines.add_subject(project_on(self.clip, scanned=False), "c1", 30, Outline.at(80, 48, 30, 40))
        self.assertEqual(
            {r for r, _, _ in self.reasons(project)}, {Reason.NOT_SCANNED, Reason.BEGINS_INSIDE, Reason.ENDS_INSIDE}
        )
        whole = presence.trim_sighting(project, key, "c1", 30, 0, 59)
        self.assertEqual({r for r, _, _ in self.reasons(whole)}, {Reason.NOT_SCANNED})

    def test_leaving_and_returning_at_the_edge_is_no_gap(self):
        project = cast.merge_subjects(
            project_on(self.clip, head_path(0, 20, cx=4), head_path(40, 20, cx=4)), "s1", ["s2"]
        )
        self.assertEqual(self.reasons(project), [])

    def test_nobody_came_in_or_left_over_an_edge_that_they_went_the_other_way_from(self):
        ends = (Reason.BEGINS_INSIDE, Reason.ENDS_INSIDE)
        came, went = head_path(20, 20, cx=8, step=(4, 0)), head_path(20, 20, cx=84, step=(-4, 0))
        for path, asked in ((came, [Reason.ENDS_INSIDE]), (went, [Reason.BEGINS_INSIDE])):
            self.assertEqual([r for r, _, _ in self.reasons(project_on(self.clip, path)) if r in ends], asked)
        # First seen at the left edge on the way out, or last on the way in from it.
        out, into = head_path(20, 8, cx=10, step=(-3, 0)), head_path(20, 8, cx=-14, step=(3, 0))
        self.assertEqual(
            [r for r, _, _ in self.reasons(project_on(self.clip, out)) if r in ends], [Reason.BEGINS_INSIDE]
        )
        self.assertEqual(
            [r for r, _, _ in self.reasons(project_on(self.clip, into)) if r in ends], [Reason.ENDS_INSIDE]
        )

    def test_unsure_and_ends_inside(self):
        project = project_on(self.clip, head_path(0, 60, confidence=0.2))
        self.assertEqual(self.reasons(project), [(Reason.UNSURE, 0, 59)])
        kinds = {r for r, _, _ in self.reasons(project_on(self.clip, head_path(10, 20)))}
        self.assertEqual(kinds, {Reason.ENDS_INSIDE, Reason.BEGINS_INSIDE})

    def test_a_cover_that_jumps_from_one_frame_to_the_next_is_named(self):
        jumping = cast.merge_subjects(
            project_on(self.clip, head_path(0, 30, cx=40), head_path(30, 30, cx=120)), "s1", ["s2"]
        )
        self.assertEqual(self.reasons(jumping), [(Reason.JUMPS, 28, 31)])
        self.assertSentence(sentence(jumping, findings(jumping)[0]), "Person 1", "jumps")
        self.assertEqual(self.reasons(seen(jumping, cuts=(30,))), [], "a cut lies between")
        self.assertEqual(
            self.reasons(
                cast.merge_subjects(project_on(self.clip, head_path(0, 30), head_path(30, 30, cx=86)), "s1", ["s2"])
            ),
            [],
            "it goes on there",
        )
        # Whoever was lost is found again where the cover that was held for them lies, which was much wider.
        wide = np.array([[80, 48, 110, 90, 0, 0.9]] * 30)
        for cx, asked in ((50, []), (20, [(Reason.JUMPS, 28, 31)])):
            found = head_path(30, 30, cx=cx, width=20, height=26)
            project = cast.merge_subjects(
                project_on(self.clip, HeadPath.from_rows(0, wide, np.zeros(30)), found), "s1", ["s2"]
            )
            self.assertEqual(self.reasons(project), asked)

    def test_who_was_not_sure_before_somebody_else_goes_on_is_said(self):
        rows = head_path(0, 30).rows().copy()
        rows[12:, 5] = 0.2
        project = project_on(self.clip, HeadPath.from_rows(0, rows, np.zeros(30)), head_path(30, 30))
        self.assertEqual(self.reasons(project), [(Reason.UNSURE, 12, 29)])

    def test_where_somebody_else_covered_goes_on_at_once_nobody_is_lost(self):
        cut = project_on(self.clip, head_path(0, 30), head_path(30, 30))
        self.assertEqual(self.reasons(cut), [])
        wide = np.array([[80, 48, 70, 60, 0, 0.9]] * 30)
        for paths in (
            (HeadPath.from_rows(0, wide, np.zeros(30)), head_path(30, 30)),
            (head_path(0, 30), HeadPath.from_rows(30, wide, np.zeros(30))),
        ):
            self.assertEqual(
                [
                    r
                    for r, _, _ in self.reasons(project_on(self.clip, *paths))
                    if r in (Reason.ENDS_INSIDE, Reason.BEGINS_INSIDE)
                ],
                [],
                "nor within a wider cover",
            )
        for both, lost in ((1, False), (BOTH_THERE, False), (BOTH_THERE + 1, True)):
            kinds = {r for r, _, _ in self.reasons(project_on(self.clip, head_path(0, 30 + both), head_path(30, 30)))}
            self.assertEqual(
                bool(kinds & {Reason.ENDS_INSIDE, Reason.BEGINS_INSIDE}), lost, "both are there for a moment"
            )
        self.assertTrue(self.reasons(cast.decide(cut, ["s2"], Decision.SHOW)), "who is shown there hides nobody")
        self.assertTrue(
            self.reasons(project_on(self.clip, head_path(0, 30), head_path(30, 30, cx=130))),
            "nor does who is elsewhere",
        )
        self.assertTrue(
            self.reasons(project_on(self.clip, head_path(0, 30), head_path(31, 29))), "nor who comes a frame later"
        )
        self.assertIn(
            Reason.ENDS_INSIDE,
            [r for r, _, _ in self.reasons(project_on(self.clip, head_path(0, 30), head_path(0, 60)))],
            "nor who was there already, behind whom somebody is lost",
        )

    def test_who_appears_under_the_cover_of_somebody_lost_is_whoever_was_lost(self):
        def waiting(last, cx=80, since=20):
            rows = head_path(0, last + 1, cx=cx).rows().copy()
            rows[since:, 5] = 0.3
            return HeadPath.from_rows(0, rows, np.zeros(last + 1))

        def asked(*paths, show=None):
            project = project_on(self.clip, *paths)
            found = findings(cast.decide(project, [show], Decision.SHOW) if show else project)
            return [(f.subject, f.reason) for f in found if f.reason in (Reason.ENDS_INSIDE, Reason.BEGINS_INSIDE)]

        lost, appears = ("s1", Reason.ENDS_INSIDE), ("s2", Reason.BEGINS_INSIDE)
        self.assertEqual(asked(waiting(44), head_path(30, 30, cx=84)), [])
        self.assertEqual(asked(waiting(29), head_path(30, 30, cx=84)), [], "at once after it")
        for why, paths in (
            ("beside it", (waiting(44), head_path(30, 30, cx=110))),
            ("while the other was surely there", (waiting(44, since=40), head_path(30, 30, cx=84))),
            ("after it", (waiting(29), head_path(31, 29, cx=84))),
        ):
            self.assertEqual(set(asked(*paths)), {lost, appears}, why)
        self.assertEqual(
            set(asked(waiting(44), head_path(30, 10, cx=84))),
            {lost, appears, ("s2", Reason.ENDS_INSIDE)},
            "who is gone before it ends is not whoever was lost",
        )
        self.assertEqual(asked(waiting(44), head_path(30, 30, cx=84), show="s2"), [lost], "who is shown hides nobody")
        # Of two who were lost, one appears: the nearer. Of two and two, each is one, though both appear nearest to the
        # same.
        self.assertEqual(asked(waiting(44), waiting(44, cx=86), head_path(30, 30, cx=84)), [lost])
        self.assertEqual(asked(waiting(44), waiting(44, cx=86), head_path(30, 30, cx=84), head_path(31, 29, cx=85)), [])

    def test_face_outside_its_cover_and_face_of_nobody(self):
        project = with_faces(project_on(self.clip, head_path(0, 60)), (7, 80, 36, 108, 64), (9, 2, 2, 30, 30))
        self.assertEqual(self.reasons(project), [(Reason.FACE_OUTSIDE, 7, 7), (Reason.NOBODYS_FACE, 9, 9)])
        for finding in findings(project):
            self.assertSentence(sentence(project, finding))

    def test_a_follower_that_was_sure_in_between_ends_no_doubt_about_how_somebody_came_and_went(self):
        rows = head_path(10, 40).rows().copy()
        rows[:14, 5], rows[6:8, 5] = 0.2, 0.6
        rows[30:, 5], rows[34, 5] = 0.3, 0.58
        origin = np.where((np.arange(40) < 14) | (np.arange(40) >= 30), FOLLOWED, FOUND)
        self.assertEqual(
            self.reasons(project_on(self.clip, HeadPath.from_rows(10, rows, origin))),
            [(Reason.BEGINS_INSIDE, 0, 23), (Reason.ENDS_INSIDE, 40, 59)],
        )
        # Found in between, they were there.
        found = project_on(self.clip, HeadPath.from_rows(10, rows, np.zeros(40)))
        self.assertEqual(
            [(r, f, l) for r, f, l in self.reasons(found) if r != Reason.UNSURE],
            [(Reason.BEGINS_INSIDE, 0, 15), (Reason.ENDS_INSIDE, 45, 59)],
        )

    def test_who_is_held_over_a_dissolve_neither_appears_nor_is_lost(self):
        def held(first, found, last):
            path = head_path(first, last - first + 1)
            frames = np.arange(first, last + 1)
            return HeadPath.from_rows(
                first, path.rows(), np.where((frames >= found[0]) & (frames <= found[1]), FOUND, FOLLOWED)
            )

        before, after = held(0, (0, 29), 34), held(25, (30, 59), 59)
        self.assertEqual(self.reasons(seen(project_on(self.clip, before, after), cuts=(30,))), [])
        self.assertEqual([r for r, _, _ in self.reasons(project_on(self.clip, before))], [Reason.ENDS_INSIDE])
        self.assertEqual([r for r, _, _ in self.reasons(project_on(self.clip, after))], [Reason.BEGINS_INSIDE])

    def test_a_face_of_nobody_may_have_been_there_since_the_picture_was_searched_before(self):
        def about(frame, box, **changes):
            return [
                (f.first, f.last, f.at)
                for f in findings(seen(with_faces(project_on(self.clip, head_path(0, 60)), (frame, *box)), **changes))
                if f.reason == Reason.NOBODYS_FACE
            ]

        inside, at_edge = (10, 10, 30, 30), (140, 30, 168, 58)
        self.assertEqual(about(20, inside), [(20, 20, 20)])
        self.assertEqual(about(20, inside, every=10), [(11, 29, 20)])
        self.assertEqual(about(20, inside, every=10, cuts=(15, 26)), [(15, 25, 20)], "no further than its shot")
        self.assertEqual(about(59, at_edge), [(51, 59, 59)], "who comes in as the shot ends")
        self.assertEqual(about(20, at_edge, cuts=(20,)), [(20, 28, 20)], "who leaves as it begins")

    def test_a_weak_sign_at_the_edge_is_a_finding_until_somebody_is_covered_there(self):
        sign = FaceTable(np.array([59], np.int32), np.array([[140, 30, 168, 58]], np.int16), np.array([30], np.uint8))
        for paths, wanted in (
            ((head_path(0, 60),), [(Reason.MAYBE_AT_EDGE, 51, 59)]),
            ((head_path(0, 60), head_path(0, 60, cx=154, cy=44, width=40, height=50)), []),
        ):
            project = project_on(self.clip, *paths)
            project = seen(project, faces=sign)
            self.assertEqual(self.reasons(project), wanted)
        often = FaceTable(
            np.array([54, 56, 59], np.int32), np.concatenate([sign.boxes] * 3), np.array([33, 41, 36], np.uint8)
        )
        found = [
            (f.first, f.last, f.worst)
            for f in findings(seen(project_on(self.clip, head_path(0, 60)), faces=often, cuts=(55, 57)))
            if f.reason == Reason.MAYBE_AT_EDGE
        ]
        self.assertEqual(found, [(46, 59, 0.41)], "one place, one finding, as it was seen best")
        apart = FaceTable(
            np.array([59, 59], np.int32),
            np.array([sign.boxes[0], sign.boxes[0] - [130, 0, 130, 0]], np.int16),
            np.array([33, 33], np.uint8),
        )
        self.assertEqual(
            len(
                [
                    r
                    for r, _, _ in self.reasons(seen(project_on(self.clip, head_path(0, 60)), faces=apart))
                    if r == Reason.MAYBE_AT_EDGE
                ]
            ),
            2,
            "two places, two",
        )
        first = FaceTable(np.array([0], np.int32), sign.boxes, sign.scores)
        project = project_on(self.clip, head_path(0, 60))
        self.assertEqual(self.reasons(seen(project, faces=first)), [(Reason.MAYBE_AT_EDGE, 0, 8)])

    def test_unscanned_clip_is_a_finding(self):
        self.assertEqual(self.reasons(project_on(self.clip, scanned=False)), [(Reason.NOT_SCANNED, 0, 59)])

    def test_acceptance_closes_until_it_grows(self):
        project = project_on(self.clip, head_path(0, 60, confidence=0.2))
        accepted = edits.accept(project, acceptance_of(project, findings(project)[0], "Ida"))
        self.assertEqual(open_findings(accepted), [])
        less = edits.accept(project, acceptance_of(project, replace_last(findings(project)[0], 30), "Ida"))
        self.assertEqual(len(open_findings(less)), 1)

    def test_what_is_accepted_is_only_what_was_looked_at(self):
        project = project_on(self.clip, head_path(0, 60, confidence=0.2))
        accepted = edits.accept(project, acceptance_of(project, findings(project)[0], "Ida"))
        moved = outlines.move_outline(accepted, "s1", "c1", 30, Outline.at(40, 40, 30, 40), Reach.SIGHTING)
        self.assertEqual([f.reason for f in open_findings(moved)], [Reason.UNSURE])
        self.assertTrue(was_accepted(moved, open_findings(moved)[0]))
        back = outlines.move_outline(moved, "s1", "c1", 30, Outline.at(80, 48, 30, 40), Reach.SIGHTING)
        self.assertEqual(open_findings(back), [])

    def test_an_acceptance_of_somebody_who_is_gone_says_nothing_of_somebody_new(self):
        project = project_on(self.clip, head_path(0, 60, confidence=0.2))
        project = edits.accept(project, acceptance_of(project, findings(project)[0], "Ida"))
        project = edits.remove_subjects(project, ["s1"])
        project, key = outlines.add_subject(project, "c1", 30, Outline.at(80, 48, 30, 40))
        self.assertEqual(key, "s2", "ids are never given twice")

    def test_a_check_that_fails_is_a_finding_and_no_old_one_stays(self):
        project = project_on(self.clip, head_path(0, 60))
        with (
            mock.patch.object(type(KINDS["gap"]), "on_subject", side_effect=RuntimeError("boom")),
            self.assertLogs("skiagraph"),
        ):
            found = findings(project)
        self.assertIn(Reason.CHECK_FAILED, [f.reason for f in found])
        self.assertTrue(all(f.is_exposing for f in found if f.reason == Reason.CHECK_FAILED))

    def test_only_what_changed_is_checked_again(self):
        project = project_on(
            self.clip,
            head_path(0, 60, cx=50, confidence=0.2),
            head_path(0, 30, cx=20),
            head_path(0, 60, cx=140, confidence=0.2),
        )
        before = findings(project)
        checked, unsure = [], KINDS["unsure"]
        among = type(unsure).among

        def counted(kind, scene, subject, sightings, others):
            checked.append(subject.key)
            return among(kind, scene, subject, sightings, others)

        with mock.patch.object(type(unsure), "among", counted):
            self.assertEqual(findings(project), before)
            self.assertEqual(checked, [], "nothing changed")
            renamed = edits.rename(project, "s1", "Clerk")
            self.assertEqual(findings(renamed), before)
            self.assertEqual(checked, [], "a name changes no finding")
            moved = outlines.move_outline(project, "s2", "c1", 5, Outline.at(24, 48, 30, 40), Reach.SIGHTING)
            findings(moved)
        self.assertEqual(set(checked), {"s1", "s2"}, "all who are near somebody that moved")

    def test_of_many_at_one_place_the_nearest_are_looked_at(self):
        hidden = head_path(0, 60, cx=60, width=20, height=26, confidence=0.2)
        above = [head_path(0, 60, cx=60 + 0.1 * n, width=40, height=50) for n in range(6)]
        around = [head_path(0, 60, cx=100 + 0.1 * n, width=120, height=90) for n in range(20)]
        project = project_on(self.clip, hidden, *around, *above)
        with mock.patch("skiagraph.review.findings.MOST_NEIGHBOURS", 5):
            self.assertNotIn(
                "s1",
                {f.subject for f in findings(project) if f.reason == Reason.UNSURE},
                "nobody can see who is under others",
            )
        alone = project_on(self.clip, hidden)
        self.assertIn("s1", {f.subject for f in findings(alone) if f.reason == Reason.UNSURE})

    def test_a_cover_that_was_moved_off_a_head_is_a_finding_also_where_no_face_was_found(self):
        project = project_on(self.clip, head_path(0, 60, width=30, height=40))

        def bared(value):
            return [(f.first, f.last, f.worst) for f in findings(value) if f.reason == Reason.HEAD_BARED]

        self.assertEqual(bared(project), [])
        nudged = outlines.move_outline(project, "s1", "c1", 30, Outline.at(81, 48, 30, 40), Reach.SIGHTING)
        self.assertEqual(bared(nudged), [], "a rim says nothing")
        moved = outlines.move_outline(project, "s1", "c1", 30, Outline.at(80 + 0.29 * 30, 48, 30, 40), Reach.FRAME)
        ((first, last, worst),) = bared(moved)
        self.assertTrue(first <= 30 <= last and 0.5 < worst < 0.95)
        self.assertLess(last - first, 16, "the rest of it was not moved")
        for value in (
            outlines.move_outline(project, "s1", "c1", 30, Outline.at(80, 48, 18, 24), Reach.SIGHTING),
            outlines.move_outline(project, "s1", "c1", 30, Outline.at(130, 48, 30, 40), Reach.KEYFRAME),
        ):
            self.assertTrue(bared(value))
        trimmed = presence.trim_sighting(project, "s1", "c1", 10, 0, 39)
        self.assertEqual(bared(trimmed), [(40, 59, 0.0)])
        self.assertEqual(bared(cast.decide(moved, ["s1"], Decision.SHOW)), [])
        self.assertIn("lies bare", sentence(moved, next(f for f in findings(moved) if f.reason == Reason.HEAD_BARED)))

    def test_findings_do_not_depend_on_what_was_checked_before(self):
        rng = np.random.default_rng(2)
        project = with_faces(
            project_on(self.clip, head_path(0, 60, confidence=0.3), head_path(10, 30, cx=30), head_path(0, 60, cx=130)),
            *(
                (int(f), int(x), 30, int(x) + 28, 58)
                for f, x in zip(sorted(rng.integers(0, 60, 20)), rng.integers(0, 130, 20))
            ),
        )
        for _ in range(12):
            key, frame = f"s{rng.integers(1, 4)}", int(rng.integers(12, 38))
            project = outlines.move_outline(
                project, key, "c1", frame, Outline.at(*rng.uniform(20, 90, 2), 30, 40), list(Reach)[rng.integers(0, 5)]
            )
            project = cast.decide(project, [key], list(Decision)[rng.integers(0, 3)])
            known = findings(project)
            for cache in (checks_kept, faces._JUDGED, faces._LATEST):
                cache._entries.clear()
            self.assertEqual(findings(project), known)

    def test_lanes_and_attention(self):
        project = with_faces(project_on(self.clip, head_path(0, 60, confidence=0.2)), (9, 2, 2, 30, 30))
        found, clip = findings(project), project.clip("c1")
        worst = attention(clip, found)
        self.assertEqual((worst[9], worst[30]), (Attention.EXPOSED, Attention.LOOK))
        drawn = lane(project, clip, project.subject("s1"), found)
        self.assertEqual([s.state for s in drawn.parts], [LaneState.UNSURE])
        shown = cast.decide(project, ["s1"], Decision.SHOW)
        self.assertEqual([s.state for s in lane(shown, clip, shown.subject("s1"), []).parts], [LaneState.SHOWN])
        self.assertEqual(next_finding(found, "c1", 5).at, 9)
        self.assertEqual(next_finding(found, "c1", 40).at, 0)


class FileCheckTest(TemporaryFolder):
    """The check decodes the real exported file."""

    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mkv", 12, size=(320, 240), encoder="ffv1")
        self.project = edits.set_project_style(
            project_on(self.clip, head_path(0, 12, cx=160, cy=120, width=80, height=100)),
            Style.of(Cover.kinds["solid"]()),
        )

    def test_good_export_passes_in_lossy_and_lossless_formats(self):
        for name in ("out.mkv", "out.mp4", "out.mov"):
            export_clip(self.project, "c1", self.folder / name)
            self.assertEqual(check_file(self.project, "c1", self.folder / name), [], name)

    def test_missing_cover_is_found_on_its_frames(self):
        holed = changed_subject(
            self.project, "s1", sightings=(Sighting("g1", "c1", 0, 4, ("t1",)), Sighting("g2", "c1", 7, 11, ("t1",)))
        )
        export_clip(holed, "c1", self.folder / "out.mp4")
        found = check_file(self.project, "c1", self.folder / "out.mp4")
        self.assertEqual([(f.reason, f.subject, f.first, f.last) for f in found], [(Reason.FILE_DIFFERS, "s1", 5, 6)])

    def test_file_of_other_shape(self):
        other = make_clip(self.folder / "other.mp4", 9, size=(320, 240))
        self.assertEqual([f.reason for f in check_file(self.project, "c1", other)], [Reason.FILE_SHAPE])
