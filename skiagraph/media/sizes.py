"""How large a film is written: as its source, or fitted into a usual size without bars and without stretching
anything."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.clip import ClipInfo


@dataclass(frozen=True, slots=True)
class Size:
    """box: width and height px, of a picture that lies; one that stands is fitted into the same box upright.

    None for the source's own. only_smaller: nothing is enlarged to it.
    """

    key: str
    label: str
    box: tuple[int, int] | None = None
    only_smaller: bool = False


SIZES = {
    s.key: s
    for s in (
        Size("source", "As in the source"),
        Size("most-1080", "Up to 1920 × 1080", (1920, 1080), True),
        Size("1080", "1920 × 1080", (1920, 1080)),
        Size("2160", "3840 × 2160", (3840, 2160)),
        Size("720", "1280 × 720", (1280, 720)),
        Size("576", "1024 × 576", (1024, 576)),
    )
}


def size_named(key: str) -> Size:
    """Raises CannotWriteMedia."""
    if key not in SIZES:
        raise CannotWriteMedia(f"“{key}” is not a size; choose one of {', '.join(SIZES)}.")
    return SIZES[key]


def stored_size(info: ClipInfo, size: Size) -> tuple[tuple[int, int], Fraction]:
    """Width and height px of the stored picture of a clip that is written in a size, and the aspect of its pixels.

    What is scaled has square pixels and even sides.
    """
    if size.box is None:
        return (info.width, info.height), info.sample_aspect
    width, height = info.upright_size
    seen = Fraction(width) * info.upright_aspect, Fraction(height)
    box = size.box if seen[0] >= seen[1] else size.box[::-1]
    factor = min(Fraction(box[0]) / seen[0], Fraction(box[1]) / seen[1])
    if factor == 1 and info.sample_aspect == 1 or size.only_smaller and factor >= 1:
        return (info.width, info.height), info.sample_aspect
    fitted = tuple(max(2, 2 * round(side * factor / 2)) for side in seen)
    return (fitted[::-1] if info.rotation in (90, 270) else fitted), Fraction(1)
