"""The project file: what is written is read, damage is refused, saving is atomic, moved clips are found again."""

import fcntl
import json
import os
import shutil
from pathlib import Path
from unittest import mock

import numpy as np

from skiagraph.errors import CannotOpenProject, CannotSaveProject
from skiagraph.footage import relink
from skiagraph.project import cast, edits, file, outlines
from skiagraph.project.model import Cover, Decision, Outline, Reach, Style
from skiagraph.review.finding import Finding
from skiagraph.review.findings import acceptance_of
from skiagraph.track.results import FaceTable
from tests.support import TemporaryFolder, head_path, make_clip, project_on, seen


class FileTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "quay.mp4", 30)
        project = project_on(self.clip, head_path(0, 30, step=(0.5, 0.2)), head_path(4, 20, angle=12))
        project = cast.decide(project, ["s2"], Decision.SHOW)
        project = edits.set_style(project, "s1", Style.of(Cover.kinds["blur"](0.2)))
        for frame, reach in ((9, Reach.ONWARD), (15, Reach.FRAME), (20, Reach.KEYFRAME)):
            project = outlines.move_outline(project, "s1", "c1", frame, Outline.at(60 + frame, 48, 30, 44, 12), reach)
        project, _ = outlines.add_subject(project, "c1", 12, Outline.at(20, 20, 12, 14))
        faces = FaceTable(
            np.array([0, 3], np.int32),
            np.array([[1, 2, 30, 40], [5, 6, 70, 80]], np.int16),
            np.array([90, 61], np.uint8),
        )
        project = seen(project, faces=faces, cuts=(12,))
        self.project = edits.accept(
            project, acceptance_of(project, Finding("c1", "s1", "unsure", 3, 8, 0.2, 3), "Ida", "back of the head")
        )
        self.path = self.folder / "inquiry.skiagraph"

    def test_round_trip(self):
        file.save(self.project, self.path)
        again = file.load(self.path)
        self.assertEqual(again, self.project)
        self.assertEqual(file.dump(again, self.folder), file.dump(self.project, self.folder))
        self.assertEqual(again.clip("c1").path, self.clip)

    def test_what_a_process_that_died_while_saving_left_goes_with_the_next_save(self):
        place = self.folder / "p.skiagraph"
        left, others = self.folder / ".p.mm74qgi6.part", self.folder / ".other.mm74qgi6.part"
        written = self.folder / ".p.aaaaaaaa.part"
        for path in (left, others, written):
            path.write_text("half")
        with open(written, "rb") as busy:
            fcntl.flock(busy, fcntl.LOCK_EX)
            file.save(self.project, place)
        self.assertEqual((left.exists(), others.exists(), written.exists()), (False, True, True))

    def test_document_matches_its_published_schema(self):
        published = json.loads((Path(__file__).parents[2] / "docs" / "project-format.schema.json").read_text())
        self.assertEqual(published, json.loads(json.dumps(file.schema())))

    def test_damage_is_refused_in_a_sentence(self):
        good = json.loads(file.dump(self.project, self.folder))

        def changed(**what):
            return json.dumps({**good, **what}).encode()

        def broken(change):
            copy = json.loads(json.dumps(good))
            change(copy, copy["decisions"]["subjects"][0], copy["decisions"]["subjects"][0]["sightings"][0])
            return json.dumps(copy).encode()

        for data, word in (
            (b"{", "damaged"),
            (b"[]", "not a Skiagraph project"),
            (changed(version=file.VERSION + 1), "newer"),
            (changed(extra=1), "extra"),
            (broken(lambda d, s, g: d["evidence"]["tracks"][0]["path"].update(rows=31)), "31 rows"),
            (broken(lambda d, s, g: d["evidence"]["tracks"][0]["path"].update(data="AAAA")), "cannot be read"),
            (broken(lambda d, s, g: d["evidence"]["tracks"][0]["path"].update(first=10**9)), "first"),
            (broken(lambda d, s, g: g.update(last=99)), "outside"),
            (broken(lambda d, s, g: s.update(decision="perhaps")), "perhaps"),
            (broken(lambda d, s, g: g.update(tracks=["t77"])), "t77"),
            (broken(lambda d, s, g: g.update(tracks=[])), "rests on no track"),
            (broken(lambda d, s, g: g["keyframes"].reverse()), "rising"),
            (broken(lambda d, s, g: g.update(whole={"dx": 1e300})), "dx"),
            (broken(lambda d, s, g: s["style"]["covers"].append({"kind": "fog"})), "fog"),
            (broken(lambda d, s, g: s.update(key="s2")), "same key"),
            (broken(lambda d, s, g: d["decisions"]["clips"].append("c9")), "c9"),
        ):
            self.path.write_bytes(data)
            with self.subTest(word), self.assertRaises(CannotOpenProject) as caught:
                file.load(self.path)
            self.assertSentence(str(caught.exception), word)
        with self.assertRaises(CannotOpenProject):
            file.load(self.folder / "none.skiagraph")

    def test_a_failure_while_saving_leaves_the_old_file(self):
        file.save(self.project, self.path)
        before = self.path.read_bytes()
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaises(CannotSaveProject) as caught,
        ):
            file.save(cast.decide(self.project, ["s1"], Decision.SHOW), self.path)
        self.assertSentence(str(caught.exception), "inquiry.skiagraph")
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual(sorted(p.name for p in self.folder.glob(".*part*")), [])

    def test_project_and_clips_may_move(self):
        file.save(self.project, self.path)
        moved = self.folder / "elsewhere"
        moved.mkdir()
        shutil.move(self.clip, moved / "renamed.mp4")
        shutil.move(self.path, moved / "p.skiagraph")
        project = file.load(moved / "p.skiagraph")
        self.assertEqual(len(relink.missing(project)), 1)
        found = relink.find_beside(project, [moved])
        self.assertEqual(found.clip("c1").path, moved / "renamed.mp4")
        make_clip(moved / "other.mp4", 12)
        os.remove(moved / "renamed.mp4")
        self.assertEqual(len(relink.missing(relink.find_beside(found, [moved]))), 1)
