"""Heads that were drawn by hand, on the demo with its truth: they are found again after crossings and absences, and
nobody else is taken for them."""

import unittest

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.footage.adding import add_clip
from skiagraph.footage.following import follow_outline
from skiagraph.media.index import open_clip
from skiagraph.project import outlines
from skiagraph.project.model import Outline, PersonSubject, Project
from skiagraph.track.path import BRIDGED


class HeadsTest(unittest.TestCase):
    def followed(self, clip, actor, start):
        """Share of the frames that show most of an actor's head in which it is covered, frames that are wrong and not
        said to be, and what was found."""
        truth = load_truth(shipped(f"{clip}.truth.json"))
        every = {n: h for n, present in enumerate(truth.heads) for h in present if h.actor == actor}
        seen = [n for n, h in every.items() if h.head_visible > 0.5]
        head = every[start]
        outline = Outline.at(head.cx, head.cy, head.width, head.height, head.angle)
        project, key = outlines.add_subject(
            add_clip(Project(), *open_clip(shipped(f"{clip}.mp4"))), "c1", start, outline, PersonSubject()
        )
        found = follow_outline(project, "c1", start, outline, subject=key)
        rows = {
            path.first + n: (row, path.origin[n])
            for path in (found.path, *found.again)
            for n, row in enumerate(path.rows())
        }
        away = {
            n: float(np.hypot(row[0] - every[n].cx, row[1] - every[n].cy) / every[n].width)
            for n, (row, _) in rows.items()
            if n in every
        }
        silent = sum(origin != BRIDGED and (n not in every or away[n] > 0.5) for n, (_, origin) in rows.items())
        return sum(n in rows for n in seen) / len(seen), silent, found

    def test_who_is_crossed_by_others_is_not_lost_and_not_exchanged(self):
        share, silent, found = self.followed("hall", "far", 26)
        self.assertGreater(share, 0.95)
        self.assertLessEqual(silent, 5)
        self.assertTrue(found.looks.tells)

    def test_who_leaves_and_comes_back_is_found_again(self):
        share, silent, found = self.followed("quay", "scarf", 246)
        self.assertGreater(share, 0.85)
        self.assertLessEqual(silent, 3)
        self.assertGreaterEqual(len(found.back), 1)

    def test_who_turns_away_is_followed_through_it(self):
        share, silent, _ = self.followed("hall", "red", 270)
        self.assertGreater(share, 0.9)
        self.assertEqual(silent, 0)
