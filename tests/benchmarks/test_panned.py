"""Films of which the camera sees a part: truth moves with the picture, and ends where nobody could be recognised."""

import unittest

import numpy as np

from benchmarks.panned import SIZE, Panned, Part
from skiagraph.demo import people
from skiagraph.demo.scene import HEAD_OFFSET
from skiagraph.demo.story import Actor, Scene

WALL = Scene(
    "wall",
    "A wall",
    "bricks",
    1.0,
    400,
    tuple(
        Actor(f"p{n}", f"Buyer {n}", look, x=((0, x),), size=((0, 60),))
        for n, (look, x) in enumerate(((people.CLERK, 300), (people.WORKER, 1900)))
    ),
    size=(2560, 900),
)


class PannedTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # Still for four frames, over to the other end within five, and still again.
        film = Panned(
            (
                Part(
                    WALL,
                    0.52,
                    True,
                    x=((0, 20), (0.16, 20), (0.36, 1200), (0.52, 1200)),
                    y=((0, 60),),
                    zoom=((0, 0.9),),
                ),
            )
        )
        cls.film, cls.frames = film, list(film.drawn())

    def test_what_is_told_lies_where_it_is_seen(self):
        self.assertEqual(len(self.frames), self.film.frames)
        for frame in self.frames:
            self._lies_where_it_is_seen(*frame, SIZE)
        self.assertEqual([h.actor for h in self.frames[0][2]], ["p0"])
        self.assertEqual([h.actor for h in self.frames[-1][2]], ["p1"])

    def test_who_is_hidden_is_told_of_where_they_are(self):
        near = Actor("p0", "Buyer 0", people.CLERK, x=((0, 400),), size=((0, 160),))
        far = Actor("p1", "Buyer 1", people.WORKER, x=((0, 400),), size=((0, 50),), raised=((0, 30),))
        away = Actor("p2", "Buyer 2", people.WORKER, x=((0, 2300),), size=((0, 50),))
        scene = Scene("behind", "Behind", "bricks", 1.0, 400, (near, far, away), size=(2560, 900))
        film = Panned((Part(scene, 0.04, True, x=((0, 20),), y=((0, 60),), zoom=((0, 0.9),)),))
        ((_, ids, heads),) = film.drawn()
        hidden = next(h for h in heads if h.actor == "p1")
        self.assertEqual((hidden.head_visible, hidden.face_px), (0.0, 0))
        self.assertFalse(np.isin(ids, (2, HEAD_OFFSET + 2)).any())
        self.assertLess(abs(hidden.cx - 0.9 * (400 - 20)), hidden.width / 2)
        self.assertNotIn("p2", [h.actor for h in heads], "who is not in the picture is not")

    def test_a_camera_that_is_not_held_level_turns_what_is_told_with_it(self):
        upright = 360, 640
        film = Panned(
            (Part(WALL, 0.12, True, x=((0, 140),), y=((0, 100),), zoom=((0, 0.8),), turn=((0, 20),)),), upright
        )
        for picture, ids, heads in film.drawn():
            self._lies_where_it_is_seen(picture, ids, heads, upright)
            self.assertEqual([(h.actor, round(h.angle)) for h in heads], [("p0", 20)])
            y, x = np.nonzero((ids == 1) | (ids == HEAD_OFFSET + 1))
            # Upside goes to the right when it turns clockwise, so that the longer axis leans from top right to bottom
            # left.
            self.assertLess(np.cov(x, y)[0, 1], -0.05 * np.sqrt(x.var() * y.var()))

    def _lies_where_it_is_seen(self, picture, ids, heads, size):
        self.assertEqual((picture.shape, ids.shape), ((size[1], size[0], 3), (size[1], size[0])))
        for head in heads:
            number = int(head.actor[1:]) + 1
            y, x = np.nonzero((ids == number) | (ids == HEAD_OFFSET + number))
            self.assertEqual(head.face_px, np.count_nonzero(ids == number))
            self.assertLessEqual(abs(x.mean() - np.clip(head.cx, 0, size[0])), head.width / 2)
            self.assertLessEqual(abs(y.mean() - head.cy), 0.2 * head.height)

    def test_nobody_is_to_be_recognised_while_it_whips(self):
        seen = [sum(head.face_px for head in heads) for _, _, heads in self.frames]
        self.assertGreater(min(seen[:4]), 100)
        self.assertGreater(min(seen[-3:]), 100)
        self.assertEqual(max(seen[5:8]), 0)
        still, whipped = (np.abs(np.diff(self.frames[n][0].astype(int), axis=1)).mean() for n in (0, 6))
        self.assertLess(whipped, still / 2)


if __name__ == "__main__":
    unittest.main()
