"""The contact sheet: it shows every frame by some picture, the doubtful ones more often and first; what was looked at
stays so until it changes."""

import tempfile
import unittest.mock
from pathlib import Path as FilePath

import numpy as np

from skiagraph.project import cast, edits, outlines, presence
from skiagraph.project.model import Cover, Decision, Outline, Reach, Style
from skiagraph.project.rows import outline_at
from skiagraph.review.doubt import doubt_of
from skiagraph.review.finding import Finding, Reason, Scene
from skiagraph.review.findings import findings
from skiagraph.review.looking import Arranged, SheetMaker, whole_sheet
from skiagraph.review.reel import AROUND_S, reel_of
from skiagraph.review.sheet import (
    BESIDE,
    by_doubt,
    digest_of,
    glance_of,
    looked_through,
    picture_digest,
    sheet_of,
    stretches,
)
from skiagraph.shape.place import Similarity
from skiagraph.track.path import BRIDGED, Path
from tests.support import TemporaryFolder, head_path, make_clip, project_on, seen

FRAMES = 300


def with_shift(path: Path, first: int, count: int, by: float) -> Path:
    """A path that is off by some widths of the head in some frames, as if it had slipped."""
    rows = path.rows().astype(float)
    rows[first - path.first : first - path.first + count, 0] += by * rows[0, 2]
    return Path.from_rows(path.first, rows, path.origin)


