"""The measures measure: a perfect project has no leak, a moved one leaks, a swapped one confuses."""

from dataclasses import replace

import numpy as np

from benchmarks.measures import identity, leaks, leaks_if_shown, strangers
from benchmarks.panned import SIZE, Panned
from benchmarks.scenes import FILMS
from skiagraph.demo.scene import HEAD_OFFSET
from skiagraph.demo.story import RATE
from skiagraph.demo.truth import load_truth
from skiagraph.demo.write import write_scene
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.media.index import open_clip
from skiagraph.project import cast
from skiagraph.project.model import Decision, Project
from skiagraph.track.path import Path
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from tests.demo.test_demo import SMALL
from tests.support import TemporaryFolder


class MeasureTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        clip = write_scene(replace(SMALL, seconds=0.4), self.folder)
        self.truth = load_truth(self.folder / "small.truth.json")
        self.opened = open_clip(clip)

    def project(self, shift=0.0, swap_at=None, size=1.1):
        rows = {actor: [] for actor in self.truth.actors}
        for heads in self.truth.heads:
            for head in heads:
                rows[head.actor].append(
                    [head.cx + shift, head.cy, head.width * size, head.height * size, head.angle, 0.9]
                )
        one, two = (np.array(rows[a]) for a in self.truth.actors)
        if swap_at is not None:
            one[swap_at:], two[swap_at:] = two[swap_at:].copy(), one[swap_at:].copy()
        people = tuple(
            FoundPerson(n, (Path.from_rows(0, r, np.zeros(len(r))),), 0, (0, 0, 9, 9))
            for n, r in enumerate((one, two), 1)
        )
        return take_in(add_clip(Project(), *self.opened), "c1", ScanResult(people, FaceTable.none(), (), len(one)), 1)

    def test_a_perfect_project(self):
        found, who = leaks(self.project(), "c1", self.truth), identity(self.project(size=1.0), "c1", self.truth)
        self.assertEqual((found.leaks, found.findings), ([], 0))
        self.assertGreater(found.covered_share, 0.999)
        self.assertGreater(who.idf1, 0.99)
        self.assertGreater(who.hota, 0.95)
        self.assertEqual(who.switches, 0)

    def test_a_moved_cover_leaks_and_nobody_says_so(self):
        found = leaks(self.project(shift=25), "c1", self.truth)
        self.assertEqual(len(found.leaks), found.people_frames)
        self.assertEqual(len(found.unnamed), len(found.leaks))

    def test_somebody_shown_leaks(self):
        shown = cast.decide(self.project(), ["s1"], Decision.SHOW)
        self.assertEqual({actor for _, actor, _ in leaks(shown, "c1", self.truth).leaks}, {"one"})

    def test_a_swap_is_somebody_else_in_a_subject_and_lays_them_bare_when_one_is_shown(self):
        whole, swapped = self.project(size=1.0), self.project(swap_at=6, size=1.0)
        self.assertEqual(strangers(whole, "c1", self.truth).frames, ())
        frames = len(self.truth.heads)
        found = strangers(swapped, "c1", self.truth)
        self.assertEqual(
            {(key, frame) for key, frame, _, _ in found.frames},
            {(key, frame) for key in ("s1", "s2") for frame in range(6, frames)},
        )
        self.assertTrue(all(owner != on for _, _, owner, on in found.frames))
        self.assertEqual(found.unsaid, found.frames, "and nobody says so")
        self.assertEqual(leaks_if_shown(self.project(), "c1", self.truth).leaks, [])
        bare = leaks_if_shown(self.project(swap_at=6), "c1", self.truth)
        self.assertEqual(
            {(shown, frame) for shown, frame, _ in bare.leaks},
            {(actor, frame) for actor in self.truth.actors for frame in range(6, frames)},
        )
        self.assertEqual(len(bare.unnamed), len(bare.leaks), "and nobody says so")

    def test_who_goes_behind_another_and_waits_there_is_nobody_else(self):
        one, two = self.truth.actors
        heads, rows = [], []
        for n, there in enumerate(self.truth.heads):
            first, second = (next(h for h in there if h.actor == actor) for actor in (one, two))
            second = (
                second
                if n < 3
                else replace(second, cx=first.cx, cy=first.cy, width=first.width, height=first.height, head_visible=0.0)
            )
            heads.append((first, second))
            rows.append([second.cx, second.cy, second.width, second.height, second.angle, 0.9])
        people = (FoundPerson(1, (Path.from_rows(0, np.array(rows), np.zeros(len(rows))),), 0, (0, 0, 9, 9)),)
        project = take_in(
            add_clip(Project(), *self.opened), "c1", ScanResult(people, FaceTable.none(), (), len(rows)), 1
        )
        self.assertEqual(strangers(project, "c1", replace(self.truth, heads=tuple(heads))).frames, ())

    def test_swapped_people_confuse(self):
        who = identity(self.project(swap_at=5, size=1.0), "c1", self.truth)
        self.assertEqual(who.switches, 2)
        self.assertLess(who.idf1, 0.7)

    def test_generous_covers_are_seen_as_such(self):
        self.assertGreater(np.median(leaks(self.project(size=3.0), "c1", self.truth).excess), 1.0)
        self.assertLess(np.median(leaks(self.project(), "c1", self.truth).excess), 0.01)

    def test_every_film_has_scenes_of_one_size(self):
        for name, film in FILMS.items():
            if isinstance(film, Panned):
                # Each part is larger than what is seen of it, and shorter than no frame.
                self.assertTrue(
                    all(wide >= seen for part in film.parts for wide, seen in zip(part.scene.size, SIZE)), name
                )
                self.assertTrue(all(part.seconds * RATE >= 1 for part in film.parts), name)
                actors = film.actors
            else:
                self.assertEqual(len({s.size for s in film}), 1, name)
                actors = {a.key: a for s in film for a in s.actors}.values()
            self.assertTrue(all(a.key for a in actors))
            # Beyond this the numbers of heads and of faces are the same in the identity picture.
            self.assertLess(len(actors), HEAD_OFFSET, name)
