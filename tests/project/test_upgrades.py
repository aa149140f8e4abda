"""Projects of version 1 open as the same covers.

The fixtures were written by version 1, and what it covered was kept beside them.
"""

import hashlib
import json
import shutil
import unittest
from pathlib import Path

import numpy as np

from skiagraph.project import file
from skiagraph.project.layers import matte
from skiagraph.project.model import Answer, Decision
from skiagraph.project.rows import GROW, cover_outline, rows_at
from skiagraph.review.finding import Reason
from skiagraph.review.findings import findings
from tests.support import TemporaryFolder

FIXTURES = Path(__file__).parents[1] / "fixtures" / "version-1"


class UpgradeTest(unittest.TestCase):
    def test_the_same_covers(self):
        for name in ("by-hand", "scanned"):
            project = file.load(FIXTURES / f"{name}.skiagraph")
            known = json.loads((FIXTURES / f"{name}.covers.json").read_text())
            self.assertEqual([s.key for s in project.subjects], list(known))
            for subject in project.subjects:
                style = project.style_of(subject)
                self.assertEqual(len(subject.sightings), len(known[subject.key]))
                for sighting, was in zip(subject.sightings, known[subject.key]):
                    with self.subTest(project=name, subject=subject.name, sighting=sighting.key):
                        self.assertEqual(
                            (sighting.clip, sighting.first, sighting.last, subject.is_covered),
                            (was["clip"], was["first"], was["last"], was["covered"]),
                        )
                        for frame, row, cover in zip(was["frames"], was["rows"], was["cover"]):
                            now, outline = (
                                rows_at(project, sighting, frame, frame)[0],
                                cover_outline(project, sighting, frame, style),
                            )
                            np.testing.assert_allclose([*now[:5], now[GROW]], [*row[:5], row[6]], atol=0.02)
                            np.testing.assert_allclose(
                                [outline.cx, outline.cy, outline.width, outline.height, outline.angle], cover, atol=0.02
                            )

    def test_everything_else_a_person_said(self):
        project = file.load(FIXTURES / "by-hand.skiagraph")
        by_name = {s.name: s for s in project.subjects}
        clerk, worker = by_name["Auction clerk"], by_name["Deckhand, blue cap"]
        self.assertEqual(
            (clerk.decision, clerk.named, clerk.portrait_chosen, worker.decision),
            (Decision.SHOW, True, True, Decision.COVER),
        )
        self.assertEqual((worker.style.cover.kind, worker.style.cover.size, worker.style.margin), ("blur", 0.22, 0.3))
        self.assertEqual((project.style.cover.kind, project.style.cover.blocks), ("mosaic", 9))
        self.assertTrue(by_name["Doubtful 1"].doubtful and by_name["Person 6"].dismissed)
        self.assertEqual(
            [(n.one, n.other, n.answer) for n in project.likenesses],
            [("s1", "s4", Answer.OPEN), ("s3", "s4", Answer.NO)],
        )
        self.assertEqual(
            [a.subject for a in project.accepted],
            ["s1", ""],
            "what was said of somebody who is gone says nothing of anybody new",
        )
        self.assertTrue(all(a.looked for a in project.accepted))
        self.assertEqual(project.new_id("subjects")[1], "s10", "an id that was ever spoken of is not given out again")
        self.assertEqual(project.clip("c2").damage[:8], "hall.mp4")
        self.assertTrue(project.scan_of("c1").every == 1 and project.scan_of("c2") is None)

    def test_the_same_findings(self):
        """As version 1 had them of the scanned fixture, but that the gap begins seven frames sooner, where somebody was
        hardly sure since they were surely found last; and that its mosaic of 7 blocks is too weak, which version 1 did
        not know."""
        project = file.load(FIXTURES / "scanned.skiagraph")
        found = [(f.subject, f.reason, f.first, f.last, f.worst, f.at) for f in findings(project)]
        self.assertEqual([f for f in found if f[1] != Reason.TOO_WEAK], [("s3", "gap", 119, 197, 53.0, 139)])
        self.assertEqual(
            {f[0] for f in found if f[1] == Reason.TOO_WEAK},
            {s.key for s in project.subjects if s.is_covered and not s.doubtful},
        )


