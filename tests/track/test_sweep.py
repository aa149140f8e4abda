"""The sweep: what a search and a look found are one, and who is new is looked for in the frames before."""

import unittest
from unittest import mock

import numpy as np

from skiagraph.demo.people import BLUE_CAP
from skiagraph.demo.ship import shipped
from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.linking import Linker
from skiagraph.track.observations import Checkpoint
from skiagraph.track.stepping import plan_of
from skiagraph.track.sweep import Sweep, _without_twins
from tests.detect.test_finder import scene
from tests.support import TemporaryFolder, make_clip
from tests.track.faces import face


class TwinsTest(unittest.TestCase):
    def test_what_a_search_shows_well_is_preferred_to_a_look(self):
        joined = _without_twins(
            face(104, 100, score=0.95), Detections.joined([face(100, 100, score=0.7), face(300, 100, score=0.6)])
        )
        np.testing.assert_allclose(joined.scores, [0.95, 0.6])

    def test_a_poor_find_gives_way_to_a_look(self):
        np.testing.assert_allclose(_without_twins(face(100, 100, score=0.4), face(104, 100, score=0.95)).scores, [0.95])


class SteppingTest(TemporaryFolder):
    def test_whoever_the_camera_brings_into_the_picture_is_found_by_the_part_that_is_new(self):
        wide = scene((1200, 360), (BLUE_CAP, 900, 180, 44, 0, 0))
        clip = make_clip(
            self.folder / "panned.mp4",
            24,
            size=(640, 360),
            draw=lambda n, width, height: wide[:, 12 * n : 12 * n + width],
            options={"bf": 0, "g": 60, "sc_threshold": 0},
        )
        info, index = open_clip(clip)
        checkpoint = Checkpoint(info.path, "test", self.folder)
        told = []
        submit = FaceFinder.submit
        with (
            FaceFinder(36) as finder,
            BodyFinder() as bodies,
            mock.patch.object(
                FaceFinder,
                "submit",
                lambda finder, rgb, *some, **named: submit(finder, np.zeros_like(rgb), *some, **named),
            ),
        ):
            Sweep(info, index, finder, bodies, FaceDescriber(), 12, Linker(25), checkpoint).run(
                JobControl(), lambda frame, seen, whole: told.append((frame, len(seen), whole))
            )
        first = min(o.frame for o in checkpoint.every() if len(o.seen))
        # Half of the face has come in by frame 22.
        self.assertLessEqual(first, 23)
        self.assertTrue(any(count and not whole for _, count, whole in told))

    def test_somebody_new_is_looked_for_in_the_frames_before(self):
        info, index = open_clip(shipped("quay.mp4"))
        index = index.cut(26, "")
        submit, searched = FaceFinder.submit, []

        def blind_at_first(finder, rgb, *arguments, **named):
            searched.append(rgb)
            return submit(finder, rgb if len(searched) > 1 else np.zeros_like(rgb), *arguments, **named)

        checkpoint = Checkpoint(info.path, "test", self.folder)
        with FaceFinder(36) as finder, BodyFinder() as bodies, mock.patch.object(FaceFinder, "submit", blind_at_first):
            Sweep(info, index, finder, bodies, FaceDescriber(), 12, Linker(25), checkpoint).run(JobControl())
        seen = {o.frame: len(o.seen) for o in checkpoint.every()}
        # The second search is in the first frame that is decoded half a step into the shot.
        decoded = np.flatnonzero(plan_of(index.non_reference, 12, 25.0).needed)
        before = [int(n) for n in decoded if n < 6]
        self.assertGreater(len(before), 2)
        self.assertTrue(all(seen.get(frame, 0) >= 4 for frame in before), seen)
