"""Whether an exported file shows each cover as strongly as it was decided, in the file's own pixels."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover
from skiagraph.cover.layer import Layer
from skiagraph.media.frame import Frame
from skiagraph.project.model import Style


@dataclass(frozen=True, slots=True)
class CoverCheckSettings:
    """When a cover in a file is not as decided.

    tolerance: mean difference from the expected picture, of 255, that encoding may make inside a cover; nearer: the
    file must be nearer to the covered picture than to the source by this share. bleed: share of what the cover hides
    that may come through: the difference between file and expected picture is measured along the difference between
    source and expected picture, where an encoder's noise averages out and a cover that is too weak does not; likeness:
    that difference has to look so much like it (correlation) to count; hides: where a cover changes less than this
    (root mean square, of 255) there is nothing to come through; seen: what comes through has to be so much (root mean
    square, of 255), since rounding and encoders leave as much that may look like anything. Larger values let weaker
    covers pass. tolerance and nearer were set by films of all formats; bleed and likeness by all kinds of covers on the
    demo in H.264 at its usual and at a poor rate: as decided they stay under 0.013, with a likeness of at most 0.38.
    """

    tolerance: float = 6.0
    nearer: float = 0.5
    bleed: float = 0.05
    likeness: float = 0.4
    hides: float = 4.0
    seen: float = 1.5


COVER_CHECK = CoverCheckSettings()
# Each side of the small pictures that are compared inside a cover, px.
_SIDE = 48


def weak_covers(
    shot: Frame, shown: Frame, covers: list[Layer], original: np.ndarray, given: np.ndarray
) -> dict[str, float]:
    """Subjects whose complete part does not show the cover, with the mean difference from it (of 255). original, given:
    luma of the source and of the file, on the file's scale."""
    if not covers:
        return {}
    weak = _unlike(covers, _expected(shot, shown, covers), given, original)
    for kind in Cover.kinds.values():
        # A file may have been rendered with another kind of cover for everybody; what counts is that one is there.
        if not weak:
            break
        others = [
            replace(layer, style=Style((kind(),), layer.style.margin, layer.style.feather))
            for layer in covers
            if layer.subject in weak and not layer.label and layer.style.cover.kind != kind().kind
        ]
        if others:
            still = _unlike(others, _expected(shot, shown, others), given, original)
            weak = {key: value for key, value in weak.items() if key in still or all(o.subject != key for o in others)}
    return weak


def _expected(shot: Frame, shown: Frame, covers: list[Layer]) -> np.ndarray:
    return same_range(with_layers(shot, covers).grey(), shot, shown)


def _unlike(covers: list[Layer], expected, given, original) -> dict[str, float]:
    """Subjects whose cover is not what it should be, in grey pictures of the file, the covered source and the
    source."""
    weak: dict[str, float] = {}
    for layer in covers:
        if layer.label:
            continue
        x0, y0, x1, y1 = layer.box
        inside = layer.alpha == 255
        if not inside.any():
            continue
        want, have, was = (_small(a[y0:y1, x0:x1]) for a in (expected, given, original))
        mask = _small(inside.astype(np.uint8) * 255) > 254
        if not mask.any():
            mask[:] = True
        from_cover, from_source = (float(np.abs(have - other)[mask].mean()) for other in (want, was))
        hides = float(np.abs(want - was)[mask].mean())
        far = from_cover > COVER_CHECK.tolerance or (
            hides > 2.0 and from_cover > COVER_CHECK.nearer * hides and from_cover > from_source
        )
        if far or _bleeds((have - want)[mask], (was - want)[mask]):
            weak[layer.subject] = max(weak.get(layer.subject, 0.0), round(from_cover, 2))
    return weak


def same_range(grey, shot, shown):
    """Luma of the source on the scale of the file, when one has full and the other limited range."""
    if shot.full_range == shown.full_range:
        return grey
    wide = grey.astype(np.float32)
    scaled = wide * (219 / 255) + 16 if shot.full_range else (wide - 16) * (255 / 219)
    return np.clip(scaled + 0.5, 0, 255).astype(np.uint8)


def _small(area: np.ndarray) -> np.ndarray:
    return cv2.resize(
        area, (min(_SIDE, area.shape[1]), min(_SIDE, area.shape[0])), interpolation=cv2.INTER_AREA
    ).astype(np.float32)


def _bleeds(left: np.ndarray, hidden: np.ndarray) -> bool:
    """Whether what a file shows beside the expected picture is what the cover was to hide: both differences (n,), of
    255. A matched filter (North 1943)."""
    left, hidden = left - left.mean(), hidden - hidden.mean()
    power, noise = float(hidden @ hidden), float(left @ left)
    if power < len(hidden) * COVER_CHECK.hides**2 or noise == 0:
        return False
    along = float(left @ hidden)
    return (
        along / power > COVER_CHECK.bleed
        and along / np.sqrt(power * noise) > COVER_CHECK.likeness
        and along / np.sqrt(power * len(hidden)) > COVER_CHECK.seen
    )