class OnAClip(TemporaryFolder):
    """Tests that share one clip, of whose pictures none is looked at."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.clip = make_clip(FilePath(held.name) / "a.mp4", FRAMES, size=(320, 192), options={"preset": "ultrafast"})


class SheetTest(OnAClip):
    def project(self, *paths):
        return project_on(self.clip, *paths)

    def test_a_face_of_nobody_that_is_in_all_of_a_clip_is_a_picture(self):
        project = self.project(head_path(0, FRAMES))
        about_all = Finding("c1", "", Reason.FILE_CHANGED, 0, FRAMES - 1, 0.0, 0)
        face = Finding(
            "c1", "", Reason.FILE_FACE, 0, FRAMES - 1, 0.9, 7, (200, 20, 240, 60), ((7, (200, 20, 240, 60)),)
        )
        self.assertEqual([crop.at for crop in sheet_of(project, "c1", [about_all, face]) if not crop.subject], [7])

    def test_every_frame_that_is_covered_belongs_to_a_picture_that_lies_in_it(self):
        project = self.project(head_path(0, FRAMES, step=(0.5, 0)), head_path(40, 33, cx=200, confidence=0.3))
        crops = sheet_of(project, "c1", findings(project))
        for subject in project.subjects:
            shown = np.zeros(FRAMES, bool)
            for crop in crops:
                self.assertLessEqual(crop.first, crop.at)
                self.assertLessEqual(crop.at, crop.last)
                if crop.subject == subject.key:
                    shown[crop.first : crop.last + 1] = True
            sighting = subject.sightings[0]
            self.assertTrue(shown[sighting.first : sighting.last + 1].all())

    def test_two_frames_off_their_way_are_shown_and_come_first(self):
        steady = head_path(0, FRAMES, cx=60, step=(0.4, 0.1))
        for count, by in ((1, 0.6), (2, 0.4), (10, 0.5)):
            with self.subTest(frames=count):
                project = self.project(with_shift(steady, 150, count, by), head_path(0, FRAMES, cx=250))
                ordered = by_doubt(sheet_of(project, "c1"))
                first = next(
                    n for n, crop in enumerate(ordered) if crop.subject == "s1" and 150 <= crop.at < 150 + count
                )
                self.assertLess(first, len(ordered) / 3)

    def test_whoever_goes_evenly_is_not_doubted(self):
        project = self.project(head_path(0, FRAMES, cx=40, step=(0.8, 0.05)))
        scene = Scene(project, project.clips[0], project.scan_of("c1"))
        subject = project.subjects[0]
        doubt = doubt_of(scene, subject, subject.sightings[0], [(subject, list(subject.sightings))])
        self.assertLess(float(doubt.most[15:-15].max()), 0.15)
        self.assertLess(len(sheet_of(project, "c1")), 12)

    def test_it_is_denser_where_nobody_is_sure(self):
        confidence = np.where((np.arange(FRAMES) >= 100) & (np.arange(FRAMES) < 140), 0.2, 0.95)
        path = head_path(0, FRAMES)
        project = self.project(Path(0, path.cx, path.cy, path.width, path.height, path.angle, confidence, path.origin))
        at = [crop.at for crop in sheet_of(project, "c1")]
        inside = sum(100 <= n < 140 for n in at)
        self.assertGreater(inside / 40, 3 * (len(at) - inside) / (FRAMES - 40))

    def test_before_it_begins_and_after_it_ends_the_bare_picture_is_shown(self):
        crops = sheet_of(self.project(head_path(50, 60)), "c1")
        words = {crop.why: crop for crop in crops}
        self.assertEqual((words["before"].at, words["after"].at), (49, 110))
        self.assertEqual((words["before"].first, words["after"].last), (49 - BESIDE + 1, 110 + BESIDE - 1))
        self.assertEqual({"begins", "ends"} - set(words), set())

    def test_bridges_keyframes_and_findings_have_pictures(self):
        path = head_path(0, FRAMES)
        origin = path.origin.copy()
        origin[120:131] = BRIDGED
        project = self.project(Path(0, path.cx, path.cy, path.width, path.height, path.angle, path.confidence, origin))
        outline = outline_at(project, project.subjects[0].sightings[0], 200)
        moved = outlines.move_outline(project, "s1", "c1", 200, beside(outline, 3), Reach.FRAME)
        at = {crop.at: crop.why for crop in sheet_of(moved, "c1")}
        self.assertIn(125, at)
        self.assertIn(200, at)

    def test_frames_a_stepping_scan_left_out_are_no_hiding(self):
        path = head_path(0, FRAMES)
        origin = np.where(np.arange(FRAMES) % 6 == 0, path.origin, BRIDGED)
        confidence = path.confidence.copy()
        origin[120:140], confidence[60:65] = BRIDGED, 0.1
        project = self.project(Path(0, path.cx, path.cy, path.width, path.height, path.angle, confidence, origin))
        words = {crop.at: crop.why for crop in sheet_of(seen(project, every=10), "c1")}
        hidden = [at for at, why in words.items() if why == "hidden"]
        self.assertIn(129, hidden)
        self.assertTrue(all(115 <= at < 144 for at in hidden))
        self.assertTrue(any(60 <= at < 65 and why == "unsure" for at, why in words.items()))
        # Where each frame was to be looked at, each of them is.
        self.assertGreater(sum(crop.why == "hidden" for crop in sheet_of(project, "c1")), 40)

    def test_those_who_are_shown_have_none(self):
        project = cast.decide(self.project(head_path(0, 50), head_path(0, 50, cx=200)), ["s1"], Decision.SHOW)
        self.assertEqual({crop.subject for crop in sheet_of(project, "c1")}, {"s2"})

    def test_an_edit_at_one_place_moves_no_picture_elsewhere(self):
        project = self.project(head_path(0, FRAMES, step=(0.3, 0)))
        before = {(c.first, c.last, c.at) for c in sheet_of(project, "c1")}
        outline = outline_at(project, project.subjects[0].sightings[0], 250)
        after = {
            (c.first, c.last, c.at)
            for c in sheet_of(outlines.move_outline(project, "s1", "c1", 250, beside(outline, 30), Reach.FRAME), "c1")
        }
        far = {place for place in before if place[1] < 200}
        self.assertTrue(far)
        self.assertLessEqual(far, after)

    def test_stretches_are_halves_of_an_even_grid(self):
        doubt = np.zeros(500)
        even = stretches(doubt, 37, 25.0)
        self.assertEqual((even[0][0], even[-1][1]), (37, 536))
        self.assertTrue(all(b == a + 1 for (_, a), (b, _) in zip(even, even[1:])))
        doubt[200:240] = 1.0
        finer = stretches(doubt, 37, 25.0)
        self.assertEqual([s for s in finer if s[1] < 192], [s for s in even if s[1] < 192])
        self.assertLessEqual(min(b - a for a, b in finer), 8)


def beside(outline, by):
    """An outline, so many px further to the right."""
    place = outline.place
    return Outline(Similarity(place.cx + by, place.cy, place.width, place.height, place.angle), outline.shape)


class LookedTest(OnAClip):
    def setUp(self):
        super().setUp()
        self.project = project_on(self.clip, head_path(0, FRAMES, step=(0.2, 0)), head_path(0, 200, cx=220))
        self.crops = sheet_of(self.project, "c1")
        self.all_fine = edits.glance(self.project, [glance_of(self.project, crop, True, "Ida") for crop in self.crops])

    def left(self, project):
        crops = sheet_of(project, "c1")
        return [crop for crop, looked in zip(crops, looked_through(project, crops)) if not looked.is_fine]

    def test_what_was_found_fine_drops_out(self):
        self.assertEqual(len(self.left(self.project)), len(self.crops))
        self.assertEqual(self.left(self.all_fine), [])

    def test_what_changes_comes_back_and_nothing_else(self):
        outline = outline_at(self.all_fine, self.all_fine.subjects[0].sightings[0], 150)
        moved = outlines.move_outline(self.all_fine, "s1", "c1", 150, beside(outline, 8), Reach.FRAME)
        left = self.left(moved)
        self.assertTrue(any(crop.first <= 150 <= crop.last for crop in left))
        self.assertEqual({crop.subject for crop in left}, {"s1"})
        self.assertTrue(all(crop.last >= 150 - 16 and crop.first <= 150 + 16 for crop in left), left)
        crops = sheet_of(moved, "c1")
        self.assertTrue(any(looked.changed for looked in looked_through(moved, crops)))

    def test_one_frame_within_a_stretch_counts(self):
        crop = max(self.crops, key=lambda c: c.last - c.first)
        before = digest_of(self.project, crop)
        rows = self.project.evidence.tracks[0].path.rows().astype(float)
        rows[crop.first + 1, 0] += 5
        other = project_on(self.clip, Path.from_rows(0, rows, np.zeros(len(rows))), head_path(0, 200, cx=220))
        self.assertNotEqual(digest_of(other, crop), before)

    def test_another_cover_brings_all_of_its_own_back(self):
        weaker = edits.set_style(self.all_fine, "s2", Style.of(Cover.kinds["mosaic"](7)))
        self.assertEqual({crop.subject for crop in self.left(weaker)}, {"s2"})

    def test_what_comes_in_front_brings_back_what_it_is_in_front_of(self):
        project, key = outlines.add_holdout(self.all_fine, "c1", 100, Outline.at(100, 48, 24, 24), ["s1"])
        held = presence.trim_sighting(project, key, "c1", 100, 95, 110)
        left = self.left(held)
        self.assertTrue(left)
        self.assertEqual({crop.subject for crop in left}, {"s1"})
        # Nothing beyond the stretch that was looked at as one.
        self.assertTrue(all(64 <= crop.first and crop.last < 128 for crop in left), left)
        self.assertTrue(any(crop.why == "in front" and 95 <= crop.at <= 110 for crop in left), left)
        moved = outlines.move_outline(
            edits.glance(held, [glance_of(held, crop, True) for crop in sheet_of(held, "c1")]),
            key,
            "c1",
            100,
            Outline.at(80, 48, 40, 40),
            Reach.SIGHTING,
        )
        self.assertTrue(self.left(moved))

    def test_taking_it_back_is_undo(self):
        self.assertEqual(
            len(self.left(edits.unglance(self.all_fine, self.all_fine.decisions.glances))), len(self.crops)
        )

    def test_look_again_is_a_finding_until_it_is_fine(self):
        again = edits.glance(self.project, [glance_of(self.project, self.crops[3], False, "Ida")])
        found = [f for f in findings(again) if f.reason == Reason.LOOK_AGAIN]
        self.assertEqual(
            [(f.subject, f.first, f.last) for f in found],
            [(self.crops[3].subject, self.crops[3].first, self.crops[3].last)],
        )
        self.assertIn("Ida", found[0].kind.sentence(again, found[0], told(again, found[0])))
        self.assertTrue(looked_through(again, [self.crops[3]])[0].is_again)
        fine = edits.glance(again, [glance_of(again, self.crops[3], True, "Ida")])
        self.assertEqual([f for f in findings(fine) if f.reason == Reason.LOOK_AGAIN], [])

    def test_others_who_come_into_a_picture_change_it_and_not_what_was_said_of_it(self):
        crop = next(c for c in self.crops if c.subject == "s1" and c.at < 200)
        shown = cast.decide(self.project, ["s2"], Decision.SHOW)
        self.assertNotEqual(picture_digest(self.project, crop), picture_digest(shown, crop))
        self.assertEqual(digest_of(self.project, crop), digest_of(shown, crop))

    def test_the_whole_sheet_in_parts(self):
        every = whole_sheet(self.project, self.crops)
        self.assertEqual(
            [part.title for part in every.parts][:2] and {part.title for part in every.parts}, {"Person 1", "Person 2"}
        )
        some = edits.glance(
            self.project, [glance_of(self.project, crop, True) for crop in self.crops if crop.subject == "s1"]
        )
        left = whole_sheet(some, self.crops)
        self.assertEqual(
            ([part.title for part in left.parts], left.fine, left.crops),
            (["Person 2"], sum(c.subject == "s1" for c in self.crops), len(self.crops)),
        )
        self.assertEqual(len(whole_sheet(some, self.crops, everything=True).parts), 2)
        doubts = [crop.doubt for crop, _ in whole_sheet(self.project, self.crops, Arranged.DOUBT).parts[0].crops]
        self.assertEqual(doubts, sorted(doubts, reverse=True))

    def test_looking_makes_no_picture_anew(self):
        maker = SheetMaker()
        one = maker.sheet(self.project, [])
        with unittest.mock.patch("skiagraph.review.looking.sheet_of", side_effect=AssertionError("made again")):
            two = maker.sheet(self.all_fine, [])
        self.assertEqual((one.crops, two.fine), (two.crops, one.crops))


def told(project, finding):
    from skiagraph.review.finding import Told

    return Told(project.subject(finding.subject).name, "00:00:00:00", "", "", "1 frame")


class ReelTest(OnAClip):
    def test_doubtful_stretches_with_a_second_around_each_are_one_where_they_touch(self):
        confidence = np.full(FRAMES, 0.95)
        confidence[100:110] = confidence[130:135] = confidence[250:255] = 0.1
        path = head_path(0, FRAMES)
        project = project_on(
            self.clip, Path(0, path.cx, path.cy, path.width, path.height, path.angle, confidence, path.origin)
        )
        parts = reel_of(project, findings(project))
        around = round(AROUND_S * 25)
        self.assertEqual(
            [(part.first, part.last) for part in parts], [(100 - around, 134 + around), (250 - around, 254 + around)]
        )
        self.assertEqual(parts[0].subjects, ("s1",))
        self.assertIn("Person 1", {name for name, _ in parts[0].why})

    def test_nothing_unsure_is_no_reel(self):
        project = project_on(self.clip, head_path(0, FRAMES))
        self.assertEqual(reel_of(project, findings(project)), [])
