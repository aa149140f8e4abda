"""Made detections for tests of linking."""

import numpy as np

from skiagraph.detect.detections import Detections
from skiagraph.track.light import Lit
from skiagraph.track.linking import Seen


def face(x, y, side=40.0, score=0.9) -> Detections:
    """One facing face with its middle at (x, y)."""
    box = np.array([[x - side / 2, y - side / 2, x + side / 2, y + side / 2]], np.float32)
    points = np.array([[[-10, -8], [10, -8], [0, 2], [-7, 10], [7, 10]]], np.float32) * side / 40 + np.array([x, y], np.float32)
    return Detections(box, np.array([score], np.float32), points)


def seen(x, y, side=40.0, score=0.9, colours=None) -> Seen:
    return Seen(face(x, y, side, score), (colours,))


class PlainPicture:
    """A picture of one grey, of the given number."""

    def __init__(self, number, size=(300, 400), coloured=False):
        self.number, self.grey = number, None
        self.rgb = np.full((*size, 3), number, np.uint8)
        self.lit, self.coloured = Lit(self.rgb, coloured), coloured

    def near(self, boxes, reach):
        """All of it is made already."""
        return self.lit

    def let_go(self):
        """Its colours are not kept; here they are all there is."""
