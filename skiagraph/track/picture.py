"""A frame as a scan looks at it: colours in square pixels and ordinary light, and brightness, made when somebody looks,
and where."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.media.frame import Frame
from skiagraph.media.parts import RgbParts
from skiagraph.track.camera import STILL
from skiagraph.track.light import Lit, in_ordinary_light, surely_ordinary

# Whoever looks at something smaller than this, px, looks as far around as for this.
LEAST_SIDE = 8.0


class Picture:
    """A decoded frame whose colours are made when somebody looks at them.

    view: what the camera did since the shot began: the similarity (2, 3) from px of its first frame to px of this one.
    """

    def __init__(self, frame: Frame, squared: Squared, view: np.ndarray = STILL):
        self.number, self.view, self._frame, self._squared = frame.number, view, frame, squared
        self._lit: Lit | None = None
        self._parts: RgbParts | None = None

    @property
    def lit(self) -> Lit:
        """All of it."""
        if self._lit is None:
            self._lit = in_ordinary_light(self._squared.picture(self._frame.rgb()))
        return self._lit

    @property
    def rgb(self) -> np.ndarray:
        """All of it."""
        return self.lit.rgb

    @property
    def coloured(self) -> bool:
        """Whether its light is of such a colour that clothes and faces say little of who is who."""
        return not self._is_plain and self.lit.coloured

    def near(self, boxes: np.ndarray, reach: float) -> Lit:
        """The picture of which at least the surroundings of boxes, (n, 4) in square pixels, are filled in, so many
        times their longer side from their middles; elsewhere it may be black.
        """
        if self._lit is not None or not self._is_plain:
            return self.lit
        self._parts = self._parts or RgbParts(self._frame)
        boxes, rgb = np.asarray(boxes, float).reshape(-1, 4), self._parts.around((0, 0, 0, 0))
        for low, high in zip(boxes[:, :2], boxes[:, 2:]):
            # A little more, since px between others are made of both.
            middle, far = (low + high) / 2, reach * max(*(high - low), LEAST_SIDE) + 2
            rgb = self._parts.around((*(middle - far), *(middle + far)))
        return Lit(rgb, False)

    @cached_property
    def _is_plain(self) -> bool:
        """Whether its colours are as they were stored, so that parts of it can be made."""
        return self._squared.aspect == 1.0 and surely_ordinary(RgbParts(self._frame).mean())

    @cached_property
    def grey(self) -> np.ndarray:
        """Brightness, uint8, in the clip's own pixels."""
        return self._frame.grey()

    def let_go(self) -> None:
        """Keep only what the decoder gave, which is smaller."""
        self._lit = self._parts = None
