"""What a sweep makes ahead: the first frames of each shot are looked at, though they were left out."""

from types import SimpleNamespace
from unittest import mock

import numpy as np

from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.detect.turned import ON_A_SIDE, UPSIDE_DOWN
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.track.preparing import PREPARING, Preparing
from skiagraph.track.stepping import plan_of
from tests.support import TemporaryFolder, make_clip

FRAMES, CUT, EVERY = 40, 19, 10


def textured(n, width, height):
    """Two shots that are unlike each other."""
    rng = np.random.default_rng(0 if n < CUT else 1)
    return np.kron(rng.integers(0, 255, (height // 16, width // 16, 3)), np.ones((16, 16, 1))).astype(np.uint8)


class DissolvesTest(TemporaryFolder):
    """One shot melts into another in frames 60 .. 71."""

    def dissolves(self, frames, begin=0):
        def drawn(n, width, height):
            first, second = (textured(shot, width, height).astype(float) for shot in (0, CUT))
            share = np.clip((n - 59) / 13, 0, 1)
            return (first * (1 - share) + second * share).round().astype(np.uint8)

        info, index = open_clip(
            make_clip(
                self.folder / f"{frames}.mp4",
                frames,
                size=(320, 192),
                draw=drawn,
                options={"bf": 0, "g": 30, "sc_threshold": 0},
            )
        )
        plan = plan_of(index.non_reference, 1, 25.0)
        with (
            FaceFinder(36) as finder,
            BodyFinder() as bodies,
            FrameReader(info, index, rough=True, wanted=plan.needed) as reader,
        ):
            made = list(Preparing(info, index, finder, bodies, Squared(1.0), plan, 1).frames(reader, begin, 8, (), {}))
        self.assertEqual([p.picture.number for p in made], list(range(max(0, begin - 8), frames)))
        self.assertEqual([p.picture.number for p in made if p.cut], [])
        return [p.dissolve for p in made if p.dissolve is not None]

    def test_a_dissolve_shortly_before_the_end_of_a_clip_is_told(self):
        (dissolve,) = self.dissolves(76)
        self.assertTrue(56 <= dissolve.first < 66 <= dissolve.last < 76, dissolve)

    def test_a_scan_that_is_taken_up_in_one_or_just_after_it_hears_of_it(self):
        (known,) = self.dissolves(100)
        for begin in (62, 70, 75, 80):
            with self.subTest(begin=begin):
                self.assertEqual(self.dissolves(100, begin), [known])


class BeginningsTest(TemporaryFolder):
    def prepared(self, begin=0, cuts=(), again=None, draw=textured):
        info, index = open_clip(
            make_clip(
                self.folder / "two.mp4",
                FRAMES,
                size=(320, 192),
                draw=draw,
                options={"bf": 3, "g": 60, "sc_threshold": 0},
            )
        )
        plan = plan_of(index.non_reference, EVERY, 25.0)
        self.assertFalse(plan.needed.all(), "some are left out")
        with (
            FaceFinder(36) as finder,
            BodyFinder() as bodies,
            FrameReader(info, index, rough=True, wanted=plan.needed) as reader,
        ):
            return plan, list(
                Preparing(info, index, finder, bodies, Squared(1.0), plan, EVERY).frames(
                    reader, begin, 8, cuts, again or {}
                )
            )

    def test_the_first_frames_of_each_shot_are_all_looked_at(self):
        plan, made = self.prepared()
        numbers = [p.picture.number for p in made]
        self.assertEqual(numbers, sorted(set(numbers)))
        self.assertEqual([p.picture.number for p in made if p.cut], [CUT])
        for shot in (0, CUT):
            self.assertIn(shot + 1, numbers)
            looked = {p.picture.number for p in made if p.looked}
            self.assertLessEqual({n for n in numbers if n <= shot + PREPARING.looked_at_first and n >= shot}, looked)
        # Nothing else is decoded that was not planned, but for where a cut was looked for.
        self.assertLessEqual(set(numbers) - set(np.flatnonzero(plan.needed).tolist()), {1, CUT - 1, CUT, CUT + 1})

    def test_each_picture_knows_what_the_camera_did_since_its_shot_began(self):
        def panned(n, width, height):
            shot = 0 if n < CUT else CUT
            return np.roll(textured(n, 2 * width, height), -3 * (n - shot), axis=1)[:, :width]

        _, made = self.prepared(draw=panned)
        self.assertFalse(all(p.looked for p in made))
        # What it has come to show since the last search, 3 px of 320 a frame, is searched before it becomes much.
        searched = [p.picture.number for p in made if p.search is not None]
        self.assertLess(max(np.diff(searched)), EVERY - 1)
        self.assertTrue(
            any(not p.looked for p in made if p.search is not None), "also by itself, without the rest of the picture"
        )
        self.assertTrue(all(p.search is not None and p.looked for p in made if p.searched))
        for p in made:
            since = p.picture.number - (0 if p.picture.number < CUT else CUT)
            self.assertLess(np.abs(p.picture.view - [[1, 0, -3 * since], [0, 1, 0]]).max(), 1.5, p.picture.number)
        # A run that is taken up goes on with what was known.
        known = {p.picture.number: SimpleNamespace(cut=p.cut, view=p.picture.view) for p in made if p.looked}
        _, again = self.prepared(begin=30, cuts=(CUT,), again=known, draw=panned)
        views = {p.picture.number: p.picture.view for p in made}
        self.assertGreater(sum(p.picture.number >= 30 for p in again), 5)
        for p in again:
            if p.picture.number >= 30:
                self.assertLess(np.abs(p.picture.view - views[p.picture.number]).max(), 1.5, p.picture.number)

    def test_whoever_lies_is_searched_for_when_a_shot_begins_and_now_and_then(self):
        rolls = []
        submit = FaceFinder.submit
        with mock.patch.object(
            FaceFinder,
            "submit",
            lambda finder, rgb, *some, **named: rolls.append(named["rolls"]) or submit(finder, rgb, *some, **named),
        ):
            _, made = self.prepared()
        searched = dict(zip((p.picture.number for p in made if p.search is not None), rolls, strict=True))
        self.assertEqual({n for n, r in searched.items() if r == ON_A_SIDE + UPSIDE_DOWN}, {0, CUT})
        self.assertEqual({n for n, r in searched.items() if r == ON_A_SIDE}, {20})
        self.assertGreater(len(searched), 5)

    def test_what_an_earlier_run_was_done_with_is_not_looked_at_anew(self):
        _, made = self.prepared(begin=30, cuts=(CUT,))
        self.assertTrue(all(p.known == (p.picture.number < 30) for p in made))
        self.assertTrue(all(not p.looked for p in made if p.known))
