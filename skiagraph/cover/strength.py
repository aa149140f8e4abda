"""How strong a cover is, measured: what detail of a face passes through it.

Patterns are drawn, covered, and looked at again, so that it holds for every kind of cover and for several one over the
other.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Style, ground
from skiagraph.cover.layer import layer_of
from skiagraph.media.frame import grey_frame
from skiagraph.shape.shape import Outline
from skiagraph.values import replace


@dataclass(frozen=True, slots=True)
class StrengthSettings:
    """passes: share of a pattern's contrast that has to come through for its detail to count as left. safe_cycles: so
    many cycles across the face are safe; people need 8 to 16 to know a face well and still know familiar ones in motion
    at 5 (Costen, Parker and Craw, Effects of high-pass and low-pass spatial filtering on face identification,
    Perception & Psychophysics 1996; Lander, Bruce and Hill, Evaluating the effectiveness of pixelation and blurring,
    Applied Cognitive Psychology 2001), and recognisers do with far less: behind 7 blocks, 3.5 cycles, one named the
    right one of 32 in three frames of four (McPherson, Shokri and Shmatikov, Defeating image obfuscation with deep
    learning, 2016, find the same). weak_cycles: from so many on a cover is too weak for anybody. face_share: width of a
    face as a share of its head's. Larger values of the others let weaker covers pass.
    """

    passes: float = 0.1
    safe_cycles: float = 2.0
    weak_cycles: float = 2.6
    face_share: float = 0.92


STRENGTH = StrengthSettings()
# Patterns that are tried, cycles across the face, and of each so many phases.
CYCLES = (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.25, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0)
PHASES = 2
# Head that patterns are drawn on: px, and height against width.
HEAD_PX, TALL = 96, 1.3
# Contrast of the patterns, of 255: that of a face's own details.
CONTRAST = 60.0


class Safety(StrEnum):
    """How safe a cover is by what detail it leaves. Too weak is a finding."""

    SAFE = "safe"
    WEAK = "weak"
    TOO_WEAK = "too weak"


def safety(cycles: float) -> Safety:
    """How safe so much detail is, cycles across the face."""
    return (
        Safety.SAFE
        if cycles <= STRENGTH.safe_cycles
        else Safety.WEAK
        if cycles <= STRENGTH.weak_cycles
        else Safety.TOO_WEAK
    )


def detail_left(style: Style, face_px: float | None = None) -> float:
    """The finest pattern that comes through a style, cycles across the face: 0 where none does. face_px: width of the
    face, which holds no more than a cycle for each two px.

    By the modulation transfer: contrast that comes out for contrast that goes in, of waves across and down (Boreman,
    Modulation Transfer Function, SPIE 2001).
    """
    left = _detail_left(replace(style, margin=0.0, feather=0.0))
    return left if face_px is None else min(left, face_px / 2)


@lru_cache(maxsize=512)
def _detail_left(style: Style) -> float:
    passed = transfer(style)
    finest = max((n for n, share in enumerate(passed) if share >= STRENGTH.passes), default=None)
    if finest is None:
        return 0.0
    if finest + 1 == len(CYCLES):
        return CYCLES[-1]
    # Between the last that passes and the first that does not.
    over, under = passed[finest], passed[finest + 1]
    return round(
        CYCLES[finest] + (CYCLES[finest + 1] - CYCLES[finest]) * (over - STRENGTH.passes) / max(over - under, 1e-6), 2
    )


@lru_cache(maxsize=512)
def transfer(style: Style) -> tuple[float, ...]:
    """The share of contrast that comes through for each of CYCLES: the larger of waves across and down, mean over their
    phases."""
    shares = []
    for cycles in CYCLES:
        across = float(np.mean([_passed(style, cycles, n / PHASES, False) for n in range(PHASES)]))
        down = float(np.mean([_passed(style, cycles, n / PHASES, True) for n in range(PHASES)]))
        shares.append(max(across, down))
    return tuple(shares)


def _passed(style: Style, cycles: float, phase: float, down: bool) -> float:
    width, height = HEAD_PX, round(HEAD_PX * TALL)
    size = width * 2, height * 2
    face = width * STRENGTH.face_share
    at = (np.arange(size[1] if down else size[0]) + 0.5) / face * cycles * 2 * np.pi + phase * 2 * np.pi
    one, other = (
        np.broadcast_to(w[:, None] if down else w[None, :], (size[1], size[0])) for w in (np.cos(at), np.sin(at))
    )
    layer = layer_of("s1", style, Outline.at(size[0] / 2, size[1] / 2, width, height), size)
    x0, y0, x1, y1 = layer.box
    inside = layer.alpha == 255
    pattern = np.zeros((size[1], size[0]))
    pattern[y0:y1, x0:x1][inside] = CONTRAST * one[y0:y1, x0:x1][inside]
    # What a wave and its opposite have in common comes from the cover, or from what lies around.
    light, dark = (
        with_layers(grey_frame(128 + sign * pattern), [layer]).planes()[0][y0:y1, x0:x1].astype(np.float64)[inside]
        for sign in (1, -1)
    )
    seen = (light - dark) / 2
    seen -= seen.mean()
    # Contrast of the same wave in what is seen, whatever its phase there.
    return float(
        np.hypot((seen * one[y0:y1, x0:x1][inside]).mean(), (seen * other[y0:y1, x0:x1][inside]).mean()) * 2 / CONTRAST
    )


def weakest_safe(style: Style) -> Style:
    """The style made only as strong as is safe: by the strength of its covers where that helps, else by what hides
    anybody."""
    if safety(detail_left(style)) == Safety.SAFE:
        return style
    low, high = 1.0, 64.0
    strongest = _times(style, high)
    if safety(detail_left(strongest)) != Safety.SAFE:
        return replace(style, covers=(ground(), *(c for c in style.covers if not c.hides_alone)))
    for _ in range(12):
        middle = (low * high) ** 0.5
        low, high = (low, middle) if safety(detail_left(_times(style, middle))) == Safety.SAFE else (middle, high)
    return _times(style, high)


def _times(style: Style, factor: float) -> Style:
    return replace(style, covers=tuple(cover.stronger(factor) for cover in style.covers))
