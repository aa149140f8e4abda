"""Parameters that several kinds of cover have."""

from __future__ import annotations

from typing import Annotated

import msgspec

from skiagraph.values import described

Opacity = Annotated[
    float,
    msgspec.Meta(ge=0, le=1),
    described(
        "Opacity",
        "Less lets through the covers beneath it, never what was shot.",
        low=10,
        high=100,
        unit=" %",
        scale=100,
        rare=True,
    ),
]

Even = Annotated[
    float,
    msgspec.Meta(ge=0, le=1),
    described(
        "Even",
        "How far its colours go towards what is around: more leaves less of skin and hair.",
        low=0,
        high=95,
        unit=" %",
        scale=100,
        rare=True,
    ),
]
