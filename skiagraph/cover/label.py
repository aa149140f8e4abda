"""A label: words beside somebody, covered or not. It hides nobody."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.layer import Layer
from skiagraph.shape.shape import Outline, Shape
from skiagraph.values import Value, described, replace

# How far it stands off, as a share of the outline's height.
APART = 0.08


class Label(Value, frozen=True):
    """caption: what it says and how it looks; side: of the outline; height: of a line, as a share of the outline's
    height."""

    caption: Cover
    side: Annotated[
        Literal["above", "below", "left", "right"],
        described(
            "Side",
            "Where it stands.",
            form="choice",
            options={"above": "above", "below": "below", "left": "left", "right": "right"},
        ),
    ] = "below"
    height: Annotated[
        float,
        msgspec.Meta(gt=0, le=2),
        described("Height", "Height of the box as a share of the outline's.", low=8, high=80, unit=" %", scale=100),
    ] = 0.24

    @staticmethod
    def of(text: str) -> Label:
        return Label(Cover.kinds["caption"](text))


def label_layer(subject: str, label: Label, outline: Outline, size: tuple[int, int], began: int = 0) -> Layer | None:
    """The layer of a label beside an outline, in a frame of size (width, height); pushed inside the picture where it
    would be cut off. None when there is nothing to say."""
    text = getattr(label.caption, "text", "").strip()
    if not text:
        return None
    box = label.caption.box()
    height = max(10.0, label.height * outline.height * max(1, len(text.splitlines())))
    width = height * box.shape[1] / box.shape[0]
    x0, y0, x1, y1 = outline.box()
    apart = APART * outline.height
    cx = {"left": x0 - apart - width / 2, "right": x1 + apart + width / 2}.get(label.side, outline.cx)
    cy = {"above": y0 - apart - height / 2, "below": y1 + apart + height / 2}.get(label.side, outline.cy)
    if x1 < 0 or y1 < 0 or x0 > size[0] or y0 > size[1]:
        return None
    cx = float(np.clip(cx, min(width / 2, size[0] / 2), max(size[0] - width / 2, size[0] / 2)))
    cy = float(np.clip(cy, min(height / 2, size[1] / 2), max(size[1] - height / 2, size[1] / 2)))
    place = Outline.at(cx, cy, width, height, shape=Shape.kinds["box"]())
    drawn = place.raster(size)
    if drawn is None:
        return None
    style = Style((replace(label.caption, size=1.0),), 0.0, 0.0)
    return Layer(subject, style, place, *drawn, began=began, label=True)