class UpgradedFileTest(TemporaryFolder):
    def test_it_is_saved_as_the_present_version_and_the_same(self):
        place = self.folder / "p.skiagraph"
        shutil.copyfile(FIXTURES / "by-hand.skiagraph", place)
        project = file.load(place)
        file.save(project, place)
        self.assertEqual(json.loads(place.read_bytes())["version"], file.VERSION)
        self.assertEqual(file.load(place), project)

    def test_version_5_opens_as_it_was(self):
        """It knew neither what was looked at, nor who decided, nor strict searches."""
        place = self.folder / "p.skiagraph"
        shutil.copyfile(FIXTURES / "by-hand.skiagraph", place)
        project = file.load(place)
        file.save(project, place)
        plain = json.loads(place.read_bytes())
        place.write_text(
            json.dumps(
                {**plain, "version": 5, "evidence": {k: v for k, v in plain["evidence"].items() if k != "sweeps"}}
            )
        )
        self.assertEqual(file.load(place), project)

    def test_version_6_opens_as_it_was(self):
        """It knew no programme."""
        place = self.folder / "p.skiagraph"
        shutil.copyfile(FIXTURES / "by-hand.skiagraph", place)
        project = file.load(place)
        file.save(project, place)
        place.write_text(json.dumps({**json.loads(place.read_bytes()), "version": 6}))
        self.assertEqual(file.load(place), project)

    def test_hand_work_beyond_what_is_good_of_a_clip_does_not_keep_a_project_shut(self):
        """Version 1 lowered the number of frames where a scan met damage, and then could not open what reached
        beyond."""
        old = json.loads((FIXTURES / "by-hand.skiagraph").read_bytes())
        old["clips"][0]["frames"] = 100
        place = self.folder / "p.skiagraph"
        place.write_text(json.dumps(old))
        project = file.load(place)
        self.assertEqual((project.clip("c1").frames, project.clip("c1").length), (100, 146))
        self.assertTrue(findings(project))
        file.save(project, place)
        self.assertEqual(file.load(place), project)

    def test_damage_in_an_old_file_is_a_sentence_too(self):
        from skiagraph.errors import CannotOpenProject

        old = json.loads((FIXTURES / "by-hand.skiagraph").read_bytes())
        for broken in (
            {**old, "subjects": 3},
            {**old, "clips": []},
            {**old, "style": {"kind": "fog"}},
            {k: v for k, v in old.items() if k != "style"},
        ):
            place = self.folder / "p.skiagraph"
            place.write_text(json.dumps(broken))
            with self.assertRaises(CannotOpenProject) as caught:
                file.load(place)
            self.assertSentence(str(caught.exception), "p.skiagraph")


class VersionTwoTest(unittest.TestCase):
    """A project of version 2, with keyframes, corrections, a polygon, and what was followed by hand, has just the same
    mattes."""

    def test_the_same_mattes_and_rows(self):
        folder = FIXTURES.parent / "version-2"
        project, known = (
            file.load(folder / "by-hand.skiagraph"),
            json.loads((folder / "by-hand.covers.json").read_text()),
        )
        self.assertEqual([project.style.cover.kind, project.style.margin], known["style"])
        for clip, mattes in known["mattes"].items():
            for frame, (total, digest) in mattes.items():
                white = matte(project, clip, int(frame))
                self.assertEqual(
                    (int(white.astype(np.int64).sum()), hashlib.sha256(white.tobytes()).hexdigest()[:16]),
                    (total, digest),
                    f"{clip} {frame}",
                )
        for subject in project.subjects:
            for sighting, (key, rows) in zip(subject.sightings, known["rows"][subject.key]):
                self.assertEqual(sighting.key, key)
                np.testing.assert_allclose(
                    rows_at(project, sighting, sighting.first, sighting.last)[::9, :7], rows, atol=0.002
                )
