"""What a sweep makes ahead: the first frames of each shot are looked at, though they were left out."""

import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.track.preparing import LOOKED_AT_FIRST, Preparing
from skiagraph.track.stepping import plan_of
from tests.support import TemporaryFolder, make_clip

FRAMES, CUT, EVERY = 40, 19, 10


def textured(n, width, height):
    """Two shots that are unlike each other."""
    rng = np.random.default_rng(0 if n < CUT else 1)
    return np.kron(rng.integers(0, 255, (height // 16, width // 16, 3)), np.ones((16, 16, 1))).astype(np.uint8)


class BeginningsTest(TemporaryFolder):
    def prepared(self, begin=0, cuts=(), again=None):
        info, index = open_clip(make_clip(self.folder / "two.mp4", FRAMES, size=(320, 192), draw=textured, options={"bf": 3, "g": 60, "sc_threshold": 0}))
        plan = plan_of(index.non_reference, EVERY, 25.0)
        self.assertFalse(plan.needed.all(), "some are left out")
        with FaceFinder(36) as finder, FrameReader(info, index, rough=True, wanted=plan.needed) as reader:
            return plan, list(Preparing(info, index, finder, Squared(1.0), plan, EVERY).frames(reader, begin, 8, cuts, again or {}))

    def test_the_first_frames_of_each_shot_are_all_looked_at(self):
        plan, made = self.prepared()
        numbers = [p.picture.number for p in made]
        self.assertEqual(numbers, sorted(set(numbers)))
        self.assertEqual([p.picture.number for p in made if p.cut], [CUT])
        for shot in (0, CUT):
            self.assertIn(shot + 1, numbers)
            looked = {p.picture.number for p in made if p.camera is not None}
            self.assertLessEqual({n for n in numbers if n <= shot + LOOKED_AT_FIRST and n >= shot}, looked)
        # Nothing else is decoded that was not planned, but for where a cut was looked for.
        self.assertLessEqual(set(numbers) - set(np.flatnonzero(plan.needed).tolist()), {1, CUT - 1, CUT, CUT + 1})

    def test_what_an_earlier_run_was_done_with_is_not_looked_at_anew(self):
        _, made = self.prepared(begin=30, cuts=(CUT,))
        self.assertTrue(all(p.known == (p.picture.number < 30) for p in made))
        self.assertTrue(all(p.camera is None for p in made if p.known))
