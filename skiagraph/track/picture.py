"""A frame as a scan looks at it: colours in square pixels and brightness, made when somebody looks."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from skiagraph.detect.squared import Squared
from skiagraph.media.frame import Frame


class Picture:
    """A decoded frame whose colours are made when somebody looks at them."""

    def __init__(self, frame: Frame, squared: Squared):
        self.number, self._frame, self._squared = frame.number, frame, squared
        self._rgb: np.ndarray | None = None

    @property
    def rgb(self) -> np.ndarray:
        if self._rgb is None:
            self._rgb = self._squared.picture(self._frame.rgb())
        return self._rgb

    @cached_property
    def grey(self) -> np.ndarray:
        """Brightness, uint8, in the clip's own pixels."""
        return self._frame.grey()

    def let_go(self) -> None:
        """Keep only what the decoder gave, which is smaller."""
        self._rgb = None
