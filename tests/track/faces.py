"""Made detections, tracklets and pictures for tests of tracking."""

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.track.camera import STILL
from skiagraph.track.light import Lit
from skiagraph.track.linking import Seen, Tracklet


def face(x, y, side=40.0, score=0.9) -> Detections:
    """One facing face with its middle at (x, y)."""
    box = np.array([[x - side / 2, y - side / 2, x + side / 2, y + side / 2]], np.float32)
    points = np.array([[[-10, -8], [10, -8], [0, 2], [-7, 10], [7, 10]]], np.float32) * side / 40 + np.array(
        [x, y], np.float32
    )
    return Detections(box, np.array([score], np.float32), points)


def seen(x, y, side=40.0, score=0.9, colours=None) -> Seen:
    return Seen(face(x, y, side, score), (colours,))


def tracklet(number, frames, x, y=150.0, width=60.0, score=0.9, colours=None, shot=0) -> Tracklet:
    """A head that is found in these frames. x: of its middle, a function of the frame or a number."""
    place = x if callable(x) else lambda n: x
    heads = [np.array([place(n), y, width, width * 1.35, 0.0], np.float32) for n in frames]
    boxes = [np.array([h[0] - 25, y - 20, h[0] + 25, y + 30], np.float32) for h in heads]
    return Tracklet(number, list(frames), heads, boxes, [score] * len(heads), colours, shot)


class PlainPicture:
    """A picture of one grey, of the given number."""

    def __init__(self, number, size=(300, 400), coloured=False):
        self.number, self.grey, self.view = number, None, STILL
        self.rgb = np.full((*size, 3), number, np.uint8)
        self.lit, self.coloured = Lit(self.rgb, coloured), coloured

    def near(self, boxes, reach):
        """All of it is made already."""
        return self.lit

    def let_go(self):
        """Its colours are not kept; here they are all there is."""
