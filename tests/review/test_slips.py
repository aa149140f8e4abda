"""A cover that leaves its way and comes back is a finding; somebody who moves quickly, turns back or walks on is
none."""

import numpy as np

from skiagraph.project import cast, edits
from skiagraph.project.model import Cover, Decision, Level, Style, replace
from skiagraph.review.checks.slips import slips
from skiagraph.review.finding import Reason
from skiagraph.review.findings import findings
from skiagraph.track.path import Path
from tests.review.test_sheet import FRAMES, OnAClip
from tests.support import head_path, project_on


def changed(path: Path, first: int, last: int, move: float = 0.0, size: float = 1.0) -> Path:
    """A path whose rows first .. last are moved by some widths of the head, or of another size."""
    rows = path.rows().astype(float)
    rows[first : last + 1, 0] += move * rows[first : last + 1, 2]
    rows[first : last + 1, 2:4] *= size
    return Path.from_rows(path.first, rows, path.origin)


class SlipsTest(OnAClip):
    def found(self, *paths):
        return [
            (f.subject, f.first, f.last) for f in findings(project_on(self.clip, *paths)) if f.reason == Reason.SLIPS
        ]

    def test_moved_or_shrunk_for_some_frames(self):
        walk = head_path(0, FRAMES, cx=60, step=(0.5, 0.1))
        for first, last in ((100, 100), (100, 101), (100, 109)):
            with self.subTest(frames=last - first + 1):
                self.assertEqual(self.found(changed(walk, first, last, move=0.8)), [("s1", first, last)])
                self.assertEqual(self.found(changed(walk, first, last, size=0.5)), [("s1", first, last)])

    def test_what_covers_the_head_all_the_same_is_none(self):
        walk = head_path(0, FRAMES, cx=60, step=(0.5, 0.1))
        self.assertEqual(self.found(changed(walk, 100, 103, size=1.6)), [])
        self.assertEqual(self.found(changed(walk, 100, 103, move=0.1)), [])

    def test_whoever_runs_turns_back_or_changes_for_good_is_none(self):
        still = head_path(0, FRAMES, cx=160)
        rows = still.rows().astype(float)
        there_and_back = rows.copy()
        there_and_back[:, 0] = 160 + 100 * np.sin(np.arange(FRAMES) / 9)
        zigzag = rows.copy()
        zigzag[:, 0] = 60 + np.abs(np.arange(FRAMES) % 60 - 30) * 6.0
        gone = rows.copy()
        gone[150:, 0] += 60
        for name, made in (("back", there_and_back), ("zigzag", zigzag), ("for good", gone)):
            with self.subTest(name):
                self.assertEqual(self.found(Path.from_rows(0, made, np.zeros(FRAMES))), [])
        self.assertEqual(list(slips(rows[:2])), [])

    def test_under_somebody_elses_cover_nobody_is_bare(self):
        walk = head_path(0, FRAMES, cx=100)
        slipped = changed(walk, 100, 103, move=0.8)
        larger = head_path(0, FRAMES, cx=100, width=60, height=80)
        self.assertEqual(self.found(slipped, larger), [])
        shown = cast.decide(project_on(self.clip, slipped, larger), ["s2"], Decision.SHOW)
        self.assertEqual([f.subject for f in findings(shown) if f.reason == Reason.SLIPS], ["s1"])


class WeakFramesTest(OnAClip):
    def test_a_cover_that_is_weak_between_two_keys_is_named_there_only(self):
        project = edits.set_project_style(
            project_on(self.clip, head_path(0, FRAMES, width=60, height=80)), Style.of(Cover.kinds["blur"](0.24))
        )
        subject = project.subject("s1")
        levels = (Level(0, to_next="hold"), Level(100, strength=0.12, to_next="hold"), Level(110, to_next="hold"))
        weak = project.with_subject(replace(subject, sightings=(replace(subject.sightings[0], levels=levels),)))
        self.assertEqual([(f.first, f.last) for f in findings(weak) if f.reason == Reason.TOO_WEAK], [(100, 109)])
        smooth = (Level(0), Level(100, strength=0.12), Level(200))
        weak = project.with_subject(replace(subject, sightings=(replace(subject.sightings[0], levels=smooth),)))
        self.assertEqual([(f.first, f.last) for f in findings(weak) if f.reason == Reason.TOO_WEAK], [(0, 199)])
