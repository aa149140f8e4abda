"""What the register lists and how lanes tell states: plain values, no window."""

from skiagraph.project import cast, edits
from skiagraph.project.model import Change, Decision, Keyframe, Repair
from skiagraph.review.findings import findings
from skiagraph.review.lanes import LaneState, lane, next_keyframe, seen_summary
from skiagraph.review.register import Order, Show, register_rows
from tests.support import TemporaryFolder, changed_sighting, changed_subject, head_path, make_clip, project_on


class RegisterTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        project = project_on(
            make_clip(self.folder / "a.mp4", 90),
            head_path(20, 60),
            head_path(0, 90, cx=120),
            head_path(40, 10, cx=30),
            head_path(5, 4, cx=60),
        )
        project = cast.decide(project, ["s2"], Decision.SHOW)
        project = cast.decide(project, ["s3"], Decision.COVER)
        project = edits.rename(project, "s3", "Auction clerk")
        self.project = changed_subject(project, "s4", doubtful=True)
        self.clip = self.project.clip("c1")
        self.waiting = findings(self.project)

    def keys(self, show=Show.EVERYBODY, order=Order.FIRST_SEEN, project=None):
        return [s.key for s in register_rows(project or self.project, self.clip, self.waiting, show, order)]

    def test_orders(self):
        for order, keys in (
            (Order.FIRST_SEEN, ["s2", "s1", "s3", "s4"]),
            (Order.SCREEN_TIME, ["s2", "s1", "s3", "s4"]),
            (Order.NAME, ["s3", "s1", "s2", "s4"]),
            (Order.DECISION, ["s1", "s3", "s2", "s4"]),
        ):
            with self.subTest(order):
                self.assertEqual(self.keys(order=order), keys)
        self.assertEqual(set(self.keys(order=Order.FINDINGS)[:2]), {"s1", "s3"})

    def test_lists(self):
        dismissed = cast.dismiss(self.project, ["s1"])
        for show, keys, project in (
            (Show.UNDECIDED, ["s1", "s4"], None),
            (Show.COVERED, ["s1", "s3", "s4"], None),
            (Show.SHOWN, ["s2"], None),
            (Show.DOUBTFUL, ["s4"], None),
            (Show.DISMISSED, ["s1"], dismissed),
            (Show.EVERYBODY, ["s2", "s3", "s4"], dismissed),
        ):
            with self.subTest(show):
                self.assertEqual(self.keys(show, project=project), keys)
        self.assertTrue(set(self.keys(Show.TO_LOOK_AT)) <= {"s1", "s3"})

    def test_doubtful_subjects_have_no_findings_of_their_own(self):
        self.assertFalse(any(f.subject == "s4" for f in self.waiting))

    def test_summary(self):
        self.assertEqual(seen_summary(self.project, self.project.subject("s1"), self.clip), (1, 60 / 25, 20))

    def test_keyframes_forward_and_back(self):
        marked = changed_sighting(
            self.project, "s1", keyframes=(Keyframe(30), Keyframe(60, pin=True)), repairs=(Repair(50, Change(0.1)),)
        )
        subject = marked.subject("s1")
        self.assertEqual([next_keyframe(subject, "c1", f) for f in (0, 30, 50)], [30, 50, None])
        self.assertEqual([next_keyframe(subject, "c1", f, backward=True) for f in (80, 50, 30)], [50, 30, None])
        self.assertEqual(lane(marked, self.clip, subject, []).keyframes, (30, 50))

    def test_lane_of_two_sightings_with_an_exposed_gap(self):
        project = cast.merge_subjects(project_on(self.clip.path, head_path(0, 20), head_path(40, 50)), "s1", ["s2"])
        drawn = lane(project, project.clip("c1"), project.subject("s1"), findings(project))
        self.assertEqual(
            [(s.first, s.last, s.state) for s in drawn.parts],
            [(0, 19, LaneState.COVERED), (20, 39, LaneState.EXPOSED), (40, 89, LaneState.COVERED)],
        )
        self.assertEqual(drawn.ends, ((0, 19), (40, 89)))
