"""The second pass on a made clip: gaps, leads and tails come out right, whether all frames are decoded or half of
them."""

from dataclasses import replace
from types import SimpleNamespace
from unittest import mock

import numpy as np

from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.review.finding import UNSURE
from skiagraph.track.assembling import path_of
from skiagraph.track.bridging import BridgeSettings
from skiagraph.track.chaining import Chain
from skiagraph.track.linking import Tracklet
from skiagraph.track.path import FOUND
from skiagraph.track.people import stretches_of
from skiagraph.track.second_pass import second_pass
from skiagraph.track.silhouette import Shape
from tests.support import TemporaryFolder, make_clip
from tests.track.test_following import pictures

FRAMES, SPEED, BEGIN = 60, 2.0, 80.0


class SecondPassTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        views = pictures(FRAMES, (SPEED, 0))
        self.info, self.index = open_clip(
            make_clip(
                self.folder / "slides.mp4",
                FRAMES,
                size=(400, 300),
                draw=lambda n, width, height: views[n],
                options={"bf": 3, "g": 30, "crf": 12},
            )
        )
        there = SimpleNamespace(shape=lambda picture, head, origin=(0, 0): Shape(0.95, 0.1, *map(float, head[:3])))
        patcher = mock.patch("skiagraph.track.second_pass.Silhouette", lambda: there)
        patcher.start()
        self.addCleanup(patcher.stop)

    def chain(self, number, frames):
        heads = [np.array([BEGIN + SPEED * n, 150, 60, 80, 0], np.float32) for n in frames]
        return Chain(
            (
                Tracklet(
                    number,
                    frames,
                    heads,
                    [np.array([h[0] - 25, 125, h[0] + 25, 175], np.float32) for h in heads],
                    [0.9] * len(frames),
                ),
            )
        )

    def path(self, frames, index):
        chain = self.chain(1, frames)
        solved = second_pass(self.info, index, [chain], lambda frame: (0, FRAMES - 1), JobControl())
        (path,) = path_of(chain, solved.results[0], 25.0)
        return path

    def test_a_head_is_followed_through_all_that_is_not_found(self):
        self.assertTrue(self.index.non_reference.any())
        found = [*range(16, 25), *range(36, 45)]
        for name, index in (("half", self.index), ("all", replace(self.index, non_reference=np.zeros(FRAMES, bool)))):
            with self.subTest(name):
                path = self.path(found, index)
                self.assertEqual((path.first, path.last), (0, FRAMES - 1))
                self.assertTrue((path.origin[25:36] != FOUND).all())
                np.testing.assert_allclose(path.cx, BEGIN + SPEED * np.arange(FRAMES), atol=5)
                np.testing.assert_allclose(path.cy, 150, atol=4)

    def test_a_chain_that_begins_in_the_gap_of_another_takes_nothing_of_it(self):
        chains = [self.chain(1, [*range(12), *range(46, FRAMES)]), self.chain(2, [*range(24, 34)])]
        solved = second_pass(self.info, self.index, chains, lambda frame: (0, FRAMES - 1), JobControl())
        self.assertEqual(solved.meetings, [])
        found = {
            int(frame)
            for s in stretches_of(chains, solved.results, solved.meetings, {}, 25.0)
            for frame in s.path.first + np.flatnonzero(s.path.origin == FOUND)
        }
        self.assertEqual(found, {*range(12), *range(24, 34), *range(46, FRAMES)})

    def test_what_is_followed_back_over_a_smaller_head_that_is_found_ends_there(self):
        """As a sign that is far too large, of somebody who is known: it was a cover of half the picture from the first
        frame on."""
        known = self.chain(1, [*range(0, FRAMES, 6)])
        tracklet = self.chain(2, [*range(40, 46)]).parts[0]
        large = Chain(
            (replace(tracklet, heads=[head * np.array([1, 1, 2.2, 2.2, 1], np.float32) for head in tracklet.heads]),)
        )
        solved = second_pass(
            self.info,
            self.index,
            [known, large],
            lambda frame: (0, FRAMES - 1),
            JobControl(),
            BridgeSettings(line_frames=5),
        )
        self.assertLess(len(solved.results[1].leads[0].rows), 8)
        beside = Chain(
            (
                replace(
                    tracklet,
                    heads=[
                        head * np.array([1, 1, 2.2, 2.2, 1], np.float32) + np.array([50, 0, 0, 0, 0], np.float32)
                        for head in tracklet.heads
                    ],
                ),
            )
        )
        solved = second_pass(
            self.info,
            self.index,
            [known, beside],
            lambda frame: (0, FRAMES - 1),
            JobControl(),
            BridgeSettings(line_frames=5),
        )
        self.assertGreater(len(solved.results[1].leads[0].rows), 8, "who is beside somebody is followed on")

    def test_the_known_head_of_somebody_else_hides_who_is_followed_back(self):
        """So that they go on as they went, and not on to whoever stands there."""
        walks = self.chain(1, [*range(44, 56)])
        at = BEGIN + SPEED * 36
        stands = Chain(
            (
                Tracklet(
                    2,
                    [*range(FRAMES)],
                    [np.array([at, 150, 40, 60, 0], np.float32)] * FRAMES,
                    [np.array([at - 18, 130, at + 18, 170], np.float32)] * FRAMES,
                    [0.9] * FRAMES,
                ),
            )
        )
        asked = []
        with mock.patch(
            "skiagraph.track.following.Follower.step",
            autospec=True,
            side_effect=lambda follower, *a, hidden=False, frames=1: (
                asked.append(hidden) or np.append(follower.state, 0.5)
            ),
        ):
            second_pass(self.info, self.index, [walks, stands], lambda frame: (0, FRAMES - 1), JobControl())
        self.assertIn(True, asked)
        self.assertIn(False, asked)

    def test_who_is_not_surely_seen_between_two_who_hide_them_is_lost_as_if_they_were_hidden_all_the_time(self):
        walks, beside = self.chain(1, [*range(12)]), BEGIN + SPEED * 11 + 35
        hides = [*range(14, 25), *range(29, 50)]
        stands = Chain(
            (
                Tracklet(
                    2,
                    hides,
                    [np.array([beside, 150, 60, 80, 0], np.float32)] * len(hides),
                    [np.array([beside - 25, 125, beside + 25, 175], np.float32)] * len(hides),
                    [0.9] * len(hides),
                ),
            )
        )
        for confidence, to_the_end in ((0.3, False), (0.8, True)):

            def step(follower, *_, hidden=False, frames=1):
                follower.confidence = confidence
                return np.append(follower.state, confidence)

            with mock.patch("skiagraph.track.following.Follower.step", autospec=True, side_effect=step):
                solved = second_pass(
                    self.info, self.index, [walks, stands], lambda frame: (0, FRAMES - 1), JobControl()
                )
            self.assertEqual(11 + len(solved.results[0].tails[11]) == FRAMES - 1, to_the_end, confidence)

    def test_nobody_is_sure_of_what_is_followed_back_past_the_head_of_somebody_else(self):
        met, later = self.chain(1, [*range(24, 28)]), self.chain(2, [*range(40, 50)])
        solved = second_pass(self.info, self.index, [met, later], lambda frame: (0, FRAMES - 1), JobControl())
        confidence = solved.results[1].leads[0].rows[:, 5]
        before, past = confidence[: 40 - 28], confidence[40 - 24 :]
        self.assertGreater(len(past), 10)
        self.assertGreater(before.min(), UNSURE)
        self.assertLess(past.max(), UNSURE)

    def test_a_chain_that_begins_where_another_came_to_goes_on_in_it(self):
        chains = [self.chain(1, [*range(12)]), self.chain(2, [*range(24, 34)])]
        solved = second_pass(self.info, self.index, chains, lambda frame: (0, FRAMES - 1), JobControl())
        self.assertEqual(solved.meetings, [(0, 1)])
        (stretch,) = stretches_of(chains, solved.results, solved.meetings, {}, 25.0)
        self.assertEqual((stretch.path.first, stretch.path.last), (0, FRAMES - 1))
