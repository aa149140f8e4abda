"""The project file: what is written is read, damage is refused, saving is atomic, moved clips are found again."""

import json
import os
import shutil
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from skiagraph.errors import CannotOpenProject, CannotSaveProject
from skiagraph.project import cast, edits, file, relink
from skiagraph.project.model import Acceptance, CoverKind, CoverStyle, Decision, Reach
from skiagraph.project.outline import outline_rows
from skiagraph.project.store import ProjectStore
from skiagraph.track.results import FaceTable
from tests.support import TemporaryFolder, head_path, make_clip, project_on


class FileTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "quay.mp4", 30)
        project = project_on(self.clip, head_path(0, 30, step=(0.5, 0.2)), head_path(4, 20, angle=12))
        project = cast.decide(project, ["s2"], Decision.SHOW)
        project = edits.set_style(project, "s1", CoverStyle(CoverKind.BLUR, blur=0.2))
        sighting = project.subject("s1").sightings[0]
        from skiagraph.project.outline import outline_at
        project = edits.move_outline(project, "s1", "c1", 9, replace(outline_at(sighting, 9), cx=60), Reach.ONWARD)
        faces = FaceTable(np.array([0, 3], np.int32), np.array([[1, 2, 30, 40], [5, 6, 70, 80]], np.int16), np.array([90, 61], np.uint8))
        project = project.with_clip(replace(project.clip("c1"), faces=faces, cuts=(12,)))
        self.project = edits.accept(project, Acceptance("c1", "s1", "unsure", 3, 8, "Ida", "back of the head"))
        self.path = self.folder / "inquiry.skiagraph"

    def test_round_trip(self):
        file.save(self.project, self.path)
        again = file.load(self.path)
        self.assertEqual(file.dump(again, self.folder), file.dump(self.project, self.folder))
        self.assertEqual(again.clip("c1").path, self.clip)
        self.assertEqual(again.accepted, self.project.accepted)
        np.testing.assert_allclose(outline_rows(again.subject("s1").sightings[0]), outline_rows(self.project.subject("s1").sightings[0]), atol=0.02)

    def test_document_matches_its_published_schema(self):
        published = json.loads((Path(__file__).parents[2] / "docs" / "project-format.schema.json").read_text())
        self.assertEqual(published, json.loads(json.dumps(file.schema())))

    def test_damage_is_refused_in_a_sentence(self):
        good = json.loads(file.dump(self.project, self.folder))
        def changed(**what): return json.dumps({**good, **what}).encode()
        short = json.loads(json.dumps(good))
        short["subjects"][0]["sightings"][0]["path"]["cx"].pop()
        beyond = json.loads(json.dumps(good))
        beyond["subjects"][0]["sightings"][0]["last"] = 99
        nobody = json.loads(json.dumps(good))
        nobody["subjects"][0]["decision"] = "perhaps"
        for data, word in ((b"{", "damaged"), (b"[]", "not a Skiagraph project"), (changed(version=9), "newer"), (changed(extra=1), "extra"),
                           (json.dumps(short).encode(), "shape"), (json.dumps(beyond).encode(), "outside"), (json.dumps(nobody).encode(), "perhaps")):
            self.path.write_bytes(data)
            with self.subTest(word), self.assertRaises(CannotOpenProject) as caught:
                file.load(self.path)
            self.assertSentence(str(caught.exception), word)
        with self.assertRaises(CannotOpenProject):
            file.load(self.folder / "none.skiagraph")

    def test_a_failure_while_saving_leaves_the_old_file(self):
        file.save(self.project, self.path)
        before = self.path.read_bytes()
        with mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")), self.assertRaises(CannotSaveProject) as caught:
            file.save(cast.decide(self.project, ["s1"], Decision.SHOW), self.path)
        self.assertSentence(str(caught.exception), "inquiry.skiagraph")
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual(sorted(p.name for p in self.folder.glob(".*part*")), [])

    def test_store_writes_the_newest_value(self):
        told = []
        store = ProjectStore(self.path, told.append)
        for n in range(20):
            store.put(edits.rename(self.project, "s1", f"Name {n}"))
        store.flush()
        self.assertEqual(file.load(self.path).subject("s1").name, "Name 19")
        store.put(edits.rename(self.project, "s1", "Last"))
        store.close()
        self.assertEqual(file.load(self.path).subject("s1").name, "Last")
        self.assertEqual(told[-1], True)

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
