"""A frame as a scan looks at it: colours in square pixels and ordinary light, and brightness, made when somebody looks."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.media.frame import Frame
from skiagraph.track.light import Lit, in_ordinary_light


class Picture:
    """A decoded frame whose colours are made when somebody looks at them."""

    def __init__(self, frame: Frame, squared: Squared):
        self.number, self._frame, self._squared = frame.number, frame, squared
        self._lit: Lit | None = None

    @property
    def lit(self) -> Lit:
        if self._lit is None:
            self._lit = in_ordinary_light(self._squared.picture(self._frame.rgb()))
        return self._lit

    @property
    def rgb(self) -> np.ndarray:
        return self.lit.rgb

    @cached_property
    def grey(self) -> np.ndarray:
        """Brightness, uint8, in the clip's own pixels."""
        return self._frame.grey()

    def let_go(self) -> None:
        """Keep only what the decoder gave, which is smaller."""
        self._lit = None
