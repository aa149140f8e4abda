"""Picture: an image or a short film with transparency, fitted to the outline, that turns and grows with it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, ClassVar, Literal

import msgspec
import numpy as np

from skiagraph.cover.cover import Cover
from skiagraph.cover.painting import painted
from skiagraph.cover.parameters import Opacity
from skiagraph.cover.region import Region
from skiagraph.media.overlays import overlay_at
from skiagraph.values import Value, described


@Cover.register
class Picture(Cover, Value, frozen=True, tag_field="kind", tag="picture"):
    """Where it is transparent the covers beneath it are seen, and never what was shot."""

    word: ClassVar[str] = "Picture"
    tip: ClassVar[str] = "An image or a moving picture of your own"

    file: Annotated[
        str,
        msgspec.Meta(max_length=4096),
        described("File", "A PNG, WebP, GIF, MOV or WebM file; its transparency is kept.", form="file"),
    ] = ""
    fit: Annotated[
        Literal["fill", "whole", "stretch"],
        described(
            "Fitted",
            "How it is fitted to the outline.",
            form="choice",
            options={"fill": "fills the outline", "whole": "all of it is seen", "stretch": "stretched to it"},
        ),
    ] = "fill"
    after: Annotated[
        Literal["loop", "hold"],
        described(
            "At its end",
            "What a moving picture does at its end.",
            form="choice",
            options={"loop": "begins again", "hold": "stays"},
            rare=True,
        ),
    ] = "loop"
    opacity: Opacity = 1.0

    @property
    def hides_alone(self) -> bool:
        # It may have holes.
        return False

    def hide(self, region: Region) -> np.ndarray:
        if not self.file:
            return region.made(region.own())
        overlay = overlay_at(Path(self.file))
        rgba = overlay.at(region.age / float(region.frame.rate), self.after == "loop")
        return region.made(painted(region, rgba, self._place(rgba.shape[1] / rgba.shape[0], region), self.opacity))

    def _place(self, aspect: float, region: Region) -> tuple[float, float, float, float]:
        """Its edges in the unit frame of the outline, for its width against its height."""
        wider = aspect / (region.outline.width / region.outline.height)
        if self.fit == "stretch" or wider == 1:
            return -1.0, -1.0, 1.0, 1.0
        if (wider > 1) == (self.fit == "fill"):
            return -wider, -1.0, wider, 1.0
        return -1.0, -1 / wider, 1.0, 1 / wider

    def state(self) -> str:
        return f"{self.word}, {Path(self.file).name}" if self.file else self.word
